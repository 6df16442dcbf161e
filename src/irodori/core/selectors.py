"""Where something applies: surfaces by role, name, number, colour or pixel, as words."""

from __future__ import annotations

import fnmatch
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.colour import encode_srgb, hex_to_linear
from irodori.core.errors import FinishError, unknown_name
from irodori.core.roles import ROLES
from irodori.core.structure import Structure

if TYPE_CHECKING:
    import pandas as pd

SPECIFICITY = {"mask": 6, "pixel": 5, "surface": 4, "name": 3, "colour": 2, "role": 1, "all": 0}
"""The most specific selector wins; among equals the later rule."""

SAME_COLOUR = 26.0
"""sRGB distance (0 … 255) within which a surface's colour answers to a colour selector."""


@dataclass(frozen=True)
class Selector:
    """Where a rule applies: `kind` is a key of `SPECIFICITY`, `value` its text, number or point."""

    kind: str
    value: object

    def __str__(self) -> str:
        if self.kind == "all":
            return "everything"
        return f"{self.kind} {','.join(map(str, self.value)) if isinstance(self.value, tuple) else self.value}"


def parse_selector(text: str) -> Selector:
    """Read a selector.

    "role wall", "name kiosk*", "colour #c59a6a", "surface 12" or "surface 12,15", "pixel 640,380", "mask front.png" (what is painted white) or "all"; bare words are a role
    when they are one, else a name. Raises FinishError.

    >>> parse_selector("roof")
    Selector(kind='role', value='roof')
    """
    folded = text.strip()
    kind, _, rest = folded.partition(" ")
    kind, rest = kind.casefold().rstrip(":"), rest.strip()
    if folded.casefold() in ("all", "everything", "*"):
        return Selector("all", "")
    if not folded:
        raise FinishError("an empty selector; say where, for example 'role wall' or 'name hall roof'")
    if folded.casefold() in ROLES:
        return Selector("role", folded.casefold())
    if kind == "role":
        if rest.casefold() not in ROLES:
            raise FinishError(unknown_name("role", rest, ROLES))
        return Selector("role", rest.casefold())
    if kind in ("colour", "color") and rest:
        try:
            hex_to_linear(rest)
        except ValueError as error:
            raise FinishError(str(error)) from None
        return Selector("colour", rest.casefold())
    if kind == "surface":
        numbers = re.split(r"[\s,;]+", rest)
        if not all(n.isdigit() for n in numbers):
            raise FinishError(f"'{text}' names no surface; write 'surface 12', or 'surface 12,15,31'")
        return Selector("surface", int(rest) if len(numbers) == 1 else tuple(map(int, numbers)))
    if kind == "mask":
        if not rest:
            raise FinishError("a mask without a file; write 'mask front.png'")
        return Selector("mask", rest)
    if kind == "pixel":
        match = re.fullmatch(r"(\d+)\s*[,; ]\s*(\d+)", rest)
        if not match:
            raise FinishError(f"'{text}' names no pixel; write 'pixel 640,380'")
        return Selector("pixel", (int(match[1]), int(match[2])))
    return Selector("name", rest if kind == "name" and rest else folded)


def names_of(table: pd.DataFrame) -> dict:
    """Names and materials of surfaces, folded and factorised: what `matching_surfaces` searches."""
    import pandas as pd

    return {column: pd.factorize(table[column].str.casefold()) for column in ("name", "material")}


def matching_surfaces(structure: Structure, table: pd.DataFrame, words: dict, where: Selector) -> np.ndarray:
    """Ids of the surfaces in `table` that a selector means; `words` from `names_of`."""
    ids = table["id"].to_numpy()
    if where.kind == "all":
        return ids
    if where.kind == "mask":
        raise FinishError(f"'{where}' places finishes only; say where with a role, a name or a pixel")
    if where.kind == "role":
        return ids[(table["role"] == where.value).to_numpy()]
    if where.kind == "surface":
        return ids[np.isin(ids, where.value)]
    if where.kind == "name":
        wanted = re.compile(fnmatch.translate(str(where.value).casefold())).match
        hits = np.zeros(len(table), bool)
        for code, known in words.values():
            hits |= np.array([bool(wanted(word)) for word in known], bool)[code]
        return ids[hits]
    if where.kind == "colour":
        wanted = encode_srgb(hex_to_linear(str(where.value))) * 255
        own = np.array([encode_srgb(np.array(c)) * 255 for c in table["colour"]]).reshape(-1, 3)
        return ids[np.linalg.norm(own - wanted, axis=1) < SAME_COLOUR]
    x, y = where.value
    width, height = structure.size
    if not (0 <= x < width and 0 <= y < height):
        raise FinishError(f"pixel {x},{y} lies outside the picture of {width} × {height} pixels")
    return ids[ids == structure.regions[y, x]]
