"""Where a brief would act on a structure, without dressing it."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief import Brief
from irodori.core.structure import Structure
from irodori.finishes import Schedule
from irodori.scene.asked.asked import ask, of_decisions
from irodori.scene.assign import assign_finishes
from irodori.scene.detail import found_detail
from irodori.scene.solids import solids_from_structure


def where_it_acts(brief: Brief, structure: Structure) -> Brief:
    """The brief with what each of its decisions comes to on a structure that has no schedule."""
    assignments, _, _ = assign_finishes(structure, Schedule(()), found_detail(structure), {})
    mesh = structure.mesh or solids_from_structure(structure)
    asked = ask(brief, structure, mesh, assignments, set(), seed=7)
    done = of_decisions(brief, asked.acted)
    return replace(brief, acts=tuple((len(a.surfaces), a.area, a.note) if a else (0, 0.0, "") for a in done))
