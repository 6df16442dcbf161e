"""What custom sets before the walls of a front and behind them, and how steep its roofs are: nothing in the picture tells."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.flat_views.elevation import FRONT, earth, front_foot, solid_regions
from irodori.structure.planes.choose import CARD, SLOPE, UPRIGHT, Planes
from irodori.structure.regions.measure import Regions

RELIEF = {
    "glazing": -0.12, "door": -0.1, "frame": -0.07, "curtain": -0.2, "slab": 0.6, "column": 0.15, "stair": 1.5,
    "railing": 1.2, "furniture": 2.5, "person": 3.0, "lamp": 3.0, "planting": 4.0, "vehicle": 4.5,
}  # fmt: skip
"""m before the walls that parts of these roles usually are."""

GROUNDED, PORCH, FOREGROUND, BACKDROP = 2.5, 2.0, 4.0, 20.0
"""m that lie before the walls: railings that stand on the ground; posts and the roof that they carry; terraces and kerbs. And
m behind them: hills, and trees that the walls hide."""

OVERHANG = 0.45
"""m that eaves hang before the wall."""

RUN, FLATTEST, STEEPEST, LOWEST_ROOF, LOWEST_EAVE = 4.5, np.radians(15.0), np.radians(50.0), 1.0, 1.8
"""m from a house's eave to its ridge, where no pitch can be seen; pitches that roofs have; m that one rises at least, and that its
eave lies over the ground."""

ACROSS, MOST_BAND, RAGGED = 0.97, 0.35, 0.02
"""Share of a row that a terrace takes which runs right across, of the rows below the sky that it takes at most, and of
those that its foot may be ragged."""

LOW_WALL, STANDS_OUT, OFF_THE_GROUND = 1.3, 0.3, 0.4
"""m that a garden wall is high at most; that it stands out beside the wall behind it; and up to which a railing stands on the
ground."""

GREENERY = ("planting", "context", "lawn")
"""Roles of hills, hedges and trees that stand upright in a front."""

SLIM_POST = 4.0
"""Times its width that a post is high, whatever it was taken for."""

GROUND_WORK = ("wall", "slab", "paving", "planting", "furniture", "stair")

BROAD = 0.01
"""Share of the picture from which greenery may be a hill."""

CUT_OFF, STRAIGHT = 0.7, 16
"""Share of a border that walls make by straight edges, from which they hide what is beside them; and px that such an edge is
long at least."""


def slope_roofs(planes: Planes, regions: Regions, camera: Camera, roles: list[str], sky: int) -> Planes:
    """The planes of a front, in which what is a roof slopes as steeply as houses' roofs that rise as high do."""
    kind, normal, sure = planes.kind.copy(), planes.normal.copy(), planes.sure.copy()
    lowest = front_foot(regions, sky) - LOWEST_EAVE * camera.matrix[1, 1]
    for region in np.flatnonzero(regions.area > 0):
        if roles[region] != "roof" or kind[region] == CARD:
            continue
        rise = (regions.box[region, 3] - regions.box[region, 1]) / camera.matrix[1, 1]
        if rise < LOWEST_ROOF or regions.box[region, 3] > lowest:
            kind[region], normal[region] = UPRIGHT, FRONT
            continue
        pitch = np.clip(np.arctan(rise / RUN), FLATTEST, STEEPEST)
        kind[region], sure[region] = SLOPE, 0.4
        normal[region] = [0.0, -np.sin(pitch), np.cos(pitch)]
    return Planes(kind, normal, sure)


def relief(
    regions: Regions, camera: Camera, planes: Planes, roles: list[str], distance: np.ndarray, sky: int
) -> np.ndarray:
    """Distances (R,) m of the planes with what custom sets before and behind the walls."""
    out = distance.copy()
    floor = front_foot(regions, sky) - OFF_THE_GROUND * camera.matrix[1, 1]
    porch, behind, fore = _porch(regions, roles), _backdrop(regions, roles), _foreground(regions, camera, roles, sky)
    for region in np.flatnonzero(regions.area > 0):
        if planes.kind[region] == SLOPE:
            # The roof's plane runs through its eave, which hangs before the wall.
            eave = (camera.matrix[1, 2] - regions.box[region, 3]) / camera.matrix[1, 1]
            normal = planes.normal[region]
            out[region] = -normal[1] * (distance[region] - OVERHANG) - normal[2] * eave
            continue
        before = RELIEF.get(roles[region], 0.0)
        if region in behind:
            before = -BACKDROP
        elif region in porch:
            before = PORCH
        elif region in fore:
            before = max(before, FOREGROUND)
        elif roles[region] == "railing" and regions.box[region, 3] > floor:
            before = GROUNDED
        out[region] -= before
    return out


def _foreground(regions: Regions, camera: Camera, roles: list[str], sky: int) -> set[int]:
    """What lies before the foot of the walls: terraces that run right across, and low walls that stand out beside them."""
    labels = regions.labels
    height, width = labels.shape
    # Earth that goes on to the foot of the picture is below all this.
    earthy = (regions.box[:, 3] >= height - 1) & (regions.box[:, 2] - regions.box[:, 0] > ACROSS * width)
    solid = (labels != sky) & (labels != 0) & ~earthy[labels]
    rows = np.flatnonzero(solid.any(axis=1))
    filled = np.flatnonzero(solid.mean(axis=1) > ACROSS)
    band = height
    if len(filled) and filled[-1] > rows[-1] - RAGGED * len(rows):
        breaks = np.flatnonzero(np.diff(filled) > 1)
        first = int(filled[breaks[-1] + 1] if len(breaks) else filled[0])
        if rows[-1] + 1 - first < MOST_BAND * len(rows):  # or else the building itself fills the picture
            band = first
    foot = min(band, front_foot(regions, sky))
    found = {int(region) for region in np.flatnonzero(regions.area > 0) if regions.box[region, 1] >= band - 4}
    found.update(earth(regions, sky))
    above, below, _ = regions.stacked
    low, slack = LOW_WALL * camera.matrix[1, 1], STANDS_OUT * camera.matrix[0, 0]
    for region in solid_regions(regions, sky):
        x0, y0, x1, y1 = regions.box[region]
        over = [r for r in above[below == region] if r != sky and roles[r] in ("wall", "glazing", "door")]
        if roles[region] in GROUND_WORK and y1 - y0 < min(low, x1 - x0) and y1 > foot - 4 and over:
            carried = regions.box[over]
            if x0 < carried[:, 0].min() - slack or x1 > carried[:, 2].max() + slack:
                found.add(int(region))
    return found


def _porch(regions: Regions, roles: list[str]) -> set[int]:
    """Columns that carry a slab or a low roof, and what they carry."""
    above, below, size = regions.stacked
    wide, tall = (regions.main_box[:, 2:] - regions.main_box[:, :2]).T
    found = set()
    for upper, lower, places in zip(above.tolist(), below.tolist(), size.tolist()):
        slim = roles[lower] in ("frame", "door", "other") and tall[lower] > SLIM_POST * wide[lower]
        if (roles[lower] == "column" or slim) and roles[upper] in ("slab", "roof") and places > 0.5 * wide[lower]:
            found |= {upper, lower}
    return found


def _backdrop(regions: Regions, roles: list[str]) -> set[int]:
    """Greenery and far ground that straight edges of what is built cut off beside and below it: it lies behind them."""
    import cv2

    labels = regions.labels
    green = np.array([role in GREENERY for role in roles])
    built = np.array([role not in (*GREENERY, "sky") for role in roles])[labels] & (labels > 0)
    found = set()
    for region in np.flatnonzero(green & (regions.area > BROAD * labels.size)).tolist():
        own = labels == region
        aside = (own[:, :-1] & built[:, 1:]) | (own[:, 1:] & built[:, :-1])
        over, under = own[:-1] & built[1:], own[1:] & built[:-1]
        beside, below = (
            cv2.morphologyEx(cut.astype(np.uint8), cv2.MORPH_OPEN, np.ones(size, np.uint8)).sum()
            for cut, size in ((aside, (STRAIGHT, 1)), (over, (1, STRAIGHT)))
        )
        met = aside.sum() + over.sum() + under.sum()
        # A hedge in its trough is cut off below only.
        if beside + below > CUT_OFF * met and beside > 0.5 * CUT_OFF * met:
            found.add(region)
    return found
