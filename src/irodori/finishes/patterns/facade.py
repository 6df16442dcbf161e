"""Storeys of windows: what makes a plain block a neighbouring house."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import cell_hash
from irodori.finishes.patterns.common import HOLE, JOINT, JOINT_RGB, UNIT_U, UNIT_V, edge_cover
from irodori.finishes.registry import pattern

PANE = (np.float32(0.030), np.float32(0.034), np.float32(0.036))
"""Albedo of a dark window; what it mirrors comes with its gloss."""


@njit(cache=True)
def _window(x, y, half, high, fu, fv):
    """Share of the footprint inside a window 2·half wide and `high` tall, from its sill's middle."""
    return edge_cover(abs(x), half, fu) * edge_cover(abs(y - np.float32(0.5) * high), np.float32(0.5) * high, fv)


@pattern("facade", shaded_by_relief=True)
@njit(cache=True)
def facade(row, u, v, fu, fv, seed, lu, lv, ln, out):
    """Upright windows in bays and storeys, doors on the ground floor, a plinth, reveals that cast shadows."""
    bay, storey, frame = row[UNIT_U], row[UNIT_V], row[JOINT]
    i, j = np.int64(np.floor(u / bay)), np.int64(np.floor(v / storey))
    x, y = u - (np.float32(i) + np.float32(0.5)) * bay, v - np.float32(j) * storey
    half, sill, high = np.float32(0.5) * row[HOLE], np.float32(0.30) * storey, np.float32(0.50) * storey
    is_door = j == 0 and cell_hash(i, 0, seed + 3) < np.float32(0.22)
    if is_door:
        sill, high = np.float32(0.04), np.float32(2.15)
    # Some bays, and narrow gables, are blind.
    if cell_hash(i, j * 0 + 7, seed) < np.float32(0.14) or j < 0:
        return
    plinth = edge_cover(abs(v - np.float32(0.2)), np.float32(0.25), fv)
    for k in range(3):
        out[k] *= np.float32(1) - np.float32(0.22) * plinth
    y -= sill
    trim = _window(x, y + np.float32(0.09), half + np.float32(0.11), high + np.float32(0.18), fu, fv)
    inside = _window(x, y, half, high, fu, fv)
    for k in range(3):
        bright = min(out[k] * np.float32(1.18) + np.float32(0.05), np.float32(0.85))
        out[k] += (bright - out[k]) * (trim - inside)
    if inside <= 0:
        return
    leaf = half - frame
    glazed = _window(x, y - frame, leaf, high - np.float32(2) * frame, fu, fv)
    # A post in the middle and a rail above it.
    glazed *= np.float32(1) - edge_cover(abs(x), np.float32(0.5) * frame, fu)
    glazed *= np.float32(1) - edge_cover(abs(y - np.float32(0.68) * high), np.float32(0.4) * frame, fv)
    if is_door:
        glazed *= edge_cover(abs(y - np.float32(1.5)), np.float32(0.45), fv)
    drawn = np.float32(0)
    if cell_hash(i, j, seed + 1) < np.float32(0.45):
        # Curtains to the sides, or a blind let down.
        if cell_hash(i, j, seed + 2) < np.float32(0.6):
            drawn = np.float32(1) - edge_cover(abs(x), leaf * np.float32(0.62), fu)
        else:
            low = high * (np.float32(0.3) + np.float32(0.5) * cell_hash(i, j, seed + 4))
            drawn = edge_cover(abs(y - high), high - low, fv)
    for k in range(3):
        pane = PANE[k] + (np.float32(0.38) - PANE[k]) * drawn
        opening = row[JOINT_RGB + k] + (pane - row[JOINT_RGB + k]) * glazed / max(inside, np.float32(1e-4))
        out[k] += (opening - out[k]) * inside
    out[3] += (np.float32(0.035) - out[3]) * glazed
    # The reveal's shadow from its head and from one side.
    reach = np.float32(0.14) / max(ln, np.float32(0.2))
    below = edge_cover(abs(y - high), max(lv, np.float32(0)) * reach, fv)
    beside = edge_cover(abs(x - (half if lu > 0 else -half)), abs(lu) * reach, fu)
    out[4] *= np.float32(1) - inside * max(below, beside)
