"""Soil and dust where things meet: at the feet of walls, under benches, along kerbs."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.engine.surface.surface_look import Places
from irodori.engine.surface.tables import OPAQUE, Tables
from irodori.finishes.noise import layered_noise
from irodori.finishes.slots import SLOT

DUST, SOIL = np.float32(0.15), np.float32(0.32)
"""How much darker a corner is at most, sheltered and in the open."""

LEAST, CORNER = np.float32(0.03), np.float32(0.42)
"""Shares of the directions with something close from which soil stays, and in which as much as there may be lies."""

CLEAN = np.float32(0.5)
"""How much of it new finishes have; from an age of a quarter on they have all."""

_AGE = SLOT["age"]


def soil_corners(tables: Tables, at: Places, close: np.ndarray, seed: int, albedo: np.ndarray) -> None:
    """Darken the `albedo` (N, 3) in place where a share `close` (N,) of all directions meets something near."""
    _soil(
        at.region, at.position, at.foot, at.open_air, close.astype(np.float32), tables.kind, tables.loose,
        tables.rows[tables.finish, _AGE].astype(np.float32), seed, albedo,
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _soil(region, position, foot, open_air, close, kind, loose, age, seed, albedo):
    for i in range(len(region)):
        s = region[i]
        if s == 0 or kind[s] != OPAQUE or loose[s] or close[i] <= LEAST:
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
