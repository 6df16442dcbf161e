"""Relighting: a finished picture under another light."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError
from irodori.core.liberty import LOOSE
from irodori.core.recipe import LightChoice, Relight
from irodori.core.work.progress import Progress
from irodori.finishes import read_schedule
from irodori.formats.read_image import file_digest
from irodori.light import make_light
from irodori.picture import Picture
from irodori.settings.by_brief import with_brief
from irodori.settings.setting import COMING_IN, PICTURE, find_setting, of_groups
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import Values, resolve
from irodori.study.finished.known import else_as_found, own_recipe, told_of
from irodori.study.finished.registered import registered
from irodori.study.job import Job, check_source


def relight(
    picture: str | Path, light: str, *, structure: str | Path | None = None, old_light: str | None = None,
    keep_detail: float = 1.0, progress: Progress | None = None, **told: Any,
) -> Picture:  # fmt: skip
    """A finished picture under another light, as `irodori relight` makes it.

    A picture that was made here is made again under the new light. Of any other the old light is taken out, pixel by pixel, and the new
    one put in; its own colours, textures and lettering stay.

    Parameters
    ----------
    picture
        The picture's file.
    light
        The new light.
    structure
        The model or capture that it was made of, told with `view` and the like; None reads the picture itself.
    old_light
        The light that it shows; None finds out.
    keep_detail
        Share of its fine detail that is kept, 0 … 1.
    told
        Settings of `irodori render`, as `finishes` for surfaces that are to be of something else.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, or as the stages say.
    """
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    job, _ = relight_job(
        str(picture), {**given, "light": light}, structure=None if structure is None else str(structure),
        old_light=old_light, keep_detail=keep_detail, progress=progress,
    )  # fmt: skip
    return job.run(progress)


def relight_job(
    picture: str, given: Mapping[str, Any], *, structure: str | None = None, old_light: str | None = None, keep_detail: float = 1.0,
    progress: Progress | None = None,
) -> tuple[Job, Values]:  # fmt: skip
    """The job of relighting a picture, checked before any work but that of finding its view, and the settings that hold. Raises IrodoriError."""
    check_source(picture)
    if not 0 <= keep_detail <= 1:
        raise IrodoriError(f"A share of {keep_detail:g} of the detail cannot be kept; give 0 to 1")
    if old_light is not None:
        make_light(old_light)
    values = _values(picture, given, structure, anew=old_light is None and keep_detail == 1.0)
    if values.base.structure:
        recipe, schedule = recipe_of(values, None)
        return Job(recipe, schedule, beside=Path(picture), brief=values.brief), values
    recipe, schedule = recipe_of(values, structure or picture)
    recipe = registered(recipe, picture, progress)
    old = None if old_light is None else LightChoice(name=old_light)
    step = Relight(old=old, keep_detail=keep_detail)
    if structure is not None:
        step = step.model_copy(update={"picture": picture, "digest": file_digest(Path(picture))})
    schedule = else_as_found(schedule or read_schedule(None, catalogue=recipe.catalogue or None))
    recipe = recipe.but(finishes=schedule.text, catalogue=schedule.catalogue, steps=(step, *recipe.steps))
    return Job(recipe, schedule, brief=values.brief), values


def _values(picture: str, given: Mapping[str, Any], structure: str | None, *, anew: bool) -> Values:
    """The settings that hold: those of the picture itself where it was made here and may be made `anew`. Raises IrodoriError."""
    check_source(structure or picture)
    known = of_groups(*COMING_IN, *PICTURE)
    own = own_recipe(picture) if anew and structure is None else None
    if own is not None:
        return with_brief(resolve(known, given, None, (picture, own)))
    told = told_of(picture, structure, given)
    return with_brief(resolve(known, {"liberty": str(LOOSE), **told}, None, None))
