"""Edges of areas that are painted flat, as soft as the picture's own."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from irodori.picture.buffers import Buffers

DAB = 0.8
"""px of a picture 1280 wide over which the edge of a dab of colour is soft."""


def soft_edges(buffers: Buffers, flat: np.ndarray) -> np.ndarray:
    """A picture (H, W, 3) whose pixels have the colour of what fills most of them, with that of all that is in them by its share.

    Leaves are dabbed, not drawn: their edges are those of the brush.
    """
    fragments = buffers.fragments
    starts = np.append(fragments.first(), len(fragments))
    flat = np.ascontiguousarray(flat, np.float32)
    out = _shared(flat, starts, fragments.region, fragments.weight)
    leafy = buffers.resolved(buffers.loose[fragments.region].astype(np.float32))[..., 0] > 0
    if leafy.any():
        out[leafy] = cv2.GaussianBlur(flat, (0, 0), DAB * buffers.scale)[leafy]
    return out


@njit(cache=True, nogil=True)
def _shared(flat, starts, region, weight):
    height, width = flat.shape[:2]
    out = flat.copy()
    for y in range(height):
        for x in range(width):
            p = y * width + x
            if starts[p + 1] - starts[p] < 2:
                continue
            for k in range(3):
                out[y, x, k] = np.float32(0)
            for i in range(starts[p], starts[p + 1]):
                # Its colour lies in a pixel beside this one that it fills.
                ty, tx, best = y, x, 99
                if i > starts[p]:
                    for dy in range(-2, 3):
                        for dx in range(-2, 3):
                            v, u = y + dy, x + dx
                            if 0 <= v < height and 0 <= u < width and region[starts[v * width + u]] == region[i]:
                                away = dy * dy + dx * dx
                                if away < best:
                                    ty, tx, best = v, u, away
                for k in range(3):
                    out[y, x, k] += weight[i] * flat[ty, tx, k]
    return out
