"""Ceilings under a ridge, told from roofs and from the sky."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.camera.line_directions import UPRIGHTS, Families
from irodori.structure.regions.measure import Regions

APEX, RIDGE, GABLE, FALL = 8.0, 40.0, 60.0, 0.15
"""px about the apex of a gable in which its sides and the ridge end; px of a ridge and of a gable's side at least; and how far
this falls for each px across."""


def under_ridges(
    regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families
) -> set[int]:
    """Regions that are the slopes of a ceiling: their ridge runs towards the eye from the apex of a gable that stands under
    both. Seen from outside, a ridge goes away behind its gable."""
    horizon = camera.horizon()
    if horizon is None:
        return set()
    found = set()
    rows = sides[families.level[sides[:, 0].astype(int)] & (sides[:, 3] > RIDGE) & (sides[:, 1] != sides[:, 2])]
    for index, one, two in rows[(rows[:, 1:3] > 0).all(axis=1), :3].astype(int).tolist():
        ends = segments[index].reshape(2, 2)
        x, y, w = camera.matrix @ (camera.rotation @ families.ways[families.label[index]])
        if abs(w) < 1e-6 or (ends[:, 1] > min(horizon[0][1], horizon[1][1])).any():
            continue
        apex, near = sorted(ends, key=lambda end: np.hypot(*(end - [x / w, y / w])))
        if apex[1] > near[1]:
            left, right = zip(*(_falls_from(side, apex, segments, sides, families) for side in (one, two)))
            if (left[0] & right[1] | left[1] & right[0]) - {one, two}:
                found |= {one, two}
    return found


def _falls_from(
    region: int, apex: np.ndarray, segments: np.ndarray, sides: np.ndarray, families: Families
) -> tuple[set[int], set[int]]:
    """What lies beyond the edges of a region that fall to the left and to the right of an apex (2,) px as no line of the frame
    does."""
    out: tuple[set[int], set[int]] = set(), set()
    own = (sides[:, 1:3] == region).any(axis=1) & (sides[:, 3] > GABLE)
    for index, one, two in sides[own, :3].astype(int).tolist():
        near, far = sorted(segments[index].reshape(2, 2), key=lambda end: np.hypot(*(end - apex)))
        across, down = far - near
        framed = 0 <= families.label[index] <= UPRIGHTS
        if not framed and np.hypot(*(near - apex)) < APEX and down > FALL * abs(across):
            out[int(across > 0)].add(one + two - region)
    return out
