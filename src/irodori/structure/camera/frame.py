"""A Manhattan frame with its camera, and how well line segments fit it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numba import njit

from irodori.core.geometry.frames import cross

FOCAL_RANGE = (0.35, 3.2)
"""Least and greatest focal length over the picture's width."""

WORST = 9.0
"""A segment that misses all vanishing points costs as much as one that misses by three times the noise."""

MOST_WINGS, WING_SEEDS, FEWEST, LEAST_WING = 2, 40, 3, 0.03
"""Wings at other angles that are looked for, lines that they are told from, lines each way at least, and the share of all length
that one explains."""

Make = Literal["centred", "shifted", "parallel"]


PRIOR_SPREAD = 0.35
"""Standard deviation of the logarithm of a focal length that nothing tells."""


@dataclass(frozen=True, eq=False)
class Frame:
    """A Manhattan frame and the camera that sees it.

    `focal` px (parallel: 1); `centre` (2,) px from the picture's middle, the principal point; `axes` (3, 3) rows: two
    level directions and up, in the camera frame (x right, y down, z forward); `label` (N,) which axis each segment
    runs along, −1 = none; `share` of line length explained; `observed` whether the picture tells the focal length, `spread` the
    standard deviation of its logarithm.
    """

    focal: float
    centre: np.ndarray
    axes: np.ndarray
    label: np.ndarray
    share: float
    observed: bool
    make: Make = "centred"
    spread: float = PRIOR_SPREAD


@dataclass(frozen=True, eq=False)
class Lines:
    """Segments about the picture's middle: `middle`, unit `direction` (N, 2), `length`, `weight`, `line` (N, 3)."""

    middle: np.ndarray
    direction: np.ndarray
    length: np.ndarray
    weight: np.ndarray
    line: np.ndarray
    width: int

    @classmethod
    def of(cls, segments: np.ndarray, size: tuple[int, int]) -> Lines:
        ends = segments.reshape(-1, 2, 2) - np.array(size) / 2
        step = ends[:, 1] - ends[:, 0]
        length = np.maximum(np.hypot(*step.T), 1e-9)
        one = np.ones((len(ends), 1))
        line = np.cross(np.append(ends[:, 0], one, 1), np.append(ends[:, 1], one, 1))
        weight = np.minimum(length, 0.35 * size[0]) * np.where(curved(segments, onward=True), 0.1, 1.0)
        return cls(ends.mean(axis=1), step / length[:, None], length, weight, line, size[0])

    def take(self, which: np.ndarray) -> Lines:
        """Some of them."""
        own = (self.middle, self.direction, self.length, self.weight, self.line)
        return Lines(*(values[which] for values in own), self.width)

    @property
    def tolerance(self) -> np.ndarray:
        return np.sin(np.maximum(np.radians(1.0), np.arctan(1.2 / self.length)))


def curved(segments: np.ndarray, *, onward: bool = False, reach: float = 8.0, longest: float = 250.0) -> np.ndarray:
    """Which segments (N, 4) are chords of a curve, (N,) bool.

    A chord runs on at both ends into others at a small angle, both to the same side; the last of a curve does so at
    one end, into a chord. Chords are no longer than `longest` px. What runs back beside a segment, as the lower edge of a
    band does beside its upper one, is no curve if only what goes `onward` counts; else such bands are left out as well.
    """
    from scipy.spatial import cKDTree

    if len(segments) < 3:
        return np.zeros(len(segments), bool)
    ends = segments.reshape(-1, 2)
    step = segments[:, 2:] - segments[:, :2]
    angle = np.arctan2(step[:, 1], step[:, 0])
    pairs = cKDTree(ends).query_pairs(reach, output_type="ndarray")
    pairs = np.concatenate([pairs, pairs[:, ::-1]])
    own, other = pairs[:, 0] // 2, pairs[:, 1] // 2
    apart = np.abs((angle[own] - angle[other] + np.pi / 2) % np.pi - np.pi / 2)
    short = np.hypot(*step.T) < longest
    bent = (own != other) & short[own] & short[other] & (apart > np.radians(1.2)) & (apart < np.radians(26.0))
    if onward:
        outward = ends[pairs[:, 0]] - ends[pairs[:, 0] ^ 1]
        bent &= ((ends[pairs[:, 1] ^ 1] - ends[pairs[:, 0]]) * outward).sum(axis=1) > 0
    pairs, own, other = pairs[bent], own[bent], other[bent]
    far = ends[pairs[:, 1] ^ 1] - segments[own].reshape(-1, 2, 2).mean(axis=1)
    side = np.where(step[own, 0] * far[:, 1] - step[own, 1] * far[:, 0] > 0, 1, 0)
    seen = np.zeros((len(segments), 2, 2), bool)  # segment, end, side
    seen[own, pairs[:, 0] % 2, side] = True
    chords = (seen[:, 0] & seen[:, 1]).any(axis=1)
    last = np.zeros(len(segments), bool)
    last[own[chords[other]]] = True
    return chords | last


@njit(cache=True)
def explained(middle, direction, weight, points, tolerance, label):
    """Explained length; each segment goes to the one of the vanishing `points` (V, 3) it fits best, which `label` (N,) tells."""
    total = 0.0
    for i in range(len(weight)):
        best, choice = 1e9, -1
        for v in range(len(points)):
            # Direction from the segment's middle to the vanishing point, infinite points included.
            dx = points[v, 0] - points[v, 2] * middle[i, 0]
            dy = points[v, 1] - points[v, 2] * middle[i, 1]
            norm = np.sqrt(dx * dx + dy * dy)
            if norm < 1e-12:
                continue
            sine = abs(dx * direction[i, 1] - dy * direction[i, 0]) / norm
            if sine < best:
                best, choice = sine, v
        limit = tolerance[i]
        label[i] = choice if best < limit else -1
        if best < limit:
            total += weight[i] * (1.0 - (best / limit) ** 2)
    return total


def vanishing_points(frame: Frame, ways: np.ndarray | None = None) -> np.ndarray:
    """Vanishing points (V, 3), homogeneous, px about the picture's middle, of its axes or of other `ways` (V, 3)."""
    axes = np.ascontiguousarray(frame.axes if ways is None else ways)
    return points_of(axes, float(frame.focal), frame.centre, frame.make == "parallel")


@njit(cache=True)
def points_of(axes, focal, centre, parallel):
    """Vanishing points (V, 3), as `vanishing_points` gives them, of directions (V, 3) through a lens."""
    out = np.empty_like(axes)
    for v in range(len(axes)):
        x, y, z = axes[v]
        if parallel:
            out[v, 0], out[v, 1], out[v, 2] = x, y, 0.0
        else:
            out[v, 0], out[v, 1], out[v, 2] = focal * x + centre[0] * z, focal * y + centre[1] * z, z
    return out


def is_far(v: np.ndarray, width: int) -> bool:
    """Whether lines towards a vanishing point (3,) are next to parallel in a picture of some `width`, px."""
    return abs(v[2]) * 12 * width < np.hypot(v[0], v[1])


def labelled(frame: Frame, lines: Lines) -> Frame:
    """The frame with the axis that each line runs along, and the share of their length that runs along any."""
    label = np.empty(len(lines.weight), np.int64)
    explained(lines.middle, lines.direction, lines.weight, vanishing_points(frame), lines.tolerance, label)
    share = float(lines.weight[label >= 0].sum() / lines.weight.sum())
    return replace(frame, label=label, share=share)


@njit(cache=True)
def misses(points, middle, direction, length, label):
    """How far, px, signed, the ends of segments miss the line from their middle (N, 2) to their vanishing point, that of
    `points` (V, 3) which `label` (N,) tells."""
    out = np.empty(len(label))
    for i in range(len(label)):
        x, y, w = points[label[i]]
        dx, dy = x - w * middle[i, 0], y - w * middle[i, 1]
        sine = (dx * direction[i, 1] - dy * direction[i, 0]) / max(np.sqrt(dx * dx + dy * dy), 1e-9)
        out[i] = sine * length[i] / 2
    return out


def cost(frame: Frame, lines: Lines, noise: float) -> float:
    """Mean robust cost of a segment, 0 … WORST, weighted by length.

    Rotated wings count as far as their lines fit two level directions at right angles.
    """
    each = _costs(vanishing_points(frame), lines, noise)
    left = np.flatnonzero(each >= WORST)
    total = float((each * lines.weight).sum())
    for _ in range(MOST_WINGS):
        gain, fits = _best_wing(frame, lines.take(left), noise)
        if gain < LEAST_WING * WORST * lines.weight.sum():
            break
        total -= gain
        left = left[~fits]
    return total / float(lines.weight.sum())


def _best_wing(frame: Frame, lines: Lines, noise: float) -> tuple[float, np.ndarray]:
    """What the best wing saves of the cost of `lines`, and which of them, (N,) bool, it explains."""
    best = 0.0, np.zeros(len(lines.weight), bool)
    if frame.make == "parallel" or len(lines.weight) < 2 * FEWEST:
        return best
    up = frame.axes[2]
    seeds = np.argsort(-lines.weight, kind="stable")[:WING_SEEDS]
    a, b, c = lines.line[seeds].T
    # The line's plane through the eye, in the camera frame.
    plane = np.column_stack([a * frame.focal, b * frame.focal, a * frame.centre[0] + b * frame.centre[1] + c])
    level = cross(plane, up)
    norm = np.linalg.norm(level, axis=1)
    for seed, way in zip(seeds[norm > 1e-9], level[norm > 1e-9] / norm[norm > 1e-9, None]):
        points = vanishing_points(frame, np.stack([way, cross(up, way)]))
        own, other = (
            np.where(side < WORST, WORST - side, 0) for side in (_costs(v[None], lines, noise) for v in points)
        )
        along = own >= other
        saved = np.maximum(own, other) * lines.weight
        # Any way explains the line it was taken from, and slopes side by side run level for some wrong camera: walls
        # run two ways.
        sides = saved[along].sum() - saved[seed], saved[~along].sum()
        gain = 2 * float(min(sides))
        if gain > best[0] and min((saved[along] > 0).sum() - 1, (saved[~along] > 0).sum()) >= FEWEST:
            best = gain, saved > 0
    return best


def _costs(points: np.ndarray, lines: Lines, noise: float) -> np.ndarray:
    """Robust cost (N,) of each segment, 0 … WORST, by the vanishing point (V, 3) it fits best."""
    own = lines.middle, lines.direction, lines.length
    miss = np.stack([np.abs(misses(points, *own, np.full(len(lines.weight), k))) for k in range(len(points))])
    return np.minimum((miss.min(axis=0) / noise) ** 2, WORST)
