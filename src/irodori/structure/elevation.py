"""Front elevations: drawn without depth, so depth comes from what each part is.

A parallel view square to a front shows no level surface and no slope's pitch. Walls lie in one plane; what usually lies
behind or before them (panes in their reveals, eaves, balconies) is set there by custom, so that it casts a shadow.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.borders import stacked_pairs
from irodori.core.camera import Camera
from irodori.structure.offsets import PARALLEL_DEPTH
from irodori.structure.orientation import CARD, SLOPE, UPRIGHT, Planes
from irodori.structure.regions import Regions, under_sky
from irodori.structure.scale import DOOR_HEIGHT, EYE_HEIGHT

LEVEL = np.sin(np.radians(4.0))
"""Sine of how far the view of an elevation may seem to look up or down."""

FRONT = np.array([0.0, -1.0, 0.0])
SLANTED = np.array([0.0, -np.sqrt(0.5), np.sqrt(0.5)])
"""Normal of what looks like a roof, as long as nobody knows how high it rises."""

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

CUT_OFF, STRAIGHT = 0.7, 16
"""Share of a border that walls make by straight edges, from which they hide what is beside them; and px that such an edge is
long at least."""

WINDOW_HEIGHT, WINDOW_SAID, FEWEST_WINDOWS = 1.45, "windows 1.45 m high, good to about 30 %", 3
"""m that windows are usually high, in words, and how many must be seen."""

WALL_AREA, OPENING = 0.01, (0.8, 6.0, 6.0)
"""Share of the picture from which a wall is looked at for openings; the share of its box that an opening fills, times
its width that it is high at most, and px that it is high at least."""

DOOR_SHAPE, WIDEST_DOOR, OFF_GROUND = (1.6, 2.8), 0.25, 0.02
"""Height over width of a door; its width, and its foot's distance from the ground, at most, of the front's width."""

CARRIED, OPEN, LEAST_RIDGE = 0.6, 0.6, 0.25
"""Of a roof's width, the share that something lies under, the share under the sky, and that of its ridge."""


def is_elevation(camera: Camera) -> bool:
    """Whether a camera looks at a front, level and without perspective.

    Where it heads cannot be seen: all level lines are level in the picture. A front that is not square is next to none.
    """
    return camera.projection == "parallel" and abs(camera.rotation[2, 2]) < LEVEL


def squarely(camera: Camera) -> Camera:
    """The same camera, square to the front."""
    return replace(camera, rotation=np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]]))


def front_planes(regions: Regions, sky: int, cards: list[int]) -> Planes:
    """Upright planes that face the viewer for all regions, but for roofs."""
    count = len(regions.area)
    kind, normal, sure = np.full(count, UPRIGHT), np.tile(FRONT, (count, 1)), np.full(count, 0.6)
    roofs = _roofs(regions, sky)
    kind[roofs], normal[roofs], sure[roofs] = SLOPE, SLANTED, 0.4
    kind[cards], normal[cards] = CARD, FRONT
    normal[[0, sky]] = 0
    return Planes(kind, normal, sure)


def on_the_ground(camera: Camera, regions: Regions, sky: int) -> Camera:
    """The camera so shifted that its eye is 1.6 m over the foot of the front."""
    foot = _foot(regions, sky)
    matrix = camera.matrix.copy()
    matrix[1, 2] = foot - EYE_HEIGHT * matrix[1, 1]
    return replace(camera, matrix=matrix)


def customary_size(regions: Regions, sky: int) -> tuple[float, float, str] | None:
    """A height, px, that is known by custom, m and in words: that of doors, or else of windows; None when there are none.

    A door is no lower than windows are, and no more than half as high again as a tall one.
    """
    windows = _opening_heights(regions, sky)
    usual = float(np.median(windows)) if len(windows) >= FEWEST_WINDOWS else None
    doors = _door_heights(regions, sky)
    if usual is not None:
        doors = doors[(doors > usual) & (doors < 2.3 * usual)]
    if len(doors):
        return float(np.median(doors)), DOOR_HEIGHT, f"doors {DOOR_HEIGHT:g} m high, good to about 10 %"
    return None if usual is None else (usual, WINDOW_HEIGHT, WINDOW_SAID)


def _door_heights(regions: Regions, sky: int) -> np.ndarray:
    """Heights, px, of what has the shape and the place of a door."""
    foot, solid = _foot(regions, sky), _solid(regions, sky)
    box = regions.main_box
    wide, high = (box[:, 2:] - box[:, :2]).T
    front = regions.box[solid, 2].max() - regions.box[solid, 0].min()
    full = regions.area > 0.8 * wide * high
    shape = high / np.maximum(wide, 1)
    door = solid[
        full[solid] & (shape[solid] > DOOR_SHAPE[0]) & (shape[solid] < DOOR_SHAPE[1]) & (wide[solid] < WIDEST_DOOR * front)
        & (wide[solid] > 6) & (np.abs(box[solid, 3] - foot) < OFF_GROUND * front)
    ]  # fmt: skip
    return high[door]


def _opening_heights(regions: Regions, sky: int) -> np.ndarray:
    """Heights, px, of all rectangular openings that large walls have."""
    from scipy import ndimage

    least_full, highest, least = OPENING
    found = []
    for region in _solid(regions, sky):
        if regions.area[region] < WALL_AREA * regions.labels.size:
            continue
        x0, y0, x1, y1 = regions.box[region].astype(int)
        mask = regions.labels[y0:y1, x0:x1] == region
        holes, _ = ndimage.label(ndimage.binary_fill_holes(mask) & ~mask)
        size = np.bincount(holes.ravel())
        for number, (rows, columns) in enumerate(ndimage.find_objects(holes), 1):
            high, wide = rows.stop - rows.start, columns.stop - columns.start
            if high >= least and high < highest * wide and size[number] > least_full * high * wide:
                found.append(high)
    return np.array(found, float)


def earth(regions: Regions, sky: int) -> list[int]:
    """Regions under the foot of the front that run right across: the ground, cut through."""
    foot = _foot(regions, sky)
    across = np.setdiff1d(np.flatnonzero(regions.area > 0), [0, sky, *_solid(regions, sky)])
    return [int(region) for region in across if regions.box[region, 1] > foot - 4]


def slope_roofs(planes: Planes, regions: Regions, camera: Camera, roles: list[str], sky: int) -> Planes:
    """The planes of a front, in which what is a roof slopes as steeply as houses' roofs that rise as high do."""
    kind, normal, sure = planes.kind.copy(), planes.normal.copy(), planes.sure.copy()
    lowest = _foot(regions, sky) - LOWEST_EAVE * camera.matrix[1, 1]
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
    floor = _foot(regions, sky) - OFF_THE_GROUND * camera.matrix[1, 1]
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
    foot = min(band, _foot(regions, sky))
    found = {int(region) for region in np.flatnonzero(regions.area > 0) if regions.box[region, 1] >= band - 4}
    found.update(earth(regions, sky))
    above, below, _ = regions.stacked
    low, slack = LOW_WALL * camera.matrix[1, 1], STANDS_OUT * camera.matrix[0, 0]
    for region in _solid(regions, sky):
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
    for region in np.flatnonzero(green & (regions.area > WALL_AREA * labels.size)).tolist():
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


def flat_distance(regions: Regions) -> np.ndarray:
    """All planes as far away as the front, (R,)."""
    return np.full(len(regions.area), PARALLEL_DEPTH)


def _solid(regions: Regions, sky: int) -> np.ndarray:
    """Regions of the building: neither the sky nor a ground drawn right across."""
    width = regions.labels.shape[1]
    across = regions.box[:, 2] - regions.box[:, 0] > 0.95 * width
    solid = (regions.area > 0) & ~across
    solid[[0, sky]] = False
    return np.flatnonzero(solid) if solid.any() else np.flatnonzero(regions.area > 0)


def _foot(regions: Regions, sky: int) -> float:
    """The row, px, that the building stands on: where most of its lower edge is."""
    solid = _solid(regions, sky)
    wide = regions.box[solid, 2] - regions.box[solid, 0]
    low = regions.box[solid, 3]
    broad = wide >= 0.2 * wide.max()
    return float(low[broad].max())


def _roofs(regions: Regions, sky: int) -> np.ndarray:
    """Regions that are roofs: broad, with the sky over them, something under them, and nothing in them."""
    from scipy import ndimage

    if not sky:
        return np.zeros(0, int)
    labels, count = regions.labels, len(regions.area)
    open_above = under_sky(regions, sky)
    upper, lower = stacked_pairs(labels)
    carried = (lower != sky) & (lower != 0)
    under = np.bincount(upper[carried], minlength=count)
    wide, tall = (regions.box[:, 2:] - regions.box[:, :2]).T
    solid = _solid(regions, sky)
    front = regions.box[solid]
    span = front[:, 2].max() - front[:, 0].min()
    foot = _foot(regions, sky)
    found = []
    for region in solid:
        x0, y0, x1, y1 = regions.box[region].astype(int)
        if wide[region] < 0.15 * span or tall[region] < 0.03 * span or y1 > foot - 0.1 * (foot - front[:, 1].min()):
            continue
        if open_above[region] < OPEN or under[region] < CARRIED * wide[region]:
            continue
        mask = labels[y0:y1, x0:x1] == region
        ridge = np.count_nonzero(mask[: max(len(mask) // 8, 1)].any(axis=0))
        enclosed = 1.0 - mask.sum() / max(ndimage.binary_fill_holes(mask).sum(), 1)
        if ridge >= LEAST_RIDGE * wide[region] and enclosed < 0.03:
            found.append(int(region))
    return np.array(found, int)
