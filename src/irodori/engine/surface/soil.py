"""Soil and dust where things meet: at the feet of walls, under benches, along kerbs; the gap between walls and floors; the wet margin
of what stands in water."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.engine.surface.surface_look import Look, Places
from irodori.engine.surface.tables import OPAQUE, WATER, Tables
from irodori.finishes.noise import layered_noise
from irodori.finishes.slots import SLOT

DUST, SOIL = np.float32(0.15), np.float32(0.32)
"""How much darker a corner is at most, sheltered and in the open."""

LEAST, CORNER = np.float32(0.03), np.float32(0.42)
"""Shares of the directions with something close from which soil stays, and in which as much as there may be lies."""

CLEAN = np.float32(0.5)
"""How much of it new finishes have; from an age of a quarter on they have all."""

WET, TIDE = np.float32(0.16), np.float32(0.5)
"""m over the water up to which what stands in it is wet, and how much darker it is there: water closes the pores (Lekner and Dorf,
1988)."""

SUNK = np.float32(0.08)
"""m over the water down to which something must reach at least, to stand in it."""

GAP, SHADE = np.float32(0.018), np.float32(0.88)
"""m that walls end over the floor they stand on, and how dark it is in that gap."""

_AGE = SLOT["age"]


class _SoiledRows(NamedTuple):
    """What of the surfaces says how soiled they are, by surface id; `levels` (W,) m are those of the waters."""

    kind: np.ndarray
    loose: np.ndarray
    age: np.ndarray
    low: np.ndarray
    floor: np.ndarray
    levels: np.ndarray


def soil_corners(tables: Tables, at: Places, close: np.ndarray, seed: int, look: Look) -> None:
    """Darken a look's albedo in place where a share `close` (N,) of all directions meets something near and in the gap that walls
    leave over their floors, and wet what stands in water."""
    levels = np.unique(tables.high[tables.kind == WATER])
    surfaces = _SoiledRows(
        tables.kind, tables.loose, tables.rows[tables.finish, _AGE].astype(np.float32), tables.low, tables.floor,
        levels[np.isfinite(levels)].astype(np.float32),
    )  # fmt: skip
    _soil(
        at.region,
        at.position,
        at.normal,
        at.foot,
        at.open_air,
        close.astype(np.float32),
        surfaces,
        seed,
        look.albedo,
        look.rough,
    )


@njit(cache=True, nogil=True)
def _wetness(x, y, z, upright, low, levels, foot, seed):
    """How wet a place is that may stand in water, 0 … 1."""
    for level in levels:
        if not upright or low > level + SUNK or z < level - SUNK:
            continue
        reach = WET * (
            np.float32(1)
            + np.float32(0.6) * layered_noise(x + y, np.float32(0.3) * z, np.float32(0.7), foot, 3, seed + 431)
        )
        if z < level + reach:
            return min((level + reach - z) / (np.float32(0.35) * WET), np.float32(1))
    return np.float32(0)


@njit(cache=True, nogil=True)
def _soil(region, position, normal, foot, open_air, close, surfaces, seed, albedo, rough):
    kind, loose, age, low, floor, levels = surfaces
    for i in range(len(region)):
        s = region[i]
        if s == 0 or kind[s] != OPAQUE or loose[s]:
            continue
        wet = _wetness(
            position[i, 0],
            position[i, 1],
            position[i, 2],
            abs(normal[i, 2]) < np.float32(0.7),
            low[s],
            levels,
            foot[i],
            seed,
        )
        if wet > 0:
            for k in range(3):
                albedo[i, k] *= np.float32(1) - TIDE * wet
            rough[i] += (np.float32(0.04) - rough[i]) * np.float32(0.7) * wet
        over = position[i, 2] - floor[s]
        if over < GAP + foot[i] and abs(normal[i, 2]) < np.float32(0.3):
            # The share of the pixel's height that lies in the gap.
            half = np.float32(0.5) * foot[i]
            share = (min(over + half, GAP) - max(over - half, np.float32(0))) / max(foot[i], np.float32(1e-6))
            dark = np.float32(1) - SHADE * min(max(share, np.float32(0)), np.float32(1))
            for k in range(3):
                albedo[i, k] *= dark
        if close[i] <= LEAST:
            continue
        there = min((close[i] - LEAST) / (CORNER - LEAST), np.float32(1))
        x, y, z = position[i, 0], position[i, 1], position[i, 2]
        ragged = layered_noise(
            x + np.float32(0.37) * z, y + np.float32(0.61) * z, np.float32(0.3), foot[i], 4, seed + 401
        )
        most = DUST + (SOIL - DUST) * min(np.float32(4) * open_air[i], np.float32(1))
        most *= CLEAN + (np.float32(1) - CLEAN) * min(np.float32(4) * age[s], np.float32(1))
        loss = most * there * (np.float32(1) + np.float32(0.5) * ragged)
        keep = np.float32(1) - min(max(loss, np.float32(0)), np.float32(0.5))
        # Soil is a little warmer than what it lies on.
        albedo[i, 0] *= keep * (np.float32(1) + np.float32(0.04) * there)
        albedo[i, 1] *= keep
        albedo[i, 2] *= keep * (np.float32(1) - np.float32(0.08) * there)
