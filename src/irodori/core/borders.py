"""Where regions meet."""

from __future__ import annotations

import numpy as np

REACH = 2
"""px on either side of a border at which colours are compared."""

SHORTEST = 5
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


def border_steps(encoded: np.ndarray, labels: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of neighbours (P,) and (P,), the mean step across their border and the mean of what stands out on it.

    `encoded` (H, W, 3) uint8 sRGB, `labels` (H, W). The step is infinite where the border is too short to say.
    """
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
    step = np.where(count < SHORTEST, np.inf, np.bincount(group, contrast) / count)
    return (
        unique // (int(labels.max()) + 1), unique % (int(labels.max()) + 1),
        step, np.bincount(group, ridge) / count,
    )  # fmt: skip
