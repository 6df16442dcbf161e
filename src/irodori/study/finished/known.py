"""What is known of a finished picture: its own recipe, or what it is told to be a picture of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from irodori.core.errors import RecipeError
from irodori.core.recipe import Change, FromFinished, FromModel, Recipe, TouchUp
from irodori.core.roles import ROLES
from irodori.core.selectors import Selector
from irodori.finishes import FINISHES, Rule, Schedule
from irodori.finishes.schedule import OWN_LOOK
from irodori.formats.read_image import read_image
from irodori.settings.to_recipe import is_model
from irodori.study.job import place_of

AS_FOUND = {"kind": "finished", "as is": True}
"""How a finished picture is read where nothing else tells what it shows: nothing of it is cleaned away."""

AS_IT_IS = "0"
"""The liberty of a picture in which a part changes: nothing that it does not show is thought of elsewhere."""

DRESSED_ANEW = ("water", "glazing", "lamp")
"""Roles that show more of the light than of themselves: they keep nothing of the picture's look."""


def else_as_found(schedule: Schedule) -> Schedule:
    """A schedule under which every surface that it does not name keeps the picture's own look, but for `DRESSED_ANEW`."""
    plain = FINISHES["as found"]
    rest = [Rule(OWN_LOOK, Selector("role", role), plain) for role in ROLES if role not in DRESSED_ANEW]
    return replace(schedule, rules=(*rest, *schedule.rules), text="").in_full()


def own_recipe(picture: str | Path) -> Recipe | None:
    """The recipe of a picture that was made here of what still lies where it was, or beside it; None for any other."""
    try:
        recipe = Recipe.of(picture)
    except RecipeError:
        return None
    told = recipe.source
    files = told.files if isinstance(told, FromModel) else (getattr(told, "file", ""),)
    there = all(place_of(file, Path(picture)) is not None for file in files)
    return recipe if there and recipe.structure else None


def known_from_before(picture: str | Path) -> Recipe | None:
    """What a picture shows that was worked on before: as the last step told that did not change its size; None where none did."""
    try:
        recipe = Recipe.of(picture)
    except RecipeError:
        return None
    for step in reversed(recipe.steps if isinstance(recipe.source, FromFinished) else ()):
        if isinstance(step, Change | TouchUp) and step.of is not None:
            return step.of
        if not isinstance(step, Change | TouchUp):
            return None
    return None


def told_of(picture: str, structure: str | None, given: Mapping[str, Any]) -> dict[str, Any]:
    """Settings under which a structure is opened and read as that of a picture; `given` wins."""
    told = {name: value for name, value in given.items() if value not in (None, [])}
    if structure is None:
        return {**AS_FOUND, **told}
    if is_model(structure):
        height, width = read_image(Path(picture)).rgb.shape[:2]
        return {"width": width, "height": height, **told}
    return told
