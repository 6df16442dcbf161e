"""Measuring where an edge lies: profiles across each piece, pooled along it."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import njit
from scipy.ndimage import convolve1d

from irodori.core.work.tiles import for_each_tile
from irodori.proof.edges import EdgePieces

STEP = 0.25
REACH = 7.0
NEAR = 1.0
"""px within which an edge counts as found."""

S = np.arange(-REACH, REACH + STEP / 2, STEP)

SIDE = 2.0
"""px from an edge at which its sides show their own colour."""

HALF = round(SIDE / STEP)

LINE_REACH = 1.25
"""px from a thin line's core within which both its sides must show."""

LEAST_LINE = 1.5 / 255
"""Encoded contrast of a thin line against both its sides, after averaging along it."""


LINE_WIDTHS = (0.5, 0.75, 1.0, 1.25, 1.5, 2.0, 2.5)
LINE_OPACITIES = (0.4, 0.55, 0.7, 0.85, 1.0)
PLACE_STEP = 0.0625
PLACES = np.arange(-1.25, 1.25 + PLACE_STEP / 2, PLACE_STEP)
"""Widths (px) and opacities of drawn lines, and places (px) of their middle, that are tried."""

MOST_OPAQUE = 3.0
"""Opacity that a line may have in sum, if it is wider than its like."""

ENOUGH_LINES = 200
"""About so many tell a picture's pen."""


@dataclass(frozen=True, eq=False)
class Profiles:
    """Pooled profiles across pieces, at `S` px: `value` (P, S, 3) encoded, `energy` and `fine` (P, S) of its gradient, gathered
    widely, so that a line has one peak, and barely, so that an edge beside a stronger one has its own."""

    value: np.ndarray
    energy: np.ndarray
    fine: np.ndarray

    def take(self, keep: np.ndarray) -> Profiles:
        return Profiles(self.value[keep], self.energy[keep], self.fine[keep])


FINE = 1 / 64
FARTHEST = 5.0
"""px: step and reach of the tables that lines' profiles are computed from."""


def pool_profiles(image: np.ndarray, pieces: EdgePieces, places: np.ndarray | None = None) -> Profiles:
    """Profiles across each piece, averaged along it: textures cancel, edges stay.

    Parameters
    ----------
    image
        (H, W, 3) float32, encoded.
    places
        (N, 2) px: where to look instead of at the pieces' own points.
    """
    import cv2

    places = pieces.point if places is None else places
    count = np.maximum(np.bincount(pieces.piece, minlength=len(pieces)), 1)
    pooled = np.zeros((len(pieces), len(S), 3))
    order = np.argsort(pieces.piece, kind="stable")
    starts = np.searchsorted(pieces.piece[order], np.arange(len(pieces)))
    for begin in range(0, len(order), 16384):
        index = order[begin : begin + 16384]
        n = pieces.normal[pieces.piece[index]]
        x = (places[index, 0:1] + n[:, 0:1] * S - 0.5).astype(np.float32)
        y = (places[index, 1:2] + n[:, 1:2] * S - 0.5).astype(np.float32)
        values = cv2.remap(image, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        first = np.searchsorted(starts, begin, side="right") - 1
        last = np.searchsorted(starts, begin + len(index), side="left")
        cuts = np.maximum(starts[first:last] - begin, 0)
        pooled[first:last] += np.add.reduceat(values, cuts, axis=0)
    pooled /= count[:, None, None]
    slope = np.zeros_like(pooled)
    slope[:, 1:-1] = (pooled[:, 2:] - pooled[:, :-2]) / (2 * STEP)
    squared = (slope**2).sum(axis=2)
    # A drawn line has two flanks; gathered over a pixel and a half they peak at its centre.
    return Profiles(pooled, _gather(squared, 0.75), _gather(squared, 0.3))


def _gather(values: np.ndarray, reach: float) -> np.ndarray:
    kernel = np.exp(-0.5 * (np.arange(-3, 3.01, STEP) / reach) ** 2)
    return convolve1d(values, kernel / kernel.sum(), axis=1, mode="nearest")


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


def strongest_peak(energy: np.ndarray, within: float) -> tuple[np.ndarray, np.ndarray]:
    """Sub-pixel place and height of the highest local maximum within `within` px of 0; NaN and 0 where there is none."""
    inner = energy[:, 1:-1]
    peak = (inner >= energy[:, :-2]) & (inner > energy[:, 2:]) & (np.abs(S[1:-1]) <= within + STEP)
    height = np.where(peak, inner, -1.0)
    best = height.argmax(axis=1)
    rows = np.arange(len(energy))
    found = height[rows, best] > 0
    a, b, c = energy[rows, best], energy[rows, best + 1], energy[rows, best + 2]
    bend = a - 2 * b + c
    shift = np.where(np.abs(bend) > 0, 0.5 * (a - c) / np.where(bend == 0, 1, bend), 0.0).clip(-1, 1)
    place = S[best + 1] + shift * STEP
    found &= np.abs(place) <= within
    return np.where(found, place, np.nan), np.where(found, height[rows, best], 0.0)


def nearest_peak(energy: np.ndarray, at: np.ndarray, within: float, weakest: np.ndarray) -> np.ndarray:
    """Place of the local maximum nearest to `at` (P,) that is at least `weakest` (P,) high, within `within` px; or NaN."""
    inner = energy[:, 1:-1]
    peak = (inner >= energy[:, :-2]) & (inner > energy[:, 2:]) & (inner >= weakest[:, None])
    a, c = energy[:, :-2], energy[:, 2:]
    bend = a - 2 * inner + c
    place = S[1:-1] + STEP * np.where(np.abs(bend) > 0, 0.5 * (a - c) / np.where(bend == 0, 1, bend), 0.0).clip(-1, 1)
    away = np.where(peak, np.abs(place - at[:, None]), np.inf)
    best = away.argmin(axis=1)
    rows = np.arange(len(energy))
    return np.where(away[rows, best] <= within, place[rows, best], np.nan)


def height_at(energy: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Energy (P,) of the highest sample within half a pixel of `at` (P,) px."""
    near = np.abs(S[None] - at[:, None]) <= 0.5
    return np.where(near, energy, 0.0).max(axis=1)


def nearest_line(value: np.ndarray, at: np.ndarray, within: float) -> np.ndarray:
    """Place of the thin line, darker or lighter than both its sides, nearest to `at` (P,) px within `within`; or NaN."""
    grey = value.mean(axis=2)
    reach = round(LINE_REACH / STEP)
    best = np.full(len(grey), np.inf)
    place = np.full(len(grey), np.nan)
    for sign in (1.0, -1.0):
        v = sign * grey
        side = (
            np.stack([np.roll(v, k, axis=1) for k in range(1, reach + 1)]),
            np.stack([np.roll(v, -k, axis=1) for k in range(1, reach + 1)]),
        )
        depth = np.minimum(side[0].max(axis=0), side[1].max(axis=0)) - v
        lowest = (v <= side[0][0]) & (v < side[1][0])
        away = np.where(lowest & (depth > LEAST_LINE), np.abs(S[None] - at[:, None]), np.inf)
        index = away.argmin(axis=1)
        nearer = away[np.arange(len(v)), index] < best
        best = np.where(nearer, away[np.arange(len(v)), index], best)
        place = np.where(nearer, S[index], place)
    return np.where(best <= within, place, np.nan)
