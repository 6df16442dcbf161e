"""What a hand does to a path: it trembles a little, runs on at corners and presses less at the ends."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numba import njit

from irodori.core.sampling import chance
from irodori.picture.drawing.paths import FOLD, SILHOUETTE, Paths, with_room

TREMBLE = 3.0
"""px, of a picture 1280 wide, by which a wholly loose line strays; it grows as the square of the looseness."""

WAVE = 26.0
"""px of a tremble's wave there."""

OVERSHOOT = 9.0
"""px by which a wholly loose line runs on beyond its corner there."""

LONG = 18.0
"""px from which a line runs on beyond its corner."""


def by_hand(paths: Paths, looseness: float, scale: float, *, seed: int = 0, taper: float = 0.0) -> Paths:
    """Paths as a hand would draw them.

    Parameters
    ----------
    looseness
        0 leaves them where they are, 1 is a quick sketch.
    scale
        px of this picture for one of a picture 1280 wide.
    taper
        Share of its width that a stroke loses at its ends.
    """
    if not len(paths) or (looseness <= 0 and taper <= 0):
        return paths
    points, width, starts = _drawn(
        paths.points, paths.width, paths.starts, paths.surface, (paths.kind == SILHOUETTE) | (paths.kind == FOLD),
        np.float32(TREMBLE * scale * looseness**2), np.float32(WAVE * scale), np.float32(OVERSHOOT * scale * looseness),
        np.float32(LONG * scale), np.float32(taper), seed,
    )  # fmt: skip
    return replace(paths, points=points, width=width, starts=starts)


@njit(cache=True, nogil=True)
def _wave(path, seed, at):
    """Smooth chance −1 … 1 along a path."""
    k = int(np.floor(at))
    t = np.float32(at - k)
    t = t * t * (np.float32(3) - np.float32(2) * t)
    one, two = chance(path, seed, k), chance(path, seed, k + 1)
    return (one + (two - one) * t) * np.float32(2) - np.float32(1)


@njit(cache=True, nogil=True)
def _drawn(points, width, starts, surface, edges, tremble, wave, overshoot, long, taper, seed):
    room = 2 * len(points) + 1024
    out, wide = np.empty((room, 2), np.float32), np.empty(room, np.float32)
    begin = np.empty(len(starts), np.int64)
    filled = 0
    step = wave * np.float32(0.5)
    for s in range(len(starts) - 1):
        begin[s] = filled
        a, b = starts[s], starts[s + 1]
        total = np.float32(0)
        for i in range(a, b - 1):
            total += np.float32(
                np.sqrt((points[i + 1, 0] - points[i, 0]) ** 2 + (points[i + 1, 1] - points[i, 1]) ** 2)
            )
        ahead, behind = np.float32(0), np.float32(0)
        if edges[s] and total > long:
            ahead, behind = overshoot * chance(s, seed, 7), overshoot * chance(s, seed, 8)
        key = surface[s] * 7919 + s
        walked = np.float32(0)
        for i in range(a, b - 1):
            x0, y0, x1, y1 = points[i, 0], points[i, 1], points[i + 1, 0], points[i + 1, 1]
            dx, dy = x1 - x0, y1 - y0
            length = np.float32(np.sqrt(dx * dx + dy * dy))
            if length < np.float32(1e-5):
                continue
            dx, dy = dx / length, dy / length
            if i == a:
                x0, y0 = x0 - dx * ahead, y0 - dy * ahead
            if i == b - 2:
                x1, y1 = x1 + dx * behind, y1 + dy * behind
            length = np.float32(np.sqrt((x1 - x0) ** 2 + (y1 - y0) ** 2))
            pieces = max(int(np.ceil(length / step)), 1) if tremble > np.float32(0.02) else 1
            for j in range(pieces + (1 if i == b - 2 else 0)):
                t = np.float32(j) / np.float32(pieces)
                out, wide = with_room(out, wide, filled)
                at = walked + length * t
                aside = tremble * (
                    _wave(key, seed, at / wave) + np.float32(0.4) * _wave(key + 1, seed, at / wave * 2.7)
                )
                out[filled, 0] = x0 + (x1 - x0) * t - dy * aside
                out[filled, 1] = y0 + (y1 - y0) * t + dx * aside
                w = width[i] + (width[i + 1] - width[i]) * t
                if taper > 0:
                    ends = min(at, total - at) / max(min(total * np.float32(0.3), np.float32(40)), np.float32(1))
                    w *= np.float32(1) - taper * max(np.float32(1) - max(ends, np.float32(0)), np.float32(0))
                wide[filled] = w
                filled += 1
            walked += length
        if filled == begin[s]:
            # A path without length stays a path.
            out[filled, 0], out[filled, 1], wide[filled] = points[a, 0], points[a, 1], width[a]
            filled += 1
    begin[len(starts) - 1] = filled
    return out[:filled].copy(), wide[:filled].copy(), begin
