"""Joining again what noise has parted: regions of a lossy capture with nothing drawn between them."""

from __future__ import annotations

import numpy as np

from irodori.structure.offsets import border_pairs

REACH = 2
"""px on either side of a border at which colours are compared."""

SAME, RIDGE = 5.0, 6.0
"""8-bit steps across a border, and of what lies on it, under which there is no edge."""

SMALL = 400
SMALL_SAME, SMALL_RIDGE = 17.0, 14.0
"""The same for a piece of fewer pixels than `SMALL`, which goes to the neighbour it is most like."""

ROUNDS = 4


def merge_noise(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Labels (H, W) int32 in which neighbours without an edge between them are one.

    `encoded` (H, W, 3) uint8 sRGB. Numbers keep their order and may have gaps.
    """
    for _ in range(ROUNDS):
        low, high, contrast, ridge = _borders(encoded, labels)
        area = np.bincount(labels.ravel(), minlength=int(labels.max()) + 1)
        parent = np.arange(len(area))
        joined = (contrast < SAME) & (ridge < RIDGE)
        small = np.minimum(area[low], area[high]) < SMALL
        maybe = ~joined & small & (contrast < SMALL_SAME) & (ridge < SMALL_RIDGE)
        pairs = [(int(a), int(b)) for a, b in zip(low[joined], high[joined])]
        best: dict[int, tuple[float, int]] = {}
        for a, b, c in zip(low[maybe].tolist(), high[maybe].tolist(), contrast[maybe].tolist()):
            piece, other = (a, b) if area[a] < area[b] else (b, a)
            if piece not in best or c < best[piece][0]:
                best[piece] = (c, other)
        pairs += [(piece, other) for piece, (_, other) in best.items()]
        if not pairs:
            break
        for a, b in pairs:
            a, b = _root(parent, a), _root(parent, b)
            if a != b:
                larger, lesser = (a, b) if area[a] >= area[b] else (b, a)
                parent[lesser] = larger
        labels = np.array([_root(parent, k) for k in range(len(parent))], np.int32)[labels]
    return labels


def _root(parent: np.ndarray, k: int) -> int:
    while parent[k] != k:
        parent[k] = parent[parent[k]]
        k = int(parent[k])
    return k


def _borders(encoded: np.ndarray, labels: np.ndarray):
    """Pairs of neighbours, the mean step across their border and the mean of what stands out on it."""
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
    on = [np.minimum(*(np.abs(m - s).max(axis=1) for s in sides)) for m in (at(0), at(0.5))]
    ridge = np.maximum(*on)
    key = low.astype(np.int64) * (int(labels.max()) + 1) + high
    unique, group = np.unique(key, return_inverse=True)
    count = np.bincount(group)
    return (
        unique // (int(labels.max()) + 1), unique % (int(labels.max()) + 1),
        np.bincount(group, contrast) / count, np.bincount(group, ridge) / count,
    )  # fmt: skip
