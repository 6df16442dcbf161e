"""Vanishing points and the camera, from line segments.

Hypotheses come from pairs of segments, a whole Manhattan frame at a time, for three makes of camera: a centred lens,
a shifted lens or crop (the principal point is free), and parallel projection. Orthogonality of the frame gives the
focal length (Caprile and Torre, IJCV 4, 1990) or, in parallel projection, the foreshortening of the axes. The best of
each make is refined by robust least squares on the segments' ends, and the make that explains them with the fewest
liberties is taken.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numba import njit

PRIOR_FOCAL = 0.87
"""Focal length over picture width, where the picture does not tell."""

PRIOR_SPREAD = 0.35
FOCAL_RANGE = (0.35, 3.2)
NOISE = 0.5
"""px by which the ends of a segment miss their line, typically."""

WORST = 9.0
"""A segment that misses all vanishing points costs as much as one that misses by three times the noise."""

SHORTEST = 14.0
"""px of a segment that has a say about the camera."""

TRIES = 1800
SLANTED = 0.05
"""Sine of the angle to the picture's foot from which a line runs into a picture that is seen square on."""

LIBERTY = {"centred": 0.02, "shifted": 0.2, "parallel": 0.06}
"""What a make of camera must gain, in mean cost a segment, before it is believed over a plainer one."""

USUAL_SHIFT, MORE_SHIFT, UNSURE_SHIFT = 0.15, 2.0, 0.6
"""Share of the picture's width by which a lens is shifted at most, usually; what each further width must gain; and what a shift
must gain beside a focal length that the picture does not tell, for which it can make up."""

SQUARE, UNEXPLAINED = 0.07, 3.0
"""Sine of the angle up to which an axis of a parallel view runs straight into the picture; and what such a view of a front must
gain where not all lines run across it or up it."""

Make = Literal["centred", "shifted", "parallel"]


@dataclass(frozen=True, eq=False)
class Frame:
    """A Manhattan frame and the camera that sees it.

    `focal` px (parallel: 1); `centre` (2,) px from the picture's middle, the principal point; `axes` (3, 3) rows: two
    level directions and up, in the camera frame (x right, y down, z forward); `label` (N,) which axis each segment
    runs along, −1 = none; `share` of line length explained; `observed` whether the picture tells the focal length.
    """

    focal: float
    centre: np.ndarray
    axes: np.ndarray
    label: np.ndarray
    share: float
    observed: bool
    make: Make = "centred"


@dataclass(frozen=True, eq=False)
class _Lines:
    """Segments about the picture's middle: `middle`, unit `direction` (N, 2), `length`, `weight`, `line` (N, 3)."""

    middle: np.ndarray
    direction: np.ndarray
    length: np.ndarray
    weight: np.ndarray
    line: np.ndarray
    width: int

    @classmethod
    def of(cls, segments: np.ndarray, size: tuple[int, int]) -> _Lines:
        ends = segments.reshape(-1, 2, 2) - np.array(size) / 2
        step = ends[:, 1] - ends[:, 0]
        length = np.maximum(np.hypot(*step.T), 1e-9)
        one = np.ones((len(ends), 1))
        line = np.cross(np.append(ends[:, 0], one, 1), np.append(ends[:, 1], one, 1))
        weight = np.minimum(length, 0.35 * size[0]) * np.where(curved(segments), 0.1, 1.0)
        return cls(ends.mean(axis=1), step / length[:, None], length, weight, line, size[0])

    @property
    def tolerance(self) -> np.ndarray:
        return np.sin(np.maximum(np.radians(1.0), np.arctan(1.2 / self.length)))


def curved(segments: np.ndarray, *, reach: float = 8.0, longest: float = 250.0) -> np.ndarray:
    """Which segments (N, 4) are chords of a curve, (N,) bool.

    A chord runs on at both ends into others at a small angle, both to the same side; the last of a curve does so at
    one end, into a chord. Chords are no longer than `longest` px.
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
def _score(middle, direction, weight, points, tolerance, label):
    """Explained length; each segment goes to the vanishing point (3,) it fits best."""
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


def estimate_frame(
    segments: np.ndarray, size: tuple[int, int], *, prior: float = PRIOR_FOCAL, noise: float = NOISE, seed: int = 1
) -> Frame | None:
    """Find the Manhattan frame and the camera of a picture; None when there are too few lines.

    `prior` is the focal length over the picture's width that is likely where the lines do not tell; `noise` (px) how
    far a segment's ends miss their line.
    """
    long = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1]) >= SHORTEST
    if long.sum() < 8:
        return None
    lines = _Lines.of(segments[long], size)
    rng = np.random.default_rng(seed)
    found = [*_perspective(lines, rng, prior), *_parallel(lines, rng)]
    refined = [_refined(start, lines, prior, noise) for start in found]
    deep = [frame for frame in refined if frame.make == "parallel" or _shows_depth(frame, lines)]
    ranked = sorted(deep or refined, key=lambda f: _cost(f, lines, noise) + _liberty(f, lines.width))
    return _labelled(ranked[0], _Lines.of(segments, size)) if ranked else None


def _liberty(frame: Frame, width: int) -> float:
    """What a frame must gain, in mean cost a segment, before it is believed."""
    square = np.linalg.norm(frame.axes[:, :2], axis=1).min() < SQUARE
    if frame.make == "parallel" and square:
        return UNEXPLAINED * (1 - frame.share)
    if frame.make == "shifted" and not frame.observed and not square:
        return UNSURE_SHIFT
    shift = float(np.hypot(*frame.centre)) / width
    return LIBERTY[frame.make] + MORE_SHIFT * max(shift - USUAL_SHIFT, 0.0)


def _shows_depth(frame: Frame, lines: _Lines) -> bool:
    """Whether some lines run into the picture; a face seen square on, with none, is an elevation."""
    points = _points(frame)
    near = ~np.array([_is_far(v, lines.width) for v in points])
    own = lines.weight[np.isin(frame.label, np.flatnonzero(near))].sum()
    return bool(own > 0.02 * lines.weight.sum())


def _points(frame: Frame) -> np.ndarray:
    """Vanishing points (3, 3), homogeneous, px about the picture's middle."""
    if frame.make == "parallel":
        return frame.axes * np.array([1.0, 1.0, 0.0])
    axes, f, c = frame.axes, frame.focal, frame.centre
    return np.stack([f * axes[:, 0] + c[0] * axes[:, 2], f * axes[:, 1] + c[1] * axes[:, 2], axes[:, 2]], axis=1)


def _labelled(frame: Frame, lines: _Lines) -> Frame:
    label = np.empty(len(lines.weight), np.int64)
    _score(lines.middle, lines.direction, lines.weight, _points(frame), lines.tolerance, label)
    share = float(lines.weight[label >= 0].sum() / lines.weight.sum())
    return replace(frame, label=label, share=share)


def _misses(points: np.ndarray, lines: _Lines, which: np.ndarray, label: np.ndarray) -> np.ndarray:
    """How far, px, signed, the ends of segments `which` miss the line from their middle to their vanishing point."""
    v = points[label]
    mid, way = lines.middle[which], lines.direction[which]
    dx, dy = v[:, 0] - v[:, 2] * mid[:, 0], v[:, 1] - v[:, 2] * mid[:, 1]
    sine = (dx * way[:, 1] - dy * way[:, 0]) / np.maximum(np.hypot(dx, dy), 1e-9)
    return sine * lines.length[which] / 2


def _cost(frame: Frame, lines: _Lines, noise: float) -> float:
    """Mean robust cost of a segment, 0 … WORST, weighted by length."""
    points, every = _points(frame), np.arange(len(lines.weight))
    miss = np.stack([np.abs(_misses(points, lines, every, np.full(len(every), k))) for k in range(3)])
    cost = np.minimum((miss.min(axis=0) / noise) ** 2, WORST)
    return float((cost * lines.weight).sum() / lines.weight.sum())


def _perspective(lines: _Lines, rng: np.random.Generator, prior: float) -> list[Frame]:
    """The best starting frames of a centred and of a shifted lens."""
    upright = np.abs(lines.direction[:, 1]) > 0.88
    level = np.flatnonzero(~upright)
    if len(level) < 3:
        return []
    vertical = _vertical(lines, upright)
    chance = lines.weight[level] / lines.weight[level].sum()
    label = np.empty(len(lines.weight), np.int64)
    kept: dict[Make, list[tuple[float, Frame]]] = {"centred": [], "shifted": []}
    tolerance = lines.tolerance
    frames = []
    for i, j, k, m in rng.choice(level, (TRIES, 4), p=chance):
        if i == j or k == m:
            continue
        pair = np.cross(lines.line[i], lines.line[j]), np.cross(lines.line[k], lines.line[m])
        frames += [
            _centred_frame(*pair, lines.width, prior), _shifted_frame(*pair, vertical, lines.width, prior)
        ]  # fmt: skip
    # Few lines may run into a picture that is seen square on; chance would hardly take two of them together.
    slanted = level[np.abs(lines.direction[level, 1]) > SLANTED]
    if len(slanted) > 1:
        chance = lines.weight[slanted] / lines.weight[slanted].sum()
        for i, j in rng.choice(slanted, (TRIES // 4, 2), p=chance):
            frames.append(_square_frame(np.cross(lines.line[i], lines.line[j]), lines.width, prior))
    for frame in frames:
        if frame is None or abs(frame.axes[2, 1]) < 0.72:  # up must look up: no more than about 45° of tilt
            continue
        score = _score(lines.middle, lines.direction, lines.weight, _points(frame), tolerance, label)
        score *= 1.0 if frame.observed else 0.93
        kept[frame.make].append((score, frame))
    out = []
    for make in kept:
        out += [f for _, f in sorted(kept[make], key=lambda entry: -entry[0])[:4]]
    return out


def _vertical(lines: _Lines, upright: np.ndarray) -> np.ndarray | None:
    """The vanishing point (3,) that most upright segments share."""
    index = np.flatnonzero(upright)
    index = index[np.argsort(-lines.weight[index], kind="stable")][:40]
    if len(index) < 2:
        return None
    label = np.empty(len(lines.weight), np.int64)
    best, point = -1.0, None
    for a in range(len(index)):
        for b in range(a):
            v = np.cross(lines.line[index[a]], lines.line[index[b]])
            norm = np.linalg.norm(v)
            if norm < 1e-9:
                continue
            score = _score(
                lines.middle, lines.direction, np.where(upright, lines.weight, 0.0), v[None] / norm,
                lines.tolerance, label,
            )  # fmt: skip
            if score > best:
                best, point = score, v / norm
    return point


def _is_far(v: np.ndarray, width: int) -> bool:
    return abs(v[2]) * 12 * width < np.hypot(v[0], v[1])


def _focal_of(
    v1: np.ndarray, v2: np.ndarray, centre: np.ndarray, width: int, prior: float
) -> tuple[float | None, bool]:
    """Focal length from two orthogonal vanishing points; the prior where one of them is at infinity."""
    far = [_is_far(v, width) for v in (v1, v2)]
    if all(far):
        return None, False
    if any(far) or not (v1[2] and v2[2]):
        return prior * width, False
    square = -((v1[:2] / v1[2] - centre) @ (v2[:2] / v2[2] - centre))
    if square <= 0:
        return None, False
    focal = float(np.sqrt(square))
    if not FOCAL_RANGE[0] * width < focal < FOCAL_RANGE[1] * width:
        return None, False
    return focal, True


def _centred_frame(v1: np.ndarray, v2: np.ndarray, width: int, prior: float) -> Frame | None:
    focal, observed = _focal_of(v1, v2, np.zeros(2), width, prior)
    if focal is None:
        return None
    axes = _axes_of(v1, v2, np.zeros(2), focal)
    return None if axes is None else Frame(focal, np.zeros(2), axes, np.zeros(0, int), 0.0, observed)


def _shifted_frame(v1, v2, vertical: np.ndarray | None, width: int, prior: float) -> Frame | None:
    """A level lens whose principal point lies where the horizon through both points is nearest to the middle."""
    if vertical is None:
        return None
    horizon = np.cross(v1, v2)
    norm = np.hypot(horizon[0], horizon[1])
    if norm < 1e-9:
        return None
    horizon = horizon / norm
    across = vertical[:2] - vertical[2] * (-horizon[2] * horizon[:2])
    across = across / max(np.linalg.norm(across), 1e-12)
    if abs(across @ horizon[:2]) < np.cos(np.radians(1.5)):
        return None
    centre = -horizon[2] * horizon[:2]
    if np.hypot(*centre) > 0.8 * width:
        return None
    focal, observed = _focal_of(v1, v2, centre, width, prior)
    if focal is None:
        return None
    axes = _axes_of(v1, v2, centre, focal)
    return None if axes is None else Frame(focal, centre, axes, np.zeros(0, int), 0.0, observed, "shifted")


def _square_frame(point: np.ndarray, width: int, prior: float) -> Frame | None:
    """A lens square to a front, shifted to where all that runs into the picture goes."""
    if not point[2] or _is_far(point, width):
        return None
    centre = point[:2] / point[2]
    if np.hypot(*centre) > 0.8 * width:
        return None
    axes = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]])
    return Frame(prior * width, centre, axes, np.zeros(0, int), 0.0, False, "shifted")


def frame_from_points(
    first: np.ndarray, second: np.ndarray, centre: np.ndarray, focal: float | None
) -> tuple[float, np.ndarray] | None:
    """Focal length, px, and axes (3, 3) from two vanishing points (2,) at right angles, px about the picture's middle.

    With `focal` given the points need not tell it. None when no lens sees them so.
    """
    square = -((first - centre) @ (second - centre))
    if focal is None and square <= 0:
        return None
    focal = focal or float(np.sqrt(square))
    axes = _axes_of(np.append(first, 1.0), np.append(second, 1.0), centre, focal)
    return None if axes is None else (focal, axes)


def _axes_of(v1: np.ndarray, v2: np.ndarray, centre: np.ndarray, focal: float) -> np.ndarray | None:
    a = np.array([(v1[0] - centre[0] * v1[2]) / focal, (v1[1] - centre[1] * v1[2]) / focal, v1[2]])
    b = np.array([(v2[0] - centre[0] * v2[2]) / focal, (v2[1] - centre[1] * v2[2]) / focal, v2[2]])
    norms = np.linalg.norm(a), np.linalg.norm(b)
    if min(norms) < 1e-12:
        return None
    a, b = a / norms[0], b / norms[1]
    b = b - (a @ b) * a
    norm = np.linalg.norm(b)
    if norm < 0.3:
        return None
    b /= norm
    up = np.cross(a, b)
    return np.stack([a, b, up if up[1] < 0 else -up])  # y points down in the camera frame


def _parallel(lines: _Lines, rng: np.random.Generator) -> list[Frame]:
    """The best starting frames of parallel projection: from three families of directions, or two at right angles."""
    chance = lines.weight / lines.weight.sum()
    label = np.empty(len(lines.weight), np.int64)
    tolerance = lines.tolerance
    kept = []
    for i, j, k in rng.choice(len(chance), (TRIES // 2, 3), p=chance):
        ways = lines.direction[[i, j, k]]
        if min(abs(ways[a, 0] * ways[b, 1] - ways[a, 1] * ways[b, 0]) for a, b in ((0, 1), (0, 2), (1, 2))) < 0.08:
            ways = ways[:2]
        axes = _parallel_axes(ways)
        if axes is None:
            continue
        frame = Frame(1.0, np.zeros(2), axes, np.zeros(0, int), 0.0, True, "parallel")
        kept.append((_score(lines.middle, lines.direction, lines.weight, _points(frame), tolerance, label), frame))
    return [f for _, f in sorted(kept, key=lambda entry: -entry[0])[:3]]


def _parallel_axes(ways: np.ndarray) -> np.ndarray | None:
    """Axes (3, 3) of a Manhattan frame from the picture directions of two or three of its axes, seen from above.

    The picture's two rows of the rotation are orthonormal; with the axes' directions known that is linear in the
    squares of their foreshortened lengths. Two axes at right angles mean a face seen square on.
    """
    ways = ways[np.argsort(np.abs(ways[:, 1]), kind="stable")]
    if len(ways) == 2:
        if abs(ways[0] @ ways[1]) > 0.02 or abs(ways[1, 1]) < 0.9:
            return None
        right = ways[0] * np.sign(ways[0, 0] or 1.0)
        return np.array([[right[0], right[1], 0.0], [0, 0, 1.0], [right[1], -right[0], 0.0]])
    if abs(ways[2, 1]) < 0.9:
        return None
    system = np.stack([ways[:, 0] ** 2, ways[:, 1] ** 2, ways[:, 0] * ways[:, 1]])
    if abs(np.linalg.det(system)) < 1e-6:
        return None
    squares = np.linalg.solve(system, [1.0, 1.0, 0.0])
    if squares.min() < 1e-3 or squares.max() > 1 + 1e-6:
        return None
    flat = ways * np.sqrt(squares)[:, None]
    flat[2] *= -np.sign(flat[2, 1])
    into = np.cross(flat[:, 0], flat[:, 1])
    # The mirrored solution is as good for the lines; drawings show things from above.
    if into[2] > 0:
        into = -into
    axes = np.column_stack([flat, into])
    return axes if np.linalg.det(axes) > 0 else axes[[1, 0, 2]]


def _refined(frame: Frame, lines: _Lines, prior: float, noise: float) -> Frame:
    """Robust least squares over turn, focal length and, for a shifted lens, the principal point."""
    from scipy.optimize import least_squares
    from scipy.spatial.transform import Rotation

    width, moves = lines.width, {"centred": 4, "shifted": 6, "parallel": 3}[frame.make]
    for _ in range(3):
        frame = _labelled(frame, lines)
        used = np.flatnonzero(frame.label >= 0)
        if len(used) < 4:
            return frame
        root = np.sqrt(lines.weight[used] / lines.length[used])

        def moved(p, base=frame):
            axes = base.axes @ Rotation.from_rotvec(p[:3]).as_matrix()
            focal = base.focal * np.exp(np.clip(p[3], -2, 2)) if moves > 3 else base.focal
            centre = base.centre + p[4:6] * width if moves > 4 else base.centre
            return replace(base, focal=focal, centre=centre, axes=axes)

        def residuals(p, base=frame, used=used, root=root):
            now = moved(p, base)
            out = [_misses(_points(now), lines, used, base.label[used]) * root / noise]
            if moves > 3:
                out.append([np.log(now.focal / (prior * width)) / PRIOR_SPREAD])
            if moves > 4:
                out.append(now.centre / (0.15 * width))
            return np.concatenate(out)

        solved = least_squares(residuals, np.zeros(moves), loss="cauchy", f_scale=2.0, max_nfev=30)
        frame = moved(solved.x)
        if moves > 3:
            focal = float(np.clip(frame.focal, FOCAL_RANGE[0] * width, FOCAL_RANGE[1] * width))
            spread = np.sqrt(np.linalg.pinv(solved.jac.T @ solved.jac)[3, 3])
            frame = replace(frame, focal=focal, observed=bool(spread < 0.08))
    return _labelled(frame, lines)
