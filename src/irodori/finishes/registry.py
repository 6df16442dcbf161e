"""Patterns by name: each file in `finishes/patterns` registers what it draws, and the finishes that come with it."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

from irodori.finishes.slots import SLOT

ARGUMENTS = ("row", "u", "v", "fu", "fv", "seed", "lu", "lv", "ln", "out")
"""What a pattern's kernel may ask for, in this order: the finish's numbers; the place, m; the pixel's footprint there, m;
a seed; the sun's direction in the surface's frame; and what it writes, see `irodori.finishes.evaluate.OUTPUTS`."""


@dataclass(frozen=True)
class Pattern:
    """A registered pattern.

    Attributes
    ----------
    name
        As the catalogue calls it.
    kernel
        The compiled function, or None for what is drawn elsewhere or not at all.
    arguments
        Those of `ARGUMENTS` that it takes.
    shaded_by_relief
        Whether its share of direct light depends on where the sun stands.
    own_grain
        Whether it uses the finish's grain itself, so that none is laid over it.
    finishes
        Finishes that come with it, by name, as tables of the catalogue.
    """

    name: str
    kernel: Any = None
    arguments: tuple[str, ...] = ()
    shaded_by_relief: bool = False
    own_grain: bool = False
    finishes: Mapping[str, dict] = field(default_factory=dict)


_registered: dict[str, Pattern] = {}


def pattern(
    name: str, *, shaded_by_relief: bool = False, own_grain: bool = False, finishes: Mapping[str, dict] | None = None
) -> Callable:  # fmt: skip
    """Register a kernel as a pattern; goes above `@njit(cache=True)`. The attributes of `Pattern` say what the options mean.

    Raises
    ------
    ValueError
        When the name is taken or the kernel takes what no pattern is given.
    """

    def register(kernel):
        taken = tuple(inspect.signature(kernel.py_func).parameters)
        if taken != tuple(a for a in ARGUMENTS if a in taken):
            raise ValueError(f"pattern '{name}' must take some of {', '.join(ARGUMENTS)}, in this order")
        _register(Pattern(name, kernel, taken, shaded_by_relief, own_grain, finishes or {}))
        return kernel

    return register


def _register(new: Pattern) -> None:
    if new.name in _registered:
        raise ValueError(f"there are two patterns called '{new.name}'")
    _registered[new.name] = new


for _name in ("plain", "leaves", "waves"):
    # Drawn by nothing, by the leaves' own shapes, and by `irodori.engine.surface.waves`.
    _register(Pattern(_name))


def own_parameter(name: str) -> int:
    """The slot of a number that only some patterns have; in the catalogue a finish gives it by this name."""
    return SLOT.setdefault(name, len(SLOT))


@cache
def patterns() -> tuple[Pattern, ...]:
    """Every pattern; a finish's row of numbers holds its place here."""
    for module in sorted(m.name for m in pkgutil.iter_modules([str(FOLDER)])):
        importlib.import_module(f"irodori.finishes.patterns.{module}")
    return tuple(_registered.values())


@cache
def pattern_number(name: str) -> int:
    """Where a pattern stands among `patterns`. Raises ValueError when there is none of that name."""
    return [p.name for p in patterns()].index(name)


FOLDER = Path(__file__).parent / "patterns"
