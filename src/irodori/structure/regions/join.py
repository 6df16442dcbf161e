"""Joining again what noise or smooth shading has parted: regions with nothing drawn between them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit

from irodori.core.pixels.borders import border_steps
from irodori.core.pixels.zones import zone_means

SAME, RIDGE = 5.0, 6.0
"""8-bit steps across a border, and of what stands out on it, under which there is no edge."""

SMALL = 400
SMALL_SAME, SMALL_RIDGE = 17.0, 14.0
"""The same for a piece of fewer pixels than `SMALL`, which goes to the neighbour it is most like."""

GRADED = 4.0
"""8-bit steps that a region's brightness spans from which it is a curved surface's, not a flat one's."""

SMOOTH_STEP, SMOOTH_RIDGE, SMOOTH_TINT = 26.0, 3.0, 0.10
ROUNDS = 4


def join_noise(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Labels (H, W) int32 of a lossy capture in which neighbours without an edge between them are one.

    `encoded` (H, W, 3) uint8 sRGB. Numbers keep their order and may have gaps.
    """

    def chosen(low, high, contrast, ridge):
        area = np.bincount(joined.ravel(), minlength=int(joined.max()) + 1)
        alike = (contrast < SAME) & (ridge < RIDGE)
        small = np.minimum(area[low], area[high]) < SMALL
        maybe = ~alike & small & (contrast < SMALL_SAME) & (ridge < SMALL_RIDGE)
        best: dict[int, tuple[float, int]] = {}
        for a, b, c in zip(low[maybe].tolist(), high[maybe].tolist(), contrast[maybe].tolist()):
            piece, other = (a, b) if area[a] < area[b] else (b, a)
            if piece not in best or c < best[piece][0]:
                best[piece] = (c, other)
        return list(zip(low[alike].tolist(), high[alike].tolist())) + [(p, o) for p, (_, o) in best.items()]

    joined = labels
    for _ in range(ROUNDS):
        again = _join(encoded, joined, chosen)
        if again is joined:
            break
        joined = again
    return joined


def join_shades(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Labels (H, W) int32 in which the bands of one smoothly shaded curve are one; flat regions are never joined."""
    grey = encoded.mean(axis=2)

    def chosen(low, high, contrast, ridge):
        count = np.bincount(labels.ravel())
        tint = zone_means(encoded, labels) + 1
        tint /= tint.sum(axis=1, keepdims=True)
        graded = inner_span(grey, labels) >= GRADED
        alike = np.abs(tint[low] - tint[high]).max(axis=1) < SMOOTH_TINT / 3
        both = graded[low] & graded[high]
        rim = (graded[low] | graded[high]) & (np.minimum(count[low], count[high]) < SMALL)
        good = (contrast < SMOOTH_STEP) & (ridge < SMOOTH_RIDGE) & alike & (both | rim)
        return list(zip(low[good].tolist(), high[good].tolist()))

    return _join(encoded, labels, chosen)


def inner_span(grey: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """How much brightness (H, W) varies inside each region, (R,), away from its border."""
    every = int(labels.max()) + 1
    least, most, count = np.full(every, np.inf), np.full(every, -np.inf), np.zeros(every, np.int64)
    _spans(grey, labels, least, most, count)
    return np.where(count > 12, most - least, 0.0)


@njit(cache=True)
def _spans(grey, labels, least, most, count):
    height, width = labels.shape
    for y in range(height):
        for x in range(width):
            own = labels[y, x]
            inside = True
            for step in (-2, -1, 1, 2):
                inside = inside and labels[(y + step) % height, x] == own and labels[y, (x + step) % width] == own
            if inside:
                least[own], most[own] = min(least[own], grey[y, x]), max(most[own], grey[y, x])
                count[own] += 1


def _join(encoded: np.ndarray, labels: np.ndarray, chosen: Callable) -> np.ndarray:
    """Labels with the pairs joined that `chosen(low, high, contrast, ridge)` picks; the same array if there is none."""
    borders = border_steps(encoded, labels)
    pairs = chosen(borders.low, borders.high, borders.step, borders.ridge)
    if not pairs:
        return labels
    area = np.bincount(labels.ravel(), minlength=int(labels.max()) + 1)
    parent = np.arange(len(area))
    for a, b in pairs:
        a, b = _root(parent, a), _root(parent, b)
        if a != b:
            larger, lesser = (a, b) if area[a] >= area[b] else (b, a)
            parent[lesser] = larger
    return np.array([_root(parent, k) for k in range(len(parent))], np.int32)[labels]


def _root(parent: np.ndarray, k: int) -> int:
    while parent[k] != k:
        parent[k] = parent[parent[k]]
        k = int(parent[k])
    return k
