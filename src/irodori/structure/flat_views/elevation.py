"""Front elevations: drawn without depth, so depth comes from what each part is.

A parallel view square to a front shows no level surface and no slope's pitch. Walls lie in one plane; what usually lies
behind or before them (panes in their reveals, eaves, balconies) is set there by custom, so that it casts a shadow.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.pixels.borders import stacked_pairs
from irodori.structure.distance.scale import DOOR_HEIGHT
from irodori.structure.distance.solve import PARALLEL_DEPTH
from irodori.structure.planes.choose import CARD, SLOPE, UPRIGHT, Planes
from irodori.structure.regions.measure import Regions, under_sky

LEVEL = np.sin(np.radians(4.0))
"""Sine of how far the view of an elevation may seem to look up or down."""

FRONT = np.array([0.0, -1.0, 0.0])
SLANTED = np.array([0.0, -np.sqrt(0.5), np.sqrt(0.5)])
"""Normal of what looks like a roof, as long as nobody knows how high it rises."""

WINDOW_HEIGHT, WINDOW_SAID, FEWEST_WINDOWS = 1.45, "windows 1.45 m high, good to about 30 %", 3
"""m that windows are usually high, in words, and how many must be seen."""

WALL_AREA, OPENING = 0.01, (0.8, 6.0, 6.0)
"""Share of the picture from which a wall is looked at for openings; the share of its box that an opening fills, times
its width that it is high at most, and px that it is high at least."""

TALLEST_DOOR = 2.3
"""Times the usual window's height that a door is high at most."""

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
    foot = front_foot(regions, sky)
    matrix = camera.matrix.copy()
    matrix[1, 2] = foot - EYE_HEIGHT * matrix[1, 1]
    return replace(camera, matrix=matrix)


def customary_size(regions: Regions, sky: int) -> tuple[float, float, str] | None:
    """A height, px, that is known by custom, m and in words: that of doors, or else of windows; None when there are none.

    A door is higher than windows usually are, but seldom twice as high.
    """
    windows = _opening_heights(regions, sky)
    usual = float(np.median(windows)) if len(windows) >= FEWEST_WINDOWS else None
    doors = _door_heights(regions, sky)
    if usual is not None:
        doors = doors[(doors > usual) & (doors < TALLEST_DOOR * usual)]
    if len(doors):
        return float(np.median(doors)), DOOR_HEIGHT, f"doors {DOOR_HEIGHT:g} m high, good to about 10 %"
    return None if usual is None else (usual, WINDOW_HEIGHT, WINDOW_SAID)


def _door_heights(regions: Regions, sky: int) -> np.ndarray:
    """Heights, px, of what has the shape and the place of a door."""
    foot, solid = front_foot(regions, sky), solid_regions(regions, sky)
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
    for region in solid_regions(regions, sky):
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
    foot = front_foot(regions, sky)
    across = np.setdiff1d(np.flatnonzero(regions.area > 0), [0, sky, *solid_regions(regions, sky)])
    return [int(region) for region in across if regions.box[region, 1] > foot - 4]


def flat_distance(regions: Regions) -> np.ndarray:
    """All planes as far away as the front, (R,)."""
    return np.full(len(regions.area), PARALLEL_DEPTH)


def solid_regions(regions: Regions, sky: int) -> np.ndarray:
    """Regions of the building: neither the sky nor a ground drawn right across."""
    width = regions.labels.shape[1]
    across = regions.box[:, 2] - regions.box[:, 0] > 0.95 * width
    solid = (regions.area > 0) & ~across
    solid[[0, sky]] = False
    return np.flatnonzero(solid) if solid.any() else np.flatnonzero(regions.area > 0)


def front_foot(regions: Regions, sky: int) -> float:
    """The row, px, that the building stands on: where most of its lower edge is."""
    solid = solid_regions(regions, sky)
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
    solid = solid_regions(regions, sky)
    front = regions.box[solid]
    span = front[:, 2].max() - front[:, 0].min()
    foot = front_foot(regions, sky)
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
