"""Making a picture from a dressed scene."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

import irodori
from irodori.core.errors import IrodoriError, unknown_name
from irodori.core.progress import Progress
from irodori.core.scene import Scene, SkyDome
from irodori.engine.trace import EFFORTS, Quality, Traced, trace_lights
from irodori.formats.mask_text import mask_text
from irodori.picture.carried_lines import carried_lines
from irodori.picture.develop import Development
from irodori.picture.picture import Picture

LEAST_COVER = 0.04
"""Share of a pixel under additions from which the proof looks away."""


def render(scene: Scene, quality: Quality = "review", *, progress: Progress | None = None) -> Picture:
    """Trace and develop a scene.

    Parameters
    ----------
    scene
        From `dress`.
    quality
        "draft", "review" or "final".
    progress
        `progress(stage, fraction)`; returning False stops the work.

    Raises
    ------
    IrodoriError
        When the quality is unknown; `Cancelled` when stopped.
    """
    return next(render_lights([scene], quality, progress=progress))


def render_lights(
    scenes: Sequence[Scene], quality: Quality = "review", *, progress: Progress | None = None
) -> Iterator[Picture]:
    """Pictures of scenes that differ in nothing but their light; they share most of the work.

    Parameters and errors are those of `render`, and so is each picture.
    """
    if quality not in EFFORTS:
        raise IrodoriError(unknown_name("quality", quality, EFFORTS))
    for scene, traced in zip(scenes, trace_lights(scenes, quality, progress=progress)):
        yield _picture(scene, traced, quality)


def _picture(scene: Scene, traced: Traced, quality: Quality) -> Picture:
    light = scene.light
    development = Development(light.exposure, light.warmth, tuple(illuminant(light.dome).tolist()))
    recipe = {
        "irodori": irodori.__version__,
        "origin": scene.structure.origin,
        "structure": scene.structure.digest,
        **scene.recipe,
        "quality": quality,
        "bits": 8,
    }
    carried = carried_lines(scene.structure, scene.as_found)
    if scene.shown.covered is not None:
        recipe["covered"] = mask_text(scene.shown.covered > LEAST_COVER)
        if carried is not None:
            carried = carried.beside(scene.shown.covered)
    return Picture(scene.structure, scene.shown, traced, development, recipe, carried)


def illuminant(dome: SkyDome) -> np.ndarray:
    """Colour of the light that falls on level ground from sun and sky, (3,) RGB."""
    upper = dome.table[dome.table.shape[0] // 2 :]
    sky = upper.mean(axis=(0, 1)) * np.pi
    return sky + dome.sun_illuminance * max(float(dome.sun_direction[2]), 0.05)
