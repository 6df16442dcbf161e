"""Changing part of a finished picture: the job, checked before any work."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from irodori.core.errors import EntourageError, IrodoriError
from irodori.core.recipe import Change, FromFinished, LensChoice, LightChoice, Recipe
from irodori.core.recipe.mask_text import mask_text
from irodori.core.selectors import parse_selector
from irodori.core.work.progress import Progress
from irodori.entourage import EntourageList, read_entourage
from irodori.finishes import FINISHES, read_catalogue, read_schedule
from irodori.finishes.catalogue import find_finish
from irodori.formats.read_image import file_digest, read_image
from irodori.formats.read_mask import read_mask
from irodori.light import make_light
from irodori.picture.finished import FinishedPicture
from irodori.picture.look_choice import is_photographic, read_look
from irodori.settings.by_brief import with_brief
from irodori.settings.setting import COMING_IN, PICTURE, find_setting, of_groups
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import resolve
from irodori.study.finished.known import AS_IT_IS, else_as_found, known_from_before, own_recipe, told_of
from irodori.study.finished.registered import registered
from irodori.study.job import Job, check_source


def change(
    picture: str | Path, *, where: str | Sequence[str] = (), mask: Any = None, outline: str = "", grow: int = 0, soft: float = 0.0,
    finish: str | None = None, remove: bool = False, put: str | Sequence[str] = (), thrown: bool | None = None,
    structure: str | Path | None = None, old_light: str | None = None, progress: Progress | None = None, **told: Any,
) -> FinishedPicture:  # fmt: skip
    """Part of a finished picture changed, as `irodori change` does it; outside that part every pixel stays as it is.

    Parameters
    ----------
    picture
        The picture's file.
    where
        Selectors of what changes, as "role sky", "name sofa", "pixel 640,380".
    mask
        A mask's file or array, as for `render`; white changes.
    outline
        A polygon, "120,300 480,300 480,620", px. Several of `where`, `mask` and `outline` hold together.
    grow
        px by which the part is grown, or shrunk below 0.
    soft
        px inside its border in which the change fades out.
    finish
        What the surfaces there are to be made of.
    remove
        What is there goes, with what it hid rebuilt.
    put
        What is put there: lines of an entourage list, as "rowing boat, pixel 640,500".
    thrown
        Whether shadows, reflections and glow that the change throws change too; None: where no part was told.
    structure
        The model, capture or saved structure that it shows, told with `view` and the like; None takes that of its own recipe, else
        reads the picture.
    old_light
        The light that it shows; None finds out.
    told
        Settings of `irodori render` that are to hold there, as `light="dusk"` or `brief="a red door"`.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, or as the stages say.
    """
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    return change_job(
        str(picture), given, where=_listed(where), mask=mask, outline=outline, grow=grow, soft=soft, finish=finish, remove=remove,
        put=_listed(put), thrown=thrown, structure=None if structure is None else str(structure), old_light=old_light,
        progress=progress,
    ).run(progress)  # fmt: skip


def change_job(
    picture: str, given: Mapping[str, Any], *, where: Sequence[str] = (), mask: Any = None, outline: str = "", grow: int = 0,
    soft: float = 0.0, finish: str | None = None, remove: bool = False, put: Sequence[str] = (), thrown: bool | None = None,
    structure: str | None = None, old_light: str | None = None, progress: Progress | None = None,
) -> Job:  # fmt: skip
    """The job of changing part of a picture, checked before any work but that of finding its view. Raises IrodoriError."""
    check_source(picture)
    height, width = read_image(Path(picture)).rgb.shape[:2]
    for one in where:
        parse_selector(one)
    points = _points(outline)
    told_mask = "" if mask is None else mask_text(read_mask(mask, (width, height)), 1)
    placed = bool(where or points or told_mask)
    decided = {name for name, value in given.items() if value not in (None, []) and name in _DECIDE}
    if not (finish or remove or put or decided):
        raise IrodoriError("Say what is to change: --finish, --remove, --put, --light, --brief, …")
    if not placed and (finish or remove or not put):
        raise IrodoriError("Say where: --where 'role sky', --mask FILE or --outline '120,300 480,300 480,620'")
    if soft < 0:
        raise IrodoriError(f"A border of {soft:g} px cannot be soft; give 0 or more")
    of, by = recipes_of(picture, given, structure, old_light, progress)
    if finish:
        find_finish(finish, FINISHES | (read_catalogue(by.catalogue) if by.catalogue else {}))
    if put:
        by = by.but(entourage=_with(by.entourage, put))
    step = Change(
        mask=told_mask, by=by, of=of, where=tuple(where), outline=points, grow=grow, soft=soft, finish=finish or "", remove=remove,
        thrown=thrown if thrown is not None else not placed or remove,
    )  # fmt: skip
    return Job(Recipe(source=FromFinished(file=picture, digest=file_digest(Path(picture))), steps=(step,)))


_DECIDE = {
    one.name for one in of_groups("dressing", "light") if one.name not in ("liberty", "seed", "catalogue", "keep seed")
}
"""Settings that change a picture."""


def recipes_of(
    picture: str, given: Mapping[str, Any], structure: str | None, old_light: str | None, progress: Progress | None = None
) -> tuple[Recipe, Recipe]:  # fmt: skip
    """What a picture shows, and what it is to show by what was given. Raises IrodoriError."""
    known = of_groups(*COMING_IN, *PICTURE)
    own = own_recipe(picture) or known_from_before(picture) if structure is None else None
    if own is not None and not own.steps:
        if not is_photographic(read_look(own.look)):
            raise IrodoriError(f"'{picture}' is drawn; change what it was drawn of with irodori render --like")
        of = own.but(lens=LensChoice())
        by, schedule = recipe_of(with_brief(resolve(known, given, None, (picture, of))), None)
        if schedule is not None:
            by = by.but(finishes=schedule.in_full().text, catalogue=schedule.in_full().catalogue)
        return of, by
    if old_light is not None:
        make_light(old_light)
    check_source(structure or picture)
    opening = {one.name for one in of_groups(*COMING_IN, "quality")}
    told = {"liberty": AS_IT_IS, **told_of(picture, structure, given)}
    plain = {name: value for name, value in told.items() if name in opening or name == "liberty"}
    recipes = []
    for some in (plain, told):
        recipe, schedule = recipe_of(with_brief(resolve(known, some, None, None)), structure or picture)
        schedule = else_as_found(schedule or read_schedule(None, catalogue=recipe.catalogue or None))
        recipes.append(recipe.but(finishes=schedule.text, catalogue=schedule.catalogue))
    of = registered(recipes[0], picture, progress)
    by = recipes[1].but(source=of.source)
    of = of.but(light=LightChoice(name=old_light or ""))
    return of, by


def _with(entourage: str, put: Sequence[str]) -> str:
    """An entourage list with more lines, "what, where[, height 2][, facing 90]" each. Raises EntourageError."""
    entries = list(read_entourage(entourage or None).entries)
    for line in put:
        what, comma, rest = line.partition(",")
        if not comma:
            raise EntourageError(f"'{line}' says not where; write as 'rowing boat, pixel 640,500'")
        cells = {"what": what.strip(), "over": "yes"}
        while found := re.search(r"\s*,\s*(height|facing|spacing|number)\s+(-?[\d.]+)\s*$", rest):
            cells[found[1]], rest = found[2], rest[: found.start()]
        cells["where"] = rest.strip()
        head = ",".join(cells)
        row = ",".join('"' + value.replace('"', "'") + '"' for value in cells.values())
        entries += read_entourage(f"{head}\n{row}\n").entries
    return EntourageList(tuple(entries)).in_full().text


def _points(text: str) -> tuple[tuple[float, float], ...]:
    """The corners of a polygon. Raises IrodoriError."""
    if not text.strip():
        return ()
    try:
        points = tuple(tuple(float(v) for v in pair.split(",")) for pair in text.split())
    except ValueError:
        points = ()
    if len(points) < 3 or any(len(point) != 2 for point in points):
        raise IrodoriError(f"'{text}' is no outline; write three corners or more as '120,300 480,300 480,620'")
    return points


def _listed(told: str | Sequence[str]) -> tuple[str, ...]:
    return (told,) if isinstance(told, str) else tuple(told)
