"""Circles on planes of known facing, from the borders that are arcs of them.

Seen on a plane of known facing, at unit distance, an arc that perspective shows as an ellipse's is a circle's again, and tells
where its middle is and how far away, in radii.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.geometry.frames import cross
from irodori.structure.camera.line_directions import UP

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

ONE_SIDE = 0.9
"""Share of an arc that lies on the near or on the far side of what it ends."""

EDGE_ON = 0.02
"""Sine at which a plane across the axis is seen at least."""

FEWEST_PLACES, MOST_PLACES = 24, 240
"""Places of a border that tell a circle, at least and at most."""

UPRIGHT_AXIS = 0.98
"""Cosine to the vertical from which an axis stands."""


class Slack(NamedTuple):
    """px by which a border strays from its circle at most (`off`), and by which an arc is off its chord at least (`bent`)."""

    off: float
    bent: float


class Seen(NamedTuple):
    """A circle about an axis: what makes positions two at right angles to that, the second squeezed so that an ellipse is a circle,
    (2, 3); where its middle is along these, in radii, (2,); and whether the far side of what it ends is seen."""

    across: np.ndarray
    centre: np.ndarray
    hollow: bool


def is_upright(axis: np.ndarray) -> bool:
    """Whether a unit axis (3,) stands, as columns do."""
    return bool(abs(axis[2]) > UPRIGHT_AXIS)


def _along_chord(place: np.ndarray) -> np.ndarray:
    """Places (n, 2) from their middle, along the way in which they reach farthest and aside."""
    around = place - place.mean(axis=0)
    return around @ np.linalg.svd(around, full_matrices=False)[2].T


def bends(place: np.ndarray, slack: Slack) -> bool:
    """Whether a border bends, and otherwise than at one corner."""
    around = _along_chord(place)
    along, aside = np.ptp(around, axis=0)
    return aside > slack.bent and along > 8 * slack.off and _two_lines(around) > LEAST_LEFT * slack.off


def find_circle(place: np.ndarray, axis: np.ndarray, camera: Camera, slack: Slack) -> Seen | None:
    """The circle on a plane across a unit `axis` (3,) that a border, at places (n, 2) px, is an arc of; None where none fits.

    About level axes ellipses with level and upright axes are circles, too.
    """
    rays = camera.rays(*place.T)[1].astype(float)
    rays /= np.linalg.norm(rays, axis=1)[:, None]
    to = rays @ axis
    side = np.sign(np.median(to))
    seen = side * to > EDGE_ON
    if seen.sum() < max(FEWEST_PLACES, KEPT * len(place)):
        return None
    place, rays, to = place[seen], rays[seen], to[seen]
    level = np.array([1.0, 0, 0]) if is_upright(axis) else cross(axis, UP)
    level /= np.linalg.norm(level)
    straight = np.stack([level, cross(axis, level)])
    plane = _Plane(
        rays @ straight.T / np.abs(to)[:, None], place,
        camera.matrix @ camera.rotation @ np.column_stack([*straight, side * axis]),
    )  # fmt: skip
    around = _along_chord(place)
    fits = []
    for squeezed in (False,) if is_upright(axis) else (False, True):
        fitted = _fit(plane, squeezed, slack.off, max(FEWEST_PLACES, (ALL_KEPT if squeezed else KEPT) * len(place)))
        if fitted is not None and fitted[0].is_arc(plane.flat[fitted[1]], WIDE_ARC if squeezed else ARC):
            fits.append(fitted)
    if len(fits) == 2 and fits[1][1].sum() > MORE * fits[0][1].sum():
        fits.reverse()
    for circle, near in fits:
        if np.ptp(around[near, 1]) < slack.bent:
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
        return Seen(straight * [[1.0], [circle.squeeze]], at, bool(hollow))
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
