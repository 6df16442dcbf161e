"""Which finish each surface gets: the schedule's most specific rule, else a finish by role."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd

from irodori.core.capture import DRAWN
from irodori.core.model import Mesh
from irodori.core.recipe import FromModel
from irodori.core.selectors import SPECIFICITY, matching_surfaces, names_of
from irodori.core.structure import Structure
from irodori.finishes import FINISHES, Finish, Schedule
from irodori.finishes.schedule import OWN_LOOK, Rule
from irodori.finishes.usual import BY_ROLE, DRAWN_BY_ROLE
from irodori.scene.as_filed import finish_as_filed
from irodori.scene.likely import far_shapes, likely_finish, textured_surfaces, waterside_surfaces
from irodori.scene.unshade import unshaded_colours

UPRIGHT, PITCHED = 0.15, 0.95
"""Upward part of the normal: below the first a wall, between them a roof. Hills are not flat, and stay as they are."""

WALKED_ON = ("paving", "ground", "floor")
"""Roles of what is walked on, and of its sides where they are of one piece with it."""


@dataclass(frozen=True)
class Assignment:
    """The finish of one surface and the rule that put it there ("role" or "as found" without a rule)."""

    surface: int
    finish: Finish
    reason: str


def assign_finishes(
    structure: Structure, schedule: Schedule, detail: np.ndarray | None, masked: Mapping[str, frozenset[int]]
) -> tuple[list[Assignment], list[str], set[int]]:  # fmt: skip
    """Assign a finish to every surface of the structure; list the rules that matched nothing, and the surfaces that one met.

    `detail` is the picture's own texture, from `found_detail`; `masked` the surfaces in each mask, from `part_surfaces`.

    Raises FinishError when a picked pixel lies outside the picture.
    """
    table = all_surfaces(structure)
    words = names_of(table)
    best: dict[int, tuple[int, int, Rule]] = {}
    unmatched = []
    for order, rule in enumerate(schedule.rules):
        if rule.where.kind == "mask":
            found = np.array(sorted(masked[str(rule.where.value)]), int)
        else:
            found = matching_surfaces(structure, table, words, rule.where)
        if not len(found) and rule.mark != OWN_LOOK:
            unmatched.append(
                f"{rule.mark + ': ' if rule.mark else ''}{rule.where} → {rule.finish.name} matched nothing"
            )
        rank = (SPECIFICITY[rule.where.kind], order)
        for surface in found:
            if surface not in best or rank >= best[surface][:2]:
                best[surface] = (*rank, rule)
    assignments = []
    drawn = structure.kind in DRAWN
    shared = ["id", "role", "name", "material", "nz", "offset"]
    colours = table["colour"] if structure.mesh is not None else unshaded_colours(table)
    textured, waterside = textured_surfaces(structure, detail), waterside_surfaces(structure)
    far = far_shapes(structure)
    filed_looks = structure.mesh.looks if structure.mesh is not None else None
    as_modelled = isinstance(structure.origin, FromModel) and structure.origin.as_modelled
    # As objects: taking strings one by one out of a column of strings is slow.
    rows = table[[c for c in shared if c in table]].astype(object).itertuples()
    for row, colour in zip(rows, colours):
        if row.id in best:
            rule = best[row.id][2]
            assignments.append(Assignment(int(row.id), rule.finish, f"{rule.mark} {rule.where}".strip()))
            continue
        filed = None
        if filed_looks is not None:
            filed = finish_as_filed(filed_looks.look_of(int(row.id)), row.role, as_modelled)
        if filed is not None:
            assignments.append(Assignment(int(row.id), filed, "as its file says"))
            continue
        finish, reason = _implied(row, drawn, row.id in far)
        if finish is FINISHES["as found"] and row.id not in textured:
            likely = likely_finish(_built_as(row), colour, f"{row.material} {row.name}", row.nz, row.id in waterside)
            if likely:
                finish, reason = likely, f"role {row.role}, colour as found"
        assignments.append(Assignment(int(row.id), finish, reason))
    return assignments, unmatched, {surface for surface, (*_, rule) in best.items() if rule.mark != OWN_LOOK}


def all_surfaces(structure: Structure) -> pd.DataFrame:
    """Shown surfaces first, then the hidden ones of a model: they cast, bounce and are mirrored all the same."""
    if structure.hidden_surfaces is None or not len(structure.hidden_surfaces):
        return structure.surfaces
    shared = ["id", "role", "name", "material", "colour", "nz", "offset"]
    shared = [c for c in shared if c in structure.surfaces and c in structure.hidden_surfaces]
    return pd.concat([structure.surfaces[shared], structure.hidden_surfaces[shared]], ignore_index=True)


def flagged(table: pd.DataFrame, rows: Sequence[bool] | pd.Series, mesh: Mesh) -> np.ndarray:
    """Which surfaces some rows of a table are, (S,) bool by id, for all of the table and of a mesh."""
    out = np.zeros(int(max(table["id"].max(), mesh.surface.max(initial=0))) + 1, bool)
    out[table["id"].to_numpy()[np.asarray(rows, bool)]] = True
    return out


def _built_as(row) -> str:
    """What a surface is built as: the side of a paved quay or terrace is a wall."""
    return "wall" if row.role in WALKED_ON and abs(row.nz) < UPRIGHT else row.role


def _implied(row, drawn: bool, far: bool) -> tuple[Finish, str]:
    if row.role == "planting" and any(w in f"{row.name} {row.material}".casefold() for w in ("trunk", "bark")):
        return FINISHES["bark"], "role planting"
    if far and drawn:
        return FINISHES["hillside"], "role context, drawn"
    if row.role == "context" and not far and np.isfinite(row.offset):
        if abs(row.nz) < UPRIGHT:
            return FINISHES["neighbouring house"], "role context"
        if UPRIGHT < row.nz < PITCHED:
            return FINISHES["neighbouring roof"], "role context"
    if drawn and row.role in DRAWN_BY_ROLE:
        return FINISHES[DRAWN_BY_ROLE[row.role]], f"role {row.role}, drawn"
    if row.role in BY_ROLE:
        return FINISHES[BY_ROLE[row.role]], f"role {row.role}"
    return FINISHES["as found"], "as found"
