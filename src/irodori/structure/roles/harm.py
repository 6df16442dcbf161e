"""What harm it does to take a surface for what it is not."""

from __future__ import annotations

from functools import cache
from itertools import permutations

import numpy as np

from irodori.core.roles import ROLES

ALIKE = (
    ("ground", "paving", "floor", "slab", "stair"),
    ("ground", "lawn", "planting"),
    ("wall", "column", "slab", "context", "roof", "other"),
    ("roof", "slab", "soffit", "ceiling"),
    ("frame", "railing", "column", "other"),
    ("door", "furniture", "wall", "frame"),
    ("furniture", "fabric", "other", "person", "vehicle", "sign"),
)
"""Roles that pass for each other: a picture bears it."""

BORNE = 0.5
"""Harm of taking one for another of these, where it is 1 to take it for any other role."""

GRAVE = {"water": 2.0, "glazing": 1.4, "lamp": 1.6, "sky": 3.0}
"""Harm of what nobody forgives: a street under water, a wall of glass, a cupboard that shines."""

PLAIN = {"glazing": ("wall", "frame", "door"), "water": ("paving", "ground", "lawn"), "lamp": ("other", "ceiling")}
"""What these may be taken for, which is borne."""

OPEN = "glazing"
"""What harms no more than others in a drawing, where no tint tells it: a house of blind windows is as wrong."""


@cache
def harm(drawn: bool) -> np.ndarray:
    """Harm (roles, roles), in the order of `ROLES`, of saying the one of a row of what is the one of a column."""
    table = np.ones((len(ROLES), len(ROLES)))
    for said, times in GRAVE.items():
        table[ROLES.index(said)] = 1.0 if drawn and said == OPEN else times
    for group in ALIKE:
        for said, true in permutations(group, 2):
            table[ROLES.index(said), ROLES.index(true)] = BORNE
    for true, plain in PLAIN.items():
        if drawn and true == OPEN:
            continue
        table[[ROLES.index(said) for said in plain], ROLES.index(true)] = BORNE
    np.fill_diagonal(table, 0.0)
    return table


def least_harm(likely: np.ndarray, *, drawn: bool) -> np.ndarray:
    """For each region the role, by its place in `ROLES`, that does least harm, of those that are at all `likely` (R, roles)."""
    return np.where(likely > 0, likely @ harm(drawn).T, np.inf).argmin(axis=1)
