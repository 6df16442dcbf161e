"""A series: one view through several lights."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from irodori.brief import Brief
from irodori.brief.understand import brief_in
from irodori.core.errors import LightError
from irodori.core.liberty import USUAL as PRESENTED
from irodori.core.liberty import read_liberty
from irodori.core.recipe import BriefChoice
from irodori.core.structure import Structure
from irodori.core.work.progress import Progress
from irodori.engine.rays.ray_scene import ray_kernel
from irodori.engine.trace import Quality
from irodori.finishes import Schedule
from irodori.light import make_light, read_lamps
from irodori.light.lamps import LampSchedule
from irodori.picture import Picture
from irodori.picture.looks import USUAL
from irodori.picture.render import render_lights
from irodori.scene.dress import prepare
from irodori.study.job import Job

DAY = ("dawn", "morning", "noon", "afternoon", "golden hour", "dusk", "blue hour", "night")
"""The lights of a series that names none."""


def series(
    structure: Structure, finishes: str | Path | Schedule | None = None, lights: Sequence[str] = DAY, *,
    lamps: str | Path | LampSchedule | None = None, entourage: str | Path | None = None, season: str = "summer", life: str = "none",
    catalogue: str | Path | None = None, exposure: float = 0.0, seed: int = 7, quality: Quality = "review",
    look: str = USUAL, brief: str | Brief | BriefChoice | None = None, avoid: str = "", liberty: float | str = PRESENTED,
    progress: Progress | None = None,
) -> Iterator[tuple[str, Picture]]:  # fmt: skip
    """Pictures of one structure in several lights, each with its light's name, one after the other.

    All share one dressing and what light does not change: rays, what they meet, how surfaces look there. Each picture is
    the same as one made by itself.

    Parameters
    ----------
    structure, finishes, catalogue, lamps, entourage, season, life, exposure, seed, brief, avoid, liberty
        As for `dress`; what a brief says of light does not count here.
    lights
        Named settings, or places and moments.
    quality, look, progress
        As for `render`.

    Raises
    ------
    LightError
        When a light is unknown, before anything is traced.
    """
    if not lights:
        raise LightError("A series needs at least one light")
    lit = [
        make_light(light, north=structure.north, exposure=exposure, facing=structure.camera.facing) for light in lights
    ]
    dressing = prepare(
        structure, finishes, catalogue=catalogue, lamps=lamps, entourage=entourage, season=season, life=life, seed=seed, brief=brief_in(brief, avoid),
        liberty=read_liberty(liberty),
    )  # fmt: skip
    scenes = [dressing.under(light) for light in lit]
    for light, picture in zip(lit, render_lights(scenes, quality, look=look, progress=progress)):
        yield light.name, picture


def series_of(
    job: Job, structure: Structure, lights: Sequence[str], *, progress: Progress | None = None
) -> Iterator[tuple[str, Picture]]:  # fmt: skip
    """The series of a job: all as its recipe says, but for the light. Errors as for `series`."""
    told = job.recipe
    made = series(
        structure, job.finish_schedule(), lights, lamps=read_lamps(told.lamps, told.photometry), entourage=told.entourage or None,
        season=told.season, life=told.life, exposure=told.exposure, seed=told.seed, brief=job.brief_for(structure), liberty=told.liberty, quality=told.quality, look=told.look, progress=progress,
    )  # fmt: skip
    with ray_kernel(told.rays or None):
        for name, picture in made:
            yield name, job.finish(picture, progress)
