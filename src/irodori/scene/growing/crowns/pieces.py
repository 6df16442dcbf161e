"""The pieces of surfaces: triangles of one surface that hang together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Pieces:
    """Triangles (T,) in the `order` of their pieces; of each piece (P,) where it `starts` in that, its `surface`, and its lowest and
    highest corner, `low` and `high` (P, 3) m."""

    order: np.ndarray
    starts: np.ndarray
    surface: np.ndarray
    low: np.ndarray
    high: np.ndarray


def pieces_of(triangles: np.ndarray, surface: np.ndarray) -> Pieces:
    """The pieces of triangles (T, 3, 3), m, each of a `surface` (T,): one's pieces may touch another's, a piece is of one surface."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    corner = _same_corners(triangles)
    pairs = np.concatenate([corner[:, [0, 1]], corner[:, [1, 2]]])
    links = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(corner.max() + 1,) * 2)
    piece = connected_components(links, directed=False)[1][corner[:, 0]]
    codes, piece = np.unique(piece.astype(np.int64) * (int(surface.max()) + 1) + surface, return_inverse=True)
    order = np.argsort(piece, kind="stable")
    starts = np.searchsorted(piece[order], np.arange(len(codes)))
    low = np.minimum.reduceat(triangles.min(axis=1)[order], starts)
    high = np.maximum.reduceat(triangles.max(axis=1)[order], starts)
    return Pieces(order, starts, codes % (int(surface.max()) + 1), low, high)


def _same_corners(triangles: np.ndarray) -> np.ndarray:
    """The number of each corner (T, 3), the same for corners within a millimetre."""
    place = np.round(triangles.reshape(-1, 3) * 1000).astype(np.int64)
    place -= place.min(axis=0)
    span = place.max(axis=0) + 1
    _, corner = np.unique((place[:, 0] * span[1] + place[:, 1]) * span[2] + place[:, 2], return_inverse=True)
    return corner.reshape(-1, 3)
