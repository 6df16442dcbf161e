"""The borders between surfaces as paths, to a fraction of a pixel: silhouettes, folds and joints.

What is drawn is what is seen, so nothing hidden is drawn; additions have outlines like everything else.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.picture.drawing.paths import FOLD, JOINT, SILHOUETTE, Paths
from irodori.picture.joints import crossing

STRAIGHT = 0.8
"""px that a border may lie beside the straight line that is drawn for it."""

APART = 0.012
"""Share of the depth between two sides from which the nearer one ends there."""

FLUSH = 0.985
"""Cosine between the normals of two sides from which they lie in one plane."""

FEWEST = 3
"""Steps of the shortest border that is drawn."""


def outlines(
    fragments: Fragments, size: tuple[int, int], loose: np.ndarray, *, shortest: int = FEWEST
) -> tuple[Paths, np.ndarray]:
    """Borders between surfaces, each from one corner to the next, and how far off they are, (N,) m.

    The surface of a path is the nearer one. Widths are left 1.

    Parameters
    ----------
    loose
        (S,) bool by surface id: planting; borders of leaves with leaves are none.
    shortest
        Steps from pixel to pixel below which a border is left out.
    """
    width, height = size
    first = fragments.first()
    starts = np.append(first, len(fragments))
    shown, depth, normal = fragments.region[first], fragments.depth[first], fragments.normal[first]
    group = shown.astype(np.int32).copy()
    group[loose[shown]] = -1  # all leaves are one
    place, told, near, far = _cracks(
        starts, fragments.region, fragments.weight, shown, group, depth, normal, width, height, np.float32(APART), np.float32(FLUSH)
    )  # fmt: skip
    order, bounds = _chains(group, told, width, height)
    points, begin, kinds, surfaces, away = [], [0], [], [], []
    for k in range(len(bounds) - 1):
        a, b = bounds[k], bounds[k + 1]
        if b - a < shortest:
            continue
        own = order[a:b]
        seen = told[own]
        kind = int(np.bincount(seen, minlength=4)[1:].argmax())
        fitted = _fitted(place[own])
        points.append(fitted)
        begin.append(begin[-1] + len(fitted))
        kinds.append(kind)
        nearer = near[own]
        surfaces.append(int(np.bincount(nearer).argmax()))
        away.append(float(np.median(far[own])))
    if not points:
        return Paths.none(), np.zeros(0)
    joined = np.concatenate(points).astype(np.float32)
    return Paths(
        joined, np.ones(len(joined), np.float32), np.array(begin), np.array(kinds, np.int8), np.array(surfaces, np.int32)
    ), np.array(away)  # fmt: skip


@njit(cache=True, nogil=True)
def _side_depth(depth, shown, p, step, inside, own):
    """Inverse depth of the surface of pixel p half a pixel further on, away from `step`."""
    here = depth[p]
    if not np.isfinite(here):
        return np.float32(0)
    inverse = np.float32(1) / here
    if inside and shown[p - step] == own and np.isfinite(depth[p - step]):
        inverse += (inverse - np.float32(1) / depth[p - step]) * np.float32(0.5)
    return inverse


@njit(cache=True, nogil=True)
def _cracks(starts, region, weight, shown, group, depth, normal, width, height, apart, flush):
    """Of every side between two pixels, those to the right first and then those below: where the border crosses it, what kind it is
    + 1 (0: none), the nearer surface, and how far off that is."""
    count = width * height
    place = np.zeros((2 * count, 2), np.float32)
    told = np.zeros(2 * count, np.int8)
    near, far = np.zeros(2 * count, np.int32), np.zeros(2 * count, np.float32)
    for y in range(height):
        for x in range(width):
            p = y * width + x
            for way in range(2):
                if (way == 0 and x + 1 >= width) or (way == 1 and y + 1 >= height):
                    continue
                step = 1 if way == 0 else width
                q = p + step
                if group[p] == group[q]:
                    continue
                e = way * count + p
                t = crossing(starts, region, weight, p, q, shown[p], shown[q])
                place[e, 0] = x + np.float32(0.5) + (t if way == 0 else np.float32(0))
                place[e, 1] = y + np.float32(0.5) + (t if way == 1 else np.float32(0))
                one = _side_depth(depth, shown, p, step, (x > 0) if way == 0 else (y > 0), shown[p])
                inside = (x + 2 < width) if way == 0 else (y + 2 < height)
                two = _side_depth(depth, shown, q, -step, inside, shown[q])
                nearer = p if one >= two else q
                near[e] = shown[nearer]
                far[e] = depth[nearer]
                most = max(one, two)
                if most <= 0 or abs(one - two) > apart * most:
                    told[e] = SILHOUETTE + 1
                else:
                    dot = normal[p, 0] * normal[q, 0] + normal[p, 1] * normal[q, 1] + normal[p, 2] * normal[q, 2]
                    told[e] = JOINT + 1 if dot > flush else FOLD + 1
    return place, told, near, far


@njit(cache=True, nogil=True)
def _at_corner(x, y, width, height, out):
    """The sides that meet at the upper left corner of pixel (x, y): above, below, left, right of it; −1 beyond the picture."""
    count = width * height
    out[0] = (y - 1) * width + x - 1 if 0 < x < width and y > 0 else -1
    out[1] = y * width + x - 1 if 0 < x < width and y < height else -1
    out[2] = count + (y - 1) * width + x - 1 if 0 < y < height and x > 0 else -1
    out[3] = count + (y - 1) * width + x if 0 < y < height and x < width else -1


@njit(cache=True, nogil=True)
def _pair(e, group, width, count):
    p = e if e < count else e - count
    q = p + 1 if e < count else p + width
    a, b = group[p], group[q]
    return (a, b) if a < b else (b, a)


@njit(cache=True, nogil=True)
def _next(e, corner_x, corner_y, told, group, used, width, height, around):
    """The side that goes on between the same two surfaces from a corner, −1 where the border ends or meets another."""
    count = width * height
    a, b = _pair(e, group, width, count)
    _at_corner(corner_x, corner_y, width, height, around)
    found, alike, others = -1, 0, 0
    for k in range(4):
        o = around[k]
        if o < 0 or o == e or told[o] == 0:
            continue
        c, d = _pair(o, group, width, count)
        if c == a and d == b:
            alike += 1
            if used[o] == 0:
                found = o
        else:
            others += 1
    # Where three surfaces meet every border ends.
    return found if alike == 1 and others == 0 else -1


@njit(cache=True, nogil=True)
def _ends(e, width, count):
    """The two corners of a side."""
    p = e if e < count else e - count
    x, y = p % width, p // width
    return (x + 1, y, x + 1, y + 1) if e < count else (x, y + 1, x + 1, y + 1)


@njit(cache=True, nogil=True)
def _follow(e, x, y, told, group, used, width, height, order, filled, around):
    """Write the sides that go on from side `e` at its corner (x, y) to `order` from `filled` on, and give where they end there."""
    count = width * height
    while True:
        e = _next(e, x, y, told, group, used, width, height, around)
        if e < 0:
            return filled
        used[e] = 1
        order[filled] = e
        filled += 1
        a, b, c, d = _ends(e, width, count)
        if a == x and b == y:
            x, y = c, d
        else:
            x, y = a, b


@njit(cache=True, nogil=True)
def _chains(group, told, width, height):
    """Sides in the order in which a pen follows them, and where each border begins among them."""
    count = width * height
    used = np.zeros(2 * count, np.uint8)
    total = 0
    for e in range(2 * count):
        if told[e] != 0:
            total += 1
    order = np.empty(total, np.int64)
    bounds = np.empty(total + 1, np.int64)
    around = np.empty(4, np.int64)
    filled, chains = 0, 0
    for e in range(2 * count):
        if told[e] == 0 or used[e]:
            continue
        # Back to where it begins, then along it.
        x0, y0, x1, y1 = _ends(e, width, count)
        used[e] = 1
        back = filled
        filled = _follow(e, x0, y0, told, group, used, width, height, order, filled, around)
        for i in range((filled - back) // 2):
            order[back + i], order[filled - 1 - i] = order[filled - 1 - i], order[back + i]
        order[filled] = e
        filled = _follow(e, x1, y1, told, group, used, width, height, order, filled + 1, around)
        bounds[chains] = back
        chains += 1
    bounds[chains] = filled
    return order, bounds[: chains + 1]


@njit(cache=True, nogil=True)
def _corners(points, tolerance):
    """Which points a path keeps (Douglas and Peucker, Cartographica 10, 1973), bool."""
    count = len(points)
    kept = np.zeros(count, np.bool_)
    kept[0] = kept[count - 1] = True
    stack = [(0, count - 1)]
    while len(stack) > 0:
        a, b = stack.pop()
        if b - a < 2:
            continue
        dx, dy = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        length = np.sqrt(dx * dx + dy * dy)
        worst, most = -1, tolerance
        for i in range(a + 1, b):
            ex, ey = points[i, 0] - points[a, 0], points[i, 1] - points[a, 1]
            away = abs(ex * dy - ey * dx) / length if length > 1e-6 else np.sqrt(ex * ex + ey * ey)
            if away > most:
                worst, most = i, away
        if worst >= 0:
            kept[worst] = True
            stack.append((a, worst))
            stack.append((worst, b))
    return kept


@njit(cache=True, nogil=True)
def _fitted(points):
    """A path through the crossings (P, 2) of a border: straight pieces fitted to them, which meet at its corners."""
    kept = np.flatnonzero(_corners(points, STRAIGHT))
    pieces = len(kept) - 1
    if pieces < 1:
        return points.copy()
    base, way = np.empty((pieces, 2)), np.empty((pieces, 2))
    for k in range(pieces):
        a, b = kept[k], kept[k + 1]
        # The crossings at a corner belong to both sides of it, and to neither.
        if b - a >= 4:
            if k > 0:
                a += 1
            if k < pieces - 1:
                b -= 1
        mx, my = 0.0, 0.0
        for i in range(a, b + 1):
            mx += points[i, 0]
            my += points[i, 1]
        mx /= b - a + 1
        my /= b - a + 1
        xx, xy, yy = 0.0, 0.0, 0.0
        for i in range(a, b + 1):
            ex, ey = points[i, 0] - mx, points[i, 1] - my
            xx += ex * ex
            xy += ex * ey
            yy += ey * ey
        angle = 0.5 * np.arctan2(2 * xy, xx - yy)
        base[k, 0], base[k, 1] = mx, my
        way[k, 0], way[k, 1] = np.cos(angle), np.sin(angle)
    out = np.empty((pieces + 1, 2), np.float32)
    for k in range(pieces + 1):
        x, y = points[kept[k], 0], points[kept[k], 1]
        if 0 < k < pieces:
            cross = way[k - 1, 0] * way[k, 1] - way[k - 1, 1] * way[k, 0]
            met = False
            if abs(cross) > 0.05:
                dx, dy = base[k, 0] - base[k - 1, 0], base[k, 1] - base[k - 1, 1]
                t = (dx * way[k, 1] - dy * way[k, 0]) / cross
                u, v = base[k - 1, 0] + t * way[k - 1, 0], base[k - 1, 1] + t * way[k - 1, 1]
                if (u - x) ** 2 + (v - y) ** 2 < 4.0:
                    x, y = u, v
                    met = True
            if not met:
                for j in (k - 1, k):
                    t = (points[kept[k], 0] - base[j, 0]) * way[j, 0] + (points[kept[k], 1] - base[j, 1]) * way[j, 1]
                    x += base[j, 0] + t * way[j, 0]
                    y += base[j, 1] + t * way[j, 1]
                x, y = x / 3, y / 3
        else:
            j = 0 if k == 0 else pieces - 1
            t = (x - base[j, 0]) * way[j, 0] + (y - base[j, 1]) * way[j, 1]
            # To the corner itself, half a step beyond the last crossing.
            sign = -1.0 if k == 0 else 1.0
            toward = (points[kept[-1], 0] - points[kept[0], 0]) * way[j, 0] + (
                points[kept[-1], 1] - points[kept[0], 1]
            ) * way[j, 1]
            t += 0.5 * sign * (1.0 if toward >= 0 else -1.0)
            x, y = base[j, 0] + t * way[j, 0], base[j, 1] + t * way[j, 1]
        out[k, 0], out[k, 1] = x, y
    return out
