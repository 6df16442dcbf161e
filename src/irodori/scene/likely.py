"""What a surface is likely made of, by its role, its material's name and the colour found.

The colour stays the one found; what is added is how such a material is laid, how rough it is and how it ages. A
schedule's rule, "as found" among them, always goes before this.
"""

from __future__ import annotations

import colorsys
import re
from functools import cache, lru_cache

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.structure import Structure
from irodori.finishes import FINISHES, Finish
from irodori.finishes.usual import LIKELY, MATERIAL_WORDS
from irodori.scene.detail import inside

_PATTERNS = {kind: re.compile(r"\b(?:" + "|".join(words) + r")(?:s|es)?\b") for kind, words in MATERIAL_WORDS.items()}

VARIED, TEXTURED = 0.04, 0.3
"""Difference from a surface's typical tone, and the share of its pixels that show it, from which it has a texture of its
own, which nothing may be laid over."""

OBLONG = 0.8
"""Share of the oblong around it that the outline of a house's wall fills."""

WATERSIDE = 0.5
"""Share of a wall's lower edge that stands in water."""

FLAT = 0.97


def likely_finish(role: str, colour: np.ndarray, words: str, upward: float, waterside: bool) -> Finish | None:
    """The finish in the colour found that a surface is likely to have; None where nothing speaks for one.

    Parameters
    ----------
    colour
        (3,) linear sRGB, without the viewport's light.
    words
        Names of its material and object.
    upward
        Third part of its unit normal.
    waterside
        Whether it stands in water.
    """
    if role not in LIKELY:
        return None
    choices = LIKELY[role]
    for kind in (
        material_of(words),
        "waterside" if waterside else "",
        "flat" if upward > FLAT else "",
        _by_colour(*np.asarray(colour, float).tolist()),
    ):
        if kind in choices:
            return _as_found(choices[kind])
    return _as_found(choices["any"])


@cache
def material_of(words: str) -> str:
    """The kind of material that words name, "" for none.

    >>> material_of("charred larch"), material_of("Roof zinc 0.7"), material_of("layer 3")
    ('wood', 'metal', '')
    """
    folded = re.sub(r"[_\-.\d]", " ", words.casefold())
    return next((kind for kind, pattern in _PATTERNS.items() if pattern.search(folded)), "")


@lru_cache(maxsize=16384)
def _by_colour(red: float, green: float, blue: float) -> str:
    hue, saturation, value = colorsys.rgb_to_hsv(*encode_srgb(np.array((red, green, blue))).tolist())
    hue *= 360
    if 14 <= hue <= 48 and saturation > 0.2:
        return "wood" if value > 0.4 else "dark wood"
    if (hue < 14 or hue > 345) and saturation > 0.4:
        return "red"
    if 65 <= hue <= 165 and saturation > 0.18:
        return "green"
    return "grey" if value > 0.4 else "dark"


@cache
def _as_found(name: str) -> Finish:
    return FINISHES[name].but(as_found=True)


def textured_surfaces(structure: Structure, detail: np.ndarray | None) -> set[int]:
    """Ids of the surfaces whose picture has a texture of its own; `detail` from `found_detail`."""
    if detail is None or structure.mesh is not None:
        return set()
    count = int(structure.regions.max(initial=0)) + 1
    own = inside(structure.regions)
    region, unlike = structure.regions[own], np.abs(detail[own].mean(axis=1) - 1)
    size = np.maximum(np.bincount(region, minlength=count), 1)
    varied = np.bincount(region, unlike > VARIED, count)
    return set(np.flatnonzero(varied > TEXTURED * size).tolist())


def waterside_surfaces(structure: Structure) -> set[int]:
    """Ids of the surfaces shown whose lower edge stands in water."""
    water = structure.of_role("water")
    above, below = structure.regions[:-1].ravel(), structure.regions[1:].ravel()
    edge = (above != below) & (above > 0)
    count = int(structure.regions.max(initial=0)) + 1
    total = np.bincount(above[edge], minlength=count)
    wet = np.bincount(above[edge], np.isin(below[edge], water), count)
    return set(np.flatnonzero((total > 0) & (wet > WATERSIDE * total)).tolist())


def far_shapes(structure: Structure) -> set[int]:
    """Ids of the surfaces shown, of pixels' readings, that are context and of no house's outline: hills, most likely."""
    import cv2

    if structure.mesh is not None:
        return set()
    out = set()
    for surface in structure.of_role("context").tolist():
        lines, _ = cv2.findContours(
            (structure.regions == surface).view(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
        )
        outline = max(lines, key=len, default=None)
        if outline is not None and cv2.contourArea(outline) < OBLONG * np.prod(cv2.minAreaRect(outline)[1]):
            out.add(surface)
    return out
