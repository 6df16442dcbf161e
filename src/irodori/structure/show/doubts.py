"""What a reading was least sure of, each with the words that would change it."""

from __future__ import annotations

import numpy as np

from irodori.core.structure import Structure
from irodori.structure.show.confidence import inside

OTHERWISE = {
    "water": ("paving", 3.0), "ceiling": ("sky", 4.0), "soffit": ("ceiling", 1.0), "glazing": ("wall", 2.5), "wall": ("glazing", 1.0),
    "paving": ("lawn", 1.0), "lawn": ("paving", 1.0), "roof": ("paving", 1.5), "floor": ("paving", 1.5), "planting": ("lawn", 1.0),
    "slab": ("roof", 0.7), "door": ("wall", 0.7), "context": ("lawn", 1.0), "furniture": ("wall", 1.0), "other": ("wall", 1.0),
}  # fmt: skip
"""What a role is taken for most often when it is wrong, and how much that spoils a picture."""

UNSURE, LEAST, MOST = 0.5, 0.02, 3
"""Confidence under which a surface is worth a line, share of the picture that it takes at least, and lines at most."""


UNDER_A_ROOF = 0.02
"""Share of ceiling from which a picture was read as a room."""


def doubts(structure: Structure, scene: str = "") -> tuple[str, ...]:
    """What a reading was least sure of, one line each: whether it shows the `scene` that it seems at a glance, and the largest areas, by
    expected harm times area."""
    out = [] if not scene else _of_the_scene(structure, scene)
    table = structure.surfaces
    share = table["area_px"].to_numpy(float) / structure.regions.size
    doubt = 1 - table["confidence"].to_numpy(float)
    harm = np.array([OTHERWISE.get(role, ("", 0.0))[1] for role in table["role"]])
    worth = share * doubt * harm
    own = np.flatnonzero((share > LEAST) & (doubt > 1 - UNSURE) & (harm > 0))
    for row in table.iloc[own[np.argsort(-worth[own], kind="stable")][: MOST - len(out)]].itertuples():
        x, y = inside(structure, row.id)
        part = 100 * row.area_px / structure.regions.size
        out.append(
            f"Not sure that {x},{y} is {row.role} ({part:.0f} % of the picture): if not, --say '{x},{y} {OTHERWISE[row.role][0]}'"
        )
    return tuple(out)


def _of_the_scene(structure: Structure, scene: str) -> list[str]:
    """A line where it seems another scene at a glance."""
    ceiling = structure.surfaces["role"] == "ceiling"
    indoors = structure.surfaces["area_px"][ceiling].sum() > UNDER_A_ROOF * structure.regions.size
    if indoors == (scene == "room"):
        return []
    read, other = ("a room", "outdoors") if indoors else ("outdoors", "a room")
    return [f"Read as {read}, though it seems {other} at a glance: if so, --say 'scene {scene}'"]
