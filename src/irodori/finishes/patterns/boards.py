"""Boards, and strips of wood laid in figures."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, layered_noise, pulse_train, value_noise
from irodori.finishes.patterns.common import (
    GRAIN,
    GRAIN_SIZE,
    JOINT,
    RELIEF,
    STRETCH,
    UNIT_U,
    UNIT_V,
    VARIATION,
    cast_shadow,
    edge_cover,
    fade_of,
    lean_unit,
    mix_joint,
    unit_tone,
)  # fmt: skip
from irodori.finishes.registry import pattern


@pattern("boards", shaded_by_relief=True, own_grain=True)
@njit(cache=True)
def boards(row, u, v, fu, fv, seed, lu, lv, ln, out):
    width, length, gap = row[UNIT_U], row[UNIT_V], row[JOINT]
    board = np.int64(np.floor(u / width))
    start = v + cell_hash(board, 3, seed) * length
    piece = np.int64(np.floor(start / length))
    fade = fade_of(fu, width)
    unit_tone(board, piece, seed, row[VARIATION], fade, out)
    # Grain runs along the board; the growth rings wander.
    wander = value_noise(v * np.float32(0.7), np.float32(board) * np.float32(3.7), seed + 9) * np.float32(0.02)
    rings = layered_noise(
        (u + wander) * row[STRETCH], v, row[GRAIN_SIZE], max(fu * row[STRETCH], fv), 3, seed + board * 131
    )
    for k in range(3):
        out[k] *= np.float32(1) + row[GRAIN] * rings * (np.float32(1) + np.float32(0.25) * np.float32(k))
    cover = pulse_train(u, width, gap, fu)
    end = pulse_train(start, length, gap * np.float32(0.6), fv)
    cover = max(cover, end * np.float32(0.8))
    mix_joint(row, out, cover)
    if row[RELIEF] > 0 and ln > np.float32(0.02):
        lost = cast_shadow(u, width, gap, row[RELIEF], -lu / ln, fu)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9)) * np.float32(0.85)
    out[7] = np.float32(1) - np.float32(0.6) * cover
    out[5] += (cell_hash(board, piece, seed + 5) - np.float32(0.5)) * np.float32(0.05) * fade


@njit(cache=True)
def _strip(row, along, across, length, width, i, j, foot, seed, out):
    """One strip of parquet or paving brick: `along`, `across` m from its corner."""
    fade = fade_of(foot, width)
    unit_tone(i, j, seed, row[VARIATION], fade, out)
    own = seed + i * 131 + j * 57
    rings = layered_noise(across * row[STRETCH], along, row[GRAIN_SIZE], foot * row[STRETCH], 3, own)
    for k in range(3):
        out[k] *= np.float32(1) + row[GRAIN] * rings * (np.float32(1) + np.float32(0.2) * np.float32(k))
    edge = min(min(along, length - along), min(across, width - across))
    joint = row[JOINT]
    share = joint * (np.float32(1) / width + np.float32(1) / length)
    cover = edge_cover(edge, joint * np.float32(0.5), foot)
    cover = cover * fade + share * (np.float32(1) - fade)
    mix_joint(row, out, cover)
    out[7] = np.float32(1) - np.float32(0.4) * cover
    lean_unit(i, j, seed, np.float32(0.02) * fade, out)


@pattern("herringbone", own_grain=True)
@njit(cache=True)
def herringbone(row, u, v, fu, fv, seed, out):
    """Strips whose length is a whole multiple of their width, laid at 45° to the room."""
    width = row[UNIT_V]
    ratio = max(np.int64(np.round(row[UNIT_U] / width)), np.int64(2))
    turn = np.float32(0.70710678)
    x, y = (u + v) * turn / width, (v - u) * turn / width
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    step = (i - j) % (2 * ratio)
    length = np.float32(ratio) * width
    foot = max(fu, fv)
    if step < ratio:
        start = i - step
        _strip(
            row, (x - np.float32(start)) * width, (y - np.float32(j)) * width, length, width, start, j, foot, seed, out
        )
    else:
        start = j - (2 * ratio - 1 - step)
        _strip(
            row,
            (y - np.float32(start)) * width,
            (x - np.float32(i)) * width,
            length,
            width,
            i,
            start,
            foot,
            seed + 19,
            out,
        )


@pattern("basket", own_grain=True)
@njit(cache=True)
def basket(row, u, v, fu, fv, seed, out):
    """Squares of parallel strips, every second one turned."""
    width = row[UNIT_V]
    ratio = max(np.int64(np.round(row[UNIT_U] / width)), np.int64(2))
    side = np.float32(ratio) * width
    i, j = np.int64(np.floor(u / side)), np.int64(np.floor(v / side))
    x, y = u - np.float32(i) * side, v - np.float32(j) * side
    if (i + j) % 2 != 0:
        x, y = y, x
    strip = min(np.int64(np.floor(y / width)), ratio - 1)
    _strip(row, x, y - np.float32(strip) * width, side, width, i * 7 + strip, j, max(fu, fv), seed, out)


@pattern("plywood", own_grain=True)
@njit(cache=True)
def plywood(row, u, v, fu, fv, seed, out):
    """Rotary-cut sheets: broad, cathedral-shaped figure, fine joints."""
    wide, high, joint = row[UNIT_U], row[UNIT_V], row[JOINT]
    i, j = np.int64(np.floor(u / wide)), np.int64(np.floor(v / high))
    fade = fade_of(max(fu, fv), wide)
    unit_tone(i, j, seed, row[VARIATION], fade, out)
    own = seed + i * 131 + j * 57
    bend = layered_noise(u, v * np.float32(0.35), np.float32(0.5), max(fu, fv), 2, own)
    figure = layered_noise(
        (u + bend * np.float32(0.12)) * row[STRETCH], v, row[GRAIN_SIZE], max(fu * row[STRETCH], fv), 3, own + 3
    )
    for k in range(3):
        out[k] *= np.float32(1) + row[GRAIN] * figure * (np.float32(1) + np.float32(0.25) * np.float32(k))
    cover = max(pulse_train(u, wide, joint, fu), pulse_train(v, high, joint, fv))
    mix_joint(row, out, cover)
    out[7] = np.float32(1) - np.float32(0.5) * cover
