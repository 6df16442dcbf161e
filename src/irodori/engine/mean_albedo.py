"""The colour a finish has from afar: what bounces off it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.engine.surface_look import look_at_surfaces
from irodori.engine.tables import Tables

SIDE = 8
"""Places along each side of the area that is averaged."""


def with_mean_albedo(tables: Tables) -> Tables:
    """The tables with each surface's mean albedo (S, 3), taken over an area of many units."""
    count = len(tables.finish)
    key = np.concatenate([tables.finish[:, None].astype(np.float32), tables.base], axis=1)
    _, first, which = np.unique(key, axis=0, return_index=True, return_inverse=True)
    surfaces = np.where(first == 0, np.flatnonzero(which == which[0])[-1], first) if count > 1 else first
    i, j = np.divmod(np.arange(SIDE * SIDE), SIDE)
    spot = np.stack([i * 0.377 + 0.1, j * 0.291 + 0.1, 0 * i], axis=1).astype(np.float32)
    region = np.repeat(surfaces, len(spot)).astype(np.int32)
    up = np.tile(np.float32([[0, 0, 1]]), (len(region), 1))
    look = look_at_surfaces(
        tables, region, np.tile(spot, (len(surfaces), 1)), -up, up, np.full(len(region), 0.05, np.float32),
        np.float32([0, 0, 1]), 7,
    )  # fmt: skip
    mean = look.albedo.reshape(len(surfaces), -1, 3).mean(axis=1)
    return replace(tables, mean=mean[which.ravel()].astype(np.float32))
