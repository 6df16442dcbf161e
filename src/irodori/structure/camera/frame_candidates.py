"""Frames to start from: from pairs of line segments, a whole Manhattan frame at a time.

There are three makes of camera: a centred lens, a shifted lens or crop (the principal point is free), and parallel
projection. Orthogonality of the frame gives the focal length (Caprile and Torre, IJCV 4, 1990) or, in parallel
projection, the foreshortening of the axes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import combinations

import numpy as np

from irodori.core.geometry.frames import cross
from irodori.structure.camera.frame import FOCAL_RANGE, Frame, Lines, Make, explained, is_far, vanishing_points

TRIES = 1800
UPRIGHT = 0.88
"""Sine of the angle to the picture's foot over which a line may be an upright."""

MOST_STARTS, SAME_CENTRE = 4, 0.03
"""Starts of each make of perspective; and share of the picture's width from which two shifts of a lens are apart."""

SAME_POINT, MOST_POINTS, MOST_LINES = 0.6, 16, 1000
"""Share of the length of the lines to two vanishing points, of all to either, from which they are one; how many are put together; and
how many lines, the longest, tell them."""

LIKE, LIKE_FOCAL = 2.996, 0.06
"""Sum of the cosines between the axes of two frames, and logarithm of the ratio of their focal lengths, to which they are one start."""

USUAL_PITCH, NEARLY_SQUARE = np.radians(38.0), 5.0
"""Angle, rad, at which parallel views look down, usually; and ° that the heading of one nearly square to a front has at most."""

SLANTED = 0.05
"""Sine of the angle to the picture's foot from which a line runs into a picture that is seen square on."""

STEEPEST = 0.4
"""How far up (sine) on paper uprights run at least."""

FARTHEST_SHIFT = 0.8
"""Shares of the picture's width by which a lens is shifted at most."""


def perspective_starts(lines: Lines, rng: np.random.Generator, prior: float) -> list[Frame]:
    """The best starting frames of a centred and of a shifted lens."""
    upright = np.abs(lines.direction[:, 1]) > UPRIGHT
    level = np.flatnonzero(~upright)
    if len(level) < 3:
        return []
    vertical = _vertical(lines, upright)
    chance = lines.weight[level] / lines.weight[level].sum()
    score = _share_explained(lines)
    kept: dict[Make, list[tuple[float, Frame]]] = {"centred": [], "shifted": []}
    frames = []
    i, j, k, m = rng.choice(level, (TRIES, 4), p=chance).T
    two = (i != j) & (k != m)
    firsts, seconds = (np.cross(lines.line[a[two]], lines.line[b[two]]) for a, b in ((i, j), (k, m)))
    for pair in zip(firsts, seconds):
        frames += [
            _centred_frame(*pair, lines.width, prior), _shifted_frame(*pair, vertical, lines.width, prior)
        ]  # fmt: skip
    frames += _square_frames(lines, level, rng, prior)
    # Where lines run many ways, chance hardly takes two pairs of one building: points that many share are put together.
    points = _shared_points(lines, level, rng)
    for v1, v2 in combinations(points, 2):
        frames += [
            _centred_frame(v1, v2, lines.width, prior), _shifted_frame(v1, v2, vertical, lines.width, prior)
        ]  # fmt: skip
    if vertical is not None:
        frames += [_standing_frame(v, vertical, lines.width, prior) for v in points]
    for v1, v2 in combinations(_shared_points(lines, np.arange(len(lines.weight)), rng.spawn(1)[0]), 2):
        frames.append(_centred_frame(v1, v2, lines.width, prior))
    for frame in frames:
        if frame is None:
            continue
        frame = max([frame, *other_ways_up(frame)], key=lambda way: -way.axes[2, 1])
        if -frame.axes[2, 1] < STEEPEST:
            continue
        kept[frame.make].append((score(frame) * (1.0 if frame.observed else 0.93), frame))
    return [frame for entries in kept.values() for frame in _best_apart(entries, MOST_STARTS)]


def other_ways_up(frame: Frame) -> list[Frame]:
    """The same lens with each of its level axes that looks up for the uprights instead; none of what is shifted or parallel, which
    is held upright."""
    if frame.make != "centred":
        return []
    out = []
    for k in (0, 1):
        up = frame.axes[k] * -np.sign(frame.axes[k, 1] or 1.0)
        if -up[1] > STEEPEST:
            out.append(replace(frame, axes=np.stack([frame.axes[1 - k], frame.axes[2], up])))
    return out


def square_starts(lines: Lines, rng: np.random.Generator, prior: float) -> list[Frame]:
    """The best starting frames of lenses square to a front, each shifted another way."""
    level = np.flatnonzero(np.abs(lines.direction[:, 1]) <= UPRIGHT)
    score = _share_explained(lines)

    def moved(one: Frame, other: Frame) -> bool:
        return bool(np.hypot(*(one.centre - other.centre)) > SAME_CENTRE * lines.width)

    frames = filter(None, _square_frames(lines, level, rng, prior))
    return _best_apart([(score(frame), frame) for frame in frames], MOST_STARTS, moved)


def _share_explained(lines: Lines) -> Callable[[Frame], float]:
    """What tells how much of the length of the lines a frame explains."""
    tolerance, label = lines.tolerance, np.empty(len(lines.weight), np.int64)

    def score(frame: Frame) -> float:
        return explained(lines.middle, lines.direction, lines.weight, vanishing_points(frame), tolerance, label)

    return score


def _square_frames(lines: Lines, level: np.ndarray, rng: np.random.Generator, prior: float) -> list[Frame | None]:
    """Frames square to a front, from pairs of the lines that run into the picture.

    There may be few: chance would hardly take two of them together among all the `level` ones.
    """
    slanted = level[np.abs(lines.direction[level, 1]) > SLANTED]
    if len(slanted) < 2:
        return []
    chance = lines.weight[slanted] / lines.weight[slanted].sum()
    pairs = rng.choice(slanted, (TRIES // 4, 2), p=chance)
    return [_square_frame(cross(lines.line[i], lines.line[j]), lines.width, prior) for i, j in pairs]


def differ(one: Frame, other: Frame) -> bool:
    """Whether two frames are turned from each other, axes exchanged or not, or have other focal lengths."""
    turned = np.abs(one.axes @ other.axes.T)
    like = max(turned[0, 0] + turned[1, 1], turned[0, 1] + turned[1, 0]) + turned[2, 2]
    return bool(like < LIKE or abs(np.log(one.focal / other.focal)) > LIKE_FOCAL)


def _best_apart(
    entries: list[tuple[float, Frame]], most: int, apart: Callable[[Frame, Frame], bool] = differ
) -> list[Frame]:
    """The frames of most score, each `apart` from those before."""
    out: list[Frame] = []
    for _, frame in sorted(entries, key=lambda entry: -entry[0]):
        if all(apart(frame, other) for other in out):
            out.append(frame)
        if len(out) == most:
            break
    return out


def _shared_points(lines: Lines, level: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Vanishing points (K, 3) that much of the length of the `level` segments runs to, each of other segments."""
    some = lines.take(level[np.argsort(-lines.weight[level], kind="stable")[:MOST_LINES]])
    weight, tolerance = some.weight, some.tolerance
    i, j = rng.choice(len(weight), (TRIES, 2), p=weight / weight.sum()).T
    points = np.cross(some.line[i], some.line[j])
    norm = np.linalg.norm(points, axis=1)
    points = points[norm > 1e-9] / norm[norm > 1e-9, None]
    label = np.empty((len(points), len(weight)), np.int64)
    worth = np.array([
        explained(some.middle, some.direction, weight, points[n : n + 1], tolerance, label[n]) for n in range(len(points))
    ])  # fmt: skip
    runs = label >= 0
    kept: list[int] = []
    for n in np.argsort(-worth, kind="stable").tolist():
        both = [(runs[n] & runs[k]) @ weight / max((runs[n] | runs[k]) @ weight, 1e-9) for k in kept]
        if max(both, default=0.0) < SAME_POINT:
            kept.append(n)
        if len(kept) == MOST_POINTS:
            break
    return points[kept]


def _vertical(lines: Lines, upright: np.ndarray) -> np.ndarray | None:
    """The vanishing point (3,) that most upright segments share."""
    index = np.flatnonzero(upright)
    index = index[np.argsort(-lines.weight[index], kind="stable")][:40]
    if len(index) < 2:
        return None
    label = np.empty(len(lines.weight), np.int64)
    best, point = -1.0, None
    for a in range(len(index)):
        for b in range(a):
            v = _cross(lines.line[index[a]], lines.line[index[b]])
            norm = np.linalg.norm(v)
            if norm < 1e-9:
                continue
            score = explained(
                lines.middle, lines.direction, np.where(upright, lines.weight, 0.0), v[None] / norm,
                lines.tolerance, label,
            )  # fmt: skip
            if score > best:
                best, point = score, v / norm
    return point


def _focal_of(
    v1: np.ndarray, v2: np.ndarray, centre: np.ndarray, width: int, prior: float
) -> tuple[float | None, bool]:
    """Focal length from two orthogonal vanishing points; the prior where one of them is at infinity."""
    far = [is_far(v, width) for v in (v1, v2)]
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


def _standing_frame(level: np.ndarray, vertical: np.ndarray, width: int, prior: float) -> Frame | None:
    """A centred lens, tilted, from the point that all uprights run to and one that level lines do."""
    frame = _centred_frame(level, vertical, width, prior)
    if frame is None:
        return None
    first, second, third = frame.axes
    up = second if second[1] < 0 else -second
    return replace(frame, axes=np.stack([first, third, up]))


def _shifted_frame(v1, v2, vertical: np.ndarray | None, width: int, prior: float) -> Frame | None:
    """A level lens whose principal point lies where the horizon through both points is nearest to the middle."""
    if vertical is None:
        return None
    horizon = _cross(v1, v2)
    norm = np.hypot(horizon[0], horizon[1])
    if norm < 1e-9:
        return None
    horizon = horizon / norm
    across = vertical[:2] - vertical[2] * (-horizon[2] * horizon[:2])
    across = across / max(np.linalg.norm(across), 1e-12)
    if abs(across @ horizon[:2]) < np.cos(np.radians(1.5)):
        return None
    centre = -horizon[2] * horizon[:2]
    if np.hypot(*centre) > FARTHEST_SHIFT * width:
        return None
    focal, observed = _focal_of(v1, v2, centre, width, prior)
    if focal is None:
        return None
    axes = _axes_of(v1, v2, centre, focal)
    return None if axes is None else Frame(focal, centre, axes, np.zeros(0, int), 0.0, observed, "shifted")


def _square_frame(point: np.ndarray, width: int, prior: float) -> Frame | None:
    """A lens square to a front, shifted to where all that runs into the picture goes."""
    if not point[2] or is_far(point, width):
        return None
    centre = point[:2] / point[2]
    if np.hypot(*centre) > FARTHEST_SHIFT * width:
        return None
    axes = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]])
    return Frame(prior * width, centre, axes, np.zeros(0, int), 0.0, False, "shifted")


def _cross(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Cross product of two vectors (3,): NumPy's own is made for many at once."""
    return np.array([a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]])


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
    up = _cross(a, b)
    return np.stack([a, b, up if up[1] < 0 else -up])  # y points down in the camera frame


def parallel_starts(lines: Lines, rng: np.random.Generator) -> list[Frame]:
    """The best starting frames of parallel projection: from three families of directions, or two at right angles."""
    chance = lines.weight / lines.weight.sum()
    score = _share_explained(lines)

    def scored(axes: np.ndarray) -> tuple[float, Frame]:
        frame = Frame(1.0, np.zeros(2), axes, np.zeros(0, int), 0.0, True, "parallel")
        return score(frame), frame

    kept = []
    for i, j, k in rng.choice(len(chance), (TRIES // 2, 3), p=chance):
        ways = lines.direction[[i, j, k]]
        if min(abs(ways[a, 0] * ways[b, 1] - ways[a, 1] * ways[b, 0]) for a, b in ((0, 1), (0, 2), (1, 2))) < 0.08:
            ways = ways[:2]
        axes = _parallel_axes(ways)
        if axes is not None:
            kept.append(scored(axes))
    _, above = max((scored(axes) for axes in _nearly_square_axes()), key=lambda entry: entry[0])
    return [*_best_apart(kept, 3), above]


def _nearly_square_axes() -> list[np.ndarray]:
    """Axes (3, 3) of parallel views from above, nearly square to a front.

    Uprights and what runs away from the eye run next to the same way on paper, so that no three lines tell them.
    """
    sine, cosine = np.sin(USUAL_PITCH), np.cos(USUAL_PITCH)
    out = []
    for heading in np.radians(np.arange(-NEARLY_SQUARE, NEARLY_SQUARE + 0.1, 0.5)):
        x, z = np.cos(heading), np.sin(heading)
        out.append(np.array([[x, -z * sine, z * cosine], [-z, -x * sine, x * cosine], [0.0, -cosine, -sine]]))
    return out


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
    into = cross(flat[:, 0], flat[:, 1])
    # The mirrored solution is as good for the lines; drawings show things from above.
    if into[2] > 0:
        into = -into
    axes = np.column_stack([flat, into])
    return axes if np.linalg.det(axes) > 0 else axes[[1, 0, 2]]
