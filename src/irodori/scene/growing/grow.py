"""What grows on a structure that is dressed: trees where placeholders stood, leaves in masses, blades on lawns."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from irodori.core.colour import hex_to_linear, linear_to_hex
from irodori.core.liberty import DETAIL
from irodori.core.model import Mesh
from irodori.core.recipe import FromModel
from irodori.core.structure import Structure
from irodori.entourage import Entry, Part
from irodori.finishes import FINISHES, Finish
from irodori.scene.assign import Assignment
from irodori.scene.growing.crowns import grow_crowns
from irodori.scene.growing.near_grass import stand_grass
from irodori.scene.growing.placeholders import find_placeholders

ROUGH_FROM = 0.09
"""Mottle of a finish from which grass is rough, not mown."""

LEAVES = ("leaves", "crown")
"""Patterns of finishes that are leaves."""


class Growth(NamedTuple):
    """What grows: the structure and mesh with it, assignments of what has leaves now, `leafed` (S,) bool, surfaces of `blades`, what is
    `covered`, (H, W) each, and `entries` of what stands where placeholders were."""

    structure: Structure
    mesh: Mesh
    assignments: list[Assignment]
    leafed: np.ndarray
    blades: tuple
    covered: list[np.ndarray]
    entries: tuple[Entry, ...]


def grow(
    structure: Structure, mesh: Mesh, assignments: list[Assignment], scheduled: set[int], protected: np.ndarray, liberty: float, *,
    first: int, seed: int,
) -> Growth:  # fmt: skip
    """Let grow what came as a placeholder, a mass or a lawn, with the liberty for it; `first` is the id of the first new surface."""
    count = len(protected)
    out = Growth(structure, mesh, assignments, np.zeros(count, bool), (), [], ())
    if liberty < DETAIL:
        return out
    as_modelled = isinstance(structure.origin, FromModel) and structure.origin.as_modelled
    if not as_modelled:
        named = np.zeros(count, bool)
        named[[s for s in scheduled if s < count]] = True
        placed = find_placeholders(structure, mesh, named)
        if placed is not None:
            out = out._replace(
                structure=placed.structure, mesh=placed.mesh, covered=[placed.covered], entries=placed.entries
            )
        grown = grow_crowns(out.structure, out.mesh, _leafy(assignments, mesh, count), protected, seed)
        if grown is not None:
            out = out._replace(
                assignments=[_with_leaves(a) if grown.surfaces[a.surface] else a for a in assignments],
                structure=replace(out.structure, fragments=grown.fragments), mesh=grown.mesh, leafed=grown.surfaces,
                covered=[*out.covered, grown.covered],
            )  # fmt: skip
    grass = stand_grass(out.structure, out.mesh, _lawns(structure, assignments), protected, first=first, seed=seed)
    if grass is None:
        return out
    return out._replace(
        structure=replace(out.structure, fragments=grass.fragments), mesh=grass.mesh,
        blades=tuple(_blades_of(colour) for colour in grass.colours), covered=[*out.covered, grass.covered],
    )  # fmt: skip


def _leafy(assignments: list[Assignment], mesh: Mesh, count: int) -> np.ndarray:
    """Surfaces (S,) bool whose finish is leaves. Those that are parted keep their outlines."""
    leafy = np.zeros(count, bool)
    leafy[[a.surface for a in assignments if a.finish.pattern in LEAVES]] = True
    leafy[[*mesh.parts, *mesh.parts.values()]] = False
    return leafy


def _lawns(structure: Structure, assignments: list[Assignment]) -> dict[int, tuple[np.ndarray, bool]]:
    """Surfaces of grass on the ground: colour (3,) linear, and whether it is rough."""
    found = structure.surfaces.set_index("id")
    out = {}
    for given in assignments:
        finish = given.finish
        if finish.pattern == "grass" and finish.family == "ground" and given.surface in found.index:
            colour = np.array(found["colour"][given.surface]) if finish.as_found else hex_to_linear(finish.colour)
            out[given.surface] = colour, finish.mottle >= ROUGH_FROM
    return out


def _blades_of(colour: np.ndarray) -> tuple[Part, Finish]:
    """The surface of blades of one colour (3,) linear."""
    finish = FINISHES["foliage"].changed(colour=linear_to_hex(np.clip(colour, 0.004, 0.8)))
    return Part(np.zeros((0, 3, 3)), finish, "planting"), finish


def _with_leaves(given: Assignment) -> Assignment:
    """A crown's assignment once it has leaves: its finish is no longer that of a mass."""
    if given.finish.pattern == "leaves":
        return given
    return replace(given, finish=FINISHES["foliage"].changed(colour=given.finish.colour))
