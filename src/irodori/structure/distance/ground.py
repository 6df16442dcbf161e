"""What things in a picture stand on."""

from __future__ import annotations

import numpy as np

from irodori.structure.distance.border_evidence import SHORTEST_EDGE, Border, ends_in_corner, hangs, level_up
from irodori.structure.distance.tables import Legged
from irodori.structure.planes.choose import CARD, LEVEL
from irodori.structure.regions.measure import Regions

RAISED, UPON = 0.35, 0.05
"""Share of its lower outline that is its fore edge from which something level is the top of something, and what its area counts
then."""


def find_ground(
    regions: Regions, borders: list[Border], kinds: np.ndarray, normals: np.ndarray, sky: int, groups: np.ndarray,
    legged: Legged,
) -> int:  # fmt: skip
    """The level region that things stand on: large, low, and dry if there is a dry one.

    Tables and columns part a floor into pieces, which count together if they are of one of the `groups` (R,). What folds
    down along its lower outline is the top of something, and so is what legs carry (`legged`).
    """
    level = np.flatnonzero((kinds == LEVEL) & (normals[:, 2] > 0) & (regions.area > 0))
    level = level[level != sky]
    if not len(level):
        rest = regions.area.copy()
        rest[[0, sky]] = 0
        return int(rest.argmax())
    colour = regions.colour[level]
    wet = colour[:, 2] > colour[:, 0] + 12
    score = regions.area[level] * np.where(wet, 0.12, 1.0) * (0.3 + regions.box[level, 3] / regions.labels.shape[0])
    edges = _fore_edges(borders, regions, kinds, normals)[level]
    fore, outline = (np.bincount(groups[level], values)[groups[level]] for values in edges.T)
    score *= np.where((fore > RAISED * outline) | np.isin(level, list(legged.tops)), UPON, 1.0)
    together = np.bincount(groups[level], score)[groups[level]]
    return int(level[np.lexsort((score, together))[-1]])


def _fore_edges(borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray) -> np.ndarray:
    """px (R, 2) of the fore edge of each level region, at which it folds down to an upright one, and of all its lower outline."""
    out = np.zeros((len(regions.area), 2))
    out[:, 1] = np.bincount(regions.labels[-2], minlength=len(out))
    for border in borders:
        for own, other, above in border.both_ways:
            if above > 0.3 and level_up(own, kinds, normals):
                out[own, 1] += len(border.place)
                folds = len(border.place) >= SHORTEST_EDGE and kinds[other] != CARD and hangs(border, kinds, normals)
                if folds and ends_in_corner(border, regions.labels):
                    out[own, 0] += len(border.place)
    return out
