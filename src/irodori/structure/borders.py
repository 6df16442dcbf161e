"""Where regions meet."""

from __future__ import annotations

import numpy as np


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
