"""Peaks of profiles: the strongest, the one nearest to a place, and thin lines."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.proof.profiles import STEP, S

LINE_REACH = 1.25
"""px from a thin line's core within which both its sides must show."""

LEAST_LINE = 1.5 / 255
"""Encoded contrast of a thin line against both its sides, after averaging along it."""


def strongest_peak(energy: np.ndarray, within: float) -> tuple[np.ndarray, np.ndarray]:
    """Sub-pixel place and height of the highest local maximum within `within` px of 0; NaN and 0 where there is none."""
    return _strongest(energy, S, within)


@njit(cache=True, nogil=True)
def _strongest(energy, s, within):
    place, height = np.full(len(energy), np.nan), np.zeros(len(energy))
    for p in range(len(energy)):
        best = 0
        for i in range(1, len(s) - 1):
            if abs(s[i]) <= within + STEP and _is_peak(energy[p], i) and energy[p, i] > max(height[p], 0.0):
                best, height[p] = i, energy[p, i]
        if best:
            at = _summit(energy[p], s, best)
            if abs(at) <= within:
                place[p] = at
            else:
                height[p] = 0.0
    return place, height


def nearest_peak(energy: np.ndarray, at: np.ndarray, within: float, weakest: np.ndarray) -> np.ndarray:
    """Place of the local maximum nearest to `at` (P,) that is at least `weakest` (P,) high, within `within` px; or NaN."""
    return _nearest(energy, S, at, within, weakest)


@njit(cache=True, nogil=True)
def _nearest(energy, s, at, within, weakest):
    place = np.full(len(energy), np.nan)
    for p in range(len(energy)):
        nearest = within
        for i in range(1, len(s) - 1):
            if energy[p, i] >= weakest[p] and _is_peak(energy[p], i):
                own = _summit(energy[p], s, i)
                away = abs(own - at[p])
                if away < nearest or (away == nearest and np.isnan(place[p])):
                    nearest, place[p] = away, own
    return place


@njit(inline="always")
def _is_peak(energy, i):
    return energy[i] >= energy[i - 1] and energy[i] > energy[i + 1]


@njit(inline="always")
def _summit(energy, s, i):
    """Top of the parabola through a peak's sample and its neighbours."""
    bend = energy[i - 1] - 2 * energy[i] + energy[i + 1]
    if bend == 0:
        return s[i]
    return s[i] + STEP * min(max(0.5 * (energy[i - 1] - energy[i + 1]) / bend, -1.0), 1.0)


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
