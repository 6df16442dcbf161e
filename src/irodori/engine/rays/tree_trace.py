"""Tracing rays through a tree of boxes.

Triangles as in T. Möller and B. Trumbore, "Fast, minimum storage ray/triangle intersection", Journal of Graphics Tools 2(1),
1997. A node holds the boxes of its four children side by side, so that they are tested at once.
"""

from __future__ import annotations

import numpy as np
from numba import njit

WIDTH = 4
DEEPEST = 192

MISS = np.float32(1e37)
"""Distance of a ray that meets nothing, as Embree gives it."""

LOOSE = {"nsz", "arcp", "contract", "afn"}
"""What the compiler may assume of numbers; infinities and NaN must stay, as rays along axes meet them."""


@njit(cache=True, nogil=True, fastmath=LOOSE, error_model="numpy")
def _way_to(corner, e, ox, oy, oz, dx, dy, dz):
    """How far along a ray it meets a triangle at `corner` (3,) with edges `e` (6,), in lengths of its direction; −1 where it does not."""
    px, py, pz = dy * e[5] - dz * e[4], dz * e[3] - dx * e[5], dx * e[4] - dy * e[3]
    det = e[0] * px + e[1] * py + e[2] * pz
    if det == 0:
        return np.float32(-1)
    inverse = np.float32(1) / det
    sx, sy, sz = ox - corner[0], oy - corner[1], oz - corner[2]
    u = (sx * px + sy * py + sz * pz) * inverse
    if u < 0 or u > 1:
        return np.float32(-1)
    qx, qy, qz = sy * e[2] - sz * e[1], sz * e[0] - sx * e[2], sx * e[1] - sy * e[0]
    v = (dx * qx + dy * qy + dz * qz) * inverse
    if v < 0 or u + v > 1:
        return np.float32(-1)
    return (e[3] * qx + e[4] * qy + e[5] * qz) * inverse


@njit(cache=True, nogil=True, fastmath=LOOSE, error_model="numpy")
def closest_hits(bounds, child, count, corner, edges, origins, directions, distance, hit):
    """Nearest hits: `distance` (N,), `hit` (N,) the place of the triangle in the tree's order, −1 for none.

    `bounds` (M, 6, WIDTH): lowest x, y, z and highest x, y, z of the children; `child` (M, WIDTH): inner nodes, or where a leaf's
    triangles begin; `count` (M, WIDTH): those of a leaf, 0 for inner nodes, −1 for no child.
    """
    stack, reach = np.empty(DEEPEST, np.int32), np.empty(DEEPEST, np.float32)
    near = np.empty(WIDTH, np.float32)
    for r in range(len(origins)):
        ox, oy, oz = origins[r, 0], origins[r, 1], origins[r, 2]
        dx, dy, dz = directions[r, 0], directions[r, 1], directions[r, 2]
        ix, iy, iz = np.float32(1) / dx, np.float32(1) / dy, np.float32(1) / dz
        fx, fy, fz = (3 if ix < 0 else 0), (4 if iy < 0 else 1), (5 if iz < 0 else 2)
        gx, gy, gz = (0 if ix < 0 else 3), (1 if iy < 0 else 4), (2 if iz < 0 else 5)
        best, found = MISS, np.int32(-1)
        stack[0], reach[0], top = 0, np.float32(0), 1
        while top > 0:
            top -= 1
            if reach[top] >= best:
                continue
            node = stack[top]
            b = bounds[node]
            for c in range(WIDTH):
                ax, bx = (b[fx, c] - ox) * ix, (b[gx, c] - ox) * ix
                ay, by = (b[fy, c] - oy) * iy, (b[gy, c] - oy) * iy
                az, bz = (b[fz, c] - oz) * iz, (b[gz, c] - oz) * iz
                enter = max(max(ax, ay), max(az, np.float32(0)))
                leave = min(min(bx, by), min(bz, best))
                near[c] = enter if enter <= leave * np.float32(1.0000004) else MISS
            first = top
            for c in range(WIDTH):
                if near[c] >= MISS:
                    continue
                size = count[node, c]
                if size == 0:
                    # The nearest child comes to lie on top.
                    at = top
                    while at > first and reach[at - 1] < near[c]:
                        stack[at], reach[at] = stack[at - 1], reach[at - 1]
                        at -= 1
                    stack[at], reach[at] = child[node, c], near[c]
                    top += 1
                elif size > 0:
                    begin = child[node, c]
                    for t in range(begin, begin + size):
                        way = _way_to(corner[t], edges[t], ox, oy, oz, dx, dy, dz)
                        if np.float32(0) <= way < best:
                            best, found = way, np.int32(t)
        distance[r], hit[r] = best, found


@njit(cache=True, nogil=True, fastmath=LOOSE, error_model="numpy")
def any_hits(bounds, child, count, corner, edges, origins, directions, reach, blocked):
    """Whether anything lies within `reach` (N,), into `blocked` (N,) bool; the tree is as for `closest_hits`."""
    stack = np.empty(DEEPEST, np.int32)
    near = np.empty(WIDTH, np.float32)
    for r in range(len(origins)):
        ox, oy, oz = origins[r, 0], origins[r, 1], origins[r, 2]
        dx, dy, dz = directions[r, 0], directions[r, 1], directions[r, 2]
        ix, iy, iz = np.float32(1) / dx, np.float32(1) / dy, np.float32(1) / dz
        fx, fy, fz = (3 if ix < 0 else 0), (4 if iy < 0 else 1), (5 if iz < 0 else 2)
        gx, gy, gz = (0 if ix < 0 else 3), (1 if iy < 0 else 4), (2 if iz < 0 else 5)
        most, found = reach[r], False
        stack[0], top = 0, 1
        while top > 0 and not found:
            top -= 1
            node = stack[top]
            b = bounds[node]
            for c in range(WIDTH):
                ax, bx = (b[fx, c] - ox) * ix, (b[gx, c] - ox) * ix
                ay, by = (b[fy, c] - oy) * iy, (b[gy, c] - oy) * iy
                az, bz = (b[fz, c] - oz) * iz, (b[gz, c] - oz) * iz
                enter = max(max(ax, ay), max(az, np.float32(0)))
                leave = min(min(bx, by), min(bz, most))
                near[c] = enter if enter <= leave * np.float32(1.0000004) else MISS
            for c in range(WIDTH):
                if near[c] >= MISS:
                    continue
                size = count[node, c]
                if size == 0:
                    stack[top] = child[node, c]
                    top += 1
                elif size > 0:
                    begin = child[node, c]
                    for t in range(begin, begin + size):
                        way = _way_to(corner[t], edges[t], ox, oy, oz, dx, dy, dz)
                        if np.float32(0) <= way <= most:
                            found = True
                            break
                if found:
                    break
        blocked[r] = found
