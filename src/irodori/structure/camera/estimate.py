"""The camera from line segments: of all frames to start from the best of each make is refined by robust least squares on
the segments' ends, and the make that explains them with the fewest liberties is taken."""

from __future__ import annotations

from dataclasses import replace
from functools import cache, cached_property, partial

import numpy as np
from numba import njit

from irodori.structure.camera.at_a_glance import unlikely
from irodori.structure.camera.frame import (
    FOCAL_RANGE,
    PRIOR_SPREAD,
    Frame,
    Lines,
    cost,
    is_far,
    labelled,
    misses,
    points_of,
    vanishing_points,
)
from irodori.structure.camera.frame_candidates import (
    USUAL_PITCH,
    differ,
    other_ways_up,
    parallel_starts,
    perspective_starts,
    square_starts,
)
from irodori.structure.glance.glance import Glance

PRIOR_FOCAL = 0.87 * 1.6**0.5
"""Focal length over the geometric mean of the picture's sides, where the picture does not tell: windows differ in shape, lenses hardly."""

STAYING = 0.01
"""What each radian by which a parallel view turns must gain (a residual): lines gain far more where they tell it."""

UNOBSERVED = 0.08
"""Standard deviation of the focal length's logarithm from which the picture does not tell it."""

NOISE = 0.5
"""px by which the ends of a segment miss their line, typically."""

SHORTEST_TELLING, FEWEST_LINES = 14.0, 8
"""px of a segment that has a say about the camera, and how many of them tell one."""

LIBERTY = {"centred": 0.02, "shifted": 0.15, "parallel": 0.06}
"""What a make of camera must gain, in mean cost a segment, before it is believed over a plainer one."""

ROLLED, UPRIGHT, MOST_ROLL = 0.05, 0.0002, 0.05
"""What a lens that rolls must gain; sine of the roll up to which it does not; and up to which it may be tried without."""

USUAL_ROLL, MORE_ROLL = 0.15, 1.0
"""Sine of the roll that a lens has at most, usually, and what all beyond it must gain."""

USUAL_SHIFT, MORE_SHIFT, UNSURE_SHIFT = 0.15, 2.0, 0.3
"""Share of the picture's width by which a lens is shifted at most, usually; what each further width must gain; and what a shift, and
each width of it from none on, must gain beside a focal length that the picture does not tell, for which it can make up."""

UNUSUAL_FOCAL, UNUSUAL_PITCH = 0.05, 0.02
"""What a focal length, or the pitch of a parallel view, must gain for the square of each standard deviation from the usual one."""

PITCH_SPREAD = np.radians(15.0)
"""Standard deviation, rad, of the angle at which parallel views look down."""

UNUSUAL_TILT, USUAL_TILT, TILT_SPREAD = 0.005, np.radians(10.0), np.radians(20.0)
"""What a lens must gain for the square of each spread, rad, by which it looks down otherwise than usual: of the axes that are as
good for the lines this tells which is up."""

UNSURE_FOCAL = 0.08
"""What a centred lens must gain whose focal length the picture does not tell: a parallel view explains as little."""

WING_STEP, WING_STEPS, WING_TELLS, AS_LIKELY = 0.06, 12, 0.08, 0.5
"""Logarithm of the focal length from try to try, tries either way, and what one must gain, where only wings tell it; and how much less
a frame may explain than the best for that to be tried."""

SQUARE_GAIN = 0.35
"""What one of the less likely starts square to a front must gain over all others."""

FLAT = 0.6
"""What a lens must gain into whose picture hardly any line runs: a face seen square on is an elevation."""

UNSTOOD, FEWEST_UPRIGHTS = 0.1, 0.08
"""What a lens must gain in whose picture nothing stands, and the share of all lines from which enough does: buildings stand."""

SQUARE, SAME_WAY = 0.07, 0.02
"""Sines of the angles up to which an axis of a parallel view runs straight into the picture, and two axes the same way on paper."""

UNEXPLAINED, UNTOLD = 3.0, 0.15
"""What such a view of a front must gain where not all lines run across it or up it; and what its pitch, which no line tells."""


def usual_focal(size: tuple[int, int]) -> float:
    """The focal length, px, that a picture of this size is likely to have where nothing tells it."""
    return PRIOR_FOCAL * float(np.sqrt(size[0] * size[1]))


class FrameSearch:
    """The Manhattan frames and cameras that lines may tell, refined once and judged as often as one likes."""

    def __init__(self, segments: np.ndarray, size: tuple[int, int], *, noise: float = NOISE, seed: int = 1) -> None:
        """Find them among `segments` (S, 4), px; `noise` (px) is how far a segment's ends miss their line."""
        self._segments, self._size, self._prior = segments, size, usual_focal(size) / size[0]
        long = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1]) >= SHORTEST_TELLING
        self._lines = lines = Lines.of(segments[long], size)
        self._rng = np.random.default_rng(seed)
        self._refine = partial(_refined, lines=lines, prior=self._prior, noise=noise)
        self._with_wings = cache(partial(_with_wings, lines=lines, prior=self._prior, noise=noise))
        self._held_upright = cache(lambda frame: self._refine(_upright(frame), rolls=False))
        self._own_worth = cache(partial(_own_worth, lines=lines, prior=self._prior, noise=noise))
        self._found = self._starts() if long.sum() >= FEWEST_LINES else []

    def _starts(self) -> list[Frame]:
        starts = [*perspective_starts(self._lines, self._rng, self._prior), *parallel_starts(self._lines, self._rng)]
        refined = [self._refine(start) for start in starts]
        return refined + [labelled(other, self._lines) for one in refined for other in other_ways_up(one)]

    def best(self, glance: Glance | None = None) -> Frame | None:
        """The frame that explains the lines with the fewest liberties, and had better agree with a `glance`; None when there are too few
        lines."""
        if not self._found:
            return None

        @cache
        def worth(frame: Frame) -> float:
            return self._own_worth(frame) + (0.0 if glance is None else unlikely(frame, glance))

        # Hardly any camera rolls; held upright, a lens tells its tilt, its shift and its focal length better.
        leading = _best_of_each_make(sorted(self._found, key=worth))
        upright = [self._held_upright(f) for f in leading if 0 < _roll(f) < MOST_ROLL]
        ranked = sorted([*self._found, *upright], key=worth)
        likely = [f for f in ranked if worth(f) < worth(ranked[0]) + AS_LIKELY]
        first = {f.make: f for f in reversed(likely)}.values()
        best = min([*ranked, *(self._with_wings(f) for f in first)], key=worth)
        # A room seen square on may hold little that runs into the picture, and much askew that runs to points of its own.
        if worth(best) > SQUARE_GAIN:
            facing = self._with_wings(min(self._square, key=worth, default=best))
            best = facing if worth(facing) < worth(best) - SQUARE_GAIN else best
        return labelled(best, Lines.of(self._segments, self._size))

    @cached_property
    def _square(self) -> list[Frame]:
        return [self._refine(start) for start in square_starts(self._lines, self._rng, self._prior)]


def _own_worth(frame: Frame, lines: Lines, prior: float, noise: float) -> float:
    """What speaks against a frame by its lines and its liberties alone."""
    return cost(frame, lines, noise) + _liberty(frame, lines) + _unusual(frame, lines, prior)


def _with_wings(frame: Frame, lines: Lines, prior: float, noise: float) -> Frame:
    """The frame, its focal length as what stands askew tells it where its own axes do not.

    Two level directions at right angles run to two points of one horizon, whatever the frame's heading.
    """
    if frame.make == "parallel" or frame.observed:
        return frame

    @cache
    def worth(focal: float) -> float:
        other = replace(frame, focal=focal)
        return cost(other, lines, noise) + _unusual(other, lines, prior)

    focals = frame.focal * np.exp(np.arange(-WING_STEPS, WING_STEPS + 1) * WING_STEP)
    best = min(focals, key=worth)
    finer = min(best * np.exp(np.linspace(-0.8, 0.8, 9) * WING_STEP), key=worth)
    if worth(finer) > worth(frame.focal) - WING_TELLS:
        return frame
    turned = _refined(replace(frame, focal=finer), lines, finer / lines.width, noise)
    return replace(turned, observed=True)


def _liberty(frame: Frame, lines: Lines) -> float:
    """What a frame must gain, in mean cost a segment, before it is believed."""
    flat = 0.0 if _shows_depth(frame, lines) else FLAT
    if frame.make != "parallel":
        standing = lines.weight[frame.label == 2].sum() / lines.weight.sum()
        flat += UNSTOOD * max(1.0 - standing / FEWEST_UPRIGHTS, 0.0)
    square = _is_square(frame)
    if frame.make == "parallel" and (square or _hides_depth(frame)):
        return UNEXPLAINED * (1 - frame.share) + UNTOLD * (not square)
    if not frame.observed and frame.make == "centred":
        return UNSURE_FOCAL + flat
    shift, roll = float(np.hypot(*frame.centre)) / lines.width, _roll(frame)
    rolled = ROLLED * (roll > UPRIGHT) + MORE_ROLL * max(roll - USUAL_ROLL, 0.0)
    if frame.make == "shifted" and not frame.observed and not square:
        return UNSURE_SHIFT + MORE_SHIFT * shift + rolled + flat
    return LIBERTY[frame.make] + MORE_SHIFT * max(shift - USUAL_SHIFT, 0.0) + rolled + flat


def _unusual(frame: Frame, lines: Lines, prior: float) -> float:
    """What a frame must gain for how unusual its lens, or the pitch of its parallel view, is."""
    if frame.make != "parallel":
        tilt = np.arcsin(np.clip(-frame.axes[2, 2], -1.0, 1.0))
        lens = np.log(frame.focal / (prior * lines.width)) / PRIOR_SPREAD
        return float(UNUSUAL_FOCAL * lens**2 + UNUSUAL_TILT * ((tilt - USUAL_TILT) / TILT_SPREAD) ** 2)
    pitch = float(np.arcsin(min(abs(frame.axes[2, 2]), 1.0)))
    if _is_square(frame) or pitch < SQUARE:
        return 0.0
    return UNUSUAL_PITCH * ((pitch - USUAL_PITCH) / PITCH_SPREAD) ** 2


def _is_square(frame: Frame) -> bool:
    """Whether an axis runs straight into the picture."""
    return bool(np.linalg.norm(frame.axes[:, :2], axis=1).min() < SQUARE)


def _hides_depth(frame: Frame) -> bool:
    """Whether what runs into a parallel view runs the same way on paper as its uprights, or as the third axis."""
    ways = frame.axes[:, :2] / np.linalg.norm(frame.axes[:, :2], axis=1)[:, None]
    sines = [abs(ways[a, 0] * ways[b, 1] - ways[a, 1] * ways[b, 0]) for a, b in ((0, 1), (0, 2), (1, 2))]
    return min(sines) < SAME_WAY


def _shows_depth(frame: Frame, lines: Lines) -> bool:
    """Whether some lines run into the picture, or it is a parallel view; a face seen square on, with none, is an elevation."""
    if frame.make == "parallel":
        return True
    points = vanishing_points(frame)
    near = ~np.array([is_far(v, lines.width) for v in points])
    own = lines.weight[np.isin(frame.label, np.flatnonzero(near))].sum()
    return bool(own > 0.02 * lines.weight.sum())


def _best_of_each_make(ranked: list[Frame]) -> list[Frame]:
    """The first two frames of each make that differ."""
    out: list[Frame] = []
    for frame in ranked:
        same = [other for other in out if other.make == frame.make]
        if len(same) < 2 and all(differ(frame, other) for other in same):
            out.append(frame)
    return out


def _roll(frame: Frame) -> float:
    """Sine of the angle by which a lens is turned about its own axis; 0 in parallel projection."""
    return 0.0 if frame.make == "parallel" else abs(float(frame.axes[2, 0]))


def _upright(frame: Frame) -> Frame:
    """The frame seen by the same lens without its roll."""
    x, y = frame.axes[2, :2] / np.hypot(*frame.axes[2, :2])
    return replace(frame, axes=frame.axes @ np.array([[-y, -x, 0.0], [x, -y, 0.0], [0.0, 0.0, 1.0]]))


def _refined(frame: Frame, lines: Lines, prior: float, noise: float, *, rolls: bool = True) -> Frame:
    """Robust least squares over turn, focal length and, for a shifted lens, the principal point.

    A lens that does not roll (`rolls`) turns about its level axis and about the uprights alone.
    """
    from scipy.optimize import least_squares

    width, moves = lines.width, {"centred": 4, "shifted": 6, "parallel": 3}[frame.make]
    before = np.zeros(0, int)
    for _ in range(3):
        frame = labelled(frame, lines)
        used = np.flatnonzero(frame.label >= 0)
        if len(used) < 4 or np.array_equal(frame.label, before):
            return frame
        before = frame.label
        own = [np.ascontiguousarray(values[used]) for values in (lines.middle, lines.direction, lines.length, before)]
        root = np.sqrt(lines.weight[used] / lines.length[used]) / noise

        def lens(p, base=frame):
            focal = base.focal * np.exp(np.clip(p[3], -2, 2)) if moves > 3 else base.focal
            centre = base.centre + p[4:6] * width if moves > 4 else base.centre
            return focal, centre

        def residuals(p, base=frame, own=own, root=root, lens=lens):
            focal, centre = lens(p)
            points = points_of(_turned(base.axes, p, rolls), focal, centre, moves == 3)
            out = [misses(points, *own) * root]
            # A front seen square on does not tell its tilt, which stays as it was.
            out.append([np.log(focal / (prior * width)) / PRIOR_SPREAD] if moves > 3 else STAYING * p)
            if moves > 4:
                out.append(centre / (0.15 * width))
            return np.concatenate(out)

        solved = least_squares(residuals, np.zeros(moves), loss="cauchy", f_scale=2.0, max_nfev=30)
        focal, centre = lens(solved.x)
        frame = replace(frame, centre=centre, axes=_turned(frame.axes, solved.x, rolls))
        if moves > 3:
            focal = float(np.clip(focal, FOCAL_RANGE[0] * width, FOCAL_RANGE[1] * width))
            # Rounding may leave what is not told at all a little below zero.
            variance = np.linalg.pinv(solved.jac.T @ solved.jac)[3, 3]
            spread = float(np.sqrt(variance)) if 0 < variance < PRIOR_SPREAD**2 else PRIOR_SPREAD
            frame = replace(frame, focal=focal, observed=bool(0 < variance < UNOBSERVED**2), spread=spread)
    return labelled(frame, lines)


@njit(cache=True)
def _turned(axes, p, rolls):
    """Rows `axes` (3, 3) turned by a rotation vector p[:3], or, where a lens does not roll, by p[0] about its level axis and
    by p[1] about the third row."""
    if rolls:
        return axes @ _rotation(p[0], p[1], p[2])
    return _rotation(0.0, 0.0, p[1]) @ (axes @ _rotation(p[0], 0.0, 0.0))


@njit(cache=True)
def _rotation(x, y, z):
    """Rotation matrix of a rotation vector (Rodrigues)."""
    angle = np.sqrt(x * x + y * y + z * z)
    c, s = np.cos(angle), 1.0
    versine = 0.5
    if angle > 1e-6:
        s, versine = np.sin(angle) / angle, (1.0 - c) / (angle * angle)
    return np.array([
        [c + versine * x * x, versine * x * y - s * z, versine * x * z + s * y],
        [versine * x * y + s * z, c + versine * y * y, versine * y * z - s * x],
        [versine * x * z - s * y, versine * y * z + s * x, c + versine * z * z],
    ])  # fmt: skip
