"""Light from the sky and from other surfaces, over the hemisphere of each light point."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.engine.directions import hemisphere_rays, sky_radiance
from irodori.engine.light_cache import LightCache, find_cell
from irodori.engine.rays import RayScene
from irodori.engine.tables import LAMP, Tables


@njit(cache=True, nogil=True)
def _add_hits(
    origins, directions, distance, tri, tri_normal, tri_surface, mean, kind, sky, table, cache_light, spare, eye,
    count, share, light,
):  # fmt: skip
    """Add `count` rays a point to its light (P, 12): sky 3, bounced sun, sky and lamps 3 × 3."""
    radiance = np.zeros(3, np.float32)
    for p in range(len(light)):
        for s in range(count):
            ray = p * count + s
            t = tri[ray]
            if t < 0:
                sky_radiance(sky, directions[ray, 0], directions[ray, 1], directions[ray, 2], radiance)
                for k in range(3):
                    light[p, k] += radiance[k] * np.float32(np.pi) * share
                continue
            surface = tri_surface[t]
            if kind[surface] == LAMP:
                continue
            side = (
                directions[ray, 0] * tri_normal[t, 0]
                + directions[ray, 1] * tri_normal[t, 1]
                + directions[ray, 2] * tri_normal[t, 2]
            )
            sign = np.float32(-1.0) if side > 0 else np.float32(1.0)
            row = find_cell(
                table,
                origins[ray, 0] + directions[ray, 0] * distance[ray],
                origins[ray, 1] + directions[ray, 1] * distance[ray],
                origins[ray, 2] + directions[ray, 2] * distance[ray],
                sign * tri_normal[t, 0], sign * tri_normal[t, 1], sign * tri_normal[t, 2], eye,
            )  # fmt: skip
            for g in range(9):
                value = cache_light[row, g] if row >= 0 else spare[-1 - row, g]
                light[p, 3 + g] += value * mean[surface, g % 3] * share


def gather_light(
    scene: RayScene, tables: Tables, sky: np.ndarray, cache: LightCache, points: np.ndarray, normals: np.ndarray,
    keys: np.ndarray, lift: np.ndarray, samples: int,
) -> np.ndarray:  # fmt: skip
    """Illuminance at points, (P, 12) lx: from the sky (3), then bounced from sun, sky and lamps (3 × 3).

    `samples` rays a point are traced in waves.
    """
    light = np.zeros((len(points), 12), np.float32)
    per_wave = max(1, min(samples, 65536 // max(len(points), 1)))
    done = 0
    while done < samples:
        count = min(per_wave, samples - done)
        origins = np.empty((len(points) * count, 3), np.float32)
        directions = np.empty_like(origins)
        hemisphere_rays(points, normals, keys, done, count, lift, origins, directions)
        distance, tri = scene.closest(origins, directions)
        _add_hits(
            origins, directions, distance, tri, tables.tri_normal, tables.tri_surface, tables.mean, tables.kind, sky,
            cache.table, cache.light, cache.spare, cache.eye, count, np.float32(1.0 / samples), light,
        )  # fmt: skip
        done += count
    return light
