"""Laying paths down: how much of each pixel their strokes cover."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.picture.drawing.paths import Paths

STRAIGHT = 0.01
"""Sine of the turn up to which two pieces of a stroke are one line."""


def cover_of(paths: Paths, size: tuple[int, int], *, once: bool = False) -> np.ndarray:
    """Share of each pixel under strokes, (H, W) float32, 0 … 1.

    A stroke narrower than a pixel covers as much as it is wide, so that means are exact. Where strokes cross, what both leave is the
    product of what each leaves; with `once` the larger of both counts, as for outlines that share their ends.
    """
    out = np.zeros((size[1], size[0]), np.float32)
    _lay(paths.points, paths.width, paths.starts, once, out)
    return out


def colours_of(paths: Paths, size: tuple[int, int], ground: np.ndarray, *, strength: float = 1.0) -> np.ndarray:
    """`ground` (H, W, 3), sRGB-encoded, with transparent strokes over it: each multiplies what lies under it by its own colour."""
    out = np.ascontiguousarray(ground, np.float32).copy()
    assert paths.colour is not None
    _glaze(paths.points, paths.width, paths.starts, paths.colour.astype(np.float32), np.float32(strength), out)
    return out


@njit(cache=True, nogil=True)
def _share(away, half):
    """Overlap of a pixel `away` from the middle of a stroke with the stroke of `half` its width."""
    return min(
        max(min(away + np.float32(0.5), half) - max(away - np.float32(0.5), -half), np.float32(0)), np.float32(1)
    )


@njit(cache=True, nogil=True)
def _span(points, width, i, wide, high):
    """Pixels that segment i … i + 1 may touch."""
    reach = max(width[i], width[i + 1]) * np.float32(0.5) + np.float32(1)
    x0 = max(int(np.floor(min(points[i, 0], points[i + 1, 0]) - reach)), 0)
    x1 = min(int(np.ceil(max(points[i, 0], points[i + 1, 0]) + reach)), wide)
    y0 = max(int(np.floor(min(points[i, 1], points[i + 1, 1]) - reach)), 0)
    y1 = min(int(np.ceil(max(points[i, 1], points[i + 1, 1]) + reach)), high)
    return x0, x1, y0, y1


@njit(cache=True, nogil=True)
def _overlap(points, width, i, dx, dy, first, last):
    """px by which the pieces of a broad stroke overlap where it bends, or paper would show between."""
    if width[i] <= np.float32(2):
        return np.float32(0)
    for k in (i - 1, i + 1):
        if first <= k < last:
            ex, ey = points[k + 1, 0] - points[k, 0], points[k + 1, 1] - points[k, 1]
            if (dx * ey - dy * ex) ** 2 > STRAIGHT**2 * (ex * ex + ey * ey):
                return np.float32(0.5)
    return np.float32(0)


@njit(cache=True, nogil=True)
def _covered(points, width, i, x, y, dx, dy, length, begins, ends, over):
    """How much of the pixel (x, y) segment i covers; pixels beyond its ends belong to the next one, or are cut off softly."""
    ex, ey = x + np.float32(0.5) - points[i, 0], y + np.float32(0.5) - points[i, 1]
    along = ex * dx + ey * dy
    away = abs(ex * dy - ey * dx)
    share = min(max(along / length, np.float32(0)), np.float32(1))
    cover = _share(away, (width[i] + (width[i + 1] - width[i]) * share) * np.float32(0.5))
    if cover <= 0:
        return np.float32(0)
    if begins:
        cover *= min(max(along + np.float32(0.5), np.float32(0)), np.float32(1))
    elif along < -over:
        return np.float32(0)
    if ends:
        cover *= min(max(length - along + np.float32(0.5), np.float32(0)), np.float32(1))
    elif along >= length + over:
        return np.float32(0)
    return cover


@njit(cache=True, nogil=True)
def _lay(points, width, starts, once, out):
    high, wide = out.shape
    for s in range(len(starts) - 1):
        for i in range(starts[s], starts[s + 1] - 1):
            if width[i] <= 0 and width[i + 1] <= 0:
                continue
            dx, dy = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            length = np.float32(np.sqrt(dx * dx + dy * dy))
            if length < np.float32(1e-4):
                continue
            dx, dy = dx / length, dy / length
            begins, ends = i == starts[s], i == starts[s + 1] - 2
            over = _overlap(points, width, i, dx, dy, starts[s], starts[s + 1] - 1)
            # Outlines are rounded at their corners.
            begins, ends = begins or once, ends or once
            x0, x1, y0, y1 = _span(points, width, i, wide, high)
            for y in range(y0, y1):
                for x in range(x0, x1):
                    cover = _covered(points, width, i, x, y, dx, dy, length, begins, ends, over)
                    if cover <= 0:
                        continue
                    if once:
                        out[y, x] = max(out[y, x], cover)
                    else:
                        out[y, x] += (np.float32(1) - out[y, x]) * cover


@njit(cache=True, nogil=True)
def _glaze(points, width, starts, colour, strength, out):
    high, wide = out.shape[:2]
    for s in range(len(starts) - 1):
        for i in range(starts[s], starts[s + 1] - 1):
            dx, dy = points[i + 1, 0] - points[i, 0], points[i + 1, 1] - points[i, 1]
            length = np.float32(np.sqrt(dx * dx + dy * dy))
            if length < np.float32(1e-4):
                continue
            dx, dy = dx / length, dy / length
            begins, ends = i == starts[s], i == starts[s + 1] - 2
            over = _overlap(points, width, i, dx, dy, starts[s], starts[s + 1] - 1)
            x0, x1, y0, y1 = _span(points, width, i, wide, high)
            for y in range(y0, y1):
                for x in range(x0, x1):
                    cover = strength * _covered(points, width, i, x, y, dx, dy, length, begins, ends, over)
                    if cover > 0:
                        for k in range(3):
                            out[y, x, k] *= np.float32(1) - cover * (np.float32(1) - colour[s, k])
