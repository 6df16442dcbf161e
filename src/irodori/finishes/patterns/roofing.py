"""Shingles, slates and tiles that overlap."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, layered_noise, pulse_train
from irodori.finishes.patterns.common import (
    BOND,
    GRAIN,
    GRAIN_SIZE,
    JOINT,
    RELIEF,
    STRETCH,
    UNIT_U,
    UNIT_V,
    VARIATION,
    fade_of,
    mix_joint,
    unit_tone,
)  # fmt: skip
from irodori.finishes.registry import pattern


@pattern("shingles", shaded_by_relief=True, own_grain=True)
@njit(cache=True)
def shingles(row, u, v, fu, fv, seed, lu, lv, ln, out):
    width, reach, gap = row[UNIT_U], row[UNIT_V], row[JOINT]
    course = np.int64(np.floor(v / reach))
    along = u + cell_hash(course, 11, seed) * width
    if row[BOND] > 0:
        along = u + row[BOND] * width * np.float32(course)
    tile = np.int64(np.floor(along / width))
    fade = fade_of(max(fu / width, fv / reach), np.float32(1.0))
    unit_tone(tile, course, seed, row[VARIATION], fade, out)
    grain = layered_noise(u * row[STRETCH], v, row[GRAIN_SIZE], max(fu * row[STRETCH], fv), 3, seed + tile * 17)
    for k in range(3):
        out[k] *= np.float32(1) + row[GRAIN] * grain
    # The lower edge of each course throws a line of shadow onto the one below.
    drop = row[RELIEF]
    edge = pulse_train(v + drop * np.float32(0.6), reach, drop * np.float32(0.6), fv)
    mix_joint(row, out, max(edge * np.float32(0.7), pulse_train(along, width, gap, fu) * np.float32(0.8)))
    if ln > np.float32(0.02):
        lost = pulse_train(v + drop * max(lv / ln, np.float32(0.0)), reach, drop * max(lv / ln, np.float32(0.0)), fv)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9))
    out[7] = np.float32(1) - np.float32(0.3) * edge
    out[6] -= np.float32(0.06) * fade
    out[5] += (cell_hash(tile, course, seed + 5) - np.float32(0.5)) * np.float32(0.08) * fade


@pattern("pantiles", shaded_by_relief=True)
@njit(cache=True)
def pantiles(row, u, v, fu, fv, seed, lu, lv, ln, out):
    """Clay tiles with a rolled profile, overlapping down the slope."""
    wide, reach, drop = row[UNIT_U], row[UNIT_V], row[RELIEF]
    course, tile = np.int64(np.floor(v / reach)), np.int64(np.floor(u / wide))
    fade = fade_of(max(fu / wide, fv / reach), np.float32(1.0))
    unit_tone(tile, course, seed, row[VARIATION], fade, out)
    phase = (u / wide - np.float32(tile)) * np.float32(2 * np.pi)
    roll, slope = np.float32(np.sin(phase)), np.float32(np.cos(phase))
    wave = fade_of(fu, wide * np.float32(0.5))
    # The roll is a sixth of the tile's width high.
    out[5] += slope * np.float32(0.5) * wave
    edge = pulse_train(v + drop * np.float32(0.6), reach, drop * np.float32(0.7), fv)
    trough = max(-roll, np.float32(0)) * wave
    mix_joint(row, out, max(edge * np.float32(0.75), trough * trough * np.float32(0.45)))
    if ln > np.float32(0.02):
        fall = drop * max(lv / ln, np.float32(0.0))
        out[4] *= np.float32(1) - min(pulse_train(v + fall, reach, fall, fv), np.float32(0.9))
        # The roll shades the trough beside it when light comes from the side.
        out[4] *= np.float32(1) - min(abs(lu / ln), np.float32(1.5)) * np.float32(0.35) * trough
    out[7] = (np.float32(1) - np.float32(0.3) * edge) * (np.float32(1) - np.float32(0.35) * trough)
    out[6] -= np.float32(0.06) * fade
