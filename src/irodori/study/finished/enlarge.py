"""Enlarging: a finished picture some times as large."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Change, Enlarge, FromCapture, FromFinished, FromModel, FromStructure, Recipe
from irodori.core.recipe.mask_text import mask_from_text, mask_text
from irodori.core.selectors import Selector
from irodori.core.work.progress import Progress
from irodori.entourage import EntourageList, read_entourage
from irodori.finishes import read_schedule
from irodori.formats.read_image import file_digest, read_image
from irodori.picture import Picture
from irodori.picture.finished import FinishedPicture
from irodori.settings.setting import COMING_IN, find_setting, of_groups
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import resolve
from irodori.study.finished.known import own_recipe, told_of
from irodori.study.finished.registered import registered
from irodori.study.job import Job, check_source

LEAST, MOST = 2, 8
"""Times that a picture can be enlarged."""

LARGEST = 280_000_000
"""Pixels of the largest picture that is made by its own pixels."""


def enlarge(
    picture: str | Path, times: int = 2, *, structure: str | Path | None = None, progress: Progress | None = None, **told: Any
) -> Picture | FinishedPicture:  # fmt: skip
    """A finished picture `times` as large along each side, as `irodori enlarge` makes it.

    A picture that was made here is rendered larger, with all the detail that size shows. Any other is enlarged by its own pixels: its
    textures go on, nothing is invented, and shrunk again it is what it was.

    Parameters
    ----------
    picture
        The picture's file.
    times
        2 … 8.
    structure
        The model, capture or saved structure that it shows: its borders are drawn sharp.
    told
        Settings that say how that is opened, as `view="landing"`.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, the picture would be too large, or as the stages say.
    """
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    job = enlarge_job(
        str(picture), times, given, structure=None if structure is None else str(structure), progress=progress
    )
    return job.run(progress)


def enlarge_job(
    picture: str, times: int, given: Mapping[str, Any], *, structure: str | None = None, progress: Progress | None = None
) -> Job:  # fmt: skip
    """The job of enlarging a picture, checked before any work but that of finding its view. Raises IrodoriError."""
    check_source(picture)
    if not LEAST <= times <= MOST or times != int(times):
        raise IrodoriError(f"A picture is enlarged {LEAST} to {MOST} times, in whole numbers, not {times:g}")
    height, width = read_image(Path(picture)).rgb.shape[:2]
    if width * height * times**2 > LARGEST:
        raise IrodoriError(
            f"{times} times as large it would have {width * height * times**2 / 1e6:.0f} megapixels; the limit is {LARGEST / 1e6:.0f}"
        )
    own = own_recipe(picture) if structure is None else None
    larger = None if own is None else _larger(own, (width, height), times)
    if larger is not None:
        return Job(larger, beside=Path(picture))
    by = None
    if structure is not None:
        check_source(structure)
        values = resolve(of_groups(*COMING_IN), told_of(picture, structure, given), None, None)
        by = registered(recipe_of(values, structure)[0], picture, progress)
    source = FromFinished(file=picture, digest=file_digest(Path(picture)))
    return Job(Recipe(source=source, steps=(Enlarge(times=times, by=by),)))


def _larger(recipe: Recipe, size: tuple[int, int], times: int) -> Recipe | None:
    """The recipe of a picture of `size` px for one `times` as large; None where its steps hold pixels of another picture."""
    if not all(isinstance(step, Change) for step in recipe.steps):
        return None
    source, reading = recipe.source, recipe.reading
    if isinstance(source, FromModel):
        source = source.model_copy(update={"width": size[0] * times, "height": size[1] * times})
    elif isinstance(source, FromCapture | FromStructure) and reading.enlarged * times <= MOST:
        reading = reading.model_copy(update={"enlarged": reading.enlarged * times})
    else:
        return None
    steps = []
    for step in recipe.steps:
        by = _larger(step.by, size, times)
        if by is None:
            return None
        steps.append(step.model_copy(update={"mask": _larger_mask(step.mask, times), "by": by}))
    return recipe.but(
        source=source, reading=reading, structure="", steps=tuple(steps), finishes=_larger_schedule(recipe, times), entourage=_larger_list(recipe.entourage, times),
        masks={name: _larger_mask(text, times) for name, text in recipe.masks.items()}, facts=type(recipe.facts)(),
    )  # fmt: skip


def _larger_mask(text: str, times: int) -> str:
    return mask_text(mask_from_text(text).repeat(times, axis=0).repeat(times, axis=1), 1)


def _larger_schedule(recipe: Recipe, times: int) -> str:
    """The schedule with its pixels where they are in the larger picture."""
    schedule = read_schedule(recipe.finishes or None, catalogue=recipe.catalogue or None, masks=recipe.masks)
    if not any(rule.where.kind == "pixel" for rule in schedule.rules):
        return recipe.finishes
    rules = tuple(
        replace(rule, where=Selector("pixel", tuple(times * c for c in rule.where.value))) if rule.where.kind == "pixel" else rule
        for rule in schedule.rules
    )  # fmt: skip
    return replace(schedule, rules=rules, text="").in_full().text


def _larger_list(text: str, times: int) -> str:
    """The entourage list with its places in the picture where they are in the larger one."""
    if not text:
        return text
    told = read_entourage(text)
    entries = tuple(
        replace(entry, where=replace(entry.where, points=tuple(tuple(times * c for c in point) for point in entry.where.points)))
        if entry.where.way in ("pixel", "line", "area") else entry
        for entry in told.entries
    )  # fmt: skip
    return text if entries == told.entries else EntourageList(entries).in_full().text
