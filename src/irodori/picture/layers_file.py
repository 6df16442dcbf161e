"""A picture's layers as multi-channel OpenEXR, and a picture from such a file."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.camera import Camera
from irodori.core.errors import CaptureError
from irodori.core.fragments import Fragments
from irodori.core.recipe import Recipe
from irodori.core.scene import Shown
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.engine.image.layers import LAYERS, Traced
from irodori.formats.exr import read_exr, write_exr
from irodori.formats.recipe_text import xmp_packet
from irodori.picture.develop import Development
from irodori.picture.picture import Picture

FORM = "irodori-picture-1"


def save_layers(picture: Picture, path: str | Path, recipe: Recipe) -> None:
    """Write layers (cd/m²), their sum, depth (m), normal, id, and the developed picture. Raises OutputError."""
    import json

    channels, total = {}, np.zeros((picture.size[1], picture.size[0], 3), np.float32)
    for name in picture.layers:
        layer = picture.layers[name]
        if name != "albedo":
            total += layer
        channels |= _named(name.replace(" ", "_"), "RGB", layer)
    for i, channel in enumerate("RGB"):
        channels[channel] = total[..., i]
    buffers = picture.buffers
    channels |= {"Z": buffers.depth, "id": buffers.region.astype(np.uint32)}
    channels |= _named("normal", "XYZ", buffers.normal) | _named("developed", "RGB", picture.encoded)
    settings = picture.buffers.development
    table = picture.structure.surfaces
    told = {
        "form": FORM, "camera": picture.structure.camera.as_dict(), "kind": picture.structure.kind, "north": picture.structure.north,
        "exposure": settings.exposure, "warmth": settings.warmth, "illuminant": settings.illuminant,
        "sun": [float(v) for v in picture._traced.sun_direction], "sun_lux": [float(v) for v in picture._traced.sun_lux],
        "loose": np.flatnonzero(picture.shown.loose).tolist(), "panes": np.flatnonzero(picture.shown.panes).tolist(),
        "roles": {str(i): role for i, role in zip(table["id"], table["role"])}, "rays": picture.rays,
        "axis": {str(i): float(a) for i, a in enumerate(picture._traced.axis) if a},
        "metal": {str(i): float(a) for i, a in enumerate(picture._traced.metal) if a},
    }  # fmt: skip
    write_exr(path, channels, {"xmp": xmp_packet(recipe), "irodori": json.dumps(told)})


def _named(name: str, parts: str, values: np.ndarray) -> dict[str, np.ndarray]:
    return {f"{name}.{part}": values[..., i].astype(np.float32) for i, part in enumerate(parts)}


def load_layers(path: str | Path) -> Picture:
    """A picture from what `save_layers` wrote, its borders those of whole pixels. Raises CaptureError or RecipeError."""
    import json

    import pandas as pd

    recipe = Recipe.of(path)
    channels, header = read_exr(path)
    try:
        told = json.loads(str(header.get("irodori", "")))
        if told["form"] != FORM:
            raise ValueError(f"its form is '{told['form']}'")
        facts = recipe.facts
        unit = float(facts.unit or 1.0)
        rows = [_rows(channels, name.replace(" ", "_"), "RGB") / (1.0 if name == "albedo" else unit) for name in LAYERS]
        region, depth = channels["id"].astype(np.int32), channels["Z"]
        normal = np.stack([channels[f"normal.{a}"] for a in "XYZ"], axis=-1)
        developed = np.stack([channels[f"developed.{c}"] for c in "RGB"], axis=-1)
        count = region.size
        fragments = Fragments(
            np.arange(count, dtype=np.int32), region.ravel(), np.ones(count, np.float32), depth.ravel(),
            normal.reshape(-1, 3), np.full((count, 2), 0.5, np.float32),
        )  # fmt: skip
        size = int(region.max(initial=0)) + 1
        loose, panes = np.zeros(size, bool), np.zeros(size, bool)
        axis, metal = np.zeros(size, np.float32), np.zeros(size, np.float32)
        for flags, chosen in ((loose, told["loose"]), (panes, told["panes"])):
            flags[[i for i in chosen if i < size]] = True
        for values, chosen in ((axis, told["axis"]), (metal, told.get("metal", {}))):
            for i, value in chosen.items():
                if int(i) < size:
                    values[int(i)] = value
        surfaces = pd.DataFrame({"id": [int(i) for i in told["roles"]], "role": list(told["roles"].values())})
        structure = Structure(
            Camera.from_dict(told["camera"]), region, depth, normal, fragments, np.zeros((0, 4), np.float32),
            surfaces.reindex(columns=list(STRUCTURE_COLUMNS)), 1.0, told["kind"], np.zeros((0, 3)), recipe.structure,
            north=told["north"], origin=recipe.source, reading=recipe.reading,
        )  # fmt: skip
        traced = Traced(
            np.concatenate(rows, axis=1, dtype=np.float32), unit, float(facts.held or unit), told["rays"],
            np.float32(told["sun"]), np.float32(told["sun_lux"]), axis, metal,
        )  # fmt: skip
        white = tuple(facts.white or told["illuminant"])
        settings = Development(told["exposure"], told["warmth"], white, facts.metered, white)
    except (KeyError, ValueError, TypeError) as error:
        raise CaptureError(f"'{path}' holds no layers of a picture by irodori ({error}); save one as .exr") from None
    picture = Picture(structure, Shown(fragments, loose, panes), traced, settings, recipe)
    picture.__dict__["encoded"] = np.ascontiguousarray(developed)  # as it was developed, its fine borders included
    return picture


def _rows(channels: dict[str, np.ndarray], name: str, parts: str) -> np.ndarray:
    return np.stack([channels[f"{name}.{part}"].ravel() for part in parts], axis=1)
