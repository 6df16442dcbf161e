"""Seeded noise, faded where a pixel covers more than its detail."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import hash_u32

TURN_COS, TURN_SIN = (f(1.3 * np.arange(16)).astype(np.float32) for f in (np.cos, np.sin))
"""Each octave is turned, so that lattices do not line up."""


@njit(cache=True)
def cell_hash(i, j, seed):
    """A float32 in [0, 1) for the integer cell (i, j)."""
    h = hash_u32(
        np.uint32(np.int64(i)) * np.uint32(0x8DA6B343)
        ^ np.uint32(np.int64(j)) * np.uint32(0xD8163841)
        ^ np.uint32(seed)
    )
    return np.float32(h >> np.uint32(8)) * np.float32(1.0 / 16777216.0)


@njit(cache=True)
def value_noise(x, y, seed):
    """Smooth noise, mean 0, about −1 … 1, one feature a unit."""
    xf, yf = np.floor(x), np.floor(y)
    fx, fy = np.float32(x - xf), np.float32(y - yf)
    i, j = np.int64(xf), np.int64(yf)
    sx = fx * fx * (np.float32(3) - np.float32(2) * fx)
    sy = fy * fy * (np.float32(3) - np.float32(2) * fy)
    a = cell_hash(i, j, seed)
    b = cell_hash(i + 1, j, seed)
    c = cell_hash(i, j + 1, seed)
    d = cell_hash(i + 1, j + 1, seed)
    top = a + (b - a) * sx
    low = c + (d - c) * sx
    return np.float32(2) * (top + (low - top) * sy) - np.float32(1)


@njit(cache=True)
def layered_noise(x, y, size, foot, octaves, seed):
    """Octaves (at most 16) of value noise from `size` metres down, each faded as the footprint `foot` (m) reaches it."""
    total = np.float32(0)
    gain = np.float32(0.55)
    scale = np.float32(size)
    for octave in range(octaves):
        fade = np.float32(2.0) - np.float32(3.0) * foot / scale
        if fade <= 0:
            break
        fade = min(fade, np.float32(1.0))
        c, s = TURN_COS[octave] / scale, TURN_SIN[octave] / scale
        px, py = c * x - s * y, s * x + c * y
        total += gain * fade * value_noise(px, py, seed + octave * 7919)
        gain *= np.float32(0.55)
        scale *= np.float32(0.47)
    return total


@njit(cache=True)
def pulse_train(x, period, width, foot):
    """Share of [x − foot/2, x + foot/2] covered by pulses [k·period, k·period + width]."""
    if width <= 0:
        return np.float32(0)
    foot = max(foot, np.float32(1e-5))
    a, b = (x - foot / 2) / period, (x + foot / 2) / period
    share = width / period
    ka, kb = np.floor(a), np.floor(b)
    covered = kb * share + min(b - kb, share) - ka * share - min(a - ka, share)
    return np.float32(covered * period / foot)
