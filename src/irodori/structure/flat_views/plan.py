"""Plans: drawn from straight above, cut through the walls; what each part is tells how high it stands."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.borders import border_pairs
from irodori.structure.camera.line_directions import UP
from irodori.structure.planes.choose import LEVEL, Planes
from irodori.structure.regions.measure import Regions

LONG, THINNEST, THICKEST = 4.0, 0.005, 0.07
"""How many times longer than thick a wall is, and the thickness of outer ones as shares of the building's extent."""

CLOSED, EITHER_WAY = 0.6, 0.15
"""Share of the building's outline that walls and windows make, and that of walls across and up the page at least."""

ROUND = 0.5
"""Share of the picture's rim at which there is nothing but what lies outside."""

EVEN, ALIKE = 0.45, 2.0
"""Share of the outline that walls of one thickness make, and by what factor these may differ."""

MASSIVE = 0.35
"""Share of the building's area that walls cut through take at most."""

WINDOW = 0.6
"""Share of an outer wall's thickness below which a strip at the outline is a window's."""

ROOM = 0.02
"""Share of the building's area from which what walls enclose is a floor, not a thing that stands there."""

OUTER_WALL = 0.30
"""m that outer walls are thick where nothing else tells the scale."""

OUTER_WALL_SAID = f"outer walls {OUTER_WALL:g} m thick, good to about a third"

HEIGHT = {"wall": 1.2, "column": 1.2, "glazing": 0.95, "furniture": 0.6, "planting": 1.0, "stair": 0.4, "floor": 0.02}
"""m over the ground at which parts of these roles are cut or end."""


@dataclass(frozen=True, eq=False)
class Plan:
    """`walls`, `windows`: regions of the cut; `outside`: what reaches the picture's rim; `thickness` of outer walls, px."""

    walls: np.ndarray
    windows: np.ndarray
    outside: np.ndarray
    thickness: float


def find_plan(regions: Regions, *, sure: bool = False) -> Plan | None:
    """The walls and windows of a plan, or None when a drawing seen square on does not look like one.

    `sure`: it is one, whatever it looks like.

    A plan's outline is all walls: long strips of much the same thickness, across the page and up it, and what lies
    outside reaches round it. An elevation stands on a ground that runs right across.
    """
    labels = regions.labels
    height, width = labels.shape
    rim, met = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]), return_counts=True)
    if met.max() < ROUND * met.sum() and not sure:
        return None
    outside = np.zeros(len(regions.area), bool)
    outside[rim] = True
    across = regions.box[rim, 2] - regions.box[rim, 0] >= width - 2
    if (across & (regions.box[rim, 1] > 2) & (regions.box[rim, 3] >= height - 2)).any() and not sure:
        return None
    inside = (regions.area > 0) & ~outside
    if not inside.any():
        return None
    x0, y0 = regions.box[inside, :2].min(axis=0)
    x1, y1 = regions.box[inside, 2:].max(axis=0)
    thick = _thickness(labels, len(regions.area))
    extent = max(x1 - x0, y1 - y0)
    strip = inside & (regions.area >= LONG * thick**2) & (thick < THICKEST * extent)
    met, upright, low, high = _met_outside(labels, outside)
    along = (
        np.bincount(met[upright], minlength=len(strip)) * strip,
        np.bincount(met[~upright], minlength=len(strip)) * strip,
    )
    total = np.count_nonzero(inside[met])
    walled = total > 0 and sum(a.sum() for a in along) >= CLOSED * total
    if not sure and not (walled and min(a.sum() for a in along) >= EITHER_WAY * total):
        return None
    outer = np.flatnonzero(along[0] + along[1] if walled else strip)
    if not len(outer):
        return None
    order = outer[np.argsort(thick[outer])]
    weight = np.cumsum(regions.area[order])
    typical = float(thick[order][np.searchsorted(weight, weight[-1] / 2)])
    even = (thick > typical / ALIKE) & (thick < typical * ALIKE)
    if not sure and (typical < THINNEST * extent or sum(a[even].sum() for a in along) < EVEN * total):
        return None
    if not sure and regions.area[strip].sum() > MASSIVE * regions.area[inside].sum():
        return None
    windows = np.zeros_like(strip)
    for _ in range(2):  # the strips at the outline, then those behind them
        windows |= strip & _beside(outside | windows, low, high) & (thick < WINDOW * typical)
    return Plan(
        np.flatnonzero(strip & ~windows), np.flatnonzero(windows), np.flatnonzero(outside & (regions.area > 0)), typical
    )


def from_above(camera: Camera) -> Camera:
    """The same camera, straight down with north up the page."""
    return replace(camera, projection="parallel", rotation=np.array([[1.0, 0, 0], [0, -1.0, 0], [0, 0, -1.0]]))


def level_planes(regions: Regions) -> Planes:
    """Level planes that face the viewer for all regions."""
    count = len(regions.area)
    normal = np.tile(UP, (count, 1))
    normal[0] = 0
    return Planes(np.full(count, LEVEL), normal, np.full(count, 0.6))


def plan_roles(regions: Regions, plan: Plan) -> tuple[list[str], np.ndarray]:
    """What each region (R,) is, and how sure that is."""
    roles = ["floor"] * len(regions.area)
    inside = np.ones(len(roles), bool)
    inside[plan.outside] = False
    built = regions.area[inside].sum()
    low, high, _, _ = border_pairs(regions.labels)
    edge = np.zeros(len(roles), bool)
    edge[[*plan.walls, *plan.windows]] = True
    walled, threshold = _beside(edge, low, high), _beside(~inside, low, high)
    for region in np.flatnonzero(inside & (regions.area > 0) & ~threshold):
        if not walled[region] and regions.area[region] < 0.5 * built:
            roles[region] = "furniture"
        elif regions.area[region] < ROOM * built:
            roles[region] = "furniture" if regions.area[region] > plan.thickness**2 else "floor"
    for region in plan.walls:
        roles[region] = "wall"
    for region in plan.windows:
        roles[region] = "glazing"
    page = int(plan.outside[regions.area[plan.outside].argmax()])
    for region in plan.outside:
        roles[region] = "ground" if region == page else "paving"
    return roles, np.full(len(roles), 0.7)


def plan_heights(roles: list[str]) -> np.ndarray:
    """m over the ground (R,) that custom gives to what plays these roles."""
    return np.array([HEIGHT.get(role, 0.0) for role in roles])


def _beside(chosen: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Which regions (R,) neighbour a chosen one, by the pairs of regions that meet."""
    beside = np.zeros_like(chosen)
    beside[low[chosen[high]]] = True
    beside[high[chosen[low]]] = True
    return beside


def _thickness(labels: np.ndarray, count: int) -> np.ndarray:
    """The diameter, px, of the largest circle within each region, (R,)."""
    import cv2

    inner = np.zeros(labels.shape, np.uint8)
    same = np.ones((labels.shape[0] - 2, labels.shape[1] - 2), bool)
    for dy, dx in ((0, 1), (2, 1), (1, 0), (1, 2)):
        same &= labels[dy : dy + same.shape[0], dx : dx + same.shape[1]] == labels[1:-1, 1:-1]
    inner[1:-1, 1:-1] = same
    away = cv2.distanceTransform(inner, cv2.DIST_L2, 5)
    most = np.zeros(count)
    np.maximum.at(most, labels.ravel(), away.ravel())
    return 2 * most + 1


def _met_outside(labels: np.ndarray, outside: np.ndarray):
    """For every piece of border with the outside: the region that meets it and whether the piece is upright; and all
    pairs of neighbours."""
    low, high, place, _ = border_pairs(labels)
    upright = place[:, 0] == np.floor(place[:, 0])
    out = outside[low] != outside[high]
    met = np.where(outside[low], high, low)
    return met[out], upright[out], low, high
