"""Which triangles belong to one smooth surface: neighbours across an edge that meet at a small angle."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.geometry.welded import mixed, weld

CELLS = 10_000.0
"""Corners that round to the same cell of this many a metre are one."""


@njit(cache=True, nogil=True)
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


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
        weld(soup, first, last, CELLS, cell, table, size - 1)
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
