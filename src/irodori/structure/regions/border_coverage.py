"""Mixing weights at borders, from the capture's own anti-aliasing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments

LONGEST_RUN = 5

APART = 0.5
"""px from a border at which surfaces beside it are looked at: read planes meet a little before or behind it."""

STRIP = 24.0
"""8-bit steps, summed over channels, by which a strip between two lines is brighter than what they part."""


@njit(cache=True)
def _unlike(image, mean, y, x, label):
    total = 0.0
    for k in range(3):
        total += abs(float(image[y, x, k]) - mean[label, k])
    return total


@njit(cache=True)
def _brightness(image, y, x):
    return float(image[y, x, 0]) + float(image[y, x, 1]) + float(image[y, x, 2])


@njit(cache=True)
def _settles(image, labels, mean, y, x, dy, dx, label, between):
    """Whether a pixel shows its region's pure colour: `between` two lines a mix may look so, unless the next one does too."""
    if _unlike(image, mean, y, x, label) >= 14:
        return False
    ny, nx = y + dy, x + dx
    if not between or ny < 0 or nx < 0 or ny >= labels.shape[0] or nx >= labels.shape[1] or labels[ny, nx] != label:
        return True
    return _unlike(image, mean, ny, nx, label) < 14


@njit(cache=True)
def _drawn_crest(image, y, x, dy, dx, low, high, bright_a, bright_b, ink):
    """Middle of the line drawn over the border, between the pure pixels `low` and `high`; 9 if it cannot be told.

    Which side a mixed pixel belongs to depends on where the border is: several starts, the one that explains the pixels
    best wins.
    """
    best, least = 9.0, np.inf
    for start in (0.5, low + 1.0, high - 1.0):
        crest, total = start, 0.0
        for _ in range(3):
            total, moment = 0.0, 0.0
            for s in range(low + 1, high):
                base = bright_a if s < crest else bright_b
                k = (base - _brightness(image, y + dy * s, x + dx * s)) / max(base - ink, 1.0)
                k = min(max(k, 0.0), 1.0)
                total += k
                moment += k * s
            if total <= 0:
                break
            crest = moment / total
        if total <= 0:
            continue
        error = 0.0
        for s in range(low + 1, high):
            before = min(max(crest - 0.5 * total - s + 0.5, 0.0), 1.0)
            after = min(max(s + 0.5 - crest - 0.5 * total, 0.0), 1.0 - before)
            mixed = before * bright_a + after * bright_b + (1.0 - before - after) * ink
            error += (mixed - _brightness(image, y + dy * s, x + dx * s)) ** 2
        if error < least - 1e-6:
            best, least = crest, error
    return best


@njit(cache=True)
def _crest(image, labels, mean, ink, y, x, dy, dx):
    """Where the border to the neighbour at (dy, dx) lies, in pixels from this pixel's centre; 9 if it cannot be told.

    The mixed pixels on both sides are followed until each region shows its pure colour. Where the mix is darker than
    both regions a line was drawn: its cover, told from the ink's colour and each side's own, has the border at its
    centroid; else the mix itself gives the place.
    """
    height, width = labels.shape
    a, b = labels[y, x], labels[y + dy, x + dx]
    # A strip brighter than both regions parts two lines.
    bright = max(mean[a, 0] + mean[a, 1] + mean[a, 2], mean[b, 0] + mean[b, 1] + mean[b, 2]) + STRIP
    between = False
    # First pure pixel on each side.
    low = 0
    while low > -LONGEST_RUN:
        py, px = y + dy * low, x + dx * low
        if py < 0 or px < 0 or py >= height or px >= width or labels[py, px] != a:
            break
        if _settles(image, labels, mean, py, px, -dy, -dx, a, between):
            break
        between = between or _brightness(image, py, px) > bright
        low -= 1
    high = 1
    while high < LONGEST_RUN + 1:
        py, px = y + dy * high, x + dx * high
        if py < 0 or px < 0 or py >= height or px >= width or labels[py, px] != b:
            break
        if _settles(image, labels, mean, py, px, dy, dx, b, between):
            break
        between = between or _brightness(image, py, px) > bright
        high += 1
    if high - low - 1 > LONGEST_RUN:
        return 9.0
    if high - low == 1:
        return 0.5
    bright_a = mean[a, 0] + mean[a, 1] + mean[a, 2]
    bright_b = mean[b, 0] + mean[b, 1] + mean[b, 2]
    dark = 1e9
    for s in range(low + 1, high):
        py, px = y + dy * s, x + dx * s
        dark = min(dark, _brightness(image, py, px))
    if dark < min(bright_a, bright_b) - 9:
        return _drawn_crest(image, y, x, dy, dx, low, high, bright_a, bright_b, min(ink, dark))
    square = 0.0
    for k in range(3):
        square += (mean[b, k] - mean[a, k]) ** 2
    if square < 100:
        return 9.0
    covered = 0.0
    for s in range(low + 1, high):
        py, px = y + dy * s, x + dx * s
        dot = 0.0
        for k in range(3):
            dot += (float(image[py, px, k]) - mean[a, k]) * (mean[b, k] - mean[a, k])
        covered += min(max(dot / square, 0.0), 1.0)
    return high - 0.5 - covered


@njit(cache=True)
def _weights(image, labels, mean, ink, second, share, toward, most):
    """The second region of each border pixel, its share, up to `most`, and the way to it."""
    height, width = labels.shape
    for y in range(height):
        for x in range(width):
            best = 0.0
            for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
                ny, nx = y + dy, x + dx
                if ny < 0 or nx < 0 or ny >= height or nx >= width or labels[ny, nx] == labels[y, x]:
                    continue
                cover = min(max(0.5 - _crest(image, labels, mean, ink, y, x, dy, dx), 0.0), most)
                if cover > best:
                    best = cover
                    second[y, x] = labels[ny, nx]
                    toward[y, x, 0], toward[y, x, 1] = dx, dy
            share[y, x] = best


@dataclass(frozen=True, eq=False)
class Coverage:
    """Regions with their borders where the capture's mixed pixels put them.

    Attributes
    ----------
    labels
        (H, W) int32, the region that fills most of each pixel.
    second, share
        (H, W) int32 and float32: each pixel's second region and its share, 0 inside regions, at most 0.5.
    toward
        (H, W, 2) int8, the way (x, y) to the neighbour that the second region comes from.
    """

    labels: np.ndarray
    second: np.ndarray
    share: np.ndarray
    toward: np.ndarray


def border_coverage(encoded: np.ndarray, labels: np.ndarray, mean: np.ndarray, ink: np.ndarray) -> Coverage:
    """Coverage of regions; `mean` (R, 3) are their pure colours and `ink` (3,) that of drawn lines, 8-bit sRGB."""
    second = np.zeros(labels.shape, np.int32)
    share = np.zeros(labels.shape, np.float32)
    toward = np.zeros((*labels.shape, 2), np.int8)
    line = float(ink.sum())
    _weights(encoded, labels, mean, line, second, share, toward, 1.0)
    # Where the neighbour fills more than half of a pixel, the pixel is the neighbour's.
    settled = np.where(share > 0.5, second, labels).astype(np.int32)
    _weights(encoded, settled, mean, line, second, share, toward, 0.5)
    share[share < 1 / 32] = 0
    return Coverage(settled, second, share, toward)


def make_fragments(coverage: Coverage, depth_of, normal_of) -> Fragments:
    """Fragments from coverage, each sampled on its own side of the border.

    At the pixel's centre the smaller part's plane may lie behind the surface beside it, in the dark of a fold.
    `depth_of(region, x, y)` and `normal_of(region, x, y)` give depths and normals of surfaces at picture positions.
    """
    height, width = coverage.labels.shape
    mixed = np.flatnonzero(coverage.share.ravel() > 0).astype(np.int32)
    share = coverage.share.ravel()[mixed, None]
    toward = coverage.toward.reshape(-1, 2)[mixed]
    border = 0.5 - share
    offset = np.full((height * width, 2), 0.5, np.float32)
    offset[mixed] += toward * (border - APART)
    pixel = np.concatenate([np.arange(height * width, dtype=np.int32), mixed])
    region = np.concatenate([coverage.labels.ravel(), coverage.second.ravel()[mixed]]).astype(np.int32)
    weight = np.concatenate([1 - coverage.share.ravel(), share[:, 0]]).astype(np.float32)
    offset = np.concatenate([offset, 0.5 + toward * (border + APART)]).astype(np.float32)
    order = np.argsort(pixel, kind="stable")
    pixel, region, weight, offset = pixel[order], region[order], weight[order], offset[order]
    y, x = np.divmod(pixel, width)
    x, y = x + offset[:, 0], y + offset[:, 1]
    return Fragments(
        pixel,
        region,
        weight,
        depth_of(region, x, y).astype(np.float32),
        normal_of(region, x, y).astype(np.float32),
        offset,
    )
