"""Where two planes meet in the picture, and what the run of their border tells: which of them ends there and hides the other,
stands on it, or folds down from it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.borders import border_pairs, by_pair
from irodori.structure.curves.cylinders import Cylinder
from irodori.structure.planes.choose import CARD, LEVEL
from irodori.structure.regions.measure import Regions

SHORTEST_EDGE, STRAIGHT = 12, 1.6
"""px of border that tell an owner, and px that a straight one wavers."""

ROUND_A_CORNER, CONVEX = (9.0, 20.0), 0.42
"""px about a border's end where one looks for a corner, and the share of a circle that both its faces take at most: half of
it where something stands before both."""

NARROWER, WIDER = 0.6, 2.0
"""Times its width that what a card stands on is wide at most: a trunk; another card."""


@dataclass(frozen=True, eq=False)
class Border:
    """Places where regions `first` < `second` meet: `place` (n, 2) px; whether the first lies right above (1) or below (−1)
    there, `steps` (n,); what each place says of q_first − q_second, `ratio` (n,); its `spread`, and how much is usual, `give`;
    `stacked` 1 where the first lies above all along, −1 below; `owner` the one that ends there and hides the other, or −1."""

    first: int
    second: int
    place: np.ndarray
    steps: np.ndarray
    ratio: np.ndarray
    spread: float
    give: float
    stacked: float
    owner: int

    @property
    def both_ways(self) -> tuple[tuple[int, int, float], tuple[int, int, float]]:
        """Either region, the other, and how far the first of these lies above along the border, −1 … 1."""
        return (self.first, self.second, self.stacked), (self.second, self.first, -self.stacked)

    @property
    def downwards(self) -> tuple[int, int]:
        """The region that lies above along most of the border, and the other."""
        return (self.first, self.second) if self.stacked > 0 else (self.second, self.first)


def measure_borders(
    regions: Regions, camera: Camera, normals: np.ndarray, sky: int, cylinders: Mapping[int, Cylinder] | None = None
) -> list[Border]:
    """All borders between regions on planes of some `normals` (R, 3), or on cylinders, but for those with the sky.

    q is the logarithm of a plane's distance; in parallel projection its depth, m, at the principal point.
    """
    low, high, place, stacked = border_pairs(regions.labels)
    origins, rays = (a.astype(float) for a in camera.rays(place[:, 0], place[:, 1]))
    origins -= camera.position
    cos_low, cos_high = -(normals[low] * rays).sum(1), -(normals[high] * rays).sum(1)
    for region, cylinder in (cylinders or {}).items():
        # As far away as the plane would be of which that is the cosine.
        for side, cosine in ((low, cos_low), (high, cos_high)):
            own = side == region
            cosine[own] = cylinder.distance / np.maximum(cylinder.hit(rays[own])[0], 1e-9)
    good = (low != sky) & (high != sky) & (low > 0) & (cos_low > 1e-4) & (cos_high > 1e-4)
    low, high, place, stacked, origins, rays, cos_low, cos_high = (
        a[good] for a in (low, high, place, stacked, origins, rays, cos_low, cos_high)
    )
    parallel = camera.projection == "parallel"
    if parallel:
        rise_low, rise_high = ((normals[r] * origins).sum(1) for r in (low, high))
        ratio, give = rise_high / cos_high - rise_low / cos_low, 0.01 * camera.size[0] / camera.focal
    else:
        ratio, give = np.log(cos_low / cos_high), 0.04
    out = []
    for i, j, own in by_pair(low, high):
        spread = spread_of(ratio[own])
        owner = -1
        if not parallel and spread > 0.5 * give and len(own) >= SHORTEST_EDGE:
            owner = _owner(place[own], rays[own], cos_low[own], cos_high[own])
        owner = (i, j)[owner] if owner >= 0 else -1
        out.append(
            Border(i, j, place[own], stacked[own], ratio[own], spread, give, float(np.mean(stacked[own])), owner)
        )
    return out


def way_of(place: np.ndarray) -> np.ndarray | None:
    """The unit direction (2,) of a straight border; None where it bends."""
    _, size, way = np.linalg.svd(place - place.mean(axis=0), full_matrices=False)
    return way[0] if size[1] / np.sqrt(len(place)) <= STRAIGHT else None


def ends_of(place: np.ndarray, way: np.ndarray) -> tuple[int, int]:
    """Which of some places (N, 2) lie first and last along a way (2,)."""
    along = (place - place.mean(axis=0)) @ way
    return int(along.argmin()), int(along.argmax())


def _owner(place: np.ndarray, rays: np.ndarray, cos_first: np.ndarray, cos_second: np.ndarray) -> int:
    """0 or 1: on which of two planes alone a straight border runs along an axis of the world; −1 if on none or both."""
    way = way_of(place)
    if way is None:
        return -1
    a, b = ends_of(place, way)
    runs = []
    for cosine in (cos_first, cos_second):
        step = rays[b] / cosine[b] - rays[a] / cosine[a]
        runs.append(np.abs(step).max() > np.cos(np.radians(2.5)) * np.linalg.norm(step))
    return -1 if runs[0] == runs[1] else int(runs[1])


def spread_of(ratio: np.ndarray) -> float:
    """How far what places say is from what most say."""
    return float(np.median(np.abs(ratio - np.median(ratio))))


def level_up(region: int, kinds: np.ndarray, normals: np.ndarray) -> bool:
    """Whether a region is level and seen from above."""
    return bool(kinds[region] == LEVEL and normals[region, 2] > 0)


def stands(border: Border, regions: Regions, kinds: np.ndarray, normals: np.ndarray) -> int:
    """The region that stands on a level one below it, or a card on what is no wider (a crown on its trunk, a head), or −1."""
    if abs(border.stacked) <= 0.3:
        return -1
    upper, lower = border.downwards
    wide = (regions.box[[upper, lower], 2] - regions.box[[upper, lower], 0]).tolist()
    if kinds[upper] == CARD and wide[1] < (WIDER if kinds[lower] == CARD else NARROWER) * wide[0]:
        return upper
    return upper if kinds[upper] != LEVEL and level_up(lower, kinds, normals) else -1


def hangs(border: Border, kinds: np.ndarray, normals: np.ndarray) -> bool:
    """Whether a level region lies above an upright one: its near edge, or a soffit's far one."""
    upper, lower = border.downwards
    return abs(border.stacked) > 0.3 and kinds[upper] == LEVEL != kinds[lower] and normals[lower, 2] > -0.5


def ends_in_corner(border: Border, labels: np.ndarray) -> bool:
    """Whether both regions end together where their border ends, in a convex corner.

    What is hidden goes on beside what hides it; where something stands before both, they end along one line.
    """
    height, width = labels.shape
    way = np.linalg.svd(border.place - border.place.mean(axis=0), full_matrices=False)[2][0]
    angle = np.linspace(0, 2 * np.pi, 72, endpoint=False)
    circle = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    for end in border.place[list(ends_of(border.place, way))]:
        for radius in ROUND_A_CORNER:
            x, y = np.floor(end + radius * circle).astype(int).T
            if x.min() < 0 or y.min() < 0 or x.max() >= width or y.max() >= height:
                continue
            share = [(labels[y, x] == region).mean() for region in (border.first, border.second)]
            if min(share) > 0 and sum(share) < CONVEX:
                return True
    return False
