"""Telling a wireframe, which shows what is hidden too, from a drawing with hidden lines removed.

Where an edge passes behind a face it ends, so that lines meet in corners and tees (Waltz, 1975); in a wireframe they
cross. Railings and grids cross too, but only here and there.
"""

from __future__ import annotations

import numpy as np

SHORTEST_LINE, ARM = 24.0, (5, 22)
"""px of lines, and from where to where on either side of a crossing they must go on, at a width of 1280."""

CELL = 64.0
"""px of the squares that are counted, at a width of 1280: one railing must not outvote a building."""

CROSSED, FEWEST = 0.42, 6
"""Share of the squares with corners and tees in which lines cross, and so many of them, from which it is a wireframe."""

LONGEST_FIRST = 1500
SQUARE = 0.23
"""Sine of the least angle between lines that cross: pieces of a curve meet at smaller ones."""

INKED = 0.35
"""Share of the way from paper to ink from which a pixel is a line's."""


def shows_hidden_lines(encoded: np.ndarray, segments: np.ndarray) -> bool:
    """Whether lines (N, 4) px, longest first, of a drawing (H, W, 3) uint8 go on where they cross others, all over it."""
    import cv2

    unit = max(encoded.shape[1] / 1280, 0.5)
    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    chosen = np.flatnonzero(length >= SHORTEST_LINE * unit)[:LONGEST_FIRST]
    if len(chosen) < 8:
        return False
    grey = encoded.min(axis=2).astype(np.float32)
    ink, paper = np.percentile(grey, [0.5, 90])
    line = cv2.dilate((grey < paper - INKED * (paper - ink)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    length = length[chosen]
    start, way = segments[chosen, :2], (segments[chosen, 2:] - segments[chosen, :2]) / length[:, None]
    first, second, place = _meetings(start, way, length, 4.0 * unit)
    steps = np.arange(ARM[0] * unit, ARM[1] * unit)
    arms = np.zeros(len(place), int)
    for direction in (way[first], -way[first], way[second], -way[second]):
        x = (place[:, :1] + steps * direction[:, :1]).astype(int)
        y = (place[:, 1:] + steps * direction[:, 1:]).astype(int)
        seen = ((x >= 0) & (y >= 0) & (x < line.shape[1]) & (y < line.shape[0])).all(axis=1)
        arms[seen] += line[y[seen], x[seen]].all(axis=1)
    cells = [{tuple(c) for c in (place[arms == n] // (CELL * unit)).astype(int).tolist()} for n in (3, 4)]
    return len(cells[1]) >= FEWEST and len(cells[1]) >= CROSSED * len(cells[0] | cells[1])


def _meetings(start, way, length, slack: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of segments that meet, and where, (M, 2) px."""
    first, second, place = [], [], []
    for i in range(len(start) - 1):
        others = slice(i + 1, None)
        turn = way[i, 0] * way[others, 1] - way[i, 1] * way[others, 0]
        apart = start[others] - start[i]
        safe = np.where(np.abs(turn) < SQUARE, np.inf, turn)
        along = (apart[:, 0] * way[others, 1] - apart[:, 1] * way[others, 0]) / safe
        aside = (apart[:, 0] * way[i, 1] - apart[:, 1] * way[i, 0]) / safe
        met = np.isfinite(safe) & (along > -slack) & (along < length[i] + slack)
        met &= (aside > -slack) & (aside < length[others] + slack)
        found = np.flatnonzero(met)
        first.append(np.full(len(found), i))
        second.append(found + i + 1)
        place.append(start[i] + along[found, None] * way[i])
    return np.concatenate(first), np.concatenate(second), np.concatenate(place)
