"""Sun and sky as the engine samples them, and the measure of a scene's light."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import luminance
from irodori.core.scene import Scene, SkyDome, row_elevations


def beam_from_aureole(dome: SkyDome) -> tuple[np.ndarray, np.ndarray]:
    """The sky without its glow around the sun, and the sun's illuminance with it.

    The glow is so small and bright that few rays find it; as is usual with measured beam irradiance, it counts as
    part of the sun.
    """
    if luminance(dome.sun_illuminance) <= 0:
        return dome.table, dome.sun_illuminance
    rows, columns = dome.table.shape[:2]
    elevation = row_elevations(rows)
    upper = elevation >= 0
    value = luminance(dome.table)
    limit = 3.0 * np.average(value[upper], weights=np.repeat(np.cos(elevation[upper])[:, None], columns, axis=1))
    share = np.minimum(1.0, limit / np.maximum(value, 1e-9))[..., None].astype(np.float32)
    even = dome.table * share
    solid = np.gradient(elevation) * np.cos(elevation) * 2 * np.pi / columns
    beam = ((dome.table - even) * solid[:, None, None])[upper].sum(axis=(0, 1))
    return np.ascontiguousarray(even), (dome.sun_illuminance + beam).astype(np.float32)


def scene_unit(scene: Scene) -> float:
    """Luminance, cd/m², that layers are stored in units of: a mid grey in the open, from moonlight to noon."""
    dome = scene.light.dome
    upper = dome.table[dome.table.shape[0] // 2 :]
    lux = float(luminance(dome.sun_illuminance)) * max(float(dome.sun_direction[2]), 0.0)
    lux += float(luminance(upper.mean(axis=(0, 1)))) * np.pi
    return max(lux / np.pi * 0.18, 1e-4)
