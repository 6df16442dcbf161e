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
from irodori.engine.rays.ray_scene import ray_kernel
from irodori.engine.trace import Quality, trace_lights
from irodori.picture.looks import USUAL
from irodori.picture.render import picture_of
from irodori.study.choosing.make import BESIDE, alike, finished
from irodori.study.choosing.plan import Option

Made = TypeVar("Made")

TILES, FEW, MORE = (16, 10), 0.03, 0.12
"""Tiles, across and down, that a picture is tried on, and the shares of them that are traced."""


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
    two_lights: float
    finishing: float
    size: float


def measured(option: Option, *, prove: bool = True, progress: Progress | None = None) -> Measured:
    """What the parts of an option take, told from parts of it that are made: some tiles and more of them, in one light and in two, and
    its development. Errors are those of the stages."""
    report(progress, "Measuring", 0.0)
    with ray_kernel(option.job.recipe.rays or None):
        shown = option.job.open(progress)
        structure = option.job.read(shown, progress)
        dressed, dressing = _timed(lambda: option.job.dressing(structure))
        scene = option.job.under(dressing)
        one, two = (_tracing([scene] * lights, option.job.recipe.quality) for lights in (1, 2))
    finish, size = _finishing(option, scene, shown, prove=prove)
    return Measured(dressed, one, two, finish, size)


def estimated(options: Sequence[Option], *, prove: bool = True, progress: Progress | None = None) -> Estimate:
    """What it takes to make options, by what the parts of the first one take. Errors are those of the stages."""
    if not options:
        return Estimate(0, 0.0, 0.0)
    took = measured(options[0], prove=prove, progress=progress)
    seconds = len(options) * took.finishing
    for own in alike(options, "dressed_as"):
        lights = len({option.traced_as for option in own})
        seconds += took.dressing + took.one_light + (lights - 1) * max(took.two_lights - took.one_light, 0.0)
    return Estimate(len(options), seconds, len(options) * took.size)


def _timed(work: Callable[[], Made]) -> tuple[float, Made]:
    began = time.perf_counter()
    made = work()
    return time.perf_counter() - began, made


def _tracing(scenes: list[Scene], quality: Quality) -> float:
    """Seconds that it takes to trace scenes, by what some tiles take and what more of them do: much of it is the same for any."""
    masks = [_tiles(scenes[0], share) for share in (FEW, MORE)]
    few, more = (_timed(lambda mask=mask: list(trace_lights(scenes, quality, only=mask)))[0] for mask in masks)
    shares = [float(mask.mean()) for mask in masks]
    slope = max(more - few, 0.0) / max(shares[1] - shares[0], 1e-9)
    return few + slope * (1 - shares[0])


def _tiles(scene: Scene, share: float) -> np.ndarray:
    """Some tiles all over a picture, (H, W) bool."""
    width, height = scene.structure.size
    count = max(1, round(share * TILES[0] * TILES[1]))
    chosen = np.zeros(TILES[0] * TILES[1], bool)
    # Steps of the golden section are spread evenly, however many there are.
    chosen[((np.arange(count) * 0.6180339887498949 + 0.5) % 1 * chosen.size).astype(int)] = True
    rows, columns = np.arange(height) * TILES[1] // height, np.arange(width) * TILES[0] // width
    return chosen.reshape(TILES[1], TILES[0])[rows[:, None], columns]


def _finishing(option: Option, scene: Scene, reference: Capture, *, prove: bool) -> tuple[float, float]:
    """Seconds that it takes to develop, write and prove a picture where that is done for `BESIDE` at a time, and the bytes that it takes."""
    mask = _tiles(scene, MORE)
    recipe = option.job.recipe
    traced = next(trace_lights([scene], recipe.quality, only=mask))
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(BESIDE) as pool:
        places = [Path(folder) / str(number) for number in range(BESIDE)]
        for place in places:
            place.mkdir()

        def finish(place: Path) -> None:
            finished(picture_of(scene, traced, recipe.quality, USUAL), option, scene, reference, prove, place)

        finish(places[0])  # what is known of the reference stays
        seconds, _ = _timed(lambda: list(pool.map(finish, places)))
        return seconds / BESIDE, (places[0] / option.file).stat().st_size / max(float(mask.mean()), 0.01) ** 0.5
