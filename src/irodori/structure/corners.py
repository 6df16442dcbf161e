"""Corners: where edges of three directions end at one point, the face between two of them contains both.

A line alone may belong to what hides the region beside it. That three edges of different directions end at one place by
accident is unlikely, unless they are the edges of one solid corner (Huffman, 1971; Waltz, 1975).
"""

from __future__ import annotations

from collections import Counter

import numpy as np

from irodori.structure.regions import Regions

REACH, SHORTEST = 5.0, 14.0
"""px within which edges end together, and from which they take part."""

REACH_BY_HAND, SHORTEST_BY_HAND = 9.0, 9.0
"""The same in a drawing by hand, whose lines come in pieces and miss their corners."""

INSIDE = (4.0, 7.0, 10.0)
"""px from the corner at which one asks which region lies between two edges."""

NARROWEST, STRAIGHT = 0.17, 0.97
"""Sine of the angle below which two edges are one, and cosine from which they are one line."""


def corner_faces(
    regions: Regions, segments: np.ndarray, sides: np.ndarray, family: np.ndarray, *, by_hand: bool = False
) -> np.ndarray:
    """Faces at corners: rows (region, family, other family, count), (C, 4) int64.

    `sides` are `line_sides` of the segments; `family` (N,) is −1 for none. A region has at most one row: what its other
    corners say otherwise is taken off the count.
    """
    from scipy.spatial import cKDTree

    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    reach, shortest = (REACH_BY_HAND, SHORTEST_BY_HAND) if by_hand else (REACH, SHORTEST)
    long = np.flatnonzero(length >= shortest)
    if len(long) < 3:
        return np.zeros((0, 4), np.int64)
    ends = segments[long].reshape(-1, 2)
    ways = np.stack([ends[1::2] - ends[::2], ends[::2] - ends[1::2]], axis=1).reshape(-1, 2)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    kind, edge = np.repeat(family[long], 2), np.repeat(long, 2)
    beside = {(int(index), int(side)) for index, *both, _ in sides for side in both}
    near = cKDTree(ends).query_ball_point(ends, reach)
    height, width = regions.labels.shape
    found = set()
    for at, own in enumerate(near):
        own = np.array(own)
        own = own[~_goes_through(ways[own])]
        if at not in own or _directions(ways[own]) < 3:
            continue
        corner = ends[own].mean(axis=0)
        angle = np.arctan2(ways[own, 1], ways[own, 0])
        order = own[np.argsort(angle)]
        for a, b in zip(order, np.roll(order, -1)):
            turn = ways[a, 0] * ways[b, 1] - ways[a, 1] * ways[b, 0]
            if kind[a] == kind[b] or min(kind[a], kind[b]) < 0 or turn < NARROWEST or ways[a] @ ways[b] < -0.9:
                continue
            middle = ways[a] + ways[b]
            middle /= np.linalg.norm(middle)
            # Where the face is sharp its middle is further away from its edges' ends.
            sine = max(abs(middle[0] * ways[a, 1] - middle[1] * ways[a, 0]), 0.3)
            places = corner + np.array(INSIDE)[:, None] / sine * middle
            x, y = np.floor(places).astype(int).T
            if x.min() < 0 or y.min() < 0 or x.max() >= width or y.max() >= height:
                continue
            face = np.unique(regions.labels[y, x])
            if len(face) == 1 and face[0] > 0 and all((int(edge[e]), int(face[0])) in beside for e in (a, b)):
                found.add(
                    (int(face[0]), *sorted((int(kind[a]), int(kind[b]))), int(corner[0] // 16), int(corner[1] // 16))
                )
    said: dict[int, Counter] = {}
    for region, one, other, *_ in sorted(found):
        said.setdefault(region, Counter())[one, other] += 1
    rows = []
    for region, pairs in said.items():
        (pair, count), *rest = pairs.most_common()
        rows.append((region, *pair, count - sum(more for _, more in rest)))
    return np.array([row for row in rows if row[3] > 0], np.int64).reshape(-1, 4)


def _goes_through(ways: np.ndarray) -> np.ndarray:
    """Which edges go on beyond the corner as another piece, (n,)."""
    return (ways @ ways.T < -STRAIGHT).any(axis=1)


def _directions(ways: np.ndarray) -> int:
    """How many different directions the edges leave in."""
    angle = np.sort(np.arctan2(ways[:, 1], ways[:, 0]))
    if not len(angle):
        return 0
    return int((np.diff(angle, append=angle[0] + 2 * np.pi) > np.arcsin(NARROWEST)).sum())
