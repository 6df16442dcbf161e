"""Balls of flat faces: small regions of one tint that together fill an ellipse, as lamps and finials are modelled."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from irodori.structure.curves.rounds import Round
from irodori.structure.regions.colours import tints_apart
from irodori.structure.regions.measure import Regions, leafy

FEWEST, LARGEST, LEAST_SHARED = 3, 0.006, 2
"""Faces that are seen at least, the share of the picture that each takes at most, and px along which neighbours meet at least."""

TINT = 0.03
"""By how much the tints of neighbouring faces differ at most."""

SMALLEST, SLIMMEST = 12, 1.5
"""px that a ball is wide at least, and the ratio of its axes at most."""

FILLED, FILLED_BY_FEW, FEW, ROD = 0.9, 0.93, 6, 5
"""Overlap of the faces with the ellipse about them at least, also where there are but a few, and px up to which a rod is one."""


def find_balls(regions: Regions, leave: Collection[int]) -> dict[int, tuple[list[int], Round]]:
    """Balls by the number of their largest face: all faces, and the ellipsoid about them; regions to `leave` are none."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    count = len(regions.area)
    small = (regions.area > 0) & (regions.area < LARGEST * regions.labels.size)
    small[[0, *leave]] = False
    own, other, size = regions.neighbours
    joined = small[own] & small[other] & (size >= LEAST_SHARED) & (own < other)
    own, other = own[joined], other[joined]
    alike = np.array([tints_apart(regions.colour[i], regions.colour[j]) < TINT for i, j in zip(own, other)], dtype=bool)
    own, other = own[alike], other[alike]
    _, group = connected_components(coo_matrix((np.ones(len(own)), (own, other)), shape=(count, count)), directed=False)
    found, green = {}, leafy(regions)
    for number, faces in enumerate(np.bincount(group)):
        members = np.flatnonzero(group == number) if faces >= FEWEST else []
        # Crowns of trees are told by more.
        if not len(members) or green[members].any():
            continue
        told = _ball(regions, members)
        if told is not None:
            faces, ball = told
            found[int(faces[regions.area[faces].argmax()])] = faces.tolist(), ball
    return found


def _ball(regions: Regions, members: np.ndarray) -> tuple[np.ndarray, Round] | None:
    """Those of some regions that fill an ellipse, without the rod that it hangs from, and the ellipsoid; None where they fill none."""
    import cv2

    x0, y0 = (int(v) for v in regions.box[members, :2].min(axis=0))
    x1, y1 = (int(v) for v in regions.box[members, 2:].max(axis=0))
    own = regions.labels[y0:y1, x0:x1]
    # What the ellipse has beyond their box counts as well.
    spare = max(own.shape)
    own = np.pad(np.where(np.isin(own, members), own, 0), spare)
    x0, y0 = x0 - spare, y0 - spare
    mask = cv2.morphologyEx((own > 0).astype(np.uint8), cv2.MORPH_OPEN, np.ones((ROD, ROD), np.uint8))
    outlines = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    outline = max(outlines, key=len, default=())
    if len(outline) < 24:
        return None
    # Away from the picture's middle perspective draws a ball out askew.
    ellipse = cv2.ellipse(np.zeros_like(mask), cv2.fitEllipse(outline), 1, -1) > 0
    size = max(int(own.max()), int(members.max())) + 1
    covered = np.bincount(own[ellipse], minlength=size) > 0.5 * np.bincount(own.ravel(), minlength=size)
    faces = members[covered[members]]
    mask = np.isin(own, faces)
    filled = FILLED if len(faces) >= FEW else FILLED_BY_FEW
    if len(faces) < FEWEST or (mask & ellipse).sum() < filled * (mask | ellipse).sum():
        return None
    x, y = np.flatnonzero(ellipse.any(axis=0)), np.flatnonzero(ellipse.any(axis=1))
    wide, high = np.ptp(x) + 1.0, np.ptp(y) + 1.0
    if min(wide, high) < SMALLEST or not 1 / SLIMMEST < wide / high < SLIMMEST:
        return None
    return faces, Round((x0 + x[0] + wide / 2, y0 + y[0] + high / 2), wide / 2, high / 2, False)
