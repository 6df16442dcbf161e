"""Making a picture again from the recipe inside it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import irodori
from irodori.capture import open_capture, open_model
from irodori.core.capture import Capture
from irodori.core.errors import RecipeError
from irodori.core.progress import Progress
from irodori.formats.read_image import file_digest
from irodori.formats.recipe_text import read_recipe
from irodori.light import read_lamps
from irodori.picture import Picture, render
from irodori.scene import dress
from irodori.structure import Corrections, read_structure

NEEDED = ("irodori", "origin", "structure", "light", "seed", "quality", "bits")


def repeat(
    path: str | Path, *, capture: str | Path | None = None, check: bool = True, progress: Progress | None = None
) -> Picture:
    """Make a picture again.

    Saved in the same format and bits (`picture.recipe["bits"]`), the file is the same byte for byte on the same machine.

    Parameters
    ----------
    path
        A picture saved by `Picture.save`.
    capture
        Where the capture or model lies now, when it was moved.
    check
        Insist on the same version of Irodori and the same capture; without it the recipe is used as far as it goes.

    Raises
    ------
    RecipeError
        When the picture holds no recipe, was made by another version, or its capture is missing or has changed.
    """
    recipe = read_recipe(path)
    missing = [key for key in NEEDED if key not in recipe]
    if missing:
        raise RecipeError(f"The recipe in '{path}' lacks {', '.join(missing)}; it cannot be repeated")
    if check and recipe["irodori"] != irodori.__version__:
        raise RecipeError(
            f"'{path}' was made by irodori {recipe['irodori']}, this is {irodori.__version__}: install that version, "
            "or allow differences"
        )
    opened = _open(recipe["origin"], path, capture, check, progress)
    # The recipe keeps the name that the capture had, wherever it lies now.
    opened = replace(opened, origin=recipe["origin"])
    structure = read_structure(
        opened, eye_height=recipe["origin"].get("eye_height"), learned=recipe["origin"].get("learned", True),
        corrections=Corrections.from_text(recipe["origin"].get("corrections", "")), progress=progress,
    )  # fmt: skip
    structure = replace(structure, origin=recipe["origin"])
    if check and structure.digest != recipe["structure"]:
        raise RecipeError(f"The structure read now differs from the one in '{path}': the capture or its passes changed")
    light = recipe["light"]
    scene = dress(
        structure, recipe.get("finishes") or None, light["light"],
        lamps=read_lamps(recipe.get("lamps"), recipe.get("photometry")), entourage=recipe.get("entourage"),
        season=recipe.get("season", "summer"), exposure=light.get("exposure", 0.0), seed=recipe["seed"],
    )  # fmt: skip
    picture = render(scene, recipe["quality"], progress=progress)
    if "balance" in recipe:
        picture = picture.rebalanced(**recipe["balance"])
    if "lens" in recipe:
        picture = picture.through_lens(**recipe["lens"])
    picture.recipe["bits"] = recipe["bits"]
    return picture


def _open(
    origin: dict, picture: str | Path, given: str | Path | None, check: bool, progress: Progress | None
) -> Capture:
    if "capture" in origin:
        source = _found(given or origin["capture"], origin.get("capture_digest"), picture, check)
        passes = {name: _found(file, None, picture, check) for name, file in origin.get("passes", {}).items()}
        return open_capture(
            source, passes or None, kind=origin.get("kind"), near=origin.get("near"), far=origin.get("far"),
            clean=origin.get("clean", True), keep=origin.get("keep", ()), remove=origin.get("remove", ()),
            north=origin.get("north", 0.0),
        )  # fmt: skip
    if not origin.get("model"):
        raise RecipeError(f"The recipe in '{picture}' names neither a capture nor a model: it was made from memory")
    sources = [given] if given else origin["model"]
    model = open_model(
        [_found(s, None, picture, check) for s in sources], up=origin.get("up"), unit=origin.get("unit"),
        north=origin.get("north", 0.0),
        views=_found(origin["views"], None, picture, check) if origin.get("views") else None,
    )  # fmt: skip
    if check and model.data.digest != origin["model_digest"]:
        raise RecipeError(f"The model '{sources[0]}' has changed since '{picture}' was made")
    return model.view(
        origin["view"], width=origin["width"], height=origin["height"], ground=origin["ground"], style=origin["style"],
        progress=progress,
    )  # fmt: skip


def _found(file: str | Path, digest: str | None, picture: str | Path, check: bool) -> Path:
    """The file, where the recipe says, or under its name beside the picture."""
    for place in (Path(file), Path(picture).parent / Path(file).name):
        if place.is_file():
            if check and digest and file_digest(place) != digest:
                raise RecipeError(f"'{place}' is not the capture that '{picture}' was made from: its content differs")
            return place
    raise RecipeError(f"'{picture}' was made from '{file}', which is not there; give its place with --capture")
