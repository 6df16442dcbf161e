"""The global part of a drift: scale, rotation and shift."""

from __future__ import annotations

import math

import numpy as np

COARSE_SIDE = 640

REST = 0.04
"""How strongly a motion is pulled to rest, beside evidence all over the picture: it takes a thousandth or two off what is seen whole."""


def coarse_shift(reference: np.ndarray, picture: np.ndarray) -> np.ndarray:
    """Whole-picture shift (2,) px from gradient energies (H, W) by phase correlation (Kuglin & Hines, 1975).

    Zero when the correlation does not clearly prefer another place.
    """
    import cv2

    height, width = reference.shape
    factor = min(1.0, COARSE_SIDE / max(height, width))
    size = (max(int(width * factor), 16), max(int(height * factor), 16))
    a, b = (cv2.resize(np.sqrt(e), size, interpolation=cv2.INTER_AREA).astype(np.float64) for e in (reference, picture))
    window = cv2.createHanningWindow(size, cv2.CV_64F)
    (dx, dy), response = cv2.phaseCorrelate(a - a.mean(), b - b.mean(), window)
    found = np.array([dx, dy]) / factor
    if response < 0.05 or np.hypot(*found) < 1.5:
        return np.zeros(2)
    return found


def fit_similarity(
    centre: np.ndarray, normal: np.ndarray, drift: np.ndarray, weight: np.ndarray, middle: np.ndarray, so_far: np.ndarray | None = None
) -> np.ndarray:  # fmt: skip
    """Shift x, shift y (px), scale − 1 and rotation (radians) that best explain drifts across edges.

    Parameters
    ----------
    centre, normal
        (P, 2) px; edges tell a motion only across themselves.
    drift
        (P,) px.
    middle
        (2,) px: the point about which scale and rotation are measured.
    so_far
        (4,) of which the motion is more; None for none.

    Returns
    -------
    (4,) float64, by iteratively reweighted least squares with Cauchy weights.
    """
    if len(centre) < 8:
        return np.zeros(4)
    rel = centre - middle
    design = np.stack(
        [normal[:, 0], normal[:, 1], (normal * rel).sum(axis=1), normal[:, 1] * rel[:, 0] - normal[:, 0] * rel[:, 1]],
        axis=1,
    )
    unit = np.array([1.0, 1.0, np.abs(rel).max() + 1, np.abs(rel).max() + 1])
    design = design / unit
    rest = np.zeros(4) if so_far is None else -so_far * unit
    w = weight.copy()
    solution = np.zeros(4)
    for _ in range(12):
        root = np.sqrt(w)[:, None]
        # A pull to rest keeps evidence from one direction, or from one side, from running away.
        pull = REST * math.sqrt(max(w.sum(), 1e-9))
        lhs = np.concatenate([design * root, pull * np.eye(4)])
        solution = np.linalg.lstsq(lhs, np.concatenate([drift * root[:, 0], pull * rest]), rcond=None)[0]
        left = drift - design @ solution
        spread = max(1.5 * float(np.median(np.abs(left))), 0.05)
        w = weight / (1 + (left / spread) ** 2)
    return solution / unit


def apply_similarity(solution: np.ndarray, points: np.ndarray, middle: np.ndarray) -> np.ndarray:
    """Where the motion takes points (N, 2) px."""
    rel = points - middle
    turned = np.stack([-rel[:, 1], rel[:, 0]], axis=1)
    return points + solution[:2] + rel * solution[2] + turned * solution[3]
