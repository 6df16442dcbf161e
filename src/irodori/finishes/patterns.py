"""Procedural patterns in metres: what a finish looks like at one place.

The functions of `kernels` are compiled into one, `evaluate_finish`.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.scene import FINISH_PARAMETERS
from irodori.finishes.kernels.boards import basket, boards, herringbone, plywood
from irodori.finishes.kernels.common import GRAIN, GRAIN_SIZE, STRETCH
from irodori.finishes.kernels.facade import facade
from irodori.finishes.kernels.loose import aggregate, crown, grass
from irodori.finishes.kernels.masonry import courses, panels
from irodori.finishes.kernels.metal import corrugated, frit, perforated, seams
from irodori.finishes.kernels.roofing import pantiles, shingles
from irodori.finishes.kernels.stone import veined
from irodori.finishes.noise import layered_noise
from irodori.finishes.slots import PATTERNS, SLOT

assert len(SLOT) == FINISH_PARAMETERS
PATTERN, ROUGHNESS, TURN, MOTTLE = SLOT["pattern"], SLOT["roughness"], SLOT["turn"], SLOT["mottle"]

OUTPUTS = 8
"""Albedo (3), roughness, share of direct light that reaches past the relief, slope along u and v, cavity."""

SHADED_BY_RELIEF = np.isin(np.arange(len(PATTERNS)), (1, 2, 3, 4, 12, 15, 18, 19))
"""The patterns whose third output depends on where the sun stands; no other output of any pattern does."""


@njit(cache=True, nogil=True)
def evaluate_finish(row, red, green, blue, u, v, fu, fv, seed, lu, lv, ln, out):
    """Evaluate a finish at (u, v), metres, over a footprint fu × fv.

    (red, green, blue) is its base colour, linear; (lu, lv, ln) is the direction of the sun in the surface's frame. `out` receives `OUTPUTS` values.
    """
    if row[TURN] > 0:
        u, v = v, u
        fu, fv = fv, fu
        lu, lv = lv, lu
    # Very oblique views would stretch the footprint without end; four to one is what the eye accepts.
    fu, fv = max(fu, fv * np.float32(0.25)), max(fv, fu * np.float32(0.25))
    out[0], out[1], out[2] = red, green, blue
    out[3] = row[ROUGHNESS]
    out[4] = np.float32(1)
    out[5] = np.float32(0)
    out[6] = np.float32(0)
    out[7] = np.float32(1)
    pattern = np.int64(row[PATTERN])
    if pattern == 1:
        courses(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 2:
        boards(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 3:
        seams(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 4:
        shingles(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 5:
        aggregate(row, u, v, fu, fv, seed, out)
    elif pattern == 6:
        grass(row, u, v, fu, fv, seed, out)
    elif pattern == 9:
        corrugated(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 10:
        herringbone(row, u, v, fu, fv, seed, out)
    elif pattern == 11:
        basket(row, u, v, fu, fv, seed, out)
    elif pattern == 12:
        panels(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 13:
        perforated(row, u, v, fu, fv, seed, out)
    elif pattern == 14:
        veined(row, u, v, fu, fv, seed, out)
    elif pattern == 15:
        pantiles(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 16:
        plywood(row, u, v, fu, fv, seed, out)
    elif pattern == 17:
        frit(row, u, v, fu, fv, out)
    elif pattern == 18:
        facade(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 19:
        crown(row, u, v, fu, fv, seed, lu, lv, ln, out)
    foot = max(fu, fv)
    own_grain = pattern == 2 or pattern == 4 or pattern == 10 or pattern == 11 or pattern == 14 or pattern == 16
    if row[GRAIN] > 0 and not own_grain:
        fine = layered_noise(u * row[STRETCH], v, row[GRAIN_SIZE], foot, 3, seed + 101)
        for k in range(3):
            out[k] *= np.float32(1) + row[GRAIN] * fine
        out[5] += fine * row[GRAIN] * np.float32(0.10)
    if row[MOTTLE] > 0:
        # Weather and hands: slow, large tones that no surface outside escapes.
        slow = layered_noise(u, v * np.float32(0.6), np.float32(1.9), foot, 4, seed + 211)
        for k in range(3):
            out[k] *= np.float32(1) + row[MOTTLE] * slow
        out[3] *= np.float32(1) + row[MOTTLE] * slow * np.float32(0.6)
    for k in range(3):
        out[k] = min(max(out[k], np.float32(0.003)), np.float32(0.92))
    if row[TURN] > 0:
        swap = out[5]
        out[5] = out[6]
        out[6] = swap
