"""Zones of one colour."""

from __future__ import annotations

import numpy as np
from numba import njit

TOLERANCE = 3
"""Steps of 8-bit sRGB by which neighbouring pixels of one zone may differ."""

SMALLEST = 14
"""Pixels below which a zone is too small to be a seed."""


@njit(cache=True)
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True)
def _join(image, tolerance, parent):
    height, width, _ = image.shape
    for y in range(height):
        for x in range(width):
            for dy, dx in ((0, 1), (1, 0)):
                ny, nx = y + dy, x + dx
                if ny >= height or nx >= width:
                    continue
                if (
                    abs(image[y, x, 0] - image[ny, nx, 0]) > tolerance
                    or abs(image[y, x, 1] - image[ny, nx, 1]) > tolerance
                    or abs(image[y, x, 2] - image[ny, nx, 2]) > tolerance
                ):
                    continue
                a, b = _root(parent, y * width + x), _root(parent, ny * width + nx)
                if a != b:
                    parent[max(a, b)] = min(a, b)
    for i in range(len(parent)):
        parent[i] = _root(parent, i)


def flat_zones(
    encoded: np.ndarray, ink: np.ndarray, *, smallest: int = SMALLEST, core: int = 2
) -> tuple[np.ndarray, np.ndarray]:
    """Connected zones of nearly one colour.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.
    ink
        (H, W) bool: drawn lines, which are never seeds.
    smallest, core
        A seed has at least so many pixels, and holds a square of so many a side.

    Returns
    -------
    labels
        (H, W) int32: 1 … for seeds, 0 where undecided.
    small
        (H, W) bool: pixels of zones too small to be seeds.
    """
    height, width = ink.shape
    parent = np.arange(height * width, dtype=np.int32)
    _join(encoded.astype(np.int16), TOLERANCE, parent)  # signed: Numba keeps unsigned differences unsigned
    _, zone, area = np.unique(parent, return_inverse=True, return_counts=True)
    zone = zone.reshape(height, width)
    inked = np.bincount(zone.ravel(), ink.ravel(), minlength=len(area)) / area
    # A seed has an inside: a square of `core` pixels a side fits somewhere.
    same = np.ones((height, width), bool)
    for dy in range(core):
        for dx in range(core):
            same[: height - dy, : width - dx] &= zone[dy:, dx:] == zone[: height - dy, : width - dx]
    inside = np.zeros(len(area), bool)
    inside[np.unique(zone[same])] = True
    seed = (area >= smallest) & inside & (inked < 0.5)
    order = np.cumsum(seed) * seed
    labels = order[zone].astype(np.int32)
    return labels, (labels == 0) & ~ink


def zone_means(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Mean 8-bit sRGB colour of each label, (L + 1, 3) float64."""
    sums = np.zeros((int(labels.max()) + 1, 4), np.int64)
    _add_up(encoded.reshape(-1, 3), labels.ravel(), sums)
    return sums[:, :3] / np.maximum(sums[:, 3:], 1)


@njit(cache=True)
def _add_up(colours, labels, sums):
    for i in range(len(labels)):
        for k in range(3):
            sums[labels[i], k] += colours[i, k]
        sums[labels[i], 3] += 1
