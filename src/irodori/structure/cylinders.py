"""Cylinders: drums, rings, round rooms, vaults and barrel roofs, told by the circles in which they end.

Where a cylinder meets a plane across its axis, their border is an arc of a circle on that plane, which perspective shows as
an ellipse's. Seen on a plane of known facing, at unit distance, the arc tells where the cylinder's axis runs and how far away
both are in radii. All of a region's outline must then be such arcs about one axis, or lines along it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from irodori.core.borders import border_pairs
from irodori.core.camera import Camera
from irodori.structure.families import UP
from irodori.structure.orientation import CARD, LEVEL, SLOPE, UPRIGHT, Planes
from irodori.structure.regions import Regions

SHORTEST, MOST = 24, 240
"""Places of a border that tell a circle, at least and at most."""

OFF, OFF_BY_HAND = 1.0, 2.2
"""px that a border strays from its circle."""

BENT, BENT_BY_HAND = 3.0, 6.0
"""px by which an arc is off its chord at least."""

SMOOTH = 0.5
"""Times what two straight lines leave over that its circle may leave."""

LEAST_LEFT = 0.6
"""Times what a circle may be off that two lines leave over of one, at least."""

KEPT, ALL_KEPT, ARC = 0.6, 0.9, np.radians(25.0)
"""Shares of a border that lie on its circle and on its ellipse at least, and the part of the turn that the former spans."""

WIDE_ARC, SQUEEZED = np.radians(70.0), 4.0
"""The part of the turn from which an arc tells an ellipse, and the ratio of its axes at most."""

MORE, AMID = 1.1, 12
"""Times as many places of a border on an ellipse as on a circle that speak for it, and how many lie on an arc's middle half."""

TRIALS, FEW_TRIALS = 60, 24
"""Circles through three places each that are tried on a border, and how many where none of them takes half of what it must."""

EXPLAINED, BOWED, INSIDE, ONE_SIDE = 0.85, 0.12, 0.9, 0.9
"""Shares of a region's outline that are arcs about its axis or lines along it, and that are long arcs, of its pixels that show the
cylinder, and of an arc that lies on the near or on the far side of it."""

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

EDGE_ON = 0.02
"""Sine at which a plane across the axis is seen at least."""

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
        return bool(abs(self.axis[2]) > FACING)

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
    regions: Regions,
    camera: Camera,
    planes: Planes,
    ways: np.ndarray,
    *,
    sky: int,
    leave: Collection[int],
    by_hand: bool,
) -> dict[int, Cylinder]:
    """Cylinders by region.

    Parameters
    ----------
    ways
        (K, 3) unit directions of the world that lines run along; cylinders stand up or lie along those that are level.
    leave
        Regions that are none (planting).
    """
    if camera.projection != "perspective":
        return {}
    outlines = _outlines(regions.labels)
    found: dict[int, tuple[float, Cylinder]] = {}
    off, bent = (OFF_BY_HAND, BENT_BY_HAND) if by_hand else (OFF, BENT)
    axes = [UP, *(way for way in ways if abs(way[2]) < 0.02)]
    for pair, place in outlines.items():
        if len(place) < SHORTEST:
            continue
        place = place[:: -(-len(place) // MOST)]
        if not _bends(place, off, bent):
            continue
        for axis in axes:
            circle = _circle(place, axis, camera, off, bent)
            if circle is None:
                continue
            across, centre, hollow = circle
            for region in pair:
                if region in (0, sky) or region in leave:
                    continue
                cylinder = Cylinder(axis, across, centre, hollow, np.zeros(3), {})
                told = _check(region, cylinder, outlines, regions, camera, planes, sky, leave, off)
                if told is not None and told[0] > found.get(region, (0.0,))[0]:
                    found[region] = told
    out = _settled(found)
    # What one ends in is told by that, and tells where others end; and something before one may part it.
    planes = with_cylinders(planes, out)
    known = list(out.values())
    ends = {end for cylinder in known for end in cylinder.ends}
    beside = {region for pair in outlines if ends & set(pair) for region in pair} - ends - {0, sky, *leave}
    again = {}
    for region in beside | set(out):
        for cylinder in [out[region]] if region in out else known:
            told = _check(region, cylinder, outlines, regions, camera, planes, sky, leave, off)
            if told is None or told[0] <= again.get(region, (0.0,))[0]:
                continue
            if region in out or _shares_end(told[1], cylinder):
                again[region] = told
    return _settled(again)


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
    key = low.astype(np.int64) << 32 | high
    order = np.argsort(key, kind="stable")
    unique, starts = np.unique(key[order], return_index=True)
    return {
        (int(pair >> 32), int(pair & 0xFFFFFFFF)): place[own]
        for pair, own in zip(unique, np.split(order, starts[1:]))
    }  # fmt: skip


def _bends(place: np.ndarray, off: float, bent: float) -> bool:
    """Whether a border bends, and otherwise than at one corner."""
    around = place - place.mean(axis=0)
    around = around @ np.linalg.svd(around, full_matrices=False)[2].T
    along, aside = np.ptp(around, axis=0)
    return aside > bent and along > 8 * off and _two_lines(around) > LEAST_LEFT * off


def _circle(
    place: np.ndarray, axis: np.ndarray, camera: Camera, off: float, bent: float
) -> tuple[np.ndarray, np.ndarray, bool] | None:
    """Two ways across the axis, where along them, in radii, the middle of the circle lies that a border is part of on a plane across
    the axis, and whether its far side is seen; None where no circle fits."""
    rays = camera.rays(*place.T)[1].astype(float)
    rays /= np.linalg.norm(rays, axis=1)[:, None]
    to = rays @ axis
    side = np.sign(np.median(to))
    seen = side * to > EDGE_ON
    if seen.sum() < max(SHORTEST, KEPT * len(place)):
        return None
    place, rays, to = place[seen], rays[seen], to[seen]
    level = np.cross(axis, UP) if abs(axis[2]) < FACING else np.array([1.0, 0, 0])
    level /= np.linalg.norm(level)
    straight = np.stack([level, np.cross(axis, level)])
    plane = _Plane(
        rays @ straight.T / np.abs(to)[:, None], place,
        camera.matrix @ camera.rotation @ np.column_stack([*straight, side * axis]),
    )  # fmt: skip
    around = place - place.mean(axis=0)
    around = around @ np.linalg.svd(around, full_matrices=False)[2].T
    fits = []
    for squeezed in (False,) if abs(axis[2]) > FACING else (False, True):
        fitted = _fit(plane, squeezed, off, max(SHORTEST, (ALL_KEPT if squeezed else KEPT) * len(place)))
        if fitted is not None and fitted[0].is_arc(plane.flat[fitted[1]], WIDE_ARC if squeezed else ARC):
            fits.append(fitted)
    if len(fits) == 2 and fits[1][1].sum() > MORE * fits[0][1].sum():
        fits.reverse()
    for circle, near in fits:
        if np.ptp(around[near, 1]) < bent:
            continue
        if np.sqrt(np.mean(plane.misses(circle)[near] ** 2)) > SMOOTH * _two_lines(around[near]):
            continue
        at = circle.middle * [1.0, circle.squeeze] / circle.radius
        away = np.linalg.norm(at)
        hollow = away <= 1
        if not hollow:
            before = np.mean((circle.flattened(plane.flat[near]) / circle.radius) @ -at / away > 1 / away)
            if ONE_SIDE > before > 1 - ONE_SIDE:
                continue
            hollow = before < 0.5
        return straight * [[1.0], [circle.squeeze]], at, bool(hollow)
    return None


@dataclass(frozen=True, eq=False)
class _Plane:
    """Places (n, 2) px of a border and where they are on a plane at unit distance, `flat` (n, 2), with what takes these to the
    picture, homogeneous, (3, 3)."""

    flat: np.ndarray
    place: np.ndarray
    to_picture: np.ndarray

    def shown(self, flat: np.ndarray) -> np.ndarray:
        """Where places (n, 2) on the plane show, px."""
        x, y, w = self.to_picture @ np.vstack([flat.T, np.ones(len(flat))])
        return np.stack([x / w, y / w], axis=1)

    def misses(self, circle: Circle) -> np.ndarray:
        """How far each place is off a circle, (n,) px."""
        out = self.flat - circle.middle
        size = np.maximum(np.linalg.norm(circle.flattened(self.flat), axis=1), 1e-12)
        return np.linalg.norm(self.shown(circle.middle + out * (circle.radius / size)[:, None]) - self.place, axis=1)


@dataclass(frozen=True, eq=False)
class Circle:
    """A circle about `middle` (2,) after what lies along the second axis is made `squeeze` times as long."""

    middle: np.ndarray
    radius: float
    squeeze: float

    def flattened(self, flat: np.ndarray) -> np.ndarray:
        """Places (n, 2) from its middle, squeezed."""
        return (flat - self.middle) * [1.0, self.squeeze]

    def is_arc(self, flat: np.ndarray, least: float) -> bool:
        """Whether places (n, 2) on it take so much of the turn, radians, and lie all along it, not on both sides of a corner."""
        turn = np.sort(np.arctan2(*self.flattened(flat).T))
        gaps = np.diff(np.append(turn, turn[0] + 2 * np.pi))
        widest = int(gaps.argmax())
        span = 2 * np.pi - gaps[widest]
        along = (turn - turn[(widest + 1) % len(turn)]) % (2 * np.pi) / max(span, 1e-9)
        return span > least and np.count_nonzero(np.abs(along - 0.5) < 0.25) > AMID


def _fit(plane: _Plane, squeezed: bool, off: float, least: float) -> tuple[Circle, np.ndarray] | None:
    """The circle on which most places of a border lie to some px, and which these are, (n,) bool; None if they are too few."""
    flat = plane.flat
    rng = np.random.default_rng(len(flat))
    picks = rng.integers(len(flat), size=(TRIALS, 4 if squeezed else 3))
    middle, size = flat.mean(axis=0), np.abs(flat - flat.mean(axis=0)).max() + 1e-12
    x, y, radius, squeeze = _through_most(flat, plane.place, plane.to_picture, picks, middle, size, off, least / 2)
    if radius <= 0:
        return None
    circle = Circle(np.array([x, y]), radius, squeeze)
    for _ in range(4):
        near = plane.misses(circle) < off
        if near.sum() < least:
            return None
        out = flat[near] - circle.middle
        out *= 1e-4 / np.maximum(np.linalg.norm(out, axis=1), 1e-12)[:, None]
        scale = np.linalg.norm(plane.shown(flat[near] + out) - plane.shown(flat[near]), axis=1)
        x, y, radius, squeeze = _through(flat[near], scale, squeezed, middle, size)
        if radius <= 0:
            return None
        circle = Circle(np.array([x, y]), radius, squeeze)
    near = plane.misses(circle) < off
    return (circle, near) if near.sum() >= least else None


@njit(cache=True)
def _through(flat, weight, squeezed, middle, size):
    """Middle x, y, radius and squeeze of the circle, or ellipse along the axes, through places (n, 2), by weighted least squares
    (Kåsa, 1976), about a `middle` in units of some `size`; the radius is 0 where there is none."""
    count = 4 if squeezed else 3
    left, right = np.zeros((count, count)), np.zeros(count)
    row = np.ones(count)
    for i in range(len(flat)):
        x, y = (flat[i, 0] - middle[0]) / size, (flat[i, 1] - middle[1]) / size
        row[0], row[1] = x, y
        value = x * x
        if squeezed:
            row[3] = y * y
        else:
            value += y * y
        share = weight[i] * weight[i]
        for j in range(count):
            right[j] += share * row[j] * value
            for k in range(count):
                left[j, k] += share * row[j] * row[k]
    fit = _solved(left, right)
    if not np.isfinite(fit).all():
        return 0.0, 0.0, 0.0, 1.0
    square = -fit[3] if squeezed else 1.0
    if not SQUEEZED**-2 < square < SQUEEZED**2:
        return 0.0, 0.0, 0.0, 1.0
    x, y = fit[0] / 2, fit[1] / (2 * square)
    reach = fit[2] + x * x + square * y * y
    if reach <= 0:
        return 0.0, 0.0, 0.0, 1.0
    return middle[0] + size * x, middle[1] + size * y, size * np.sqrt(reach), np.sqrt(square)


@njit(cache=True)
def _solved(left, right):
    """What solves some few equations, by Gauss's elimination, in place; not finite where nothing does."""
    count = len(right)
    for i in range(count):
        first = i + np.argmax(np.abs(left[i:, i]))
        for k in range(count):
            left[i, k], left[first, k] = left[first, k], left[i, k]
        right[i], right[first] = right[first], right[i]
        for j in range(i + 1, count):
            share = left[j, i] / left[i, i] if left[i, i] != 0 else np.inf
            for k in range(count):
                left[j, k] -= share * left[i, k]
            right[j] -= share * right[i]
    for i in range(count - 1, -1, -1):
        for k in range(i + 1, count):
            right[i] -= left[i, k] * right[k]
        right[i] = right[i] / left[i, i] if left[i, i] != 0 else np.inf
    return right


@njit(cache=True)
def _through_most(flat, place, to_picture, picks, middle, size, off, least):
    """As `_through`, of the circle through one of the `picks` (T, 3 or 4) of places near which most places (n, 2) px lie."""
    best = (0.0, 0.0, 0.0, 1.0)
    most = 0
    weight = np.ones(picks.shape[1])
    for trial in range(len(picks)):
        if trial == FEW_TRIALS and most < least:
            break
        found = _through(flat[picks[trial]], weight, picks.shape[1] == 4, middle, size)
        x, y, radius, squeeze = found
        if radius <= 0:
            continue
        count = 0
        for i in range(len(flat)):
            u, v = flat[i, 0] - x, flat[i, 1] - y
            scale = radius / max(np.hypot(u, squeeze * v), 1e-12)
            u, v = x + u * scale, y + v * scale
            w = to_picture[2, 0] * u + to_picture[2, 1] * v + to_picture[2, 2]
            a = (to_picture[0, 0] * u + to_picture[0, 1] * v + to_picture[0, 2]) / w - place[i, 0]
            b = (to_picture[1, 0] * u + to_picture[1, 1] * v + to_picture[1, 2]) / w - place[i, 1]
            count += a * a + b * b < off * off
        if count > most:
            best, most = found, count
    return best


def _two_lines(around: np.ndarray) -> float:
    """What two straight lines, parted where they do best, leave over of places along and aside (n, 2), px."""
    x, y = around[np.argsort(around[:, 0])].T
    sums = np.cumsum([np.ones(len(x)), x, y, x * x, x * y, y * y], axis=1)
    at = np.arange(len(x) // 8, len(x) - len(x) // 8) - 1

    def left(n, x, y, xx, xy, yy):
        spread = np.maximum(xx - x * x / n, 1e-9)
        return np.maximum(yy - y * y / n - (xy - x * y / n) ** 2 / spread, 0.0)

    whole = left(*sums[:, at]) + left(*(sums[:, -1:] - sums[:, at]))
    return float(np.sqrt(whole.min() / len(x)))


def _stands_about(region: int, cylinder: Cylinder, level: float, regions: Regions, camera: Camera) -> bool:
    """Whether a region lies to both sides of where a cylinder's axis is at some level."""
    middle = cylinder.centre @ cylinder.across + level * cylinder.axis
    (x, _), _ = (a[0] for a in camera.project(middle[None] + camera.position))
    x0, x1 = regions.box[region, ::2]
    return abs((x0 + x1) / 2 - x) < ABOUT * (x1 - x0)


def _check(
    region: int, cylinder: Cylinder, outlines: dict, regions: Regions, camera: Camera, planes: Planes, sky: int,
    leave: Collection[int], off: float,
) -> tuple[float, Cylinder] | None:  # fmt: skip
    """How much of a region's outline a cylinder explains, and the cylinder with its ends; None where it does not fit."""
    from scipy.spatial import cKDTree

    rays = camera.rays(*regions.pixels[region].T)[1].astype(float)
    away, normals, met = cylinder.hit(rays)
    if met.mean() < INSIDE:
        return None
    heights = away[met] * (rays[met] @ cylinder.axis)
    own = {pair: place for pair, place in outlines.items() if region in pair}
    all_places = np.concatenate(list(own.values()))
    tree = cKDTree(all_places)
    explained, bowed, ends, tops = 0, 0, {}, []
    for pair, place in own.items():
        to = camera.rays(*place.T)[1].astype(float)
        far, _, touched = cylinder.hit(to)
        at = far * (to @ cylinder.axis)
        level = float(np.median(at[touched])) if touched.any() else 0.0
        points = to * far[:, None] + (level - at)[:, None] * cylinder.axis
        # Where a circle that high would be seen above or below this place.
        shown = camera.project(points + camera.position)[0]
        on_it = touched & (np.linalg.norm(shown - place, axis=1) < 2 * off)
        ways = camera.project(to * far[:, None] + 0.02 * cylinder.axis + camera.position)[0] - place
        ways *= ALONG / np.maximum(np.linalg.norm(ways, axis=1), 1e-9)[:, None]
        follows = np.zeros(len(place), bool)
        for sign in (-1, 1):
            follows |= tree.query(place + sign * ways)[0] < BESIDE * off
        explained += np.count_nonzero(on_it | follows)
        other = pair[0] + pair[1] - region
        arcs = on_it & ~follows
        if arcs.sum() >= max(SHORTEST, END * len(place)):
            bowed += arcs.sum()
        if arcs.sum() < max(SHORTEST_END, END * len(place)) or other in (0, sky) or other in leave:
            continue
        past = np.mean(np.sign(level) * (heights - level) > 0)
        if ONE_SIDE > past > 1 - ONE_SIDE:
            continue
        beyond = past > 0.5
        fits = abs(planes.normal[other] @ cylinder.axis) > FACING and planes.kind[other] in (LEVEL, UPRIGHT)
        if fits or beyond != cylinder.hollow:
            ends[other] = level
        elif (
            cylinder.upright
            and not cylinder.hollow
            and level > 0
            and _stands_about(other, cylinder, level, regions, camera)
        ):
            tops.append(other)
    share = explained / len(all_places)
    facing = normals[met].mean(axis=0)
    facing -= (facing @ cylinder.axis) * cylinder.axis
    facing /= max(np.linalg.norm(facing), 1e-9)
    out = Cylinder(cylinder.axis, cylinder.across, cylinder.centre, cylinder.hollow, facing, ends, tuple(tops))
    told = share >= EXPLAINED and bowed >= BOWED * len(all_places) and out.distance > 0.02
    return (share, out) if told else None
