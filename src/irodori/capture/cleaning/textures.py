"""Smoothing what materials show inside their borders: bricks, boards, tiles, grass, a photo's grain.

A texture goes up and down within a few pixels, so that its steps cancel out; a border's do not (the relative total
variation of Xu, Yan, Xia and Jia, ACM TOG 31(6), 2012). What is smoothed is solved along rows and columns in turn
(Min et al., IEEE TIP 23(12), 2014).
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from irodori.core.colour import is_green
from irodori.core.pixels.flatness import local_span
from irodori.core.pixels.ink import STROKE, drawn_edges, find_ink

BUSY, DENSE, SHARE = 6, 0.4, 0.07
"""8-bit steps within 3 × 3 px that a texture takes, the share of a neighbourhood that takes them, and the share of
the picture that such neighbourhoods cover from which it is a textured one."""

NEIGHBOURHOOD = 25
"""px at a width of 1280."""

REACH = 4.0
"""px at a width of 1280: standard deviation of the window within which a texture's steps cancel out."""

PLAIN = 5
"""px a side of areas in one colour, which are left as they are where no edges are drawn."""

STRENGTH = 0.0015
STEEPEST = 0.02
"""Share of the range that a step between neighbours takes to hold the smoothing back."""

ROUNDS, PASSES = 4, 3
LARGE = 1600
"""px of width from which a picture is large."""

SHARPEN = (4, 10)
"""px and 8-bit steps of the mean shift that steepens borders again."""


def is_textured(encoded: np.ndarray) -> bool:
    """Whether a good part of an 8-bit picture (H, W, 3) that is not green wavers all over, beside its drawn edges.

    Leaves waver too, and are read as planting.
    """
    import cv2

    beside = cv2.dilate(find_ink(encoded, threshold=STROKE).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    wavers = (local_span(encoded, 3) > BUSY) & ~beside
    side = max(int(round(NEIGHBOURHOOD * encoded.shape[1] / 1280)), 5)
    dense = cv2.boxFilter(wavers.astype(np.float32), -1, (side, side)) > DENSE
    return bool((dense & ~is_green(encoded)).mean() > SHARE)


def smooth_textures(encoded: np.ndarray) -> np.ndarray:
    """The same 8-bit picture (H, W, 3) with each material in its mean colour; drawn edges stay as they are."""
    import cv2

    held = drawn_edges(encoded)
    if not held.any():
        # No edge is drawn: a fold between two plain surfaces would be smoothed away.
        held = local_span(encoded, PLAIN) <= 1
    free = ~held
    given = encoded.astype(np.float32) / 255
    width, height = encoded.shape[1], encoded.shape[0]
    if width > LARGE:  # of a large picture a small copy tells in all rounds but the last what is texture
        size = 1280, max(round(height * 1280 / width), 1)
        little = cv2.resize(given, size, interpolation=cv2.INTER_AREA)
        open_there = cv2.resize(free.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
        smooth = cv2.resize(_rounds(little, little, open_there, range(ROUNDS - 1)), (width, height))
        smooth = _rounds(given, smooth, free, range(ROUNDS - 1, ROUNDS))
    else:
        smooth = _rounds(given, given, free, range(ROUNDS))
    # What is left of a border's ramp goes to either side.
    return cv2.pyrMeanShiftFiltering((smooth.clip(0, 1) * 255 + 0.5).astype(np.uint8), *SHARPEN, maxLevel=0)


def _rounds(given: np.ndarray, smooth: np.ndarray, free: np.ndarray, turns: range) -> np.ndarray:
    """`given` smoothed again and again by what the last round, at first `smooth`, tells of its textures."""
    scale = given.shape[1] / 1280
    for turn in turns:
        window = max(REACH * scale / 2 ** (turn / 2), 1.0)
        along, down = (_weights(smooth, free, axis, window) for axis in (1, 0))
        smooth = _solve(given, along, down, STRENGTH * max(scale, 1.0) ** 2)
    return smooth


def _weights(image: np.ndarray, free: np.ndarray, axis: int, window: float) -> np.ndarray:
    """How strongly each pixel holds to the next one along an axis, (H, W) float32; 0 where one of them is not `free`."""
    import cv2

    first, last = (np.s_[:-1], np.s_[1:]) if axis == 0 else (np.s_[:, :-1], np.s_[:, 1:])
    step = np.zeros_like(image)
    step[first] = image[last] - image[first]
    both = np.zeros(free.shape, np.float32)
    both[first] = free[last] & free[first]
    step *= both[..., None]
    known = cv2.GaussianBlur(both, (0, 0), window) + 1e-3
    lasting = _mean_size(cv2.GaussianBlur(step, (0, 0), window)) / known
    hold = cv2.GaussianBlur(1.0 / np.maximum(lasting, 1e-3), (0, 0), window)
    return hold / np.maximum(_mean_size(step), STEEPEST) * both


def _mean_size(values: np.ndarray) -> np.ndarray:
    """Mean of the channels' absolute values, (H, W); NumPy's own mean over a short axis is slow."""
    red, green, blue = np.abs(values).transpose(2, 0, 1)
    return (red + green + blue) * np.float32(1 / 3)


def _solve(given: np.ndarray, along: np.ndarray, down: np.ndarray, strength: float) -> np.ndarray:
    smooth = given
    down = np.ascontiguousarray(down.T)
    for turn in range(PASSES):
        share = np.float32(1.5 * strength * 4 ** (PASSES - turn - 1) / (4**PASSES - 1))
        smooth = _along_rows(smooth, along, share)
        turned = _along_rows(np.ascontiguousarray(smooth.transpose(1, 0, 2)), down, share)
        smooth = np.ascontiguousarray(turned.transpose(1, 0, 2))
    return smooth


@njit(parallel=True, cache=True)
def _along_rows(given, weight, strength):
    """Each row's values, as near the given ones as its neighbours allow: one tridiagonal system a row and channel."""
    height, width, _ = given.shape
    out = np.empty_like(given)
    for y in prange(height):
        carry = np.zeros(width, np.float32)
        held = np.zeros((width, 3), np.float32)
        for x in range(width):
            left = -strength * weight[y, x - 1] if x > 0 else np.float32(0.0)
            right = -strength * weight[y, x] if x < width - 1 else np.float32(0.0)
            pivot = np.float32(1.0) - left - right
            if x > 0:
                pivot -= left * carry[x - 1]
            carry[x] = right / pivot
            for k in range(3):
                held[x, k] = (given[y, x, k] - (left * held[x - 1, k] if x > 0 else np.float32(0.0))) / pivot
        for k in range(3):
            out[y, width - 1, k] = held[width - 1, k]
        for x in range(width - 2, -1, -1):
            for k in range(3):
                out[y, x, k] = held[x, k] - carry[x] * out[y, x + 1, k]
    return out
