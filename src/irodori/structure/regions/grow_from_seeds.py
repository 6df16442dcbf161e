"""From seeds to regions that fill the picture, with the border on the crest of the drawn line or the colour step."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.colour import is_green
from irodori.core.pixels.buckets import append
from irodori.core.pixels.ink import ink_colour
from irodori.core.pixels.nearest import filled_from_nearest
from irodori.core.pixels.zones import zone_means

LEVELS = 256

SUPPORT = 2
"""px within which a region must show its pure colour to reach over a line."""


@njit(cache=True)
def _flood(image, labels, mean, darkest):
    """Priority flood: each region climbs from its own colour towards the ink; regions meet on the crest.

    A pixel's height for a region is how far its colour has gone from the region's mean towards the line's colour.
    """
    height, width = labels.shape
    count = height * width
    following = np.full(count * 2, -1, np.int64)
    pixel_of = np.empty(count * 2, np.int32)
    label_of = np.empty(count * 2, np.int32)
    head = np.full(LEVELS, -1, np.int64)
    tail = np.full(LEVELS, -1, np.int64)
    used = 0
    offered = np.zeros(count, np.int32)
    for y in range(height):
        for x in range(width):
            if labels[y, x] == 0:
                continue
            used = _offer(
                image, labels, mean, darkest, y, x, 0, following, pixel_of, label_of, head, tail, used, offered
            )
    level = 0
    while level < LEVELS:
        entry = head[level]
        if entry < 0:
            level += 1
            continue
        head[level] = following[entry]
        p = pixel_of[entry]
        y, x = p // width, p % width
        if labels[y, x] != 0:
            continue
        labels[y, x] = label_of[entry]
        used = _offer(
            image, labels, mean, darkest, y, x, level, following, pixel_of, label_of, head, tail, used, offered
        )


@njit(cache=True)
def _offer(image, labels, mean, darkest, y, x, level, following, pixel_of, label_of, head, tail, used, offered):
    height, width = labels.shape
    own = labels[y, x]
    for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
        ny, nx = y + dy, x + dx
        if ny < 0 or nx < 0 or ny >= height or nx >= width or labels[ny, nx] != 0:
            continue
        p = ny * width + nx
        if offered[p] >= 4 or used >= len(pixel_of):
            continue
        away, span = 0.0, 0.0
        for k in range(3):
            away += abs(float(image[ny, nx, k]) - mean[own, k])
            span += abs(darkest[k] - mean[own, k])
        rise = int(min(away / (span + 30.0), 1.0) * (LEVELS - 2))
        at = max(level, rise)
        pixel_of[used] = p
        label_of[used] = own
        append(head, tail, following, at, used)
        offered[p] += 1
        used += 1
    return used


@njit(cache=True)
def _trim(seeds, filled, ink, stray):
    """Clear pixels that a region reached along a drawn line: none of its own pure pixels is near them."""
    height, width = filled.shape
    for y in range(height):
        for x in range(width):
            own = filled[y, x]
            if own == 0 or seeds[y, x] == own or not ink[y, x]:
                continue
            near = False
            for ny in range(max(y - SUPPORT, 0), min(y + SUPPORT + 1, height)):
                for nx in range(max(x - SUPPORT, 0), min(x + SUPPORT + 1, width)):
                    if seeds[ny, nx] == own:
                        near = True
            stray[y, x] = not near
    for y in range(height):
        for x in range(width):
            if stray[y, x]:
                filled[y, x] = 0


def grow_regions(encoded: np.ndarray, labels: np.ndarray, ink: np.ndarray) -> np.ndarray:
    """Fill the picture from seed `labels` (H, W)."""
    filled = labels.astype(np.int32).copy()
    _flood(encoded, filled, zone_means(encoded, labels), ink_colour(encoded, ink))
    _trim(labels, filled, ink, np.zeros(filled.shape, np.bool_))
    if (filled == 0).any() and filled.any():
        filled = filled_from_nearest(filled, filled == 0)
    return filled


def gather_planting(
    encoded: np.ndarray, labels: np.ndarray, small: np.ndarray, sky: int
) -> tuple[np.ndarray, list[int]]:
    """Dense areas of small green fragments become one region each.

    Returns the labels with these regions appended, and their ids.
    """
    import cv2

    green = is_green(encoded)
    area = np.bincount(labels.ravel())
    bits = small | ((labels > 0) & (area[labels] < 260))
    leafy = (green & bits).astype(np.uint8)
    dense = cv2.boxFilter(leafy.astype(np.float32), -1, (9, 9)) > 0.22
    # A lawn's edge is green too, but a line, not a cloud.
    core = cv2.morphologyEx(dense.astype(np.uint8), cv2.MORPH_OPEN, np.ones((9, 9), np.uint8))
    # Leaves at the rim of a crown stand free of it.
    grown = cv2.dilate(core, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (31, 31)))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(grown, connectivity=8)
    # What grew lies farther than this from the next part's core.
    near_core = cv2.dilate(core, np.ones((5, 5), np.uint8)) > 0
    mask = (labels != sky) & ((leafy > 0) | (bits & near_core))
    out, ids = labels.copy(), []
    top = int(labels.max())
    for part, (x, y, w, h, _) in enumerate(stats[1:], 1):
        box = np.s_[y : y + h, x : x + w]
        own = (parts[box] == part) & mask[box]
        if own.sum() < 120:
            continue
        top += 1
        out[box][own] = top
        ids.append(top)
    return out, ids
