"""Cylinders: drums, rings, round rooms, vaults and barrel roofs, told by the circles in which they end.

Where a cylinder meets a plane across its axis, their border is an arc of a circle on that plane. All of a region's outline must
be such arcs about one axis, or lines along it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.borders import border_pairs, by_pair
from irodori.structure.camera.line_directions import UP
from irodori.structure.curves.circles import FEWEST_PLACES, MOST_PLACES, ONE_SIDE, Slack, bends, find_circle, is_upright
from irodori.structure.planes.choose import CARD, LEVEL, SLOPE, UPRIGHT, Planes
from irodori.structure.regions.measure import Regions

DRAWN_OR_SHADED, BY_HAND = Slack(1.0, 3.0), Slack(2.2, 6.0)
"""What borders may stray, in captures 1280 px wide."""

EXPLAINED, BOWED, INSIDE = 0.85, 0.12, 0.9
"""Shares of a region's outline that are arcs about its axis or lines along it, and that are long arcs, and of its pixels that show the
cylinder."""

ALONG, BESIDE = 7.0, 1.5
"""px along a line to the next places of an outline, and how far beside it these lie."""

END, SHORTEST_END = 0.5, 10
"""Share of a border, and places of it, that make it a circle about a known axis."""

SAME_END = 0.05
"""Share by which two distances of one end differ at most."""

ABOUT = 0.08
"""Share of its width by which what stands on a cylinder is off its axis at most."""

FACING = 0.98
"""Cosine between the axis and the normal of a plane across it."""

SURE = 0.7


@dataclass(frozen=True, eq=False)
class Cylinder:
    """A cylinder seen by an eye at the origin, in its own radii.

    `axis` (3,) is a unit way of the world, `across` (2, 3) what makes positions two at right angles to it, the second squeezed
    so that an ellipse is a circle, `centre` (2,) where the axis passes along these. Of what is `hollow` the inside is seen.
    `facing` (3,) is the unit normal of its middle, towards the eye. `ends` are the regions that lie across the axis and meet
    it, with how far away they are; `tops` what shows above its rim, and stands about its axis.
    """

    axis: np.ndarray
    across: np.ndarray
    centre: np.ndarray
    hollow: bool
    facing: np.ndarray
    ends: dict[int, float]
    tops: tuple[int, ...] = ()

    @property
    def upright(self) -> bool:
        """Whether it stands, as columns do."""
        return is_upright(self.axis)

    @property
    def distance(self) -> float:
        """How far away, in radii, the plane is that touches it in its middle."""
        size = (self.across**2).sum(axis=1)
        out = self.across @ self.facing / size * (-1 if self.hollow else 1)
        out /= np.linalg.norm(out)
        return float(-self.facing @ ((self.centre + out) / size @ self.across))

    def hit(self, rays: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """How far along rays (N, 3), in radii, it is met; unit normals (N, 3) there, towards the eye; whether it is met, (N,)."""
        flat = rays @ self.across.T
        size = np.maximum((flat * flat).sum(axis=1), 1e-12)
        middle = flat @ self.centre
        inside = middle * middle - size * (self.centre @ self.centre - 1)
        away = (middle + np.sqrt(np.maximum(inside, 0.0)) * (1 if self.hollow else -1)) / size
        normal = (flat * away[:, None] - self.centre) @ self.across * (-1 if self.hollow else 1)
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-9)[:, None]
        return away, normal, (inside >= 0) & (away > 0)


def find_cylinders(
    regions: Regions, camera: Camera, planes: Planes, ways: np.ndarray, *, sky: int, leave: Collection[int], balls: Collection[int],
    by_hand: bool,
) -> dict[int, Cylinder]:  # fmt: skip
    """Cylinders by region.

    Parameters
    ----------
    ways
        (K, 3) unit directions of the world that lines run along; cylinders stand up or lie along those that are level.
    leave
        Regions that are none (planting).
    balls
        Regions that are none and no flat ends either, but may stand on one.
    """
    if camera.projection != "perspective":
        return {}
    unit = max(camera.size[0] / 1280, 1.0)
    off, bent = BY_HAND if by_hand else DRAWN_OR_SHADED
    picture = _Picture(
        regions, camera, _outlines(regions.labels), {0, sky, *leave}, set(balls), Slack(off * unit, bent * unit)
    )
    found: dict[int, tuple[float, Cylinder]] = {}
    axes = [UP, *(way for way in ways if abs(way[2]) < 0.02)]
    for pair, place in picture.outlines.items():
        if len(place) < FEWEST_PLACES:
            continue
        place = place[:: -(-len(place) // MOST_PLACES)]
        if not bends(place, picture.slack):
            continue
        for axis in axes:
            seen = find_circle(place, axis, camera, picture.slack)
            for region in set(pair) - picture.leave - picture.balls if seen else ():
                told = picture.check(region, Cylinder(axis, *seen, np.zeros(3), {}), planes)
                if told is not None and told[0] > found.get(region, (0.0,))[0]:
                    found[region] = told
    out = _settled(found)
    # What one ends in is told by that, and tells where others end; and something before one may part it.
    planes = with_cylinders(planes, out)
    known = list(out.values())
    ends = {end for cylinder in known for end in cylinder.ends}
    beside = (
        {region for pair in picture.outlines if ends & set(pair) for region in pair}
        - ends
        - picture.leave
        - picture.balls
    )
    again: dict[int, tuple[float, Cylinder]] = {}
    for region in beside | set(out):
        for cylinder in [out[region]] if region in out else known:
            told = picture.check(region, cylinder, planes)
            if told is None or told[0] <= again.get(region, (0.0,))[0]:
                continue
            if region in out or _shares_end(told[1], cylinder):
                again[region] = told
    return _settled(again)


@dataclass(frozen=True, eq=False)
class _Picture:
    """The regions of a picture, its camera, the `outlines` between pairs of regions, which regions are neither cylinders nor what ends
    them, which are `balls`, and by how much borders may stray."""

    regions: Regions
    camera: Camera
    outlines: dict[tuple[int, int], np.ndarray]
    leave: set[int]
    balls: set[int]
    slack: Slack

    def check(self, region: int, cylinder: Cylinder, planes: Planes) -> tuple[float, Cylinder] | None:
        """How much of a region's outline a cylinder explains, and the cylinder with its ends; None where it does not fit."""
        from scipy.spatial import cKDTree

        rays = self.camera.rays(*self.regions.pixels[region].T)[1].astype(float)
        away, normals, met = cylinder.hit(rays)
        if met.mean() < INSIDE:
            return None
        heights = away[met] * (rays[met] @ cylinder.axis)
        own = {pair: place for pair, place in self.outlines.items() if region in pair}
        all_places = np.concatenate(list(own.values()))
        tree = cKDTree(all_places)
        explained, bowed, ends, tops = 0, 0, {}, []
        for pair, place in own.items():
            level, on_it, follows = self._lies(place, cylinder, tree)
            explained += np.count_nonzero(on_it | follows)
            other = pair[0] + pair[1] - region
            arcs = on_it & ~follows
            if arcs.sum() >= max(FEWEST_PLACES, END * len(place)):
                bowed += arcs.sum()
            if arcs.sum() < max(SHORTEST_END, END * len(place)) or other in self.leave:
                continue
            past = np.mean(np.sign(level) * (heights - level) > 0)
            if ONE_SIDE > past > 1 - ONE_SIDE:
                continue
            beyond = past > 0.5
            fits = abs(planes.normal[other] @ cylinder.axis) > FACING and planes.kind[other] in (LEVEL, UPRIGHT)
            if other not in self.balls and (fits or beyond != cylinder.hollow):
                ends[other] = level
            elif cylinder.upright and not cylinder.hollow and level > 0 and self._stands_about(other, cylinder, level):
                tops.append(other)
        share = explained / len(all_places)
        facing = normals[met].mean(axis=0)
        facing -= (facing @ cylinder.axis) * cylinder.axis
        facing /= max(np.linalg.norm(facing), 1e-9)
        out = Cylinder(cylinder.axis, cylinder.across, cylinder.centre, cylinder.hollow, facing, ends, tuple(tops))
        told = share >= EXPLAINED and bowed >= BOWED * len(all_places) and out.distance > 0.02
        return (share, out) if told else None

    def _lies(self, place: np.ndarray, cylinder: Cylinder, outline) -> tuple[float, np.ndarray, np.ndarray]:
        """How far along a cylinder's axis a border, at places (n, 2) px, mostly is, which of its places lie on a circle there, and
        which on lines along the axis that are part of an `outline`, a tree of places."""
        rays = self.camera.rays(*place.T)[1].astype(float)
        away, _, met = cylinder.hit(rays)
        points, at = rays * away[:, None], away * (rays @ cylinder.axis)
        level = float(np.median(at[met])) if met.any() else 0.0
        moved = points + (level - at)[:, None] * cylinder.axis
        on_it = met & (np.linalg.norm(self._shown(moved) - place, axis=1) < 2 * self.slack.off)
        ways = self._shown(points + 0.02 * cylinder.axis) - place
        ways *= ALONG / np.maximum(np.linalg.norm(ways, axis=1), 1e-9)[:, None]
        follows = [outline.query(place + sign * ways)[0] < BESIDE * self.slack.off for sign in (-1, 1)]
        return level, on_it, follows[0] | follows[1]

    def _shown(self, points: np.ndarray) -> np.ndarray:
        """Where points (n, 3) about the eye show, px."""
        return self.camera.project(points + self.camera.position)[0]

    def _stands_about(self, region: int, cylinder: Cylinder, level: float) -> bool:
        """Whether a region lies to both sides of where a cylinder's axis is at some level."""
        middle = cylinder.centre @ cylinder.across + level * cylinder.axis
        x = self._shown(middle[None])[0, 0]
        x0, x1 = self.regions.box[region, ::2]
        return abs((x0 + x1) / 2 - x) < ABOUT * (x1 - x0)


def _shares_end(one: Cylinder, other: Cylinder) -> bool:
    return any(end in other.ends and abs(at / other.ends[end] - 1) < SAME_END for end, at in one.ends.items())


def _settled(found: dict[int, tuple[float, Cylinder]]) -> dict[int, Cylinder]:
    """Those of cylinders, with how well each is told, in which none better told ends."""
    out: dict[int, Cylinder] = {}
    for region in sorted(found, key=lambda region: -found[region][0]):
        if not any(region in other.ends for other in out.values()):
            cylinder = found[region][1]
            out[region] = replace(cylinder, ends={end: at for end, at in cylinder.ends.items() if end not in out})
    ends = {end for cylinder in out.values() for end in cylinder.ends}
    return {
        region: replace(cylinder, tops=tuple(top for top in cylinder.tops if top not in out and top not in ends))
        for region, cylinder in out.items()
    }


def with_cylinders(planes: Planes, cylinders: dict[int, Cylinder]) -> Planes:
    """Planes that touch cylinders in their middles, and what these end in across their axes."""
    kind, normal, sure = planes.kind.copy(), planes.normal.copy(), planes.sure.copy()
    for region, cylinder in cylinders.items():
        up = abs(cylinder.facing[2])
        kind[region] = UPRIGHT if cylinder.upright else LEVEL if up > 0.95 else SLOPE if up > 0.1 else UPRIGHT
        normal[region], sure[region] = cylinder.facing, SURE
        for end, at in cylinder.ends.items():
            kind[end] = LEVEL if cylinder.upright else UPRIGHT
            normal[end] = -np.sign(at) * cylinder.axis
            sure[end] = max(sure[end], SURE)
        for top in cylinder.tops:
            kind[top], normal[top] = CARD, -cylinder.centre @ cylinder.across / np.linalg.norm(cylinder.centre)
    return Planes(kind, normal, sure)


def cylinder_votes(cylinders: dict[int, Cylinder]) -> Iterator[tuple[int, int, float]]:
    """Each cylinder, a region in which it ends, or that stands on it, and the logarithm of the ratio of their distances."""
    for region, cylinder in cylinders.items():
        for end, at in cylinder.ends.items():
            yield region, end, float(np.log(cylinder.distance / abs(at)))
        for top in cylinder.tops:
            yield region, top, float(np.log(cylinder.distance / np.linalg.norm(cylinder.centre)))


def _outlines(labels: np.ndarray) -> dict[tuple[int, int], np.ndarray]:
    """Places (n, 2) px where each pair of regions meets, the lower number first."""
    low, high, place, _ = border_pairs(labels)
    return {(i, j): place[own] for i, j, own in by_pair(low, high)}
