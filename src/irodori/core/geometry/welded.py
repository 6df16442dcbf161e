"""Which corners of triangles are one, and which triangles meet at each edge."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def mixed(a, b, c):
    """One number of three, so mixed that it can be a place in a table (SplitMix64: Steele, Lea and Flood, OOPSLA 2014)."""
    h = np.uint64(a) * np.uint64(0x9E3779B97F4A7C15)
    h = (h ^ (h >> np.uint64(29)) ^ np.uint64(b)) * np.uint64(0xBF58476D1CE4E5B9)
    h = (h ^ (h >> np.uint64(32)) ^ np.uint64(c)) * np.uint64(0x94D049BB133111EB)
    return h ^ (h >> np.uint64(31))


@njit(cache=True, nogil=True)
def weld(soup, first, last, cells, cell, table, mask):
    """Write to `cell` which corner of triangles first … last each is the same as: both round to one cell of `cells` a metre.

    `table` (mask + 1,) is −1 throughout, and at least twice as long as there are corners.
    """
    for t in range(first, last):
        for c in range(3):
            x = np.int64(np.rint(soup[t, c, 0] * cells))
            y = np.int64(np.rint(soup[t, c, 1] * cells))
            z = np.int64(np.rint(soup[t, c, 2] * cells))
            slot = np.int64(mixed(x, y, z) & np.uint64(mask))
            own = (t - first) * 3 + c
            while True:
                other = table[slot]
                if other < 0:
                    table[slot] = own
                    cell[own] = own
                    break
                ot, oc = first + other // 3, other % 3
                if (
                    np.int64(np.rint(soup[ot, oc, 0] * cells)) == x
                    and np.int64(np.rint(soup[ot, oc, 1] * cells)) == y
                    and np.int64(np.rint(soup[ot, oc, 2] * cells)) == z
                ):
                    cell[own] = other
                    break
                slot = (slot + 1) & mask


@njit(cache=True, nogil=True)
def table_size(corners):
    """Places of a table in which `corners` find theirs quickly: a power of two."""
    size = 1
    while size < 2 * corners:
        size *= 2
    return size


@njit(cache=True, nogil=True)
def edges_between(soup, cells):
    """Edges of triangles (T, 3, 3), in the order in which they are first met.

    Returns the corners at their ends, (E, 2) as 3 · triangle + corner; the first two triangles at each, (E,), the same twice where
    there is one; and how many there are, (E,).
    """
    count = len(soup)
    size = table_size(3 * count)
    cell, table = np.empty(3 * count, np.int32), np.full(size, -1, np.int32)
    weld(soup, 0, count, cells, cell, table, size - 1)
    table[:] = -1
    ends, one, two, times = (
        np.empty((3 * count, 2), np.int32),
        np.empty(3 * count, np.int32),
        np.empty(3 * count, np.int32),
        np.zeros(3 * count, np.int32),
    )
    found = 0
    for t in range(count):
        for c in range(3):
            a, b = cell[3 * t + c], cell[3 * t + (c + 1) % 3]
            if a == b:
                continue
            if a > b:
                a, b = b, a
            slot = np.int64(mixed(a, b, 0) & np.uint64(size - 1))
            while table[slot] >= 0 and (ends[table[slot], 0] != a or ends[table[slot], 1] != b):
                slot = (slot + 1) & (size - 1)
            if table[slot] < 0:
                table[slot] = found
                ends[found, 0], ends[found, 1], one[found], two[found] = a, b, t, t
                found += 1
            elif times[table[slot]] == 1:
                two[table[slot]] = t
            times[table[slot]] += 1
    return ends[:found], one[:found], two[:found], times[:found]
