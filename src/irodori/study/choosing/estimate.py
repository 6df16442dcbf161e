"""How long options take on this machine, measured on this very scene, and how much room they take."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import numpy as np

from irodori.core.capture import Capture
from irodori.core.scene import Scene
from irodori.core.work.progress import Progress, report
from irodori.engine.image.layers import Traced
from irodori.engine.part import Part
from irodori.engine.rays.ray_scene import ray_kernel
from irodori.engine.trace import EFFORTS, Quality, trace_lights
from irodori.picture.looks import USUAL
from irodori.picture.render import picture_of
from irodori.study.choosing.make import BESIDE, alike, finished
from irodori.study.choosing.plan import Option

Made = TypeVar("Made")

TILES, ONE, FEW, MORE = (16, 10), 0.006, 0.03, 0.25
"""Tiles, across and down, that a picture is tried on, and the shares of them that are traced."""

LIGHTS = 4
"""Lights that are tried together: what a further one takes is little beside how much the same work differs from one time to another."""


@dataclass(frozen=True)
class Estimate:
    """What options cost: how many pictures are to be made, seconds, and bytes on disk."""

    pictures: int
    seconds: float
    bytes: float


@dataclass(frozen=True)
class Measured:
    """Seconds that parts of the work take here, and the bytes of a picture."""

    dressing: float
    one_light: float
    further_light: float
    finishing: float
    size: float


def measured(options: Sequence[Option], *, prove: bool = True, progress: Progress | None = None) -> Measured:
    """What the parts of options take, told from parts of the first one's picture: some tiles and more of them, in its own light and in
    several, and their development. Errors are those of the stages."""
    report(progress, "Measuring", 0.0)
    option = options[0]
    with ray_kernel(option.job.recipe.rays or None):
        shown = option.job.open(progress)
        structure = option.job.read(shown, progress)
        dressed, dressing = _timed(lambda: option.job.dressing(structure))
        scenes = [own.job.under(dressing) for own in _several_lights(options)]
        one, further, part = _tracing(scenes, option.job.recipe.quality)
    finish, size = _finishing(option, scenes[0], part, shown, prove=prove)
    return Measured(dressed, one, further, finish, size)


def _several_lights(options: Sequence[Option]) -> list[Option]:
    """The first option, and others of its dressing under other lights, `LIGHTS` at most: lamps and clouds take longer than noon."""
    lights = [own[0] for own in alike(alike(options, "dressed_as")[0], "traced_as")]
    count = min(LIGHTS, len(lights))
    return [lights[len(lights) * number // count] for number in range(count)]


def estimated(options: Sequence[Option], *, prove: bool = True, progress: Progress | None = None) -> Estimate:
    """What it takes to make options, by what the parts of the first one take. Errors are those of the stages."""
    if not options:
        return Estimate(0, 0.0, 0.0)
    took = measured(options, prove=prove, progress=progress)
    seconds = len(options) * took.finishing
    for own in alike(options, "dressed_as"):
        lights = len({option.traced_as for option in own})
        seconds += took.dressing + took.one_light + (lights - 1) * took.further_light
    return Estimate(len(options), seconds, len(options) * took.size)


def _timed(work: Callable[[], Made]) -> tuple[float, Made]:
    began = time.perf_counter()
    made = work()
    return time.perf_counter() - began, made


def _tracing(scenes: list[Scene], quality: Quality) -> tuple[float, float, Traced]:
    """Seconds that it takes to trace the first of scenes, and each further one with it; and a part of the first.

    Told by what some tiles take and what more of them do: much of it is the same for any, and what filters read around them counts.
    """

    def traced(count: int, share: float) -> tuple[float, list[Traced]]:
        return _timed(lambda: list(trace_lights(scenes[:count], quality, only=_tiles(scenes[0], share))))

    traced(1, ONE)  # what is done once in a run is not the picture's
    (few, _), (more, (part,)) = traced(1, FEW), traced(1, MORE)
    effort = EFFORTS[quality]
    works = [Part(_tiles(scenes[0], share), effort.step, effort.passes, effort.smoothing).work for share in (FEW, MORE)]
    first = more + max(more - few, 0.0) / (works[1] - works[0]) * (1 - works[1])
    further = max(traced(len(scenes), MORE)[0] - more, 0.0) / (len(scenes) - 1) if len(scenes) > 1 else 0.0
    return first, further, part


def _tiles(scene: Scene, share: float) -> np.ndarray:
    """Some tiles all over a picture, (H, W) bool."""
    width, height = scene.structure.size
    count = max(1, round(share * TILES[0] * TILES[1]))
    chosen = np.zeros(TILES[0] * TILES[1], bool)
    # Steps of the golden section are spread evenly, however many there are.
    chosen[((np.arange(count) * 0.6180339887498949 + 0.5) % 1 * chosen.size).astype(int)] = True
    rows, columns = np.arange(height) * TILES[1] // height, np.arange(width) * TILES[0] // width
    return chosen.reshape(TILES[1], TILES[0])[rows[:, None], columns]


def _finishing(option: Option, scene: Scene, traced: Traced, reference: Capture, *, prove: bool) -> tuple[float, float]:
    """Seconds that it takes to develop, write and prove a picture where that is done for `BESIDE` at a time, and the bytes that it takes;
    `traced` on some of its tiles."""
    recipe = option.job.recipe
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(BESIDE) as pool:
        places = [Path(folder) / str(number) for number in range(BESIDE)]
        for place in places:
            place.mkdir()

        def finish(place: Path) -> None:
            finished(picture_of(scene, traced, recipe.quality, USUAL), option, scene, reference, prove, place)

        finish(places[0])  # what is known of the reference stays
        seconds, _ = _timed(lambda: list(pool.map(finish, places)))
        return seconds / BESIDE, (places[0] / option.file).stat().st_size / MORE**0.5
