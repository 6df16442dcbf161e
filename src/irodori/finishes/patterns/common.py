"""What patterns share: slots, fading with distance, tones, joints, cast shadows."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, pulse_train
from irodori.finishes.slots import SLOT

JOINT_RGB, UNIT_U, UNIT_V, JOINT = SLOT["joint_red"], SLOT["unit_u"], SLOT["unit_v"], SLOT["joint"]
BOND, LAYING, HOLE, RELIEF = SLOT["bond"], SLOT["laying"], SLOT["hole"], SLOT["relief"]
VARIATION, GRAIN, GRAIN_SIZE, STRETCH = SLOT["variation"], SLOT["grain"], SLOT["grain_size"], SLOT["grain_stretch"]


@njit(cache=True)
def fade_of(foot, size):
    """1 while a pixel resolves `size`, 0 when it averages over it."""
    return min(max(np.float32(1.6) - np.float32(1.2) * foot / size, np.float32(0)), np.float32(1))


@njit(cache=True)
def unit_tone(i, j, seed, variation, fade, out):
    """Tone of one brick, board or tile: mostly lightness, a little hue."""
    light = (cell_hash(i, j, seed) - np.float32(0.5)) * np.float32(2) * variation * fade
    warm = (cell_hash(i, j, seed + 51) - np.float32(0.5)) * variation * np.float32(0.5) * fade
    out[0] *= np.float32(1) + light + warm
    out[1] *= np.float32(1) + light
    out[2] *= np.float32(1) + light - warm


@njit(cache=True)
def mix_joint(row, out, cover):
    """Blend the joint's colour in."""
    for k in range(3):
        out[k] += (row[JOINT_RGB + k] - out[k]) * cover


@njit(cache=True)
def cast_shadow(x, period, width, drop, slope, foot):
    """Share of direct light lost to the shadow that an edge at k·period casts over `drop`·`slope` metres."""
    reach = min(abs(slope) * drop, period * np.float32(0.9))
    if reach <= 0:
        return np.float32(0)
    start = x - width if slope < 0 else x + reach
    return pulse_train(start, period, reach, foot)


@njit(cache=True)
def edge_cover(distance, width, foot):
    """Share of a pixel `foot` wide under a line of half-width `width`, its middle `distance` away."""
    return min(max((width - distance) / max(foot, np.float32(1e-5)) + np.float32(0.5), np.float32(0)), np.float32(1))


@njit(cache=True)
def lean_unit(i, j, seed, amount, out):
    """Each unit leans a little differently: a wall glitters instead of looking printed."""
    out[5] += (cell_hash(i, j, seed + 5) - np.float32(0.5)) * amount
    out[6] += (cell_hash(i, j, seed + 6) - np.float32(0.5)) * amount
