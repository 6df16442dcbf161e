"""The colour a finish has from afar: what bounces off it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.surface.surface_look import Places, Weather, look_at_surfaces
from irodori.engine.surface.tables import Tables

SIDE = 24
"""Places along each side of the area that is averaged."""

LOW, HIGH = np.float32(0.15), np.float32(0.45)
"""Base colours at which the mean is taken; it is linear in between and near enough beyond."""


def with_mean_albedo(tables: Tables) -> Tables:
    """The tables with each surface's mean albedo (S, 3), taken over an area of many units."""
    count = len(tables.rows)
    # A stand-in surface for every finish, once in each base colour.
    finish = np.tile(np.arange(count, dtype=np.int32), 2)
    base = np.repeat(np.float32([[LOW] * 3, [HIGH] * 3]), count, axis=0)
    level = np.zeros(2 * count, np.float32)
    stand_ins = replace(
        tables, finish=finish, base=base, kind=np.zeros(2 * count, np.int32), axis=level, low=level, high=level,
        loose=np.zeros(2 * count, bool), front=np.zeros((2 * count, 3), np.float32), left=level, width=level, begin=level,
        stretch=level + np.float32(1), card=np.zeros((2 * count, 3), np.float32),
    )  # fmt: skip
    i, j = np.divmod(np.arange(SIDE * SIDE), SIDE)
    spot = np.stack([i * 1.377 + 0.1, j * 1.291 + 0.1, 0 * i], axis=1).astype(np.float32)
    region = np.repeat(np.arange(2 * count, dtype=np.int32), len(spot))
    # Region 0 is the sky; shift everything by one.
    stand_ins = replace(stand_ins, **{name: _after_sky(getattr(stand_ins, name)) for name in PER_SURFACE})
    up = np.tile(np.float32([[0, 0, 1]]), (len(region), 1))
    spots = len(region)
    places = Places(
        region + 1, np.tile(spot, (2 * count, 1)), -up, up, np.full(spots, 0.05, np.float32),
        np.zeros(spots, np.float32),
    )  # fmt: skip
    albedo = for_each_tile(
        split_tiles(spots, 4096),
        lambda span: look_at_surfaces(stand_ins, places[slice(*span)], np.float32([0, 0, 1]), 7, Weather()).albedo,
    )
    dark, pale = np.concatenate(albedo).reshape(2, count, -1, 3).mean(axis=2)
    slope = (pale - dark) / (HIGH - LOW)
    mean = dark[tables.finish] + slope[tables.finish] * (tables.base - LOW)
    return replace(tables, mean=np.clip(mean, 0.003, 0.92).astype(np.float32))


PER_SURFACE = (
    "finish", "base", "kind", "axis", "loose", "low", "high", "front", "left", "width", "begin", "stretch", "card", "floor",
)  # fmt: skip


def _after_sky(values: np.ndarray) -> np.ndarray:
    return np.concatenate([values[:1], values])
