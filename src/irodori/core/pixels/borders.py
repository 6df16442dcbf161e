"""Where regions meet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

REACH = 2
"""px on either side of a border at which colours are compared."""

SHORTEST_BORDER = 5
"""px of border under which nothing can be said about it."""


def border_pairs(labels: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """All border places: regions on either side (a < b), position (N, 2) px, and whether b lies below a."""
    out = []
    for axis in (0, 1):
        first = labels[:-1] if axis == 0 else labels[:, :-1]
        second = labels[1:] if axis == 0 else labels[:, 1:]
        y, x = np.nonzero(first != second)
        a, b = first[y, x], second[y, x]
        place = np.stack([x + (0.5 if axis == 0 else 1.0), y + (1.0 if axis == 0 else 0.5)], axis=1)
        low, high = np.minimum(a, b), np.maximum(a, b)
        stacked = np.where(a < b, 1, -1) if axis == 0 else np.zeros(len(a), int)
        out.append((low, high, place, stacked))
    return tuple(np.concatenate(column) for column in zip(*out))


def by_pair(low: np.ndarray, high: np.ndarray) -> Iterator[tuple[int, int, np.ndarray]]:
    """Each pair of regions at border places (N,), in order, and which of the places are theirs, in order."""
    key = low.astype(np.int64) << 32 | high
    order = np.argsort(key, kind="stable")
    unique, starts = np.unique(key[order], return_index=True)
    for pair, own in zip(unique.tolist(), np.split(order, starts[1:])):
        yield pair >> 32, pair & 0xFFFFFFFF, own


def stacked_pairs(labels: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Border places where one region lies right above another: (N,) the upper and (N,) the lower ones."""
    above, below = labels[:-1].ravel(), labels[1:].ravel()
    apart = above != below
    return above[apart], below[apart]


def counted(first: np.ndarray, second: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of regions at border places, each once: first (N,), second (N,), and in how many places (N,), in order."""
    count = int(max(first.max(initial=0), second.max(initial=0))) + 1
    pair, size = np.unique(first.astype(np.int64) * count + second, return_counts=True)
    return *np.divmod(pair, count), size


def region_borders(labels: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool whose left or upper neighbour belongs to another region."""
    border = np.zeros(labels.shape, bool)
    border[:, 1:] |= labels[:, 1:] != labels[:, :-1]
    border[1:] |= labels[1:] != labels[:-1]
    return border


def within_regions(labels: np.ndarray, side: int) -> np.ndarray:
    """Pixels (H, W) bool about which a square of `side` px shows their own region alone."""
    import cv2

    square = np.ones((side, side), np.uint8)
    number = labels.astype(np.float32)  # exact up to 16 million regions
    return cv2.erode(number, square) == cv2.dilate(number, square)


class BorderSteps(NamedTuple):
    """Pairs of neighbours, `low` < `high`, each (P,): the mean `step` across their border, infinite where it is too short to
    say, the mean of what stands out on it (`ridge`), 8-bit steps, its `length`, px, and the share of it that is `marked`."""

    low: np.ndarray
    high: np.ndarray
    step: np.ndarray
    ridge: np.ndarray
    length: np.ndarray
    marked: np.ndarray


def border_steps(encoded: np.ndarray, labels: np.ndarray, mark: np.ndarray | None = None) -> BorderSteps:
    """What a picture (H, W, 3) uint8 sRGB shows on the borders between `labels` (H, W); `mark` (H, W) bool marks places."""
    height, width = labels.shape
    low, high, place, _ = border_pairs(labels)
    image = encoded.astype(np.int16)
    x, y = place.T
    upright = x == np.floor(x)  # between two pixels of a row
    dx, dy = np.where(upright, 1, 0), np.where(upright, 0, 1)

    def at(step):
        px = np.clip(np.floor(x + dx * step - 0.25 * dx).astype(int), 0, width - 1)
        py = np.clip(np.floor(y + dy * step - 0.25 * dy).astype(int), 0, height - 1)
        return image[py, px]

    sides = at(-REACH), at(REACH + 0.5)
    contrast = np.abs(sides[0] - sides[1]).max(axis=1)
    low_side, high_side = np.minimum(*sides), np.maximum(*sides)
    on = [np.maximum(m - high_side, low_side - m).max(axis=1) for m in (at(0), at(0.5))]
    ridge = np.maximum(np.maximum(*on), 0)
    key = low.astype(np.int64) * (int(labels.max()) + 1) + high
    unique, group = np.unique(key, return_inverse=True)
    count = np.bincount(group)
    step = np.where(count < SHORTEST_BORDER, np.inf, np.bincount(group, contrast) / count)
    marked = np.zeros(len(count))
    if mark is not None:
        marked = np.bincount(group, mark[y.astype(int), x.astype(int)]) / count
    pair = np.divmod(unique, int(labels.max()) + 1)
    return BorderSteps(*pair, step, np.bincount(group, ridge) / count, count, marked)
