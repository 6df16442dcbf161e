"""Holding back what is far brighter than white, as photographers do for a view out of a room, and lightening the dark of a night, as
they do in the darkroom: their own detail stays.

What is held is the light of the surroundings, told by a bilateral grid (Chen, Paris and Durand, "Real-time edge-aware image
processing with the bilateral grid", SIGGRAPH 2007) that every fragment looks itself up in: edges stay where they are.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from scipy.ndimage import gaussian_filter

from irodori.core.work.tiles import for_each_tile, split_tiles

CELLS = 64
"""Cells of the grid across the picture."""

STOP = 0.5
"""Stops that a cell of the grid is deep."""

DARKEST, BRIGHTEST = -13.0, 9.0
"""Exposed light, in stops from white, between which the grid tells it apart."""

OPEN, ROOM = 0.8, 2.3
"""How bright the brightest places are, stops over white, in a picture of the open, and in one of a room with a view out of it."""

HELD_FROM, MOST = (0.0, -0.35), (0.55, 0.05)
"""In such pictures, stops from white from which the surroundings are held back, and how far at most they still rise from there."""

VIEW = 0.5
"""Stops over white of the brightest places at which what is bright in a picture without sky is wholly a view out of a room."""

CRISPER = 0.5
"""How far the own detail of what is held back is strengthened, wholly where it is held by a stop: else joints drown in light."""

ABOVE = 1.0
"""Stops over the picture's middle under which nothing is held: a picture that is bright all over is meant to be."""

DIM, NIGHT = -6.0, -8.0
"""The middle of a picture, stops from white, from which it begins to be one of a night, and at which it is wholly."""

LAMPLESS, LAMPLIT = -3.5, -1.5
"""Brightest places of such a picture at which it is merely dark, and at which it has lights in it."""

LIFTED_FROM, LIFTED = -4.0, 0.28
"""Stops from white under which a night's surroundings are lightened, and the share of their distance that is left."""

BRIGHT = 92
"""Percentile of the light that tells how bright the brightest places are; `TOP` tells of lamps, which are small."""

TOP = 99


def dodge(light: np.ndarray, pixel: np.ndarray, size: tuple[int, int], *, indoors: bool = False) -> np.ndarray:
    """Factors (N,) float32 for fragments of exposed luminance `light` (N,), at `pixel` (N,) of a picture of (width, height).

    `indoors`: no sky is seen but through panes.
    """
    if not len(light):
        return np.ones(0, np.float32)
    some = light[:: max(1, len(light) // 60_000)]
    middle, over, top = np.log2(np.maximum(np.percentile(some, (50, BRIGHT, TOP)), 1e-6))
    like_room = np.clip((over - OPEN) / (ROOM - OPEN), 0, 1)
    if indoors:
        like_room = max(like_room, np.clip(over / VIEW, 0, 1))
    start, most = (np.float32(a + (b - a) * like_room) for a, b in (HELD_FROM, MOST))
    start = max(start, np.float32(middle + ABOVE))
    like_night = np.clip((DIM - middle) / (DIM - NIGHT), 0, 1) * np.clip((top - LAMPLESS) / (LAMPLIT - LAMPLESS), 0, 1)
    left = np.float32(1 - (1 - LIFTED) * like_night)
    if float(light.max()) <= 1.0 and left == 1:
        return np.ones(len(light), np.float32)
    width, height = size
    side = max(width / CELLS, 1.0)
    depth = round((BRIGHTEST - DARKEST) / STOP) + 1
    shape = (int(height / side) + 2, int(width / side) + 2, depth)
    grid = np.zeros((2, *shape), np.float32)
    stride = max(1, len(light) // 400_000)
    _splat(light[::stride], pixel[::stride], width, np.float32(side), grid)
    total, count = (gaussian_filter(g, (1.5, 1.5, 1.5), mode="nearest") for g in grid)
    mean = np.where(count > 1e-6, total / np.maximum(count, 1e-6), 0).astype(np.float32)
    out = np.empty(len(light), np.float32)
    for_each_tile(
        split_tiles(len(light), 1 << 17),
        lambda span: _slice(
            light, pixel, width, np.float32(side), mean, count.astype(np.float32), (start, most, left), out, *span
        ),
    )
    return out


@njit(cache=True)
def _stops(light):
    return min(max(np.float32(np.log2(max(light, np.float32(1e-9)))), np.float32(DARKEST)), np.float32(BRIGHTEST))


@njit(cache=True, nogil=True)
def _splat(light, pixel, width, side, grid):
    for i in range(len(light)):
        stops = _stops(light[i])
        y, x = pixel[i] // width, pixel[i] % width
        a, b = int(y / side + np.float32(0.5)), int(x / side + np.float32(0.5))
        c = int((stops - np.float32(DARKEST)) / np.float32(STOP) + np.float32(0.5))
        grid[0, a, b, c] += stops
        grid[1, a, b, c] += 1


@njit(cache=True, nogil=True)
def _slice(light, pixel, width, side, mean, count, how, out, begin, end):
    start, most, left = how
    for i in range(begin, end):
        out[i] = np.float32(1)
        stops = _stops(light[i])
        if stops <= start and (left == 1 or stops >= np.float32(LIFTED_FROM)):
            continue
        fy, fx = np.float32(pixel[i] // width) / side, np.float32(pixel[i] % width) / side
        fz = (stops - np.float32(DARKEST)) / np.float32(STOP)
        y, x, z = int(fy), int(fx), min(int(fz), mean.shape[2] - 2)
        total, weight = np.float32(0), np.float32(0)
        for dy in range(2):
            for dx in range(2):
                for dz in range(2):
                    share = (
                        abs(np.float32(1 - dy) - (fy - y))
                        * abs(np.float32(1 - dx) - (fx - x))
                        * abs(np.float32(1 - dz) - (fz - z))
                    )
                    known = share * min(count[y + dy, x + dx, z + dz], np.float32(1))
                    total += known * mean[y + dy, x + dx, z + dz]
                    weight += known
        around = total / weight if weight > np.float32(1e-6) else stops
        over = around - start
        if over > 0:
            kept = most * (np.float32(1) - np.float32(np.exp(-over / most)))
            detail = np.float32(CRISPER) * min(over - kept, np.float32(1)) * (stops - around)
            out[i] = np.float32(2) ** (kept - over + min(max(detail, np.float32(-0.7)), np.float32(0.25)))
        under = np.float32(LIFTED_FROM) - around
        if under > 0 and left < 1:
            out[i] = np.float32(2) ** (under * (np.float32(1) - left))
