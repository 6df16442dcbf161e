"""From settings to the recipe of the picture that they ask for."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from irodori.brief.settings import massing_of
from irodori.core.corrections import Corrections
from irodori.core.errors import CaptureError, IrodoriError
from irodori.core.liberty import MASSING
from irodori.core.recipe import (
    BriefChoice,
    FromCapture,
    FromMemory,
    FromModel,
    FromStructure,
    HeldExposure,
    LightChoice,
    Recipe,
)
from irodori.finishes import Schedule, read_schedule
from irodori.formats.model.mesh_file import SUFFIXES as MODELS
from irodori.settings.known.dressing import light_at
from irodori.settings.values import Values
from irodori.structure.corrections.file import corrections_beside, read_corrections

STRUCTURES = (".exr", ".json")
FOR_SHOW = "final"
"""The quality of pictures that are presented: these have people, unless told otherwise."""

FOR_MODELS = (
    "view",
    "views",
    "with",
    "up",
    "unit",
    "width",
    "height",
    "size",
    "ground",
    "compose",
    "cutaway",
    "as modelled",
)
OF_SOURCES = (
    "north", "up", "unit", "ground", "compose", "cutaway", "near", "far", "kind", "keep", "remove", "width", "height",
)  # fmt: skip
"""Settings that the recipe's source keeps under their own names."""

FOR_PICTURES = ("depth", "normal", "id", "near", "far", "kind", "as is", "keep", "remove")


def is_model(path: str | Path) -> bool:
    """Whether a file is a model, by its ending."""
    return Path(path).suffix.lower() in MODELS


def is_structure(path: str | Path) -> bool:
    """Whether a file is a saved structure, by its ending."""
    return Path(path).suffix.lower() in STRUCTURES


def recipe_of(values: Values, source: str | None) -> tuple[Recipe, Schedule | None]:
    """The recipe, and the finish schedule if one was told, which may name masks that lie beside it.

    Parameters
    ----------
    values
        What holds.
    source
        The capture, model or saved structure; None takes that of the recipe which all else comes from.

    Raises
    ------
    IrodoriError
        When something told does not go with what comes in.
    """
    recipe = values.base
    if source is not None:
        kept = recipe.source if same_file(recipe, source) else FromMemory()
        recipe = recipe.but(source=_source(values, source, kept))
        if kept == FromMemory():
            recipe = recipe.but(reading=type(recipe.reading)(), structure="")
    else:
        recipe = recipe.but(source=_changed_source(values, recipe.source))
    if values.brief is not None and isinstance(recipe.source, FromModel):
        liberty = values.kept("liberty") if _wins(values, "liberty") else recipe.liberty
        wanted = massing_of(values.brief) if liberty >= MASSING else ()
        recipe = recipe.but(source=recipe.source.model_copy(update={"massing": wanted}))
    recipe = recipe.but(reading=_reading(values, recipe, source))
    for name in (
        "liberty",
        "season",
        "seed",
        "quality",
        "exposure",
        "look",
        "rays",
        "balance",
        "development",
        "lines",
        "lens",
    ):
        if _wins(values, name) and values[name] is not None:
            recipe = recipe.but(**{name: values.kept(name)})
    if _wins(values, "life") and values["life"] is not None:
        recipe = recipe.but(life=values.kept("life"))
    elif recipe.quality == FOR_SHOW and values.base == Recipe():
        recipe = recipe.but(life="usual")
    if any(_wins(values, name) and values[name] for name in ("brief", "avoid")):
        # What it comes to is told by the structure, when that is known.
        recipe = recipe.but(brief=BriefChoice(text=values["brief"] or "", avoid=values["avoid"] or ""))
    if _wins(values, "keep seed") and values["keep seed"]:
        kept = {part: values.base.seed if seed is None else seed for part, seed in values.kept("keep seed").items()}
        recipe = recipe.but(kept_seeds={**recipe.kept_seeds, **kept})
    for name in ("bits", "print size"):
        if _wins(values, name) and values[name] is not None:
            update = {name.replace(" ", "_"): values.kept(name)}
            recipe = recipe.but(output=recipe.output.model_copy(update=update))
    if _wins(values, "light") and values["light"] is not None:
        recipe = recipe.but(light=LightChoice(name=light_at(values["light"], values.kept("place"))))
    if _wins(values, "lamps") and values["lamps"] is not None:
        lamps = values.kept("lamps")
        recipe = recipe.but(lamps=lamps.text, photometry=lamps.files)
    if _wins(values, "entourage") and values["entourage"] is not None:
        recipe = recipe.but(entourage=values.kept("entourage").text)
    if values["hold exposure"]:
        recipe = recipe.but(held=_held(values.base))
    schedule = None
    if values["catalogue"] is not None and _wins(values, "catalogue"):
        recipe = recipe.but(catalogue=values.kept("catalogue"))
    if values["finishes"] is not None and _wins(values, "finishes"):
        schedule = read_schedule(values["finishes"], catalogue=recipe.catalogue or None)
        recipe = recipe.but(finishes=schedule.text, masks={})
    elif _wins(values, "catalogue") and recipe.catalogue:
        schedule = read_schedule(recipe.finishes or None, catalogue=recipe.catalogue, masks=recipe.masks)
    for one in values.known:
        if one.step is not None and _wins(values, one.name) and values[one.name] not in (None, one.default):
            recipe = recipe.but(steps=(*recipe.steps, one.step(values.kept(one.name))))
    return recipe, schedule


def _held(earlier: Recipe) -> HeldExposure:
    """The exposure and white of an earlier picture. Raises IrodoriError when there is none."""
    facts = earlier.facts
    if earlier.held is not None:
        return earlier.held
    if facts.exposure is None:
        raise IrodoriError("There is no exposure to hold; say of which picture with --like")
    return facts.exposure


def same_file(recipe: Recipe, source: str) -> bool:
    """Whether a recipe's picture was made from this very file."""
    told = recipe.source
    files = told.files[:1] if isinstance(told, FromModel) else [getattr(told, "file", "")]
    return any(file and Path(file).absolute() == Path(source).absolute() for file in files)


def _wins(values: Values, name: str) -> bool:
    """Whether what holds of a setting is to be put into the recipe: what an earlier picture decided stands there already."""
    value = values.by_name.get(name)
    return value is not None and not value.whence.startswith("recipe of ")


def _source(values: Values, source: str, kept: Any) -> FromCapture | FromModel | FromStructure:
    if is_structure(source):
        _refuse(values, (*FOR_MODELS, *FOR_PICTURES), f"'{source}' is a structure that was read already")
        return FromStructure(file=source)
    if is_model(source):
        if any(values.was_told(name) for name in ("depth", "normal", "id")):
            raise CaptureError("Passes belong to a picture; a model brings its own")
        _refuse(values, FOR_PICTURES, f"'{source}' is a model")
        told = kept if isinstance(kept, FromModel) else FromModel(files=(source,))
        files = (source, *values["with"]) if values["with"] else told.files
        return _changed_source(values, told.model_copy(update={"files": files}))
    _refuse(values, FOR_MODELS, f"'{source}' is read as a picture")
    return _changed_source(values, kept if isinstance(kept, FromCapture) else FromCapture(file=source))


def _changed_source(values: Values, source: Any) -> Any:
    """The source with what was told of how it is opened."""
    update: dict[str, Any] = {}
    fields = type(source).model_fields
    for name in OF_SOURCES:
        if name in fields and _wins(values, name) and values[name] is not None:
            kept = values.kept(name)
            update[name] = tuple(kept) if isinstance(kept, list) else kept
    if isinstance(source, FromModel):
        if _wins(values, "view") and values["view"] is not None:
            update |= {"view": values["view"], "camera": None}
        if values["as modelled"]:
            update["as_modelled"] = True
        if {"compose", "cutaway"} & set(update):
            update["camera"] = None
        if values["views"] is not None:
            update["views"] = str(values["views"])
        if values["size"] is not None:
            wide, high = values.kept("size")
            update |= {"width": update.get("width", wide), "height": update.get("height", high)}
        if {"up", "unit"} & set(update) or values["with"]:
            update["digest"] = None
    if isinstance(source, FromCapture):
        if values["as is"]:
            update["clean"] = False
        passes = {name: str(values[name]) for name in ("depth", "normal", "id") if values[name]}
        if passes and "depth" not in passes:
            raise CaptureError("Passes need at least a depth pass; give --depth")
        if passes:
            update["passes"] = passes
    return source.model_copy(update=update)


def _refuse(values: Values, names: tuple[str, ...], why: str) -> None:
    """What was told outright but has no meaning is refused; a project file may say it for other sources."""
    for name in names:
        value = values.by_name.get(name)
        if value is not None and value.whence == "given" and value.told not in (None, [], False):
            flag = next(one.flag for one in values.known if one.name == name)
            what = "models" if name in FOR_MODELS else "captures"
            raise CaptureError(f"{flag} is for {what}; {why}")


def _reading(values: Values, recipe: Recipe, source: str | None):
    told = recipe.reading
    update: dict[str, Any] = {}
    if _wins(values, "eye height") and values["eye height"] is not None:
        update["eye_height"] = values.kept("eye height")
    if values["rules only"]:
        update["learned"] = False
    corrections = told.corrections
    if values["corrections"] is not None:
        corrections = read_corrections(values["corrections"])
    elif corrections == Corrections() and source is not None and not is_model(source) and not is_structure(source):
        beside = corrections_beside(source)
        corrections = read_corrections(beside) if beside.is_file() else corrections
    if values["length"] is not None:
        corrections = corrections.model_copy(update={"length": (values.kept("length"), *corrections.length)})
    if values["say"] is not None:
        corrections = corrections.and_said(values.kept("say"))
    return told.model_copy(update={**update, "corrections": corrections})
