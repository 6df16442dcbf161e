"""Vanishing points and the camera, from line segments.

Hypotheses from pairs of segments, one Manhattan frame at a time; orthogonality of the frame gives the focal length
(Caprile and Torre, IJCV 4, 1990); the best frame is refined by robust least squares on the angles between segments
and the directions to their vanishing points.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

PRIOR_FOCAL = 0.87
"""Focal length over picture width, where the picture does not tell."""

FOCAL_RANGE = (0.35, 3.2)


@dataclass(frozen=True, eq=False)
class Frame:
    """`focal` px; `axes` (3, 3) rows: two level directions and up, in the camera frame (x right, y down, z forward);
    `label` (N,) which axis each segment runs along, −1 = none; `share` of line length explained; `observed` whether
    the picture tells the focal length."""

    focal: float
    axes: np.ndarray
    label: np.ndarray
    share: float
    observed: bool


@njit(cache=True)
def _score(homogeneous, middle, direction, length, points, tolerance, label):
    """Explained length; each segment goes to the vanishing point it fits best."""
    total = 0.0
    for i in range(len(length)):
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
            total += length[i] * (1.0 - (best / limit) ** 2)
    return total


def estimate_frame(segments: np.ndarray, size: tuple[int, int], seed: int = 1) -> Frame | None:
    """Find the Manhattan frame of a perspective picture; None when there are too few lines."""
    if len(segments) < 8:
        return None
    width, height = size
    centre = np.array([width / 2, height / 2])
    ends = segments.reshape(-1, 2, 2) - centre
    step = ends[:, 1] - ends[:, 0]
    length = np.hypot(*step.T)
    direction, middle = step / length[:, None], ends.mean(axis=1)
    homogeneous = np.cross(
        np.append(ends[:, 0], np.ones((len(ends), 1)), 1), np.append(ends[:, 1], np.ones((len(ends), 1)), 1)
    )
    tolerance = np.sin(np.maximum(np.radians(1.0), np.arctan(1.2 / length)))
    weight = np.minimum(length, 0.35 * width)
    rng = np.random.default_rng(seed)
    label = np.empty(len(segments), np.int64)

    upright = np.abs(direction[:, 1]) > 0.88
    level = np.flatnonzero(~upright)
    if len(level) < 4:
        return None
    best = (-1.0, None)
    chance = weight[level] / weight[level].sum()
    for _ in range(2500):
        i, j, k, m = rng.choice(level, 4, p=chance)
        if i == j or k == m:
            continue
        v1, v2 = np.cross(homogeneous[i], homogeneous[j]), np.cross(homogeneous[k], homogeneous[m])
        focal, observed = _focal_of(v1, v2, width)
        if focal is None:
            continue
        axes = _axes_of(v1, v2, focal)
        if axes is None or abs(axes[2, 1]) < 0.72:  # up must look up: no more than about 45° of tilt
            continue
        points = axes * np.array([focal, focal, 1.0])
        score = _score(homogeneous, middle, direction, weight, points, tolerance, label)
        if not observed:
            score *= 0.93
        if score > best[0]:
            best = (score, (focal, axes, observed))
    if best[1] is None:
        return None
    focal, axes, observed = best[1]
    for _ in range(3):
        points = axes * np.array([focal, focal, 1.0])
        _score(homogeneous, middle, direction, weight, points, tolerance, label)
        focal, axes = _refine(focal, axes, label, middle, direction, weight, observed, width)
    points = axes * np.array([focal, focal, 1.0])
    _score(homogeneous, middle, direction, weight, points, tolerance, label)
    share = float(weight[label >= 0].sum() / weight.sum())
    return Frame(float(focal), axes, label.copy(), share, observed)


def _focal_of(v1: np.ndarray, v2: np.ndarray, width: int) -> tuple[float | None, bool]:
    """Focal length from two orthogonal vanishing points; the prior where one of them is at infinity."""
    far = [abs(v[2]) * 12 * width < np.hypot(v[0], v[1]) for v in (v1, v2)]
    if all(far):
        return None, False
    if any(far):
        return PRIOR_FOCAL * width, False
    a, b = v1[:2] / v1[2], v2[:2] / v2[2]
    square = -(a @ b)
    if square <= 0:
        return None, False
    focal = np.sqrt(square)
    if not FOCAL_RANGE[0] * width < focal < FOCAL_RANGE[1] * width:
        return None, False
    return float(focal), True


def _axes_of(v1: np.ndarray, v2: np.ndarray, focal: float) -> np.ndarray | None:
    a = np.array([v1[0] / focal, v1[1] / focal, v1[2]])
    b = np.array([v2[0] / focal, v2[1] / focal, v2[2]])
    a /= np.linalg.norm(a)
    b /= np.linalg.norm(b)
    b -= (a @ b) * a
    norm = np.linalg.norm(b)
    if norm < 0.3:
        return None
    b /= norm
    up = np.cross(a, b)
    if up[1] > 0:  # y points down in the camera frame
        up = -up
    return np.stack([a, b, up])


def _refine(focal, axes, label, middle, direction, weight, observed, width):
    from scipy.optimize import least_squares
    from scipy.spatial.transform import Rotation

    used = np.flatnonzero(label >= 0)
    if len(used) < 4:
        return focal, axes
    which, mid, way = label[used], middle[used], direction[used]
    root = np.sqrt(weight[used] / weight[used].mean())

    def residuals(p):
        turned = axes @ Rotation.from_rotvec(p[:3]).as_matrix()
        f = focal * np.exp(p[3])
        points = turned[which] * np.array([f, f, 1.0])
        dx = points[:, 0] - points[:, 2] * mid[:, 0]
        dy = points[:, 1] - points[:, 2] * mid[:, 1]
        sine = (dx * way[:, 1] - dy * way[:, 0]) / np.maximum(np.hypot(dx, dy), 1e-9)
        pull = 0.02 if observed else 30.0
        return np.append(sine * root * 200, pull * p[3])

    solved = least_squares(residuals, np.zeros(4), loss="cauchy", f_scale=1.0, max_nfev=40).x
    new_focal = float(np.clip(focal * np.exp(solved[3]), FOCAL_RANGE[0] * width, FOCAL_RANGE[1] * width))
    return new_focal, axes @ Rotation.from_rotvec(solved[:3]).as_matrix()
