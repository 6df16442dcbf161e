"""Stones in a bed, grass, the crowns of trees."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, layered_noise, value_noise
from irodori.finishes.patterns.common import (
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
from irodori.finishes.registry import pattern
from irodori.finishes.slots import SLOT

MOTTLE = SLOT["mottle"]
MOWN = np.float32(0.09)
"""Mottle under which grass is mown."""


@pattern("aggregate")
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
def _spray(u, v, size, foot, seed):
    """How far the leaves at (u, v) stand out, in shares of `size`."""
    # Pushed aside each way on its own: one push for both would comb all leaves along a diagonal.
    aside = layered_noise(u, v, size * np.float32(1.7), foot, 2, seed + 5) * size * np.float32(0.4)
    along = layered_noise(u, v, size * np.float32(1.7), foot, 2, seed + 6) * size * np.float32(0.4)
    return layered_noise(u + aside, v + along, size, foot, 4, seed)


@pattern("crown", shaded_by_relief=True)
@njit(cache=True)
def crown(row, u, v, fu, fv, seed, lu, lv, ln, out):
    """Foliage seen as a mass: boughs of `unit_u` and sprays of leaves of `unit_v`, pale where they stand out, dark in the gaps.

    Both are lit from above and, in the sun, from where it stands.
    """
    foot, spray = max(fu, fv), row[UNIT_V]
    step = spray * np.float32(0.16) + np.float32(0.5) * foot
    here = _spray(u, v, spray, foot, seed)
    across = (_spray(u + step, v, spray, foot, seed) - here) / step * spray
    up = (_spray(u, v + step, spray, foot, seed) - here) / step * spray
    bough = layered_noise(u, v * np.float32(1.3), row[UNIT_U], foot, 2, seed + 9)
    long = np.float32(1) / np.float32(np.sqrt(np.float32(1) + across * across + up * up))
    above = -up * long
    gap = min(
        max(np.float32(-0.08) - here - np.float32(0.25) * bough, np.float32(0)) * np.float32(1.5), np.float32(0.75)
    )
    tip = min(max(here + np.float32(0.4) * bough, np.float32(0)), np.float32(0.8))
    leaf = layered_noise(u, v, np.float32(0.3) * spray, foot, 2, seed + 13)
    tone = np.float32(0.8) + np.float32(0.45) * tip + np.float32(0.28) * above + row[VARIATION] * leaf
    # Young leaves at the tips are yellower.
    out[0] *= tone * (np.float32(1) + np.float32(0.3) * tip)
    out[1] *= tone
    out[2] *= tone
    facing = (max(ln, np.float32(0.3)) - across * lu - up * lv) * long
    out[4] = min(max(np.float32(0.25) + np.float32(0.75) * facing, np.float32(0.1)), np.float32(1)) * (
        np.float32(1) - gap
    )
    out[7] = (np.float32(1) - gap) * min(
        max(np.float32(0.75) + np.float32(0.4) * above, np.float32(0.25)), np.float32(1)
    )


@njit(cache=True)
def _grain(u, v, foot, finest, seed):
    """Noise about as fine as a pixel, never finer than `finest` m: its cells double with the footprint, and one size fades into the
    next, so that it stays where it is."""
    level = np.float32(np.log2(max(finest, np.float32(1.4) * foot)))
    low = np.float32(np.floor(level))
    t = level - low
    size = np.float32(2.0) ** low
    here = value_noise(u / size, v / size, seed)
    wider = value_noise(u / (np.float32(2) * size), v / (np.float32(2) * size), seed + 17)
    return here * (np.float32(1) - t) + wider * t


@pattern("grass")
@njit(cache=True)
def grass(row, u, v, fu, fv, seed, out):
    """Mown or rough grass: worn and dry patches, clover, tufts, blades; mown grass in bands."""
    foot = max(fu, fv)
    # Blades stand up, so from the side they draw out along the view's depth, which is the longer footprint.
    across = np.float32(np.sqrt(fu * fv))
    patches = layered_noise(u, v, np.float32(4.2), foot, 4, seed)
    tufts = layered_noise(u, v, np.float32(0.42), across, 4, seed + 3)
    blades = layered_noise(u, v, np.float32(0.03), min(fu, fv), 2, seed + 6)
    grain = _grain(u, v, across, np.float32(0.05), seed + 21)
    uneven = row[MOTTLE] * np.float32(5)
    # Tufts stand, too: from the side they hide each other, where flat blots would be drawn out into streaks.
    standing = min(fu, fv) / max(foot, np.float32(1e-6))
    shown = np.float32(0.2) + np.float32(0.8) * standing
    tone = (
        np.float32(1)
        + (np.float32(0.34) * uneven * patches + np.float32(0.5) * tufts) * shown
        + np.float32(0.5) * blades
    )
    tone += np.float32(0.15) * grain
    if row[MOTTLE] < MOWN:
        band = np.float32(np.sin(u * np.float32(2 * np.pi / 1.1)))
        fade = min(max(np.float32(2) - np.float32(4) * foot, np.float32(0)), np.float32(1))
        tone += np.float32(0.035) * fade * band / max(abs(band), np.float32(0.4))
    clover = layered_noise(u, v, np.float32(1.1), foot, 3, seed + 11)
    spot = min(max((clover - np.float32(0.22)) * np.float32(6), np.float32(0)), np.float32(1)) * uneven
    dry = min(max(patches * np.float32(0.9) * uneven - np.float32(0.05), np.float32(0)), np.float32(1))
    # From afar patches are not seen, but what they are on average.
    far = np.float32(1) - min(max(np.float32(2) - foot * np.float32(0.7), np.float32(0)), np.float32(1))
    dry += far * np.float32(0.1) * max(uneven - np.float32(0.1), np.float32(0))
    spot += (
        (np.float32(1) - min(max(np.float32(2) - foot * np.float32(2.7), np.float32(0)), np.float32(1)))
        * np.float32(0.147)
        * uneven
    )
    tone = max(tone, np.float32(0.25)) * (np.float32(1) - np.float32(0.16) * spot)
    for k in range(3):
        out[k] = (out[k] + (row[JOINT_RGB + k] - out[k]) * dry) * tone
    # Clover is bluer than grass.
    out[0] *= np.float32(1) - np.float32(0.22) * spot
    out[2] *= np.float32(1) + np.float32(0.12) * spot
    out[5] += tufts * np.float32(0.35)
    out[6] += blades * np.float32(0.3)
