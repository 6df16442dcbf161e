"""Edges that go on beyond what hides part of them: the faces along them lie in one plane."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.structure.camera.line_directions import UPRIGHTS, Families

SHORTEST_CONTINUED = 14.0
"""px of an edge that tells where its line goes."""

ON_LINE, SLACK = 1.0, 0.4
"""px that one edge may lie off the line of another, and more for each length of that by which it is away."""

FARTHEST = 3.0
"""Lengths of the longer edge within which another carries it on."""

OVERLAP = 4.0
"""px by which edges that carry each other on may lie beside each other."""


def carried_faces(
    segments: np.ndarray, sides: np.ndarray, families: Families, normals: np.ndarray, sky: int
) -> list[tuple[int, int, float]]:
    """Pairs of regions that face one way and end along one straight edge, with the px of edge that the lesser has.

    Parameters
    ----------
    segments, sides
        (N, 4) px, and `line_sides` of them.
    families
        Of the segments; edges that belong to none are not followed.
    normals
        (R, 3) unit normal of each region, world; zeros where it has none.
    sky
        The region that is the sky.
    """
    index = sides[:, 0].astype(int)
    used = (families.label[index] >= 0) & (sides[:, 3] >= SHORTEST_CONTINUED)  # no side is longer than its segment
    rows = sides[used]
    if len(rows) < 2:
        return []
    index = rows[:, 0].astype(int)
    first, second = _carrying_on(np.ascontiguousarray(segments[index], float), families.label[index]).T
    step = segments[index, 2:] - segments[index, :2]
    same_way = (step[first] * step[second]).sum(axis=1) > 0
    along = families.ways[families.label[index]]
    found: dict[tuple[int, int], float] = {}
    for side in (1, 2):
        a = rows[first, side].astype(int)
        b = np.where(same_way, rows[second, side], rows[second, 3 - side]).astype(int)
        good = (a != b) & (a > 0) & (b > 0) & (a != sky) & (b != sky)
        good &= (normals[a] * normals[b]).sum(axis=1) > 0.999
        good &= np.abs((normals[a] * along[first]).sum(axis=1)) < 0.02  # the edge lies in both
        for i, j, size in zip(a[good], b[good], np.minimum(rows[first[good], 3], rows[second[good], 3])):
            pair = (int(min(i, j)), int(max(i, j)))
            found[pair] = max(found.get(pair, 0.0), float(size))
    return [(i, j, size) for (i, j), size in found.items()]


def upright_edges(segments: np.ndarray, sides: np.ndarray, families: Families) -> dict[tuple[int, int], np.ndarray]:
    """The longest upright edge between two regions, the lower number first: its top and foot, (2, 2) px."""
    long: dict[tuple[int, int], float] = {}
    found: dict[tuple[int, int], np.ndarray] = {}
    for row, *both, size in sides[families.label[sides[:, 0].astype(int)] == UPRIGHTS]:
        pair = (int(min(both)), int(max(both)))
        if pair[0] == pair[1] or size < SHORTEST_CONTINUED or size <= long.get(pair, 0.0):
            continue
        ends = segments[int(row)].reshape(2, 2)
        long[pair], found[pair] = size, ends[np.argsort(ends[:, 1])]
    return found


@njit(cache=True)
def _carrying_on(segments, label):
    """Pairs (M, 2) of segments of one family that lie on one line, one beyond the other."""
    n = len(segments)
    pairs = np.empty((n * 16, 2), np.int64)
    count = 0
    for i in range(n):
        x0, y0 = segments[i, 0], segments[i, 1]
        dx, dy = segments[i, 2] - x0, segments[i, 3] - y0
        length = np.hypot(dx, dy)
        dx, dy = dx / length, dy / length
        for j in range(n):
            if i == j or label[i] != label[j]:
                continue
            other = np.hypot(segments[j, 2] - segments[j, 0], segments[j, 3] - segments[j, 1])
            if other > length or (other == length and j < i):
                continue  # the longer one tells the line
            a, b = segments[j, 0] - x0, segments[j, 1] - y0
            c, d = segments[j, 2] - x0, segments[j, 3] - y0
            s, t = a * dx + b * dy, c * dx + d * dy
            u, v = abs(b * dx - a * dy), abs(d * dx - c * dy)
            low, high = min(s, t), max(s, t)
            gap = max(low - length, -high)
            if gap < -OVERLAP or gap > FARTHEST * length:
                continue
            if max(u - SLACK * abs(s - length / 2) / length, v - SLACK * abs(t - length / 2) / length) > ON_LINE:
                continue
            if count < len(pairs):
                pairs[count, 0], pairs[count, 1] = i, j
                count += 1
    return pairs[:count]
