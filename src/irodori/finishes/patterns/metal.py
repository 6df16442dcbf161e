"""Sheet metal: seams, corrugation, holes."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import pulse_train, value_noise
from irodori.finishes.patterns.common import (
    HOLE,
    JOINT,
    RELIEF,
    UNIT_U,
    UNIT_V,
    VARIATION,
    cast_shadow,
    edge_cover,
    fade_of,
    unit_tone,
)  # fmt: skip
from irodori.finishes.registry import pattern


@pattern("seams", shaded_by_relief=True)
@njit(cache=True)
def seams(row, u, v, fu, fv, seed, lu, lv, ln, out):
    tray, rib, height = row[UNIT_U], row[JOINT], row[RELIEF]
    sheet = np.int64(np.floor(u / tray))
    fade = fade_of(fu, tray)
    unit_tone(sheet, np.int64(np.floor(v / row[UNIT_V])), seed, row[VARIATION], fade, out)
    # Thin metal is never flat: the tray cups a little and oil-cans along its length.
    across = u / tray - np.floor(u / tray) - np.float32(0.5)
    cup = np.float32(0.025) * across * fade
    can = value_noise(np.float32(sheet) * np.float32(5.3), v * np.float32(0.8), seed + 3) * np.float32(0.012) * fade
    out[5] += cup + can
    out[6] += value_noise(v * np.float32(1.1), np.float32(sheet) * np.float32(2.1), seed + 8) * np.float32(0.010) * fade
    if ln > np.float32(0.02) and height > 0:
        lost = cast_shadow(u, tray, rib, height, -lu / ln, fu)
        out[4] *= np.float32(1) - min(lost, np.float32(0.95)) * np.float32(0.9)
    cover = pulse_train(u, tray, rib, fu)
    # A rib catches the sun on one flank, and shows the other to the viewer.
    out[4] *= np.float32(1) + cover * (np.float32(0.16) if lu > 0 else np.float32(-0.10))
    # Beside a rib the sheet mirrors the rib, not the sky, and gets less light: seams show under cloud too.
    beside = pulse_train(u - rib, tray, height, fu)
    for k in range(3):
        out[k] *= np.float32(1) - cover * np.float32(0.05) - beside * np.float32(0.34)
    out[7] = np.float32(1) - np.float32(0.3) * beside


@pattern("corrugated")
@njit(cache=True)
def corrugated(row, u, v, fu, fv, seed, lu, lv, ln, out):
    pitch = row[UNIT_U]
    fade = fade_of(fu, pitch * np.float32(0.5))
    phase = u / pitch * np.float32(2 * np.pi)
    out[5] += np.float32(np.cos(phase)) * row[RELIEF] / pitch * np.float32(np.pi) * fade
    unit_tone(
        np.int64(np.floor(u / (pitch * 12))), np.int64(np.floor(v / row[UNIT_V])), seed, row[VARIATION], fade, out
    )
    out[7] = np.float32(1) - np.float32(0.12) * (np.float32(1) - np.float32(np.sin(phase))) * fade


@njit(cache=True)
def hole_cover(row, u, v, fu, fv):
    """Share of a pixel in the holes or dots of a staggered grid."""
    pitch_u, pitch_v, hole = row[UNIT_U], row[UNIT_V], row[HOLE]
    foot = max(fu, fv)
    share = np.float32(0.7854) * hole * hole / (pitch_u * pitch_v)
    # Rows of dots beat with the pixel grid long before they blur.
    fade = fade_of(np.float32(2.2) * foot, min(pitch_u, pitch_v))
    if fade <= 0:
        return share
    j = np.floor(v / pitch_v)
    x = u + (np.float32(0.5) * pitch_u if np.int64(j) % 2 != 0 else np.float32(0))
    x = x - np.floor(x / pitch_u) * pitch_u - np.float32(0.5) * pitch_u
    y = v - (j + np.float32(0.5)) * pitch_v
    cover = edge_cover(np.float32(np.sqrt(x * x + y * y)), np.float32(0.5) * hole, foot)
    return share + (cover - share) * fade


@pattern("perforated")
@njit(cache=True)
def perforated(row, u, v, fu, fv, seed, out):
    """Sheet with holes that show the dark behind it."""
    cover = hole_cover(row, u, v, fu, fv)
    unit_tone(np.int64(np.floor(u)), np.int64(np.floor(v / np.float32(2.5))), seed, row[VARIATION], np.float32(1), out)
    for k in range(3):
        out[k] *= np.float32(1) - np.float32(0.93) * cover
    out[7] = np.float32(1) - np.float32(0.7) * cover


@pattern("frit")
@njit(cache=True)
def frit(row, u, v, fu, fv, out):
    """Dots printed on glass: the cavity output carries their share of the pixel."""
    out[7] = hole_cover(row, u, v, fu, fv)
