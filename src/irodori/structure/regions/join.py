"""Joining again what noise or smooth shading has parted: regions with nothing drawn between them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np
from numba import njit
from scipy import ndimage

from irodori.core.pixels.borders import border_steps, counted, within_regions
from irodori.core.pixels.nearest import filled_from_nearest
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

SAME_TONE = 2.2
"""8-bit steps within which two tones are one face's."""

THINNEST, SLENDER, SHORTEST_POST = 0.008, 5.0, 4
"""A thin member's greatest thickness as a share of the picture's width, how many times longer than thick it is, and the px of its length
that part two pieces."""

STEEP = 0.35
"""Least length of what runs up and down between two pieces, as a share of what runs level between them."""

LARGE, PIECE, KNOWN = 0.005, 0.01, 12
"""Share of the picture from which a region is a large one, and up to which one may be a piece of it; pure px of one from which its
tone is known."""


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


def pieces_behind_posts(
    encoded: np.ndarray, labels: np.ndarray, pure: np.ndarray, apart: Sequence[int]
) -> dict[int, int]:  # fmt: skip
    """Small regions of `labels` (H, W) and the large ones that they are pieces of: a surface goes on behind posts, so what has the
    very colour of a large neighbour beyond a thin upright member is of one piece with it. `pure` (H, W) bool are the pixels that
    show their region's own colour; regions `apart` are left alone.

    A viewport shades every face of a direction and a material alike, so that the same tone on both sides is the same face; across
    what lies level it need not be: treads lie one behind another.
    """
    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    known = np.bincount(labels[pure], minlength=count) >= KNOWN
    mean = zone_means(encoded, np.where(pure, labels, 0))
    mean = np.pad(mean, ((0, count - len(mean)), (0, 0)))
    large = area >= LARGE * labels.size
    # What shows between two rails is thin too, and has the tone of what lies behind.
    like_large = (np.abs(mean[:, None] - mean[None, large]).max(axis=2) <= SAME_TONE).any(axis=1)
    bars = _bars(labels, area) & ~(like_large & known)
    if not bars.any():
        return {}
    fixed = bars | ~known
    fixed[list(apart)] = True
    # Beside a post: borders with it that run up and down.
    left, right = labels[:, :-1], labels[:, 1:]
    beside = np.bincount(left[(left != right) & bars[right]], minlength=count)
    beside += np.bincount(right[(left != right) & bars[left]], minlength=count)
    along, across = _crossings(filled_from_nearest(labels, bars[labels]), bars[labels])
    pairs = []
    for (a, b), length in along.items():
        small = a if area[a] < area[b] else b
        if fixed[a] or fixed[b] or area[small] > PIECE * labels.size or beside[small] < SHORTEST_POST:
            continue
        steep = length >= max(SHORTEST_POST, STEEP * across.get((a, b), 0))
        if steep and np.abs(mean[a] - mean[b]).max() <= SAME_TONE:
            pairs.append((a, b))
    # Panes of a window, all small, stay apart.
    return {k: root for k, root in enumerate(_united(pairs, area).tolist()) if root != k and large[root]}


def _bars(labels: np.ndarray, area: np.ndarray) -> np.ndarray:
    """Which regions (R,) are thin members: nowhere thick, and long."""
    import cv2

    depth = cv2.distanceTransform(within_regions(labels, 3).astype(np.uint8), cv2.DIST_L2, 3)
    deepest = np.zeros(len(area), np.float32)
    np.maximum.at(deepest, labels.ravel(), depth.ravel())
    found = ndimage.find_objects(labels, max_label=len(area) - 1)
    length = np.array([0] + [max(s.stop - s.start for s in box) if box else 0 for box in found])
    thick = 2 * np.minimum(deepest, labels.shape[1]) + 2
    return (area > 0) & (thick <= THINNEST * labels.shape[1]) & (length >= SLENDER * thick) & (length >= SHORTEST_POST)


def _crossings(labels: np.ndarray, bars: np.ndarray) -> tuple[dict[tuple[int, int], int], ...]:
    """Lengths, px, by pair (low, high) of the borders within `bars` (H, W) bool that run up and down, and of those that run level."""
    out = []
    for a, b in ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:])):
        at = (labels[a] != labels[b]) & (bars[a] | bars[b])
        low, high, length = counted(np.minimum(labels[a], labels[b])[at], np.maximum(labels[a], labels[b])[at])
        out.append(dict(zip(zip(low.tolist(), high.tolist()), length.tolist())))
    return tuple(out)


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
    return _united(pairs, area)[labels]


def _united(pairs: Iterable[tuple[int, int]], area: np.ndarray) -> np.ndarray:
    """The largest region that each one (R,) int32 is joined with by `pairs`, or itself."""
    parent = np.arange(len(area))
    for a, b in pairs:
        a, b = _root(parent, a), _root(parent, b)
        if a != b:
            larger, lesser = (a, b) if area[a] >= area[b] else (b, a)
            parent[lesser] = larger
    return np.array([_root(parent, k) for k in range(len(parent))], np.int32)


def _root(parent: np.ndarray, k: int) -> int:
    while parent[k] != k:
        parent[k] = parent[parent[k]]
        k = int(parent[k])
    return k
