"""What is known of a finished picture: its own recipe, or what it is told to be a picture of."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from irodori.core.errors import RecipeError
from irodori.core.recipe import FromModel, Recipe
from irodori.formats.read_image import read_image
from irodori.settings.to_recipe import is_model
from irodori.study.job import place_of

AS_FOUND = {"kind": "finished", "as is": True}
"""How a finished picture is read where nothing else tells what it shows: nothing of it is cleaned away."""


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


def told_of(picture: str, structure: str | None, given: Mapping[str, Any]) -> dict[str, Any]:
    """Settings under which a structure is opened and read as that of a picture; `given` wins."""
    told = {name: value for name, value in given.items() if value not in (None, [])}
    if structure is None:
        return {**AS_FOUND, **told}
    if is_model(structure):
        height, width = read_image(Path(picture)).rgb.shape[:2]
        return {"width": width, "height": height, **told}
    return told
