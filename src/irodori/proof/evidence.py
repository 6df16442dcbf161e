"""What is compared: any kind of reference or picture as one sRGB-encoded image."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from irodori.core.capture import Capture
from irodori.core.colour import encode_srgb
from irodori.core.errors import CaptureError, RecipeError
from irodori.core.fragments import Fragments
from irodori.core.pixels.flatness import is_drawn
from irodori.core.pixels.ink import find_ink, ink_colour
from irodori.core.recipe.mask_text import mask_from_text
from irodori.core.structure import Structure
from irodori.formats.read_image import read_image
from irodori.formats.recipe_text import read_recipe

ASPECT_TOLERANCE = 0.01

LEAST_INK = 0.004
"""Share of a picture under thin dark lines from which it is taken to be drawn with lines."""


@dataclass(frozen=True, eq=False)
class Evidence:
    """`image`: (H, W, 3) float32, sRGB-encoded 0 … 1; `name` and `notes` for the report; `exact`: traced borders.

    `covered`: (H, W) bool, pixels under additions that the user asked for; None when there are none.
    `pen`: (3,) encoded, the colour of its outlines where that is known; else it is looked for.
    """

    image: np.ndarray
    name: str
    exact: bool = False
    notes: tuple[str, ...] = ()
    covered: np.ndarray | None = None
    pen: np.ndarray | None = None

    @property
    def size(self) -> tuple[int, int]:
        return self.image.shape[1], self.image.shape[0]

    @cached_property
    def ink(self) -> np.ndarray | None:
        """Colour (3,) of its drawn lines; None when it has none to speak of."""
        if self.pen is not None:
            return self.pen
        encoded = np.rint(self.image * 255).astype(np.uint8)
        found = find_ink(encoded)
        # The dark specks of a rendering are no drawn lines.
        if self.exact or found.mean() < LEAST_INK or not is_drawn(encoded):
            return None
        return ink_colour(encoded, found).astype(np.float32) / 255


def evidence_of(source) -> Evidence:
    """Evidence of a `Structure`, `Capture`, `Picture`, array (H, W[, 3|4], uint8, uint16 or float 0 … 1) or path.

    A capture counts by its own pixels, never by what was read from them: a wrong reading must show.

    Raises CaptureError when the source cannot be compared.
    """
    if isinstance(source, Structure):
        return Evidence(border_image(source), "the structure", exact=True)
    if isinstance(source, Capture):
        if source.exact is not None:
            return Evidence(border_image(source.exact), source.name, exact=True)
        return Evidence(encode_srgb(source.image), source.name)
    if isinstance(source, str | Path):
        path = Path(source)
        if path.suffix.lower() in (".exr", ".json"):
            return Evidence(border_image(Structure.load(path)), str(path), exact=True)
        return Evidence(encode_srgb(read_image(path).rgb), str(path), covered=_covered_in(path))
    if hasattr(source, "encoded") and hasattr(source, "recipe"):
        covered = source.recipe.facts.covered
        covered = None if covered is None else mask_from_text(covered)
        if (plain := getattr(source, "unhatched", None)) is not None:
            # Among hatching any edge finds a stroke nearby: outlines, paint and lettering tell where edges lie.
            return Evidence(
                np.asarray(plain, np.float32),
                "the picture",
                notes=("Proved without the strokes that fill areas",),
                covered=covered, pen=source.outline_ink,
            )  # fmt: skip
        if getattr(source, "is_drawn", False):
            return Evidence(
                np.asarray(source.encoded, np.float32), "the picture", covered=covered, pen=source.outline_ink
            )
        if source.recipe.lines == "none":
            return Evidence(np.asarray(source.encoded, np.float32), "the picture", covered=covered)
        # A line over a step is one ridge: where the step below lies it does not tell.
        plain = np.asarray(source.with_lines("none").encoded, np.float32)
        return Evidence(plain, "the picture", notes=("Proved without the capture's own lines",), covered=covered)
    if isinstance(source, np.ndarray):
        return Evidence(_from_array(source), "the array")
    raise CaptureError(f"Cannot compare {type(source).__name__}; give a Structure, Capture, Picture, array or path")


def same_size(picture: Evidence, size: tuple[int, int]) -> Evidence:
    """The picture at the reference's size. Raises CaptureError when its proportions differ."""
    if picture.size == size:
        return picture
    import cv2

    width, height = picture.size
    if abs(width / height * size[1] / size[0] - 1) > ASPECT_TOLERANCE:
        raise CaptureError(
            f"{picture.name} is {width} × {height} pixels, the reference {size[0]} × {size[1]}: the proportions "
            "differ, so it shows another crop; compare pictures of one view"
        )
    way = cv2.INTER_AREA if width > size[0] else cv2.INTER_CUBIC
    note = f"{picture.name} is {width} × {height} pixels and was compared at {size[0]} × {size[1]}"
    covered = picture.covered
    if covered is not None:
        covered = cv2.resize(covered.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    return Evidence(
        cv2.resize(picture.image, size, interpolation=way), picture.name, picture.exact, (*picture.notes, note), covered, picture.pen
    )  # fmt: skip


def _covered_in(path: Path) -> np.ndarray | None:
    """The additions that a picture's own recipe tells of."""
    try:
        covered = read_recipe(path).facts.covered
        return None if covered is None else mask_from_text(covered)
    except RecipeError:
        return None


def border_image(structure: Structure) -> np.ndarray:
    """Flat false colours that differ wherever surfaces differ, mixed by edge coverage, (H, W, 3) 0 … 1.

    Coplanar surfaces of one role and colour share a colour: a joint that nothing shows is no edge.
    """
    table = structure.surfaces
    top = int(max(structure.fragments.region.max(initial=0), table["id"].max() if len(table) else 0))
    key = np.zeros(top + 1, np.int64)
    groups: dict[tuple, int] = {}
    for row in table.itertuples():
        if row.role == "planting":
            what: tuple = ("planting",)
        else:
            plane = tuple(np.round([row.nx * 40, row.ny * 40, row.nz * 40, row.offset * 50]).tolist())
            tone = tuple(np.round(np.array(row.colour) * 50).tolist())
            what = (row.role, plane if np.isfinite(row.offset) else row.id, tone)
        key[row.id] = groups.setdefault(what, len(groups) + 1)
    chance = np.random.default_rng(1)
    tones = (0.15 + 0.175 * chance.integers(0, 5, (len(groups) + 1, 3))).astype(np.float32)
    fragments: Fragments = structure.fragments
    return fragments.resolve(tones[key[fragments.region]], structure.size)


def _from_array(array: np.ndarray) -> np.ndarray:
    if array.ndim == 2:
        array = np.repeat(array[..., None], 3, axis=2)
    if array.ndim != 3 or array.shape[2] not in (3, 4) or 0 in array.shape:
        raise CaptureError(f"An array to compare has shape (H, W), (H, W, 3) or (H, W, 4), not {array.shape}")
    scale = {"uint8": 255.0, "uint16": 65535.0}.get(array.dtype.name, 1.0)
    return np.ascontiguousarray(array[..., :3].astype(np.float32) / np.float32(scale))
