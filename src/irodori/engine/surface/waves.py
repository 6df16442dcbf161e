"""Wind waves on water: slopes of what a pixel resolves, roughness of what it does not."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import unit_float
from irodori.finishes.noise import value_noise

WAVES = 14
QUARTER = 1.57079099, -0.64589266, 0.07943397, -0.00433288
"""Odd polynomial, least squares at Chebyshev points, of sin(π/2 y) on −1 … 1."""


@njit(cache=True)
def wave_trains(size, seed):
    """The waves of one water, (WAVES, 4) float32: length m, direction of travel (2), phase in turns."""
    trains = np.empty((WAVES, 4), np.float32)
    for w in range(WAVES):
        share = np.float32(w) / np.float32(WAVES - 1)
        spread = (unit_float(np.uint32(seed + w * 17)) - np.float32(0.5)) * np.float32(2.6)
        angle = np.float32(0.6) + spread
        trains[w, 0] = np.float32(2.4) * size * np.float32(0.033) ** share
        trains[w, 1], trains[w, 2] = np.float32(np.cos(angle)), np.float32(np.sin(angle))
        trains[w, 3] = unit_float(np.uint32(seed * 3 + w))
    return trains


@njit(cache=True)
def _cosine(turns):
    """cos(2π turns) to 1e-6."""
    y = np.float32(1) - np.float32(4) * abs(turns - np.float32(np.rint(turns)))
    z = y * y
    a, b, c, d = np.float32(QUARTER[0]), np.float32(QUARTER[1]), np.float32(QUARTER[2]), np.float32(QUARTER[3])
    return y * (a + z * (b + z * (c + z * d)))


@njit(cache=True)
def wave_slopes(x, y, view_x, view_y, cosine, foot, steepness, trains, seed, out):
    """Slope of the water at (x, y), m: out = (∂x, ∂y, unresolved slope variance).

    `trains` of sine waves from 2.4 m down to 8 cm, spread about the wind, breathing in groups. `foot` is the
    pixel's width; along the view it is drawn out by 1 / `cosine`. `steepness` is the RMS slope of all waves.
    """
    out[0] = np.float32(0)
    out[1] = np.float32(0)
    out[2] = np.float32(0)
    # Gusts: patches of rougher and smoother water.
    gust = np.float32(1.0) + np.float32(0.55) * value_noise(x * np.float32(0.045), y * np.float32(0.07), seed + 900)
    each = steepness * gust * np.float32(1.414) / np.float32(np.sqrt(WAVES))
    stretch = np.float32(1) / max(cosine, np.float32(0.02))
    for w in range(WAVES):
        length, c, s = trains[w, 0], trains[w, 1], trains[w, 2]
        along = abs(c * view_x + s * view_y)
        drawn = foot * (along * stretch + (np.float32(1) - along))
        fade = min(max(np.float32(1.6) - np.float32(6.0) * drawn / length, np.float32(0)), np.float32(1))
        out[2] += np.float32(0.5) * each * each * (np.float32(1) - fade * fade)
        if fade <= 0:
            continue
        wave = np.float32(1) / length
        group = np.float32(0.2) * wave
        drift = value_noise(x * group, y * group, seed + 31 * w)
        turns = (c * x + s * y) * wave + trains[w, 3] + np.float32(0.382) * drift
        slope = each * fade * _cosine(turns) * (np.float32(0.55) + np.float32(0.9) * abs(drift))
        out[0] += slope * c
        out[1] += slope * s
