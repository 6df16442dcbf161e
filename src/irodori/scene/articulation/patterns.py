"""Patterns of plain surfaces, at high liberty: cladding, seams, joints and slats in the surface's own colour."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from irodori.core.colour import linear_to_hex
from irodori.core.structure import Structure
from irodori.finishes import FINISHES
from irodori.scene.assign import Assignment, all_surfaces

PATTERNS = {
    "wall": ("larch boards, level", "larch boards, upright", "cast concrete panels", "long wall tiles"),
    "roof": ("standing seam zinc",), "floor": ("oak parquet, planks", "floor tiles"), "paving": ("granite slabs", "concrete slabs"),
    "ceiling": ("acoustic slats", "ash panelling"), "soffit": ("ash panelling",), "door": ("larch boards, upright",),
    "slab": ("cast concrete panels",), "furniture": ("oiled oak",),
}  # fmt: skip
"""Finishes whose pattern a plain surface of each role may get."""

PLAIN = ("plain",)


def articulate(structure: Structure, assignments: Sequence[Assignment], kept: set[int], seed: int) -> list[Assignment]:
    """Give plain surfaces a pattern; what a schedule or a brief decided, `kept`, stays.

    All surfaces of one role, name and colour get the same; another seed chooses others.
    """
    table = all_surfaces(structure).set_index("id")
    rng = np.random.default_rng([seed, 80])
    choice = {role: names[int(rng.integers(len(names)))] for role, names in PATTERNS.items()}
    out = []
    for given in assignments:
        role = str(table["role"].get(given.surface, ""))
        if (
            given.surface in kept
            or role not in choice
            or given.finish.pattern not in PLAIN
            or given.finish.kind != "opaque"
        ):
            out.append(given)
            continue
        finish = given.finish
        colour = (
            linear_to_hex(np.clip(table["colour"][given.surface], 0.004, 0.9)) if finish.as_found else finish.colour
        )
        out.append(
            replace(given, finish=FINISHES[choice[role]].changed(colour=colour), reason=f"{given.reason}, articulated")
        )
    return out
