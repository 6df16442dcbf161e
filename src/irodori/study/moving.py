"""A camera that moves through a model: frames along a path, each exact, all of one scene."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from irodori.capture import open_model
from irodori.core.errors import ModelError
from irodori.core.model import ViewSpec
from irodori.core.recipe import FromModel
from irodori.core.work.progress import Progress, report
from irodori.engine.rays.ray_scene import ray_kernel
from irodori.picture import Picture
from irodori.scene.additions import placed_list
from irodori.study.job import Job

MOST_FRAMES = 3000

AHEAD = 4.0
"""m ahead on its path to which a camera looks that is told nothing else."""

FINE = 400
"""Pieces of a path that its length is measured by."""


@dataclass(frozen=True)
class Path3D:
    """A smooth way through some `points` (N, 3) m, at an even pace: a Catmull-Rom spline (Catmull and Rom, A class of local
    interpolating splines, 1974) through them, run along by its length."""

    points: tuple[tuple[float, float, float], ...]

    def at(self, shares: np.ndarray) -> np.ndarray:
        """Places (N, 3) at `shares` (N,) of its length, 0 … 1; beyond its ends it goes straight on."""
        fine = self._fine()
        steps = np.linalg.norm(np.diff(fine, axis=0), axis=1)
        along = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
        inside = np.stack([np.interp(shares, along, fine[:, k]) for k in range(3)], axis=1)
        for end, way in ((0, fine[0] - fine[1]), (-1, fine[-1] - fine[-2])):
            over = np.maximum(-shares if end == 0 else shares - 1, 0) * steps.sum()
            inside += over[:, None] * way / np.linalg.norm(way)
        return inside

    @property
    def length(self) -> float:
        """Its length, m."""
        return float(np.linalg.norm(np.diff(self._fine(), axis=0), axis=1).sum())

    def _fine(self) -> np.ndarray:
        given = np.array(self.points, float)
        ends = np.vstack([2 * given[0] - given[1], given, 2 * given[-1] - given[-2]])
        t = np.linspace(0, len(given) - 1, FINE + 1)
        k = np.minimum(t.astype(int), len(given) - 2)
        u = (t - k)[:, None]
        a, b, c, d = (ends[k + n] for n in range(4))
        return 0.5 * (2 * b + (c - a) * u + (2 * a - 5 * b + 4 * c - d) * u**2 + (3 * b - a - 3 * c + d) * u**3)


def read_path(text: str) -> Path3D:
    """A path from "0,-12,1.6; 4,-6,1.6; 8,-2,1.6". Raises ModelError."""
    points = tuple(read_point(part) for part in text.split(";") if part.strip())
    if len(points) < 2:
        raise ModelError(f"'{text}' is no path; write two points or more: '0,-12,1.6; 8,-2,1.6'")
    if any(np.allclose(a, b) for a, b in zip(points, points[1:])):
        raise ModelError(f"'{text}' has the same point twice in a row")
    return Path3D(points)


def read_point(text: str) -> tuple[float, float, float]:
    """A point, m, from "0,-12,1.6". Raises ModelError."""
    numbers = [part.strip() for part in text.split(",")]
    if len(numbers) != 3 or not all(re.fullmatch(r"[-+]?\d+(\.\d+)?", one) for one in numbers):
        raise ModelError(f"'{text.strip()}' is no point; write x,y,z in metres, as 0,-12,1.6")
    x, y, z = map(float, numbers)
    return x, y, z


def walked(view: ViewSpec, path: Path3D, frames: int, look: tuple[float, float, float] | None = None) -> list[ViewSpec]:
    """Views along a path, through the lens of `view`, towards one point or ahead. Raises ModelError."""
    shares = _shares(frames)
    eyes = path.at(shares)
    ahead = path.at(shares + AHEAD / path.length)
    targets = np.tile(look, (frames, 1)) if look is not None else ahead
    return [
        replace(view, name=f"frame {n + 1}", position=tuple(eye.tolist()), target=tuple(target.tolist()), span=None)
        for n, (eye, target) in enumerate(zip(eyes, targets))
    ]


def orbited(view: ViewSpec, degrees: float, frames: int) -> list[ViewSpec]:
    """Views from around the target of `view`, as high and as far away, starting with it. Raises ModelError."""
    if not 0 < abs(degrees) <= 360:
        raise ModelError(
            f"An orbit of {degrees:g} degrees is out of range; give up to 360, negative for the other way round"
        )
    # A whole round ends before it comes to its first frame again.
    angles = np.radians(degrees) * (_shares(frames) if abs(degrees) < 360 else np.arange(frames) / frames)
    eye, target = np.array(view.position), np.array(view.target)
    out = []
    for n, angle in enumerate(angles):
        c, s = np.cos(angle), np.sin(angle)
        arm = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ (eye - target)
        out.append(replace(view, name=f"frame {n + 1}", position=tuple((target + arm).tolist())))
    return out


def _shares(frames: int) -> np.ndarray:
    if not 2 <= frames <= MOST_FRAMES:
        raise ModelError(f"{frames} frames are out of range; give 2 to {MOST_FRAMES}")
    return np.linspace(0, 1, frames)


def moving(job: Job, views: Sequence[ViewSpec], *, progress: Progress | None = None) -> Iterator[Picture]:
    """Pictures of a model from one view after the other, all of one scene in one light and one exposure.

    What is added stands where the first frame has it.

    Raises
    ------
    ModelError
        When the job's source is no model; others as the stages do.
    """
    source = job.recipe.source
    if not isinstance(source, FromModel):
        raise ModelError("A camera moves through a model; a capture shows one view alone")
    model = open_model(list(source.files), up=source.up, unit=source.unit, north=source.north, views=source.views)
    own, held = job, job.recipe.held
    for number, view in enumerate(views):
        report(progress, "Moving the camera", number / len(views))
        with ray_kernel(job.recipe.rays or None):
            capture = model.view(
                view, width=source.width, height=source.height, ground=source.ground, style=source.style, as_modelled=source.as_modelled
            )  # fmt: skip
            structure = own.read(capture, cache=False)
            scene = own.under(own.dressing(structure))
            picture = own.render(scene)
            if number == 0:
                entourage = placed_list(scene.shown.listed)
                own = replace(own, recipe=own.recipe.but(entourage=entourage, life="none", light=scene.recipe.light))
            if held is None:
                held = picture.facts.exposure
                own = replace(own, recipe=own.recipe.but(held=held))
        yield picture
