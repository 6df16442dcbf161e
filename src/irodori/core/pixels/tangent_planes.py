"""Surfaces gone on with beyond where they were sampled, along their tangent planes."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments

EDGE_ON = 1e-4
"""Cosine below which a plane is seen along its edge and tells nothing of its depth."""

NEAREST = 1e-3
"""m: nothing is nearer."""


def on_tangent_planes(
    fragments: Fragments, camera: Camera, parent: np.ndarray, x: np.ndarray, y: np.ndarray, most: float
) -> np.ndarray:  # fmt: skip
    """Depth (N,) float32, m, at picture positions on the tangent planes of the fragments `parent` (N,).

    Where that would be more than `most` times as near or as far as the fragment itself, or the plane is seen edge on, it is the fragment's own.
    """
    was_x, was_y = (values[parent] for values in fragments.positions(camera.size[0]))
    old, normal = fragments.depth[parent], fragments.normal[parent]
    finite = np.isfinite(old)
    origin, way = camera.rays(was_x, was_y)
    there = origin + np.where(finite, old, 0)[:, None] * way
    origin, way = camera.rays(x, y)
    slope = (normal * way).sum(axis=1)
    tells = np.abs(slope) > EDGE_ON
    moved = ((there - origin) * normal).sum(axis=1) / np.where(tells, slope, 1)
    tells &= (moved > old / most) & (moved < old * most)
    return np.where(finite, np.maximum(np.where(tells, moved, old), NEAREST), old).astype(np.float32)
