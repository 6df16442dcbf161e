"""What stands in the sky itself: the disc of sun or moon, and stars."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash

STAR_CELL = np.float32(np.radians(1.0))
"""Edge of the cells that hold at most one star each."""

STAR_SHARE = np.float32(0.12)
"""Cells with a star: about 5,000 over the whole sphere, as many as the naked eye can see."""

FAINTEST = np.float32(6.0)
FIRST_MAGNITUDE = np.float32(2.08e-6)
"""lx of a star of magnitude 0 (Allen's Astrophysical Quantities)."""


@njit(cache=True)
def add_disc(dx, dy, dz, sun, cosine, radiance, width, out):
    """Add the disc of sun or moon, its rim as wide as a pixel (`width`, radians)."""
    towards = dx * sun[0] + dy * sun[1] + dz * sun[2]
    if towards < np.float32(0.999) or dz < 0:
        return
    # Near the centre the angle is told from the chord, which single precision resolves.
    cx, cy, cz = dx - sun[0], dy - sun[1], dz - sun[2]
    away = np.float32(np.sqrt(cx * cx + cy * cy + cz * cz))
    radius = np.float32(np.sqrt(max(np.float32(2) - np.float32(2) * cosine, np.float32(0))))
    cover = min(max((radius - away) / width + np.float32(0.5), np.float32(0)), np.float32(1))
    # Limb darkening of the sun (Pierce and Slaughter, 1977, green light, to first order).
    inner = min(away / radius, np.float32(1))
    limb = np.float32(0.4) + np.float32(0.6) * np.float32(np.sqrt(np.float32(1) - inner * inner))
    for k in range(3):
        out[k] += radiance[k] * cover * limb


@njit(cache=True)
def add_stars(dx, dy, dz, width, seed, out):
    """Add stars, each spread over a pixel (`width`, radians), by the number of stars of each magnitude."""
    if dz < np.float32(0.02) or out[1] > np.float32(5.0):
        return
    elevation = np.float32(np.arcsin(min(dz, np.float32(1))))
    row = np.floor(elevation / STAR_CELL)
    middle = (row + np.float32(0.5)) * STAR_CELL
    columns = max(np.floor(np.float32(6.2831853) * np.float32(np.cos(middle)) / STAR_CELL), np.float32(1))
    azimuth = np.float32(np.arctan2(dx, dy)) / np.float32(6.2831853)
    azimuth -= np.floor(azimuth)
    column = np.floor(azimuth * columns)
    i, j = np.int64(row), np.int64(column)
    if cell_hash(i, j, seed + 71) > STAR_SHARE:
        return
    star_e = (row + np.float32(0.2) + np.float32(0.6) * cell_hash(i, j, seed + 72)) * STAR_CELL
    star_a = (column + np.float32(0.2) + np.float32(0.6) * cell_hash(i, j, seed + 73)) / columns
    across = (azimuth - star_a) * np.float32(6.2831853) * np.float32(np.cos(star_e))
    up = elevation - star_e
    spread = width * np.float32(0.6)
    away = (across * across + up * up) / (spread * spread)
    if away > np.float32(12):
        return
    # N(< m) grows as 10^(0.51 m) down to what the eye sees.
    chance = max(cell_hash(i, j, seed + 74), np.float32(1e-4))
    magnitude = FAINTEST + np.float32(np.log10(chance)) / np.float32(0.51)
    lux = FIRST_MAGNITUDE * np.float32(10.0) ** (np.float32(-0.4) * magnitude)
    # Thin air near the horizon swallows faint stars.
    lux *= min(dz * np.float32(4), np.float32(1))
    peak = lux / (np.float32(3.14159) * spread * spread) * np.float32(np.exp(-away))
    warm = cell_hash(i, j, seed + 75)
    out[0] += peak * (np.float32(0.8) + np.float32(0.4) * warm)
    out[1] += peak
    out[2] += peak * (np.float32(1.25) - np.float32(0.4) * warm)
