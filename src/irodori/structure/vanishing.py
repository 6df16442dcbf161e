"""The camera from line segments: of all frames to start from the best of each make is refined by robust least squares on
the segments' ends, and the make that explains them with the fewest liberties is taken."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.structure.frame import FOCAL_RANGE, Frame, Lines, cost, is_far, labelled, misses, vanishing_points
from irodori.structure.frame_starts import differ, parallel_starts, perspective_starts

PRIOR_FOCAL = 0.87
"""Focal length over picture width, where the picture does not tell."""

PRIOR_SPREAD = 0.35
"""Standard deviation of its logarithm."""

NOISE = 0.5
"""px by which the ends of a segment miss their line, typically."""

SHORTEST = 14.0
"""px of a segment that has a say about the camera."""

LIBERTY = {"centred": 0.02, "shifted": 0.15, "parallel": 0.06}
"""What a make of camera must gain, in mean cost a segment, before it is believed over a plainer one."""

ROLLED, UPRIGHT, MOST_ROLL = 0.05, 0.0002, 0.05
"""What a lens that rolls must gain; sine of the roll up to which it does not; and up to which it may be tried without."""

USUAL_SHIFT, MORE_SHIFT, UNSURE_SHIFT = 0.15, 2.0, 0.6
"""Share of the picture's width by which a lens is shifted at most, usually; what each further width must gain; and what a shift
must gain beside a focal length that the picture does not tell, for which it can make up."""

UNSURE_FOCAL = 0.08
"""What a centred lens must gain whose focal length the picture does not tell: a parallel view explains as little."""

SQUARE, UNEXPLAINED = 0.07, 3.0
"""Sine of the angle up to which an axis of a parallel view runs straight into the picture; and what such a view of a front must
gain where not all lines run across it or up it."""


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
    lines = Lines.of(segments[long], size)
    rng = np.random.default_rng(seed)
    found = [*perspective_starts(lines, rng, prior), *parallel_starts(lines, rng)]
    refined = [_refined(start, lines, prior, noise) for start in found]
    deep = [frame for frame in refined if frame.make == "parallel" or _shows_depth(frame, lines)] or refined

    def worth(frame: Frame) -> float:
        return cost(frame, lines, noise) + _liberty(frame, lines.width)

    # Hardly any camera rolls; held upright, a lens tells its tilt, its shift and its focal length better.
    leading = _best_of_each_make(sorted(deep, key=worth))
    upright = [_refined(_upright(f), lines, prior, noise, rolls=False) for f in leading if 0 < _roll(f) < MOST_ROLL]
    ranked = sorted(deep + upright, key=worth)
    return labelled(ranked[0], Lines.of(segments, size)) if ranked else None


def _liberty(frame: Frame, width: int) -> float:
    """What a frame must gain, in mean cost a segment, before it is believed."""
    square = np.linalg.norm(frame.axes[:, :2], axis=1).min() < SQUARE
    if frame.make == "parallel" and square:
        return UNEXPLAINED * (1 - frame.share)
    if not frame.observed and frame.make == "centred":
        return UNSURE_FOCAL
    if frame.make == "shifted" and not frame.observed and not square:
        return UNSURE_SHIFT
    shift = float(np.hypot(*frame.centre)) / width
    return LIBERTY[frame.make] + ROLLED * (_roll(frame) > UPRIGHT) + MORE_SHIFT * max(shift - USUAL_SHIFT, 0.0)


def _shows_depth(frame: Frame, lines: Lines) -> bool:
    """Whether some lines run into the picture; a face seen square on, with none, is an elevation."""
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
    from scipy.spatial.transform import Rotation

    width, moves = lines.width, {"centred": 4, "shifted": 6, "parallel": 3}[frame.make]
    for _ in range(3):
        frame = labelled(frame, lines)
        used = np.flatnonzero(frame.label >= 0)
        if len(used) < 4:
            return frame
        root = np.sqrt(lines.weight[used] / lines.length[used])

        def moved(p, base=frame):
            axes = base.axes @ Rotation.from_rotvec(p[:3] if rolls else [p[0], 0, 0]).as_matrix()
            if not rolls:
                axes = Rotation.from_rotvec([0, 0, p[1]]).as_matrix() @ axes
            focal = base.focal * np.exp(np.clip(p[3], -2, 2)) if moves > 3 else base.focal
            centre = base.centre + p[4:6] * width if moves > 4 else base.centre
            return replace(base, focal=focal, centre=centre, axes=axes)

        def residuals(p, base=frame, used=used, root=root):
            now = moved(p, base)
            out = [misses(vanishing_points(now), lines, used, base.label[used]) * root / noise]
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
    return labelled(frame, lines)
