"""Which triangles belong to one smooth surface: neighbours across an edge that meet at a small angle."""

from __future__ import annotations

import numpy as np
from numba import njit

CELLS = 10_000.0
"""Corners that round to the same cell of this many a metre are one."""


@njit(cache=True, nogil=True)
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True, nogil=True)
def mixed(a, b, c):
    """One number of three, so mixed that it can be a place in a table (SplitMix64: Steele, Lea and Flood, OOPSLA 2014)."""
    h = np.uint64(a) * np.uint64(0x9E3779B97F4A7C15)
    h = (h ^ (h >> np.uint64(29)) ^ np.uint64(b)) * np.uint64(0xBF58476D1CE4E5B9)
    h = (h ^ (h >> np.uint64(32)) ^ np.uint64(c)) * np.uint64(0x94D049BB133111EB)
    return h ^ (h >> np.uint64(31))


@njit(cache=True, nogil=True)
def _weld(soup, first, last, cell, table, mask):
    """Write to `table` and `cell` which corner of triangles first … last each is the same as."""
    for t in range(first, last):
        for c in range(3):
            x = np.int64(np.rint(soup[t, c, 0] * CELLS))
            y = np.int64(np.rint(soup[t, c, 1] * CELLS))
            z = np.int64(np.rint(soup[t, c, 2] * CELLS))
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
                    np.int64(np.rint(soup[ot, oc, 0] * CELLS)) == x
                    and np.int64(np.rint(soup[ot, oc, 1] * CELLS)) == y
                    and np.int64(np.rint(soup[ot, oc, 2] * CELLS)) == z
                ):
                    cell[own] = other
                    break
                slot = (slot + 1) & mask


@njit(cache=True, nogil=True)
def _join(normals, first, last, cell, table, edge, mask, cosine, parent):
    """Join the triangles first … last across their edges; `table` holds the triangle that came last at each edge."""
    for c in range(3):
        for t in range(first, last):
            a, b = cell[(t - first) * 3 + c], cell[(t - first) * 3 + (c + 1) % 3]
            if a > b:
                a, b = b, a
            slot = np.int64(mixed(a, b, 0) & np.uint64(mask))
            while table[slot] >= 0 and (edge[slot, 0] != a or edge[slot, 1] != b):
                slot = (slot + 1) & mask
            other = table[slot]
            if other >= 0:
                dot = (
                    normals[t, 0] * normals[other, 0]
                    + normals[t, 1] * normals[other, 1]
                    + normals[t, 2] * normals[other, 2]
                )
                if dot > cosine:
                    p, q = _root(parent, t), _root(parent, other)
                    parent[max(p, q)] = min(p, q)
            edge[slot, 0], edge[slot, 1] = a, b
            table[slot] = t


@njit(cache=True, nogil=True)
def smooth_groups(soup, normals, starts, whole, cosine):
    """Number of the smooth surface of each triangle, (T,) int64 from 0 in the order of their first ones.

    `soup` (T, 3, 3) m and unit `normals` (T, 3) float64; part p has the triangles starts[p] … starts[p + 1], which are one
    surface when it is `whole`. Neighbours belong together when the cosine between them is more than `cosine`.
    """
    count = len(soup)
    parent = np.arange(count)
    most = 0
    for p in range(len(whole)):
        if not whole[p]:
            most = max(most, starts[p + 1] - starts[p])
    size = 1
    while size < 6 * most:
        size *= 2
    table, edge = np.empty(size, np.int64), np.empty((size, 2), np.int32)
    cell = np.empty(3 * most, np.int32)
    for p in range(len(whole)):
        first, last = starts[p], starts[p + 1]
        if whole[p]:
            for t in range(first, last):
                parent[t] = first
            continue
        size = 1
        while size < 6 * (last - first):
            size *= 2
        table[:size] = -1
        _weld(soup, first, last, cell, table, size - 1)
        table[:size] = -1
        _join(normals, first, last, cell, table, edge, size - 1, cosine, parent)
    label, number = np.empty(count, np.int64), 0
    for t in range(count):
        root = _root(parent, t)
        if root == t:
            label[t] = number
            number += 1
        else:
            label[t] = label[root]
    return label
