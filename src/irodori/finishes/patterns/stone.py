"""Marble and travertine in slabs."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, layered_noise, pulse_train
from irodori.finishes.patterns.common import (
    BOND,
    GRAIN,
    GRAIN_SIZE,
    JOINT,
    JOINT_RGB,
    STRETCH,
    UNIT_U,
    UNIT_V,
    VARIATION,
    fade_of,
    lean_unit,
    unit_tone,
)  # fmt: skip
from irodori.finishes.registry import pattern


@pattern("veined", own_grain=True)
@njit(cache=True)
def veined(row, u, v, fu, fv, seed, out):
    """Slabs cut from one block: thin veins in a clouded ground; drawn out, the beds and pores of travertine.

    Grain is the strength of the veins, its size the distance between them, its stretch how far they lie level.
    """
    wide, high, joint = row[UNIT_U], row[UNIT_V], row[JOINT]
    j = np.int64(np.floor(v / high))
    along = u + row[BOND] * wide * np.float32(j)
    i = np.int64(np.floor(along / wide))
    foot = max(fu, fv)
    fade = fade_of(foot, min(wide, high))
    unit_tone(i, j, seed, row[VARIATION], fade, out)
    size, stretch = row[GRAIN_SIZE], row[STRETCH]
    x = u / stretch + cell_hash(i, j, seed + 2) * np.float32(40)
    y = v + cell_hash(i, j, seed + 3) * np.float32(40)
    bend = layered_noise(x, y, size * np.float32(2.2), foot, 3, seed + 31)
    # Veins swell and give out.
    swell = np.float32(0.55) + np.float32(0.9) * layered_noise(x, y, size * np.float32(1.7), foot, 2, seed + 53)
    field = layered_noise(x + bend * size, y + bend * size * np.float32(0.6), size, foot, 4, seed + 37)
    # Far off, the mean share of veins remains.
    thin = min(np.float32(0.035) + np.float32(1.2) * foot / size, np.float32(0.75))
    vein = max(np.float32(1) - abs(field) / thin, np.float32(0)) * np.float32(0.035) / thin
    cloud = layered_noise(x, y, size * np.float32(0.8), foot, 3, seed + 41) * np.float32(0.10)
    pore = np.float32(0)
    if stretch > np.float32(1.5):
        grain = layered_noise(u * np.float32(0.45), v, np.float32(0.012), foot, 2, seed + 43)
        bed = layered_noise(x, y, size * np.float32(0.5), foot, 2, seed + 47)
        pore = min(
            max((grain + bed * np.float32(0.7) - np.float32(0.42)) * np.float32(5), np.float32(0)), np.float32(1)
        )
    mark = min(row[GRAIN] * vein * max(swell, np.float32(0)) + np.float32(0.8) * pore, np.float32(1))
    for k in range(3):
        out[k] = (out[k] + (row[JOINT_RGB + k] - out[k]) * mark) * (np.float32(1) + cloud * row[GRAIN])
    cover = max(pulse_train(along, wide, joint, fu), pulse_train(v, high, joint, fv))
    for k in range(3):
        out[k] *= np.float32(1) - np.float32(0.45) * cover
    out[3] += np.float32(0.3) * pore
    out[7] = np.float32(1) - np.float32(0.3) * max(cover, pore)
    lean_unit(i, j, seed, np.float32(0.006) * fade, out)
