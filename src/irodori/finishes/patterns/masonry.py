"""Bricks, blocks, slabs and tiles in courses; cast panels."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash, pulse_train
from irodori.finishes.patterns.common import (
    BOND,
    HOLE,
    JOINT,
    LAYING,
    RELIEF,
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


@pattern("courses", shaded_by_relief=True)
@njit(cache=True)
def courses(row, u, v, fu, fv, seed, lu, lv, ln, out):
    unit_u, unit_v, joint, bond = row[UNIT_U], row[UNIT_V], row[JOINT], row[BOND]
    course = np.floor(v / unit_v)
    odd = np.int64(course) % 2 != 0
    along = u + bond * unit_u * course
    laying = np.int64(row[LAYING])
    length = unit_u
    if laying == 1:  # English: a course of stretchers, a course of headers
        along = u + (np.float32(0.25) * unit_u if odd else np.float32(0))
        length = unit_u * np.float32(0.5) if odd else unit_u
    elif laying == 2:  # Flemish: stretcher and header in turn
        length = unit_u * np.float32(1.5)
        along = u + (np.float32(0.75) * unit_u if odd else np.float32(0))
    elif bond > np.float32(0.9):  # random bond: each course starts anywhere
        along = u + cell_hash(np.int64(course), 77, seed) * unit_u
    brick = np.floor(along / length)
    head = pulse_train(along, length, joint, fu)
    if laying == 2:
        head += pulse_train(along - unit_u, length, joint, fu)
        brick = np.float32(2) * brick + (np.float32(1) if along - brick * length > unit_u else np.float32(0))
    fade = fade_of(max(fu / unit_u, fv / unit_v), np.float32(1.0))
    unit_tone(np.int64(brick), np.int64(course), seed, row[VARIATION], fade, out)
    bed = pulse_train(v, unit_v, joint, fv)
    cover = np.float32(1) - (np.float32(1) - bed) * (np.float32(1) - head)
    mix_joint(row, out, cover)
    if row[RELIEF] > 0 and ln > np.float32(0.02):
        lost = cast_shadow(v, unit_v, joint, row[RELIEF], -lv / ln, fv) * np.float32(0.9)
        lost += cast_shadow(along, length, joint, row[RELIEF], -lu / ln, fu) * np.float32(0.5)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9))
    out[7] = np.float32(1) - np.float32(0.35) * cover
    lean_unit(np.int64(brick), np.int64(course), seed, np.float32(0.03) * fade, out)


@pattern("panels", shaded_by_relief=True)
@njit(cache=True)
def panels(row, u, v, fu, fv, seed, lu, lv, ln, out):
    """Cast panels with open joints and the holes of four ties each."""
    wide, high, joint, hole = row[UNIT_U], row[UNIT_V], row[JOINT], row[HOLE]
    i, j = np.int64(np.floor(u / wide)), np.int64(np.floor(v / high))
    foot = max(fu, fv)
    fade = fade_of(foot, min(wide, high))
    unit_tone(i, j, seed, row[VARIATION], fade, out)
    cover = np.float32(1) - (np.float32(1) - pulse_train(v, high, joint, fv)) * (
        np.float32(1) - pulse_train(u, wide, joint, fu)
    )
    if hole > 0:
        x = u / wide - np.float32(i)
        y = v / high - np.float32(j)
        x = (abs(x - np.float32(0.5)) - np.float32(0.25)) * wide
        y = (abs(y - np.float32(0.5)) - np.float32(0.25)) * high
        away = np.float32(np.sqrt(x * x + y * y))
        share = min(np.float32(1), (hole / max(foot, hole)) ** 2)
        cover = max(cover, share * edge_cover(away, max(hole, foot) * np.float32(0.5), foot))
    mix_joint(row, out, cover)
    if row[RELIEF] > 0 and ln > np.float32(0.02):
        lost = cast_shadow(v, high, joint, row[RELIEF], -lv / ln, fv) + cast_shadow(
            u, wide, joint, row[RELIEF], -lu / ln, fu
        )
        out[4] *= np.float32(1) - min(lost, np.float32(0.9))
    out[7] = np.float32(1) - np.float32(0.6) * cover
    lean_unit(i, j, seed, np.float32(0.012) * fade, out)
