"""The whole light transport of one scene: from tables to layers on fragments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import groupby
from typing import Literal

import numpy as np

from irodori.core.errors import IrodoriError, unknown_name
from irodori.core.scene import Scene
from irodori.core.work.progress import Progress, report
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.image.interlace import fill_skipped
from irodori.engine.image.layers import BACKDROP, CHANNELS, REFLECTION, Traced
from irodori.engine.image.specular_filter import smooth_reflections
from irodori.engine.lit import Lit
from irodori.engine.stage import Effort, Stage
from irodori.finishes.slots import SLOT

Quality = Literal["draft", "review", "final"]

EFFORTS: dict[str, Effort] = {
    "draft": Effort(
        step=4, hemisphere=7, sun=1, mirror=1, lamps=2, cells=14, passes=3, smoothing=3, broad=0.05, interlaced=True
    ),
    "review": Effort(step=2, hemisphere=56, sun=6, mirror=8, lamps=4, cells=72, passes=4, smoothing=3),
    "final": Effort(step=1, hemisphere=80, sun=24, mirror=40, lamps=16, cells=240, passes=3, smoothing=1),
}


def check_quality(quality: str) -> None:
    """Raises IrodoriError when there is no such quality."""
    if quality not in EFFORTS:
        raise IrodoriError(unknown_name("quality", quality, EFFORTS))


FINEST = 5_000_000
"""Fragments up to which light may be worked out at every pixel; beyond, at every second one with four times the rays."""

TILE = 32768
"""Fragments shaded at once."""

BLACK = 0.12
"""Share of the picture's white below which noise in reflections does not show."""

TOGETHER = 2 << 30
"""Bytes of layers that lights traced together may fill."""


def trace(scene: Scene, quality: Quality = "review", *, progress: Progress | None = None) -> Traced:
    """Trace the light of a dressed scene.

    Parameters
    ----------
    scene
        From `irodori.dress`.
    quality
        Key of `EFFORTS`.

    Returns
    -------
    Traced
        Deterministic: every sample depends on fragment and seed alone.
    """
    return next(trace_lights([scene], quality, progress=progress))


def trace_lights(
    scenes: Sequence[Scene], quality: Quality = "review", *, only: np.ndarray | None = None, white: float | None = None,
    progress: Progress | None = None,
) -> Iterator[Traced]:  # fmt: skip
    """Trace scenes that differ in nothing but their light, one after the other.

    Each is the same as `trace` gives it, but they share what light does not change: the rays, what these meet and how
    surfaces look there. (Light is linear.) `rays` is an even share of those traced together.

    With `only`, (H, W) bool, nothing is worked out but what its pixels show; there the layers are as of the whole, elsewhere they
    mean nothing. `white`, cd/m², is then that of the whole, as `Traced.white` tells it.
    """
    fragments = scenes[0].shown.fragments
    effort = EFFORTS[quality]
    if effort.step == 1 and len(fragments) > FINEST:
        effort = replace(effort, step=2, hemisphere=4 * effort.hemisphere)
    together = max(1, TOGETHER // (len(fragments) * CHANNELS * 4))
    for _, alike in groupby(scenes, lambda scene: scene.light.dome.table.shape):
        alike = list(alike)
        for first in range(0, len(alike), together):
            yield from _trace_together(alike[first : first + together], effort, progress, only, white)


def _trace_together(
    scenes: Sequence[Scene], effort: Effort, progress: Progress | None, only: np.ndarray | None, white: float | None
) -> Iterator[Traced]:  # fmt: skip
    report(progress, "Preparing the scene", 0.0)
    scene = scenes[0]
    lights = [Lit(one, number) for number, one in enumerate(scenes)]
    for lit in lights:
        lit.given_white = white
    stage = Stage(scene, lights, effort, only)
    stage.light_up(progress)
    stage.gather_clouds()
    fragments = scene.shown.fragments
    layers = [np.zeros((len(fragments), CHANNELS), np.float32) for _ in lights]
    rough = [np.zeros(len(fragments), np.float32) for _ in lights]

    for_each_tile(split_tiles(len(stage.sky), TILE), lambda span: stage.look_up(stage.sky[slice(*span)], layers))
    for_each_tile(
        split_tiles(len(stage.surfaces), TILE), lambda span: stage.shade(stage.surfaces[slice(*span)], layers, rough),
        stage="Tracing", progress=progress,
    )  # fmt: skip
    rays = stage.rays() // len(lights)
    size = scene.structure.size
    metal = scene.finishes[scene.finish_of, SLOT["metalness"]].astype(np.float32)
    for n, lit in enumerate(lights):
        if effort.interlaced:
            fill_skipped(layers[n], rough[n], stage.shaded, fragments, size)
        smooth_reflections(
            layers[n], slice(REFLECTION, BACKDROP), fragments, size, rough[n], passes=effort.smoothing,
            noise=2.2 / np.sqrt(effort.mirror), black=BLACK * 3 * lit.white / lit.unit, broad=effort.broad,
        )  # fmt: skip
        dome = lights[n].dome
        yield Traced(layers[n], lit.unit, lit.white, rays, dome.sun_direction, dome.sun_illuminance, scene.axis, metal)
        layers[n] = rough[n] = None
