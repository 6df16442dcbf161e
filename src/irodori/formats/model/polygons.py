"""Polygons as triangles."""

from __future__ import annotations

import numpy as np


def fans(counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Convex polygons of `counts` corners as triangles: the polygon of each (T,), and its corners' places (T, 3) in the list of all."""
    starts = np.cumsum(counts) - counts
    number = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(len(counts)), number)
    step = np.arange(number.sum()) - np.repeat(np.cumsum(number) - number, number)
    return face, starts[face][:, None] + np.stack([0 * step, step + 1, step + 2], axis=1)


def triangulated(shape) -> np.ndarray:
    """A polygon with holes as triangles (N, 3, 2)."""
    import mapbox_earcut

    rings = [np.asarray(ring.coords)[:-1] for ring in (shape.exterior, *shape.interiors)]
    points = np.concatenate(rings)
    corners = mapbox_earcut.triangulate_float64(points, np.cumsum([len(r) for r in rings]).astype(np.uint32))
    return points[corners].reshape(-1, 3, 2)
