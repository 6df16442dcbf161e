"""Faces that lie in one another: doubles are dropped, and what lies flush on something larger is lifted by less than a millimetre, or
chance would decide, ray by ray, which of the two is seen."""

from __future__ import annotations

import numpy as np
import pandas as pd
from numba import njit

from irodori.capture.model.smooth_groups import CELLS
from irodori.core.geometry.welded import mixed, table_size

LIFT = 0.0008
"""m by which what lies flush on something is lifted; several in one another by so much each."""

MOST_LIFTS = 6
"""Faces in one another that are told apart."""

SAME_PLANE = 0.0004
"""m between planes that are one."""

MOST_IN_A_PLANE = 300
"""Surfaces in one plane beyond which they are tiles, and not laid on each other."""


@njit(cache=True, nogil=True)
def first_of_each(soup):
    """Which triangles (T, 3, 3), m, are no doubles of earlier ones, whichever way they are wound, (T,) bool."""
    count = len(soup)
    size = table_size(count)
    table, kept = np.full(size, -1, np.int32), np.ones(count, np.bool_)
    own, other = np.empty((3, 3), np.int64), np.empty((3, 3), np.int64)
    for t in range(count):
        _cells(soup[t], own)
        total = np.uint64(0)
        for c in range(3):
            # A sum: the same in whatever order the corners come.
            total += mixed(own[c, 0], own[c, 1], own[c, 2])
        slot = np.int64(total & np.uint64(size - 1))
        while table[slot] >= 0:
            _cells(soup[table[slot]], other)
            if _same(own, other):
                kept[t] = False
                break
            slot = (slot + 1) & (size - 1)
        if kept[t]:
            table[slot] = t
    return kept


@njit(cache=True, nogil=True)
def _cells(triangle, out):
    for c in range(3):
        for k in range(3):
            out[c, k] = np.int64(np.rint(triangle[c, k] * CELLS))


@njit(cache=True, nogil=True)
def _same(a, b):
    """Whether two triangles have the same corners."""
    for i in range(3):
        found = False
        for j in range(3):
            if a[i, 0] == b[j, 0] and a[i, 1] == b[j, 1] and a[i, 2] == b[j, 2]:
                found = True
        if not found:
            return False
    return True


def lifts_of(table: pd.DataFrame, low: np.ndarray, high: np.ndarray, area: np.ndarray) -> np.ndarray:
    """How far each surface (N,) of a table is to be lifted along its normal, m; `low`, `high` (N, 3) m are their corners."""
    lifts = np.zeros(len(table))
    normal, offset = table[["nx", "ny", "nz"]].to_numpy(float), table["offset"].to_numpy(float)
    flat = np.isfinite(offset)
    if not flat.any():
        return lifts
    part = table.groupby(["name", "material"], sort=False).ngroup().to_numpy()
    keys = np.column_stack([np.rint(normal * 500), np.rint(offset / SAME_PLANE)])
    keys[~flat] = np.nan
    frame = pd.DataFrame(keys[flat]).astype(np.int64)
    at = np.flatnonzero(flat)
    for members in frame.groupby(list(frame.columns), sort=False).indices.values():
        if not 1 < len(members) <= MOST_IN_A_PLANE:
            continue
        own = at[members]
        own = own[np.argsort(-area[own], kind="stable")]
        # Across the normal's largest part the boxes of flat things are all there is of them.
        sides = np.delete(np.arange(3), int(np.abs(normal[own[0]]).argmax()))
        for n, k in enumerate(own[1:], start=1):
            larger = own[:n][part[own[:n]] != part[k]]
            inside = (low[larger][:, sides] < high[k, sides] - 0.01) & (high[larger][:, sides] > low[k, sides] + 0.01)
            under = larger[inside.all(axis=1)]
            if len(under):
                lifts[k] = min(lifts[under].max() + LIFT, MOST_LIFTS * LIFT)
    return lifts
