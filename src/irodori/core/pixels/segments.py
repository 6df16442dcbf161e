"""Straight line segments at sub-pixel precision."""

from __future__ import annotations

import numpy as np
from numba import njit

CELL, ASIDE = 24.0, 2.2
"""px: cells in which twins are looked for, and how far aside one may lie."""


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
    return lines[_first_of_twins(lines)]


@njit(cache=True)
def empty_cells(lines, cell):
    """Cells of the picture, `cell` px a side and with a rim of empty ones, to list the segments that pass through them.

    Returns their left and top, px, the number of columns, each cell's newest entry or −1, and room for all entries:
    which segment, and the entry before it in its cell.
    """
    left = min(lines[:, 0].min(), lines[:, 2].min()) - cell
    top = min(lines[:, 1].min(), lines[:, 3].min()) - cell
    columns = int((max(lines[:, 0].max(), lines[:, 2].max()) - left) // cell) + 2
    rows = int((max(lines[:, 1].max(), lines[:, 3].max()) - top) // cell) + 2
    total = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]).sum()
    most = len(lines) * 3 + int(total // (cell / 2))
    return left, top, columns, np.full(rows * columns, -1, np.int64), np.empty(most, np.int64), np.empty(most, np.int64)


@njit(cache=True)
def enter_cells(line, number, left, top, cell, columns, newest, entries, before, count):
    """List a segment in each cell that it passes through; returns how many entries there are then."""
    x0, y0, x1, y1 = line
    steps = max(int(np.hypot(x1 - x0, y1 - y0) // (cell / 2)), 1)
    for step in range(steps + 1):
        column = int((x0 + step / steps * (x1 - x0) - left) // cell)
        row = int((y0 + step / steps * (y1 - y0) - top) // cell)
        at = row * columns + column
        if newest[at] < 0 or entries[newest[at]] != number:
            entries[count], before[count] = number, newest[at]
            newest[at] = count
            count += 1
    return count


@njit(cache=True)
def _first_of_twins(lines):
    """Segments (N,) bool that do not lie within two pixels of a longer one, which stands before them, over their length."""
    keep = np.zeros(len(lines), np.bool_)
    if len(lines) == 0:
        return keep
    left, top, columns, newest, entries, before = empty_cells(lines, CELL)
    count = 0
    for i in range(len(lines)):
        x0, y0, x1, y1 = lines[i]
        column, row = int(((x0 + x1) / 2 - left) // CELL), int(((y0 + y1) / 2 - top) // CELL)
        twin = False
        for y in range(row - 1, row + 2):
            for x in range(column - 1, column + 2):
                entry = newest[y * columns + x]
                while entry >= 0 and not twin:
                    twin = _is_twin(lines[entries[entry]], lines[i])
                    entry = before[entry]
        if twin:
            continue
        keep[i] = True
        count = enter_cells(lines[i], i, left, top, CELL, columns, newest, entries, before, count)
    return keep


@njit(cache=True)
def _is_twin(longer, shorter):
    dx, dy = longer[2] - longer[0], longer[3] - longer[1]
    length = np.hypot(dx, dy)
    dx, dy = dx / length, dy / length
    ax, ay, bx, by = shorter[0] - longer[0], shorter[1] - longer[1], shorter[2] - longer[0], shorter[3] - longer[1]
    if abs(ay * dx - ax * dy) >= ASIDE or abs(by * dx - bx * dy) >= ASIDE:
        return False
    a, b = ax * dx + ay * dy, bx * dx + by * dy
    inside = abs(min(max(b, 0.0), length) - min(max(a, 0.0), length))
    return inside > 0.6 * abs(b - a)
