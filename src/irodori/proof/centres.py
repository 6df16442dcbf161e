"""Where an edge lies, to hundredths of a pixel: the middle of a step or of a drawn line."""

from __future__ import annotations

import itertools
from functools import lru_cache

import numpy as np
from numba import njit
from scipy.ndimage import convolve1d

from irodori.core.work.tiles import for_each_tile
from irodori.proof.profiles import REACH, STEP, Profiles, S

SIDE = 2.0
"""px from an edge at which its sides show their own colour."""

HALF = round(SIDE / STEP)

LINE_WIDTHS = (0.5, 0.75, 1.0, 1.25, 1.5, 2.0, 2.5)
LINE_OPACITIES = (0.4, 0.55, 0.7, 0.85, 1.0)
PLACE_STEP = 0.0625
PLACES = np.arange(-1.25, 1.25 + PLACE_STEP / 2, PLACE_STEP)
"""Widths (px) and opacities of drawn lines, and places (px) of their middle, that are tried."""

MOST_OPAQUE = 3.0
"""Opacity that a line may have in sum, if it is wider than its like."""

ENOUGH_LINES = 200
"""About so many tell a picture's pen."""

FINE = 1 / 64
FARTHEST = 5.0
"""px: step and reach of the tables that lines' profiles are computed from."""


def centre_of_edge(profiles: Profiles, near: np.ndarray, ink: np.ndarray | None) -> tuple[np.ndarray, np.ndarray]:
    """Sub-pixel place of the edge whose energy peaks at `near` (P,) px, and whether its two sides are plain.

    Measured twice, the second time with the window centred on the first result: energy peaks on the stronger flank.
    """
    first = _centre(profiles, near, ink)[0]
    kept = np.where(np.abs(first - near) < 1.0, first, near)
    return _centre(profiles, kept, ink)


def _centre(profiles: Profiles, near: np.ndarray, ink: np.ndarray | None) -> tuple[np.ndarray, np.ndarray]:
    """One measurement around `near` (P,) px.

    A step lies where the mix of its two sides says. A line, darker or lighter than both sides, lies at the centroid of
    its cover, told from the colour of its own side and `ink` (3,), the colour of drawn lines: the contrast of the two
    sides then cannot pull at it. `ink` is None where no lines were drawn.
    """
    at = np.nan_to_num(near)
    left, left_plain = _side(profiles.value, at - SIDE)
    right, right_plain = _side(profiles.value, at + SIDE)
    inner = np.abs(S[None] - at[:, None]) <= SIDE
    grey = profiles.value.mean(axis=2)
    low, high = np.minimum(left, right).mean(axis=1), np.maximum(left, right).mean(axis=1)
    dark = low - np.where(inner, grey, np.inf).min(axis=1)
    light = np.where(inner, grey, -np.inf).max(axis=1) - high
    is_line = np.maximum(dark, light) > np.maximum(0.008, (0.6 if ink is None else 0.03) * (high - low))
    drawn = np.zeros(3) if ink is None else ink
    colour = np.where((dark >= light)[:, None], np.minimum(drawn, low[:, None]), 1.0)
    step = right - left
    mix = ((profiles.value - left[:, None]) * step[:, None]).sum(axis=2) / np.maximum((step**2).sum(axis=1), 1e-9)[
        :, None
    ]
    middle = np.clip(np.rint((at + REACH) / STEP).astype(int), HALF, len(S) - 1 - HALF)
    window = np.clip(mix, 0, 1)[np.arange(len(at))[:, None], middle[:, None] + np.arange(-HALF, HALF + 1)]
    place = S[middle] + SIDE - STEP * (window.sum(axis=1) - (window[:, 0] + window[:, -1]) / 2)
    rows = np.flatnonzero(is_line)
    around = profiles.value[rows[:, None], middle[rows, None] + np.arange(-HALF, HALF + 1)]
    place[rows] = S[middle[rows]] + _crest_of_line(around, left[rows], right[rows], colour[rows], ink is not None)
    plain = left_plain & right_plain & (is_line | (np.abs(step).max(axis=1) > 0.02))
    return np.where(np.isfinite(near), place, np.nan), plain


def _crest_of_line(value: np.ndarray, left, right, colour, one_pen: bool) -> np.ndarray:
    """Middle (P,) px of the line in the profiles `value` (P, 2 · HALF + 1, 3) around it.

    A line of `colour` (P, 3) lies over the border of two plain sides, and all of it is blurred by the pixels and by
    sampling. All are of the width that explains most profiles best, drawn with `one_pen` of one opacity; then the middle
    is told from sum and first moment, which unlike a profile's shape do not depend on how an edge meets the pixels.
    """
    if not len(value):
        return np.zeros(0)
    some = slice(None, None, max(1, len(value) // ENOUGH_LINES))
    sides = left[some], right[some], colour[some]

    def unlike(pen) -> float:
        errors = _unlike_lines(value[some], *sides, _line_parts(*pen[:2]), pen[2])
        return float(np.median(errors.min(axis=1)))

    pens = list(itertools.product(LINE_WIDTHS, (False, True), LINE_OPACITIES if one_pen else (-1.0,)))
    best = pens[int(np.argmin(for_each_tile(pens, unlike)))]
    s = STEP * np.arange(-HALF, HALF + 1)
    moments = np.stack([np.ones(len(s)), s])
    parts = np.einsum("ms,pst->pmt", moments, _line_parts(*best[:2]))
    errors = _unlike_lines(np.einsum("ms,isk->imk", moments, value), left, right, colour, parts, -1.0)
    near = errors.argmin(axis=1).clip(1, len(PLACES) - 2)
    a, b, c = (errors[np.arange(len(value)), near + k] for k in (-1, 0, 1))
    bend = a - 2 * b + c
    return PLACES[near] + PLACE_STEP * np.where(bend > 0, 0.5 * (a - c) / np.where(bend > 0, bend, 1), 0.0).clip(-1, 1)


@lru_cache
def _line_parts(width: float, painted: bool) -> np.ndarray:
    """One, and the shares of what lies past the border, before and past a line of `width` px over it, (places, samples, 4).

    Lines are drawn with the surfaces or, `painted`, over the finished picture, whose mixed pixels then show under them.
    """
    fine = np.arange(-FARTHEST, FARTHEST + FINE / 2, FINE)
    past = np.clip(fine + 0.5, 0, 1)
    before = np.clip(0.5 - width / 2 - fine, 0, 1)
    after = np.clip(0.5 - width / 2 + fine, 0, 1)
    if painted:
        bare = before + after
        before, after = (1 - past) * bare, past * bare
    # Sampling between pixels, at all phases of them, blurs by a triangle.
    kernel = np.clip(1 - np.abs(np.arange(-1, 1 + FINE / 2, FINE)), 0, None)
    s = STEP * np.arange(-HALF, HALF + 1) - PLACES[:, None]
    shares = [np.interp(s, fine, convolve1d(p, kernel / kernel.sum(), mode="nearest")) for p in (past, before, after)]
    return np.stack([np.ones(s.shape), *shares], axis=2)


@njit(cache=True, nogil=True)
def _unlike_lines(value, left, right, colour, parts, opacity):
    """Squared difference (P, places) between profiles and lines at each place; an opacity below 0 asks for the best."""
    out = np.empty((len(value), len(parts)))
    rest, change = np.empty((parts.shape[1], 3)), np.empty((parts.shape[1], 3))
    for i in range(len(value)):
        for j in range(len(parts)):
            both, square = 0.0, 1e-9
            for s in range(parts.shape[1]):
                whole, past, before, after = parts[j, s, 0], parts[j, s, 1], parts[j, s, 2], parts[j, s, 3]
                for k in range(3):
                    plain = whole * left[i, k] + past * (right[i, k] - left[i, k])
                    drawn = before * left[i, k] + after * right[i, k] + (whole - before - after) * colour[i, k]
                    rest[s, k], change[s, k] = value[i, s, k] - plain, drawn - plain
                    both += rest[s, k] * change[s, k]
                    square += change[s, k] ** 2
            own = opacity if opacity >= 0 else min(max(both / square, 0.0), MOST_OPAQUE)
            total = 0.0
            for s in range(parts.shape[1]):
                for k in range(3):
                    total += (rest[s, k] - own * change[s, k]) ** 2
            out[i, j] = total
    return out


def _side(value: np.ndarray, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Colour (P, 3) of the sides `at` px across, and whether it stays the same for a pixel."""
    rows = np.arange(len(at))
    index = np.clip(np.rint((at + REACH) / STEP).astype(int), 2, len(S) - 3)
    near = np.stack([value[rows, index + k] for k in (-2, -1, 0, 1, 2)])
    return near.mean(axis=0), np.ptp(near, axis=0).max(axis=1) < 0.02
