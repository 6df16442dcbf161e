"""Parting areas of a drawing that run into each other where a line has a gap: a sky that leaks into the front below it.

Nothing but meaning tells that they are two, and nothing but the narrow place between them where. What an area seems to be at a glance, here
and there, marks its parts; these are flooded from there, and meet at the neck (Vincent and Soille, Watersheds in digital spaces, 1991).
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from irodori.core.pixels.borders import border_pairs, counted
from irodori.core.pixels.buckets import append

LEAST, LEAST_PART = 0.02, 0.003
"""Shares of the picture that an area takes at least which is looked into, and what seems to be one thing in it."""

SURE = 0.5
"""How likely a place must seem what marks a part."""

NECK = 0.4
"""Length of a leak over the side of a square as large as the smaller part, from which two parts are one."""

DRAWN = 0.12
"""Share of a pixel of the small picture from which a line runs through it."""

FINE = 4.0
"""Steps of depth a pixel."""

MOST = 6
"""Parts of an area at most: the largest."""


def part_leaks(
    labels: np.ndarray, ink: np.ndarray, seems: np.ndarray, skip: set[int]
) -> tuple[np.ndarray, dict[int, int]]:
    """Labels (H, W) int32 with areas parted that leak into each other, and of each that was the part that seems the most to be of the first
    kind.

    `ink` (H, W) bool is where lines are drawn; `seems` (h, w, kinds) how likely each pixel of the picture, made smaller, is of each kind, of
    which no surface is two. The largest part keeps its number; `skip` are areas that are one for sure.
    """
    small = seems.shape[1::-1]
    out, parted, top = labels.copy(), {}, int(labels.max())
    lines = cv2.resize(ink.astype(np.float32), small, interpolation=cv2.INTER_AREA) > DRAWN
    size = np.bincount(labels.ravel())
    for region in np.flatnonzero(size > LEAST * labels.size).tolist():
        if region == 0 or region in skip:
            continue
        own = labels == region
        inside = (cv2.resize(own.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0.5) & ~lines
        parts = _parts(inside, seems)
        count = int(parts.max())
        if count < 2:
            continue
        numbers = np.array([0, region, *range(top + 1, top + count)], out.dtype)
        top += count - 1
        out[own] = numbers[_enlarged(parts, own)[own]]
        first = [seems[parts == part, 0].mean() for part in range(1, count + 1)]
        parted[region] = int(numbers[1 + int(np.argmax(first))])
    return out, parted


def _parts(inside: np.ndarray, seems: np.ndarray) -> np.ndarray:
    """Parts (h, w) of an area (h, w) bool, from 1, the largest first."""
    marks = _marks(inside, seems)
    if marks.max() < 2:
        return marks
    depth = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 5)
    joined = _joined(_flooded(marks, np.minimum(depth * FINE, 255).astype(np.int64)))
    count = np.bincount(joined.ravel())
    order = [n for n in np.argsort(-count).tolist() if n > 0 and count[n] > LEAST_PART * joined.size]
    kept = np.zeros(len(count), np.int32)
    kept[order] = np.arange(1, len(order) + 1)
    return kept[joined]


def _marks(inside: np.ndarray, seems: np.ndarray) -> np.ndarray:
    """Places (h, w) int32, from 1, that seem to be one thing for sure, the largest `MOST`."""
    from scipy.ndimage import label

    found: list[np.ndarray] = []
    for kind in range(seems.shape[2]):
        pieces, _ = label(inside & (seems[..., kind] > SURE))
        size = np.bincount(pieces.ravel())
        found += [pieces == n for n in np.flatnonzero(size > LEAST_PART * inside.size).tolist() if n > 0]
    marks = np.zeros(inside.shape, np.int32)
    for number, one in enumerate(sorted(found, key=lambda one: -one.sum())[:MOST]):
        marks[one] = number + 1
    return marks


@njit(cache=True)
def _flooded(marks, depth):
    """Marks (h, w), from 1, grown over all that is deep, the deepest first: they meet at necks. `depth` (h, w) 0 … 255, 0 outside."""
    height, width = marks.shape
    out = marks.copy()
    # A queue for each depth; each pixel enters once.
    first, last = np.full(256, -1, np.int64), np.full(256, -1, np.int64)
    after = np.full(height * width, -1, np.int64)
    for place in range(height * width):
        if marks[place // width, place % width] > 0:
            append(first, last, after, depth[place // width, place % width], place)
    level = 255
    while level > 0:
        place = first[level]
        if place < 0:
            level -= 1
            continue
        first[level] = after[place]
        y, x = place // width, place % width
        for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
            v, u = y + dy, x + dx
            if 0 <= v < height and 0 <= u < width and out[v, u] == 0 and depth[v, u] > 0:
                out[v, u] = out[y, x]
                append(first, last, after, min(depth[v, u], level), v * width + u)
    return out


def _joined(parts: np.ndarray) -> np.ndarray:
    """Parts (h, w), those one that meet along more than a neck."""
    while True:
        size, met = np.bincount(parts.ravel()), {}
        low, high, _, stacked = border_pairs(parts)
        for along in (stacked == 0, stacked != 0):
            at = along & (low > 0)
            for a, b, times in zip(*counted(low[at], high[at])):
                met[a, b] = float(np.hypot(met.get((a, b), 0.0), times))
        wide = {pair: long / np.sqrt(size[list(pair)].min()) for pair, long in met.items()}
        worst = max(wide, key=wide.get, default=None)
        if worst is None or wide[worst] < NECK:
            return parts
        parts = np.where(parts == worst[1], worst[0], parts)


def _enlarged(parts: np.ndarray, own: np.ndarray) -> np.ndarray:
    """Parts of a small picture for the pixels of an area (H, W): each takes the nearest."""
    from scipy.ndimage import distance_transform_edt

    large = cv2.resize(parts.astype(np.float32), own.shape[::-1], interpolation=cv2.INTER_NEAREST).astype(np.int32)
    near = distance_transform_edt(large == 0, return_distances=False, return_indices=True)
    return np.where(own, large[tuple(near)], 0)
