"""Looks: what a picture is drawn as. Every file here registers its own.

A look is a function from `irodori.picture.buffers.Buffers` and a `irodori.picture.drawing.manner.Manner` to a
`irodori.picture.drawing.sheet.Sheet`, in register with the buffers::

    @look("flat", about="Each surface in its own colour, without light")
    def draw_flat(buffers: Buffers, manner: Manner) -> Sheet:
        return Sheet(buffers.size, ground=encode_srgb(buffers.resolved(buffers.albedo)))
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

from irodori.core.errors import IrodoriError, unknown_name

if TYPE_CHECKING:
    from irodori.picture.buffers import Buffers
    from irodori.picture.drawing.manner import Manner
    from irodori.picture.drawing.sheet import Sheet

USUAL = "photographic"


@dataclass(frozen=True)
class Look:
    """A registered look: its name, a line about it, the function that draws it, how loose its hand usually is, 0 … 1, and the view that a
    model is drawn from unless told ("" the usual one)."""

    name: str
    about: str
    draw: Callable[[Buffers, Manner], Sheet]
    looseness: float = 0.0
    view: str = ""


_registered: dict[str, Look] = {}


def look(name: str, *, about: str, looseness: float = 0.0, view: str = "") -> Callable:
    """Register the function below as a look. Raises ValueError when the name is taken."""

    def register(draw: Callable[[Buffers, Manner], Sheet]) -> Callable[[Buffers, Manner], Sheet]:
        if name in _registered:
            raise ValueError(f"there are two looks called '{name}'")
        _registered[name] = Look(name, about, draw, looseness, view)
        return draw

    return register


@cache
def looks() -> dict[str, Look]:
    """Every look by name, the usual one first."""
    for module in sorted(m.name for m in pkgutil.iter_modules(__path__)):
        importlib.import_module(f"{__name__}.{module}")
    return dict(sorted(_registered.items(), key=lambda item: (item[0] != USUAL, item[0])))


def find_look(name: str) -> Look:
    """The look called `name`. Raises IrodoriError with the nearest names."""
    known = looks()
    if name.strip().casefold() not in known:
        raise IrodoriError(unknown_name("look", name, known))
    return known[name.strip().casefold()]
