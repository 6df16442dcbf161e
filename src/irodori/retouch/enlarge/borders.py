"""Borders of a larger picture drawn sharp: each surface in its own colours up to its border."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.core.pixels.finer import split_fragments
from irodori.retouch.enlarge.self_detail import shrunk

PURE = 0.98
"""Share of a pixel that one surface must fill for its colour to be that surface's."""

DOUBT = 3.0
"""How much a border counts against that fails to explain the picture's own pixels."""

NEAR = 1
"""px round mixed pixels in which borders are drawn."""

FLAT = 1e-6
"""Variance of colour below which there is nothing to explain."""


def with_borders(large: np.ndarray, small: np.ndarray, fragments: Fragments, times: int) -> np.ndarray:
    """A larger picture with the borders of surfaces drawn sharp, as far as they explain the smaller one.

    Parameters
    ----------
    large, small
        (times·H, times·W, 3) and (H, W, 3) float32.
    fragments
        The surfaces of the smaller one.
    """
    height, width = small.shape[:2]
    main = fragments.region[fragments.first()].reshape(height, width)
    mixed = (fragments.weight[fragments.first()] < PURE).reshape(height, width)
    if not mixed.any():
        return large
    near = cv2.dilate(mixed.astype(np.uint8), np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8)) > 0
    parent, pixel, weight = split_fragments(fragments, (width, height), times, near)
    drawn, covered = np.zeros_like(large), np.zeros(large.shape[:2], np.float32)
    _draw(small, main, mixed, fragments.region[parent], pixel, weight, times, drawn, covered)
    known = covered > 0.99
    drawn = np.where(known[..., None], drawn / np.maximum(covered, 1e-6)[..., None], large)
    missed = _smooth(((shrunk(drawn, times) - small) ** 2).mean(axis=2), 1.0)
    spread = np.maximum(_smooth(small**2, 1.5) - _smooth(small, 1.5) ** 2, 0).mean(axis=2)
    trust = (spread + FLAT) / (spread + FLAT + DOUBT * missed)
    trust = cv2.resize(trust.astype(np.float32), large.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return large + trust[..., None] * (drawn - large)


def _smooth(values: np.ndarray, width: float) -> np.ndarray:
    return cv2.GaussianBlur(np.ascontiguousarray(values, np.float32), (0, 0), width)


@njit(cache=True, nogil=True)
def _draw(small, main, mixed, region, pixel, weight, times, out, covered):
    height, width, colours = small.shape
    wide = width * times
    total = np.zeros(colours)
    for n in range(len(pixel)):
        y, x = pixel[n] // wide, pixel[n] % wide
        at_y, at_x = (y + 0.5) / times - 0.5, (x + 0.5) / times - 0.5
        cy, cx = int(np.floor(at_y + 0.5)), int(np.floor(at_x + 0.5))
        sure = 0.0
        for reach in range(1, 4):
            sure, total[:] = 0.0, 0.0
            for v in range(max(cy - reach, 0), min(cy + reach + 1, height)):
                for u in range(max(cx - reach, 0), min(cx + reach + 1, width)):
                    if main[v, u] == region[n] and not mixed[v, u]:
                        share = np.exp(-2.0 * ((v - at_y) ** 2 + (u - at_x) ** 2)) + 1e-6
                        sure += share
                        for k in range(colours):
                            total[k] += share * small[v, u, k]
            if sure > 0:
                break
        if sure > 0:
            covered[y, x] += weight[n]
            for k in range(colours):
                out[y, x, k] += weight[n] * total[k] / sure
