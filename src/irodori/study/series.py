"""A series: one view through several lights."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

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
from irodori.light import WEATHERS, make_light
from irodori.light.lamps import LampSchedule
from irodori.light.settings import parts_of_light
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


def lights_of_day(
    day: date, place: str, *, hours: tuple[float, float] = (5.0, 22.0), every: int = 60, zone: str = ""
) -> list[str]:
    """The moments of a day at a place, every so many minutes, as lights.

    `place` is "latitude, longitude"; `zone` as "+02:00", or "" for the sun's own mean time. Raises LightError.
    """
    if not 1 <= every <= 24 * 60:
        raise LightError(f"Every {every} minutes is out of range; give 1 to 1440")
    if not 0 <= hours[0] <= hours[1] <= 24:
        raise LightError(f"From {hours[0]:g} to {hours[1]:g} is no part of a day; give hours from 0 to 24")
    minutes = np.arange(round(hours[0] * 60), min(round(hours[1] * 60), 24 * 60 - 1) + 1, every)
    return [f"{day:%Y-%m-%d} {m // 60:02d}:{m % 60:02d}{zone} @ {place}" for m in minutes.tolist()]


def in_all_weathers(light: str) -> list[str]:
    """A light in each of the weathers. Raises LightError."""
    parts = parts_of_light(light)
    return [str(replace(parts, weather=weather)) for weather in WEATHERS]


def series_of(
    job: Job, structure: Structure, lights: Sequence[str], *, seasons: Sequence[str] = (), one_exposure: bool = False,
    progress: Progress | None = None,
) -> Iterator[tuple[str, Picture]]:  # fmt: skip
    """The series of a job: all as its recipe says, but for the light and, where `seasons` are named, the season: each in every light.

    With `one_exposure` all are developed in the exposure and white of the first, so that light wanes as it does. Errors as for `series`.
    """
    if not lights:
        raise LightError("A series needs at least one light")
    told, held = job.recipe, job.recipe.held
    with ray_kernel(told.rays or None):
        for season in seasons or (told.season,):
            dressing = replace(job, recipe=told.but(season=season)).dressing(structure)
            scenes = [dressing.under(light, exposure=told.exposure) for light in lights]
            for scene, picture in zip(scenes, render_lights(scenes, told.quality, look=told.look, progress=progress)):
                picture = picture if held is None else picture.exposed_as(held)
                if one_exposure and held is None:
                    held = picture.facts.exposure
                name = f"{scene.light.name}, {season}" if seasons else scene.light.name
                yield name, job.finish(picture, progress)
