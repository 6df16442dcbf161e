"""Straight line segments at sub-pixel precision."""

from __future__ import annotations

import numpy as np


def find_segments(encoded: np.ndarray, *, shortest: float = 8.0) -> np.ndarray:
    """Line segments (N, 4) float64 x0, y0, x1, y1 in px, longest first.

    The line segment detector of von Gioi et al. (IPOL 2012) on each channel, since grey misses borders between
    colours of equal brightness; near-duplicates are dropped.
    """
    import cv2

    detector = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD)
    found = []
    for channel in range(3):
        lines = detector.detect(np.ascontiguousarray(encoded[..., channel]))[0]
        if lines is not None:
            found.append(np.asarray(lines, np.float64).reshape(-1, 4))
    if not found:
        return np.zeros((0, 4))
    # OpenCV puts pixel centres at integers; ours lie at integer + 0.5.
    lines = np.concatenate(found) + 0.5
    length = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1])
    lines = lines[length >= shortest]
    lines = lines[np.argsort(-np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]), kind="stable")]
    return _without_twins(lines)


def _without_twins(lines: np.ndarray) -> np.ndarray:
    """Drop segments that lie within two pixels of a longer one over their length."""
    keep: list[int] = []
    cells: dict[tuple[int, int], list[int]] = {}
    for i, (x0, y0, x1, y1) in enumerate(lines):
        mx, my = (x0 + x1) / 2, (y0 + y1) / 2
        key = (int(mx // 24), int(my // 24))
        twin = False
        for dx in (-1, 0, 1):
            for dy in (-1, 0, 1):
                for j in cells.get((key[0] + dx, key[1] + dy), ()):
                    if _is_twin(lines[j], lines[i]):
                        twin = True
        if twin:
            continue
        keep.append(i)
        steps = max(int(np.hypot(x1 - x0, y1 - y0) // 12), 1)
        for t in np.linspace(0, 1, steps + 1):
            cell = (int((x0 + t * (x1 - x0)) // 24), int((y0 + t * (y1 - y0)) // 24))
            bucket = cells.setdefault(cell, [])
            if not bucket or bucket[-1] != i:
                bucket.append(i)
    return lines[keep]


def _is_twin(longer: np.ndarray, shorter: np.ndarray) -> bool:
    direction = longer[2:] - longer[:2]
    length = np.hypot(*direction)
    direction = direction / length
    across = np.array([-direction[1], direction[0]])
    ends = shorter.reshape(2, 2) - longer[:2]
    along = ends @ direction
    inside = np.ptp(np.clip(along, 0, length)) > 0.6 * np.ptp(along)
    return bool((np.abs(ends @ across) < 2.2).all() and inside)
