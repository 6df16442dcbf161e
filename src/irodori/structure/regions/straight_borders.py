"""Borders between regions of a drawing, straight where the pen meant them to be.

A pen's line is a few pixels broad and its rim is ragged: where two regions met in the middle of one, the border is a row of teeth.
What runs straight within the line's breadth is put on the fitted line, with the coverage that this gives each pixel.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.structure.regions.border_coverage import Coverage

LOOSE = 1.7
"""px by which a border may leave its straight line and still be straight."""

SHORTEST = 9.0
"""px of a border under which it stays as it is."""

MOST_SPLITS = 6


def straightened(coverage: Coverage, unit: float = 1.0) -> Coverage:
    """The coverage with straight borders.

    Parameters
    ----------
    unit
        The picture's width over 1280: pens are as much broader in larger pictures.
    """
    labels = coverage.labels
    out, second, share = labels.copy(), coverage.second.copy(), coverage.share.copy()
    toward = coverage.toward.copy()
    for pair, cracks in cracks_by_pair(labels).items():
        for run in straight_runs(cracks, LOOSE * unit):
            _lay(run, pair, labels, out, second, share, toward, LOOSE * unit)
    return replace(coverage, labels=out, second=second, share=share, toward=toward)


def cracks_by_pair(labels: np.ndarray) -> dict[tuple[int, int], np.ndarray]:
    """Where pixels of two regions touch, (n, 2) px, by the pair of regions, the lesser first."""
    top = int(labels.max()) + 1
    codes, spots = [], []
    for here, there, shift in (
        (labels[:, :-1], labels[:, 1:], (1.0, 0.5)), (labels[:-1], labels[1:], (0.5, 1.0))
    ):  # fmt: skip
        y, x = np.nonzero(here != there)
        one, other = here[y, x].astype(np.int64), there[y, x].astype(np.int64)
        codes.append(np.minimum(one, other) * top + np.maximum(one, other))
        spots.append(np.stack([x + shift[0], y + shift[1]], axis=1))
    code, spot = np.concatenate(codes), np.concatenate(spots)
    order = np.argsort(code, kind="stable")
    pairs, starts = np.unique(code[order], return_index=True)
    return {
        (int(pair) // top, int(pair) % top): own
        for pair, own in zip(pairs, np.split(spot[order], starts[1:]))
        if len(own) >= SHORTEST
    }


def straight_runs(cracks: np.ndarray, loose: float):
    """Straight pieces of the borders between two regions: middle, unit way (2,) and reach to both sides, px.

    `cracks` (n, 2) px are in no order; `loose` px is how far one may leave its line.
    """
    import cv2

    # On a grid of half pixels cracks of one border touch each other.
    spot = np.round(cracks * 2).astype(int)
    low = spot.min(axis=0) - 1
    canvas = np.zeros(tuple((spot.max(axis=0) - low + 2)[::-1]), np.uint8)
    canvas[spot[:, 1] - low[1], spot[:, 0] - low[0]] = 1
    _, parts = cv2.connectedComponents(cv2.dilate(canvas, np.ones((3, 3), np.uint8)), connectivity=8)
    own = parts[spot[:, 1] - low[1], spot[:, 0] - low[0]]
    for part in np.unique(own):
        yield from _runs_of(cracks[own == part], loose, 0)


def _runs_of(points: np.ndarray, loose: float, splits: int):
    if len(points) < SHORTEST:
        return
    middle = points.mean(axis=0)
    way = np.linalg.svd(points - middle, full_matrices=False)[2][0]
    along = (points - middle) @ way
    aside = (points - middle) @ np.array([-way[1], way[0]])
    if np.ptp(along) < SHORTEST:
        return
    far = np.abs(aside)
    if far.max() <= loose or (np.quantile(far, 0.95) <= 0.6 * loose and far.max() <= 1.6 * loose):
        yield middle, way, (float(along.min()), float(along.max()))
        return
    if splits == MOST_SPLITS:
        return
    # Parted where it leaves the line through its ends the most.
    ends = points[along.argmin()], points[along.argmax()]
    chord = (ends[1] - ends[0]) / max(float(np.hypot(*(ends[1] - ends[0]))), 1e-6)
    off = np.abs((points - ends[0]) @ np.array([-chord[1], chord[0]]))
    cut = along[off.argmax()]
    for side in (along <= cut, along > cut):
        yield from _runs_of(points[side], loose, splits + 1)


def _lay(run, pair, labels, out, second, share, toward, loose) -> None:
    """Give the pixels of two regions beside a straight border to the side that they lie on, in place."""
    middle, way, (start, end) = run
    normal = np.array([-way[1], way[0]])
    reach = loose + 1.5
    corners = np.array([middle + way * t + normal * s for t in (start, end) for s in (-reach, reach)])
    left, top = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    right, bottom = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 1, labels.shape[::-1])
    if right <= left or bottom <= top:
        return
    y, x = np.mgrid[top:bottom, left:right]
    aside = (x + 0.5 - middle[0]) * normal[0] + (y + 0.5 - middle[1]) * normal[1]
    along = (x + 0.5 - middle[0]) * way[0] + (y + 0.5 - middle[1]) * way[1]
    was = labels[top:bottom, left:right]
    band = (
        (np.abs(aside) <= reach) & (along >= start - 0.5) & (along <= end + 0.5) & ((was == pair[0]) | (was == pair[1]))
    )
    first, other = band & (was == pair[0]), band & (was == pair[1])
    if not first.any() or not other.any():
        return
    a, b = pair if aside[first].mean() < aside[other].mean() else pair[::-1]
    y, x, aside = y[band], x[band], aside[band]
    out[y, x] = np.where(aside < 0, a, b)
    second[y, x] = np.where(aside < 0, b, a)
    half = np.abs(normal).sum() / 2
    share[y, x] = np.clip(0.5 - np.abs(aside) / (2 * half), 0, 0.5) if half > 0 else 0
    step = np.sign(normal * (np.abs(normal) == np.abs(normal).max())).astype(np.int8)
    toward[y, x] = np.where((aside < 0)[:, None], step, -step)
