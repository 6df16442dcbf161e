"""Corners: where edges of three directions end at one point, the face between two of them contains both.

A line alone may belong to what hides the region beside it. That three edges of different directions end at one place by
accident is unlikely, unless they are the edges of one solid corner (Huffman, 1971; Waltz, 1975).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection

import numpy as np

from irodori.structure.camera.line_directions import UPRIGHTS
from irodori.structure.regions.measure import Regions

REACH, SHORTEST = 5.0, 14.0
"""px within which edges end together, and from which they take part."""

REACH_BY_HAND, SHORTEST_BY_HAND = 9.0, 9.0
"""The same in a drawing by hand, whose lines come in pieces and miss their corners."""

INSIDE = (4.0, 7.0, 10.0)
"""px from the corner at which one asks which region lies between two edges."""

THIN, THIN_OF_FACE, SLENDER = 14.0, 0.25, 5.0
"""px across, and share of a face's own, below which what is beside it is a post or a rail, if it is so many times as long."""

HALF = 0.5
"""What a corner counts at which only two edges end, one of them upright: it may be that of what
stands before a face."""

MOST_OF_IT, BESIDE, BEYOND, CLOSE = 0.7, 4.0, 7.0, 10.0
"""Share of an upright edge along which a face lies beside it; px beside it and beyond its ends at which one looks, and from its
ends within which a face's borders pass."""

ONE_EDGE, TWIN, OVERLAP = 1.5, 3.0, 3.0
"""px within which two pieces lie on one line, a coping stands out from its wall by little more; within which they are the two
flanks of one drawn line; and by which these run side by side at least."""

NARROWEST, STRAIGHT = 0.17, 0.97
"""Sine of the angle below which two edges are one, and cosine from which they are one line."""


def corner_faces(
    regions: Regions,
    segments: np.ndarray,
    sides: np.ndarray,
    family: np.ndarray,
    *,
    by_hand: bool = False,
    hiding: Collection[int] = (),
) -> list[tuple[int, int, int, float]]:
    """Faces at corners: rows (region, family, other family, count).

    `sides` are `line_sides` of the segments; `family` (N,) is −1 for none. A region has at most one row: what its other
    corners say otherwise is taken off the count. What is `hiding` others has edges of its own wherever it stands.
    """
    from scipy.spatial import cKDTree

    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    reach, shortest = (REACH_BY_HAND, SHORTEST_BY_HAND) if by_hand else (REACH, SHORTEST)
    long = np.flatnonzero(length >= shortest)
    if len(long) < 3:
        return []
    ends = segments[long].reshape(-1, 2)
    ways = np.stack([ends[1::2] - ends[::2], ends[::2] - ends[1::2]], axis=1).reshape(-1, 2)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    kind, edge = np.repeat(family[long], 2), np.repeat(long, 2)
    beside: dict[int, set[int]] = {}
    for index, *both, _ in sides:
        beside.setdefault(int(index), set()).update(int(side) for side in both)
    near = cKDTree(ends).query_ball_point(ends, reach)
    height, width = regions.labels.shape
    found: dict[tuple, float] = {}
    for at, own in enumerate(near):
        own = np.array(own)
        own = own[~_goes_through(ways[own])]
        edges = _directions(ways[own])
        # By hand two lines end together too easily.
        if at not in own or edges < (3 if by_hand else 2):
            continue
        corner = ends[own].mean(axis=0)
        angle = np.arctan2(ways[own, 1], ways[own, 0])
        order = own[np.argsort(angle)]
        for a, b in zip(order, np.roll(order, -1)):
            turn = ways[a, 0] * ways[b, 1] - ways[a, 1] * ways[b, 0]
            if kind[a] == kind[b] or min(kind[a], kind[b]) < 0 or turn < NARROWEST or ways[a] @ ways[b] < -0.9:
                continue
            if edges == 2 and UPRIGHTS not in (kind[a], kind[b]):
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
            both = [beside.get(int(edge[e]), set()) for e in (a, b)]
            if len(face) == 1 and face[0] > 0 and all(face[0] in those for those in both):
                if edges == 2 and any(_stands_before(regions, those, int(face[0]), hiding) for those in both):
                    continue
                place = int(corner[0] // 16), int(corner[1] // 16)
                key = int(face[0]), *sorted((int(kind[a]), int(kind[b]))), *place
                found[key] = max(found.get(key, 0.0), 1.0 if edges > 2 else HALF)
    said: dict[int, Counter] = {}
    for (region, one, other, *_), times in sorted(found.items()):
        said.setdefault(region, Counter())[one, other] += times
    rows = []
    for region, pairs in said.items():
        (pair, count), *rest = pairs.most_common()
        rows.append((region, *pair, count - sum(more for _, more in rest)))
    return [row for row in rows if row[3] > 0]


def upright_ends(
    regions: Regions, segments: np.ndarray, sides: np.ndarray, family: np.ndarray, hiding: Collection[int] = ()
) -> np.ndarray:
    """How many of its ends, (R,), each region has at an upright edge that is just as tall as it is there.

    What hides a face only in part goes on above or below it; that its edge starts and stops with the face, whose borders there
    run one way, is no accident.
    """
    found = np.zeros(len(regions.area))
    level = sides[np.isin(family[sides[:, 0].astype(int)], (0, 1))]
    upright = sides[family[sides[:, 0].astype(int)] == UPRIGHTS]
    along: dict[tuple[int, int], dict[int, float]] = {}
    for index, *both, length in upright[upright[:, 1] != upright[:, 2]]:
        for face, beside in (both, both[::-1]):
            lengths = along.setdefault((int(index), int(face)), {})
            lengths[int(beside)] = lengths.get(int(beside), 0.0) + length
    for (index, face), beside in along.items():
        x0, y0, x1, y1 = segments[index]
        long = np.hypot(x1 - x0, y1 - y0)
        if face == 0 or long < SHORTEST or sum(beside.values()) < MOST_OF_IT * long:
            continue
        # A post lies along the whole edge; treads and other things that end there do not.
        posts = [r for r, length in beside.items() if length > 0.5 * long and regions.thickness[r] < THIN]
        if posts or regions.thickness[face] < THIN or not beside.keys().isdisjoint(hiding):
            continue
        top, foot = np.array([[x0, y0], [x1, y1]] if y0 < y1 else [[x1, y1], [x0, y0]])
        way = (foot - top) / long
        across = BESIDE * np.array([way[1], -way[0]])
        aside = across if regions.at((top + foot) / 2 + across) == face else -across
        stops = [regions.at(end + step * way + aside) != face for end, step in ((top, -BEYOND), (foot, BEYOND))]
        runs = [regions.at(end + step * way + aside) == face for end, step in ((top, BEYOND), (foot, -BEYOND))]
        if not (all(stops) and all(runs)) or _goes_on(index, top, foot, way, segments, family):
            continue
        borders = np.unique(level[(level[:, 1:3] == face).any(axis=1), 0].astype(int))
        above, below = (family[borders[_near(segments[borders], end)]] for end in (top, foot))
        if np.isin(above, below).any():
            found[face] += 1
    return found


def _near(segments: np.ndarray, place: np.ndarray) -> np.ndarray:
    """Which segments (n, 4) pass by a place."""
    start, way = segments[:, :2], segments[:, 2:] - segments[:, :2]
    share = ((place - start) * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-9)
    nearest = start + np.clip(share, 0, 1)[:, None] * way
    return np.hypot(*(nearest - place).T) < CLOSE


def _goes_on(index: int, top: np.ndarray, foot: np.ndarray, way: np.ndarray, segments: np.ndarray, family) -> bool:
    """Whether another upright edge carries one on at its top or its foot."""
    others = np.flatnonzero(family == UPRIGHTS)
    others = others[others != index]
    ends = segments[others].reshape(-1, 2, 2)
    for place, out in ((top, -way), (foot, way)):
        away = ends - place
        along, aside = away @ out, np.abs(away @ np.array([out[1], -out[0]]))
        most = np.where(along.min(axis=1) < -OVERLAP, TWIN, ONE_EDGE)
        if ((aside.max(axis=1) < most) & (along.max(axis=1) > 8) & (along.min(axis=1) < 6)).any():
            return True
    return False


def _stands_before(regions: Regions, beside: set[int], face: int, hiding: Collection[int]) -> bool:
    """Whether an edge of a face is that of what is hiding it, or of a post or a rail, through which one sees it."""
    if beside.intersection(hiding):
        return True
    thin = max(THIN, THIN_OF_FACE * regions.thickness[face])
    for region in (int(r) for r in beside if r not in (0, face)):
        long = regions.area[region] > SLENDER * regions.thickness[region] ** 2
        if long and regions.thickness[region] < thin:
            return True
    return False


def _goes_through(ways: np.ndarray) -> np.ndarray:
    """Which edges go on beyond the corner as another piece, (n,)."""
    return (ways @ ways.T < -STRAIGHT).any(axis=1)


def _directions(ways: np.ndarray) -> int:
    """How many different directions the edges leave in."""
    angle = np.sort(np.arctan2(ways[:, 1], ways[:, 0]))
    if not len(angle):
        return 0
    return int((np.diff(angle, append=angle[0] + 2 * np.pi) > np.arcsin(NARROWEST)).sum())
