"""Where rays meet the planes of regions."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.camera import Camera

NEAREST, FARTHEST = 0.05, 900.0


def plane_depth(camera: Camera, normal: np.ndarray, distance: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Depths (N,), m, of planes normal · (X − position) = −distance at picture positions; `normal` (N, 3) and `distance` (N,), or one plane for all."""
    normals, distances = np.atleast_2d(normal), np.atleast_1d(distance)
    which = np.zeros(len(x), np.int32) if len(normals) == 1 else np.arange(len(x), dtype=np.int32)
    return depth_on_planes(camera, normals, distances, which, x, y)


def depth_on_planes(
    camera: Camera, normals: np.ndarray, distances: np.ndarray, which: np.ndarray, x: np.ndarray, y: np.ndarray
) -> np.ndarray:
    """The same where position i is on plane `which[i]` of `normals` (R, 3) and `distances` (R,)."""
    out = np.empty(len(x))
    _depths(
        camera.matrix, camera.rotation, camera.projection == "perspective", np.ascontiguousarray(normals, np.float64),
        np.ascontiguousarray(distances, np.float64), which, np.asarray(x, np.float64), np.asarray(y, np.float64), out,
    )  # fmt: skip
    return out


@njit(cache=True)
def _depths(matrix, axes, perspective, normals, distances, which, x, y, out):
    for i in range(len(x)):
        u, v = (x[i] - matrix[0, 2]) / matrix[0, 0], (y[i] - matrix[1, 2]) / matrix[1, 1]
        across, along = 0.0, 0.0
        for k in range(3):
            normal = normals[which[i], k]
            across += normal * (u * axes[0, k] + v * axes[1, k])
            along += normal * axes[2, k]
        height = distances[which[i]]
        if perspective:
            along += across
        else:
            height += across
        out[i] = min(max(height / max(-along, 1e-5), NEAREST), FARTHEST)


def plane_points(camera: Camera, normal: np.ndarray, distance: np.ndarray, place: np.ndarray) -> np.ndarray:
    """World points (N, 3), m, of planes at picture positions (N, 2), as `plane_depth` has them."""
    origins, rays = (a.astype(float) for a in camera.rays(*place.T))
    return origins + rays * plane_depth(camera, normal, distance, *place.T)[:, None]
