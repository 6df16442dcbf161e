"""Seeds of regions where borders are soft, and between the lines of drawings."""

from __future__ import annotations

import numpy as np

from irodori.core.pixels.flatness import local_span
from irodori.core.pixels.zones import SMALLEST, zone_means

CALM_SIDE, CALM, CALM_AREA = 5, 6, 1200
"""px a side within which a smoothed picture is calm, the steps it may span there, and the least calm area, px."""

LEAK = 12.0
"""8-bit steps by which two calm areas differ from which they are two surfaces."""

LIGHT = 0.5
"""Share of the way from a drawing's ink to its paper from which a pixel shows paper between two lines."""


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
