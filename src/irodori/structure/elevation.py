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
PITCH = np.array([0.0, -np.sqrt(0.5), np.sqrt(0.5)])
"""Normal of a roof whose pitch cannot be seen: half way between what would not show and a wall."""

RELIEF = {
    "glazing": -0.12, "door": -0.1, "frame": -0.07, "curtain": -0.2, "slab": 0.6, "stair": 0.6, "railing": 0.6,
    "furniture": 0.8, "planting": 1.5, "column": 0.15, "lamp": 0.3,
}  # fmt: skip
"""m before the walls that parts of these roles usually are."""

OVERHANG = 0.45
"""m that eaves hang before the wall."""

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
    kind[roofs], normal[roofs], sure[roofs] = SLOPE, PITCH, 0.4
    kind[cards], normal[cards] = CARD, FRONT
    normal[[0, sky]] = 0
    return Planes(kind, normal, sure)


def on_the_ground(camera: Camera, regions: Regions, sky: int) -> Camera:
    """The camera so shifted that its eye is 1.6 m over the foot of the front."""
    foot = _foot(regions, sky)
    matrix = camera.matrix.copy()
    matrix[1, 2] = foot - EYE_HEIGHT * matrix[1, 1]
    return replace(camera, matrix=matrix)


def door_height(regions: Regions, sky: int) -> tuple[float, float, str] | None:
    """The median height of what has the shape and the place of a door, px, m and in words; None when there is none."""
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
    if not len(door):
        return None
    return float(np.median(high[door])), DOOR_HEIGHT, f"doors {DOOR_HEIGHT:g} m high, good to about 10 %"


def earth(regions: Regions, sky: int) -> list[int]:
    """Regions under the foot of the front that run right across: the ground, cut through."""
    foot = _foot(regions, sky)
    across = np.setdiff1d(np.flatnonzero(regions.area > 0), [0, sky, *_solid(regions, sky)])
    return [int(region) for region in across if regions.box[region, 1] > foot - 4]


def relief(regions: Regions, camera: Camera, planes: Planes, roles: list[str], distance: np.ndarray) -> np.ndarray:
    """Distances (R,) m of the planes with what custom sets before and behind the walls."""
    out = distance.copy()
    for region in np.flatnonzero(regions.area > 0):
        if planes.kind[region] != SLOPE:
            out[region] -= RELIEF.get(roles[region], 0.0)
            continue
        # The roof's plane runs through its eave, which hangs before the wall.
        eave = (camera.matrix[1, 2] - regions.box[region, 3]) / camera.matrix[1, 1]
        normal = planes.normal[region]
        out[region] = -normal[1] * (distance[region] - OVERHANG) - normal[2] * eave
    return out


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
