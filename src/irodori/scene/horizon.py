"""What stands at the horizon of land that was made to go on about a model."""

from __future__ import annotations

from irodori.core.model import SURROUNDINGS
from irodori.core.recipe import FromModel
from irodori.core.structure import Structure
from irodori.entourage import Entry
from irodori.entourage.catalogue import ENTOURAGE
from irodori.entourage.entourage_list import Where
from irodori.scene.assign import all_surfaces

BY_LAND = {"lawn": ("far trees", "hills"), "ground": ("townscape", "far trees"), "water": ("hills",)}
"""Kinds of what stands far away, by the role of the land: meadows have trees and hills, the ground of a city roofs."""


def horizon_of(structure: Structure) -> list[Entry]:
    """Entries for the horizon of a view of a model's file; none where that has land of its own, or stands on a table, or the view is
    parallel: it has no horizon."""
    if not isinstance(structure.origin, FromModel) or structure.camera.projection == "parallel":
        return []
    table = all_surfaces(structure)
    land = table.loc[table["name"] == SURROUNDINGS, "role"]
    kinds = BY_LAND.get("lawn" if (land == "lawn").any() else str(land.iloc[0]), ()) if len(land) else ()
    return [Entry("", ENTOURAGE[kind], Where("horizon")) for kind in kinds]
