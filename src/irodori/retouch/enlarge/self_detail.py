"""Fine detail of a larger picture, from the picture itself: what a place looks like twice as coarse it looks like here, finer.

Freedman and Fattal, Image and video upscaling from local self-examples, ACM TOG 30(2), 2011.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit, prange

STRENGTH = 0.5
"""Share of the found detail that is added: matches are never perfect, and too little is softer than false."""

REACH = 2
"""px of the small picture, round the same place, that examples are looked for in."""

ROUND = 1
"""px of a patch on either side of its middle."""


def resized(picture: np.ndarray, size: tuple[int, int], by: int = cv2.INTER_LANCZOS4) -> np.ndarray:
    """A picture (H, W, C) float32 in another `size` (width, height)."""
    out = cv2.resize(np.ascontiguousarray(picture, np.float32), size, interpolation=by)
    return out.reshape(size[1], size[0], -1)


def shrunk(picture: np.ndarray, times: int) -> np.ndarray:
    """Means of blocks of `times` × `times` pixels."""
    height, width = picture.shape[:2]
    return picture.reshape(height // times, times, width // times, times, -1).mean(axis=(1, 3))


def with_own_detail(small: np.ndarray, times: int) -> np.ndarray:
    """The picture `small`, (H, W, 3) float32, `times` as large with fine detail continued, not yet true to `small`."""
    height, width = small.shape[:2]
    now, scale = small, 1.0
    while scale < times:
        ratio = min(2.0, times / scale)
        scale *= ratio
        size = round(width * scale), round(height * scale)
        large = resized(now, size)
        coarse = (max(round(now.shape[1] / ratio), 1), max(round(now.shape[0] / ratio), 1))
        blurred = resized(resized(now, coarse, cv2.INTER_AREA), now.shape[1::-1])
        now = large + np.float32(STRENGTH) * _matched(large, blurred, now - blurred, ratio)
    return now


@njit(parallel=True, cache=True)
def _matched(large, blurred, detail, ratio):
    height, width, colours = large.shape
    rows, columns = blurred.shape[:2]
    out = np.zeros_like(large)
    for y in prange(height):
        for x in range(width):
            cy, cx = int(y / ratio), int(x / ratio)
            best, by, bx = np.float32(1e9), -1, -1
            for v in range(max(cy - REACH, ROUND), min(cy + REACH + 1, rows - ROUND)):
                for u in range(max(cx - REACH, ROUND), min(cx + REACH + 1, columns - ROUND)):
                    away = np.float32(0)
                    for j in range(-ROUND, ROUND + 1):
                        yy = min(max(y + j, 0), height - 1)
                        for i in range(-ROUND, ROUND + 1):
                            xx = min(max(x + i, 0), width - 1)
                            for k in range(colours):
                                d = large[yy, xx, k] - blurred[v + j, u + i, k]
                                away += d * d
                    if away < best:
                        best, by, bx = away, v, u
            if by >= 0:
                for k in range(colours):
                    out[y, x, k] = detail[by, bx, k]
    return out
