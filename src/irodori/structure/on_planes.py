"""Where rays meet the planes of regions."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera

NEAREST, FARTHEST = 0.05, 900.0


def plane_depth(camera: Camera, normal: np.ndarray, distance: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Depths (N,), m, of planes normal · (X − position) = −distance at picture positions; `normal` (N, 3) and `distance` (N,), or one plane for all."""
    origins, rays = camera.rays(x, y)
    cosine = -(rays * normal).sum(axis=1)
    height = distance + (normal * (origins - camera.position)).sum(axis=1)
    return np.clip(height / np.maximum(cosine, 1e-5), NEAREST, FARTHEST)


def plane_points(camera: Camera, normal: np.ndarray, distance: np.ndarray, place: np.ndarray) -> np.ndarray:
    """World points (N, 3), m, of planes at picture positions (N, 2), as `plane_depth` has them."""
    origins, rays = (a.astype(float) for a in camera.rays(*place.T))
    return origins + rays * plane_depth(camera, normal, distance, *place.T)[:, None]
