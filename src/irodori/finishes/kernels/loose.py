"""Stones in a bed, grass."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.kernels.common import (
    BOND,
    JOINT_RGB,
    RELIEF,
    UNIT_U,
    UNIT_V,
    VARIATION,
    fade_of,
    mix_joint,
    unit_tone,
)
from irodori.finishes.noise import cell_hash, layered_noise
from irodori.finishes.slots import SLOT

MOTTLE = SLOT["mottle"]


@njit(cache=True)
def aggregate(row, u, v, fu, fv, seed, out):
    """Stones or chips in a bed: nearest of jittered cell centres."""
    size, high = row[UNIT_U], row[UNIT_V]
    foot = max(fu, fv)
    fade = fade_of(foot, min(size, high))
    if fade <= 0:
        mix_joint(row, out, np.float32(0.3) * row[BOND])
        return
    x, y = u / size, v / high
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    best, second = np.float32(9), np.float32(9)
    bi, bj = i, j
    for di in range(-1, 2):
        for dj in range(-1, 2):
            cx = np.float32(i + di) + np.float32(0.15) + np.float32(0.7) * cell_hash(i + di, j + dj, seed)
            cy = np.float32(j + dj) + np.float32(0.15) + np.float32(0.7) * cell_hash(i + di, j + dj, seed + 1)
            distance = np.float32(np.sqrt((cx - x) ** 2 + (cy - y) ** 2))
            if distance < best:
                second = best
                best = distance
                bi, bj = i + di, j + dj
            elif distance < second:
                second = distance
    unit_tone(bi, bj, seed, row[VARIATION], fade, out)
    bed = min(max(np.float32(1) - (second - best) * np.float32(3.2), np.float32(0)), np.float32(1)) * row[BOND]
    mix_joint(row, out, bed * fade + np.float32(0.3) * row[BOND] * (np.float32(1) - fade))
    out[7] = np.float32(1) - np.float32(0.4) * bed * fade
    out[5] += (cell_hash(bi, bj, seed + 5) - np.float32(0.5)) * row[RELIEF] * fade
    out[6] += (cell_hash(bi, bj, seed + 6) - np.float32(0.5)) * row[RELIEF] * fade


@njit(cache=True)
def grass(row, u, v, fu, fv, seed, out):
    foot = max(fu, fv)
    patches = layered_noise(u, v, np.float32(2.6), foot, 3, seed)
    tufts = layered_noise(u, v, np.float32(0.22), foot, 3, seed + 3)
    # Blades stand up, so from the side they draw out along the view's depth, which is the longer footprint.
    blades = layered_noise(u * np.float32(1.0), v * np.float32(1.0), np.float32(0.03), min(fu, fv), 2, seed + 6)
    uneven = row[MOTTLE] * np.float32(5)
    tone = np.float32(1) + np.float32(0.42) * uneven * patches + np.float32(0.55) * tufts + np.float32(0.5) * blades
    dry = min(max(patches * np.float32(0.9) * uneven - np.float32(0.05), np.float32(0)), np.float32(1))
    tone = max(tone, np.float32(0.25))
    for k in range(3):
        out[k] = (out[k] + (row[JOINT_RGB + k] - out[k]) * dry) * tone
    out[5] += tufts * np.float32(0.35)
    out[6] += blades * np.float32(0.3)
