"""Joints: every border of the structure keeps a trace, even where both sides come out alike.

Two parts that meet leave a fine dark joint, and an arris in the dark catches a little light. Where the sides differ a
little, each is driven away from the other instead. Drawn as faintly as it can be and still be measured, this keeps each
line of the capture in the picture. It lies on the border, a pixel wide, and fades out as the two sides differ by
themselves.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.core.work.tiles import for_each_tile, split_tiles

DEPTH = 0.20
"""Encoded units a joint takes from a bright surface."""

ENOUGH = 0.14
"""Encoded contrast of the two sides from which on no joint is drawn."""

STEP = 0.1
"""Encoded contrast from which the two sides are told apart, not parted by a line."""

DARK = 0.25
"""Encoded brightness below which the arris is lighter, not darker."""

SURROUNDINGS = 41
"""px, side of the square over which that brightness is averaged."""


@njit(cache=True, nogil=True)
def crossing(starts, region, weight, p, q, own, other):
    """Where the border between neighbouring pixels p and q lies that show `own` and `other`: 0 (centre of p) … 1 (of q)."""
    t = np.float32(0.5)
    for i in range(starts[p], starts[p + 1]):
        if region[i] == other:
            t -= weight[i]
    for i in range(starts[q], starts[q + 1]):
        if region[i] == own:
            t += weight[i]
    return min(max(t, np.float32(0.0)), np.float32(1.0))


@njit(cache=True, nogil=True)
def _side(colours, starts, shown, y, x, dy, dx, width, height, out):
    """Mean colour of a pixel's largest fragment and its like, up to three to each side across (dy, dx)."""
    own = shown[y * width + x]
    out[:] = np.float32(0.0)
    count = 0
    for aside in range(-3, 4):
        py, px = y + dx * aside, x + dy * aside
        if py < 0 or px < 0 or py >= height or px >= width:
            continue
        if shown[py * width + px] != own:
            continue
        i = starts[py * width + px]
        for k in range(3):
            out[k] += colours[i, k]
        count += 1
    for k in range(3):
        out[k] /= np.float32(count)


@njit(cache=True, nogil=True)
def _largest(colours, starts, region, width, shown, brightness, top, bottom):
    """The surface of each pixel's largest fragment, and the mean of its channels."""
    for p in range(top * width, bottom * width):
        i = starts[p]
        shown[p] = region[i]
        brightness[p] = (colours[i, 0] + colours[i, 1] + colours[i, 2]) * np.float32(1 / 3)


@njit(cache=True, nogil=True)
def _joint_depth(
    colours, starts, region, weight, shown, loose, around, width, height, depth_limit, enough, dark, depth, top, bottom
):  # fmt: skip
    """Joints of the pixels in rows `top` … `bottom` − 1."""
    a, b = np.empty(3, np.float32), np.empty(3, np.float32)
    for y in range(max(top - 1, 0), bottom):
        for x in range(width):
            p = y * width + x
            own = shown[p]
            for dy, dx in ((0, 1), (1, 0)):
                ny, nx = y + dy, x + dx
                if ny >= height or nx >= width:
                    continue
                q = ny * width + nx
                other = shown[q]
                if own == other or (loose[own] and loose[other]):
                    continue
                t = crossing(starts, region, weight, p, q, own, other)
                _side(colours, starts, shown, y, x, -dy, -dx, width, height, a)
                _side(colours, starts, shown, ny, nx, dy, dx, width, height, b)
                contrast, sign = np.float32(0.0), np.float32(1.0)
                for k in range(3):
                    if abs(a[k] - b[k]) > contrast:
                        contrast = abs(a[k] - b[k])
                        sign = np.float32(1.0) if a[k] < b[k] else np.float32(-1.0)
                if contrast >= enough:
                    continue
                level = np.float32(0.5 / 3) * (a[0] + a[1] + a[2] + b[0] + b[1] + b[2])
                missing = np.float32(1.0) - contrast / enough
                strength = depth_limit * missing * missing * (np.float32(0.6) + np.float32(0.4) * level)
                # A line over a step would move it: the more the sides differ, the more each is driven away from the other.
                even = max(np.float32(1.0) - contrast / np.float32(STEP), np.float32(0.0))
                apart = sign * strength * (np.float32(1.0) - even)
                even *= strength
                if around[y, x] < dark:
                    if loose[own] or loose[other]:
                        # Leaves have no arris that would catch light.
                        continue
                    even = -even
                for at, part in ((p, np.float32(1.0) - t), (q, t)):
                    if at < top * width or at >= bottom * width:
                        continue
                    # Of the line in this pixel, what lies on the pixel's own side of the border, less what does not.
                    inside = min(part, np.float32(0.5)) - max(part - np.float32(0.5), np.float32(0.0))
                    value = even * part + (apart if at == p else -apart) * np.float32(2.0) * inside
                    if abs(value) > abs(depth[at]):
                        depth[at] = value


@njit(cache=True, nogil=True)
def _border_cover(starts, region, weight, loose, width, height, cover):
    for y in range(height):
        for x in range(width):
            p = y * width + x
            own = region[starts[p]]
            for dy, dx in ((0, 1), (1, 0)):
                ny, nx = y + dy, x + dx
                if ny >= height or nx >= width:
                    continue
                q = ny * width + nx
                other = region[starts[q]]
                if own == other or (loose[own] and loose[other]):
                    continue
                t = crossing(starts, region, weight, p, q, own, other)
                cover[p] = max(cover[p], np.float32(1.0) - t)
                cover[q] = max(cover[q], t)


def border_cover(fragments: Fragments, size: tuple[int, int], loose: np.ndarray) -> np.ndarray:
    """Share of each pixel under a line a pixel wide along the borders, (H, W) float32; `loose` as in `joint_depth`."""
    width, height = size
    starts = np.append(fragments.first(), len(fragments)).astype(np.int64)
    cover = np.zeros(width * height, np.float32)
    _border_cover(starts, fragments.region, fragments.weight, loose, width, height, cover)
    return cover.reshape(height, width)


def joint_depth(fragments: Fragments, colours: np.ndarray, size: tuple[int, int], loose: np.ndarray) -> np.ndarray:
    """How much darker (or, below 0, lighter) joints make each pixel.

    Parameters
    ----------
    colours
        (N, 3) float32, developed colours of the fragments, encoded 0 … 1.
    loose
        (S,) bool: surfaces (planting) whose borders among each other are no joints.

    Returns
    -------
    (H, W) float32, encoded units.
    """
    import cv2

    width, height = size
    starts = np.append(fragments.first(), len(fragments)).astype(np.int64)
    depth = np.zeros(width * height, np.float32)
    shown, brightness = np.empty(width * height, np.int32), np.empty((height, width), np.float32)
    rows = split_tiles(height, 64)
    for_each_tile(
        rows, lambda span: _largest(colours, starts, fragments.region, width, shown, brightness.reshape(-1), *span)
    )
    # Whether it is dark is asked of the wider surroundings: a joint that changed its sign from grain to grain would
    # cancel itself out.
    around = cv2.blur(brightness, (SURROUNDINGS, SURROUNDINGS))

    def work(span: tuple[int, int]) -> None:
        _joint_depth(
            colours, starts, fragments.region, fragments.weight, shown, loose, around, width, height,
            np.float32(DEPTH), np.float32(ENOUGH), np.float32(DARK), depth, *span,
        )  # fmt: skip

    for_each_tile(rows, work)
    return depth.reshape(height, width)
