"""Zones of one colour: the seeds of regions."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.flatness import local_span
from irodori.structure.grow import zone_means

TOLERANCE = 3
"""Steps of 8-bit sRGB by which neighbouring pixels of one zone may differ."""

SMALLEST = 14
"""Pixels below which a zone is too small to be a seed."""

CALM_SIDE, CALM, CALM_AREA = 5, 6, 1200
"""px a side within which a smoothed picture is calm, the steps it may span there, and the least calm area, px."""

LEAK = 12.0
"""8-bit steps by which two calm areas differ from which they are two surfaces."""

LIGHT = 0.5
"""Share of the way from a drawing's ink to its paper from which a pixel shows paper between two lines."""


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


def without_leaks(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Seeds (H, W) of a smoothed picture, without those that run together where a border is soft.

    Where a seed holds several calm areas of different colours, only these remain seeds.
    """
    import cv2

    calm = (local_span(encoded, CALM_SIDE) <= CALM).astype(np.uint8)
    count, parts, stats, _ = cv2.connectedComponentsWithStats(calm, connectivity=4)
    large = stats[:, cv2.CC_STAT_AREA] >= CALM_AREA
    large[0] = False
    parts = np.where(large[parts], parts, 0).astype(np.int32)
    mean = zone_means(encoded, parts)
    thin = np.s_[::2, ::2]  # calm areas are large
    inside = (parts[thin] > 0) & (labels[thin] > 0)
    code = np.unique(labels[thin][inside].astype(np.int64) * count + parts[thin][inside])
    pairs = np.stack(np.divmod(code, count), axis=1)
    out = labels.copy()
    top = int(labels.max())
    for zone in np.unique(pairs[:, 0]):
        held = pairs[pairs[:, 0] == zone, 1]
        if len(held) < 2 or np.ptp(mean[held], axis=0).max() < LEAK:
            continue
        own = labels == zone
        number = np.zeros(count, np.int32)
        number[held] = top + 1 + np.arange(len(held))
        top += len(held)
        out[own] = number[parts[own]]
    return out


def between_lines(encoded: np.ndarray, labels: np.ndarray) -> np.ndarray:
    """Seeds (H, W) of a drawing, with the strips between close lines that are too narrow to show any clean paper."""
    import cv2

    grey = encoded.min(axis=2)
    ink, paper = (int(value) for value in np.percentile(grey, [0.5, 90]))
    # The soft rim of a line lies right beside its seed; a strip has ink on both sides.
    apart = cv2.dilate((labels > 0).astype(np.uint8), np.ones((3, 3), np.uint8)) == 0
    light = (apart & (grey > ink + LIGHT * (paper - ink))).astype(np.uint8)
    count, parts, stats, _ = cv2.connectedComponentsWithStats(light, connectivity=8)
    new = stats[:, cv2.CC_STAT_AREA] >= SMALLEST
    new[0] = False
    number = np.zeros(count, np.int32)
    number[new] = labels.max() + 1 + np.arange(new.sum())
    return np.where(new[parts], number[parts], labels)
