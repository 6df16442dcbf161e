"""How near what the picture's foot cuts off is: its own foot, which would tell, is not seen."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.runs import runs_of
from irodori.structure.regions.measure import Regions

LONGEST = 400
"""px from which a longer border has no more say."""

NARROWEST_CUT = 12
"""px of the row looked at that a region takes at least."""

ROW = 3
"""px above the picture's foot at which one looks."""

BROADEST, TALLEST_LEG = 0.3, 0.4
"""Share of the picture's width that a column has at most; and of its height that it has at least: legs of chairs are shorter."""

CUSTOMARY, USUAL = 0.42, 0.7
"""m that columns, trunks and people are wide, and a factor on what that says."""


def cut_off(
    regions: Regions, camera: Camera, normals: np.ndarray, level: np.ndarray, sky: int, anchor: int, eye: float
) -> tuple[list[tuple[int, int, float, float]], list[tuple[int, int, float, float]]]:
    """Votes (i, j, q_i − q_j, weight) on logarithms of distance, and hinges (i, j, most that q_i − q_j may be, weight).

    What is cut off stands before the ground that it hides: the `anchor`, `eye` m under the camera, or where that ends above,
    what of the `level` regions (R,) lies beside it. What has something level at both sides is as wide as columns, trunks and
    people are.
    """
    height, width = regions.labels.shape
    row = regions.labels[height - ROW]
    rays = camera.rays(np.arange(width) + 0.5, np.full(width, height - ROW + 0.5))[1].astype(float)
    grounded = level[anchor] and (row == anchor).any()
    votes, hinges = [], []
    for first, last in runs_of(~level[row] & (row > 0) & (row != sky)):
        beside = [int(row[at]) for at in (first - 1, last + 1) if 0 <= at < width and level[row[at]]]
        run = row[first : last + 1]
        column = len(beside) == 2 and len(run) < BROADEST * width and _slim(regions, run)
        for region in np.unique(run).tolist():
            own = first + np.flatnonzero(run == region)
            facing = -(rays[own] @ normals[region])
            weight = min(len(own), LONGEST)
            if column and level[anchor] and len(own) >= NARROWEST_CUT and (facing > 1e-4).all():
                away = CUSTOMARY * camera.matrix[0, 0] / len(run) / np.abs(rays[own] @ camera.rotation[2])
                votes.append((region, anchor, float(np.median(np.log(away * facing / eye))), USUAL * weight))
            for host in {anchor} if grounded else set(beside):
                falling = -(rays[own] @ normals[host])
                seen = (facing > 1e-4) & (falling > 1e-4)
                if seen.sum() >= NARROWEST_CUT:
                    hinges.append((region, host, float(np.median(np.log(facing[seen] / falling[seen]))), weight))
    return votes, hinges


def _slim(regions: Regions, own: np.ndarray) -> bool:
    """Whether the regions of a run (N,) are as slim and as tall as columns are."""
    tall = regions.box[own, 3] - regions.box[own, 1]
    return bool(regions.slim[own].all() and np.median(tall) > TALLEST_LEG * len(regions.labels))
