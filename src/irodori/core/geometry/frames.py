"""Directions of surfaces, and the axes along which finishes are laid and rooms are measured."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def surface_frame(nx, ny, nz, axis):
    """Level and rising unit tangents of a surface: u runs level (for floors along `axis`), v up the slope."""
    level = np.float32(np.sqrt(nx * nx + ny * ny))
    if level < np.float32(0.3):
        ax, ay = np.float32(np.cos(axis)), np.float32(np.sin(axis))
        # Project the laying direction into the plane.
        dot = ax * nx + ay * ny
        tx, ty, tz = ax - dot * nx, ay - dot * ny, -dot * nz
        length = np.float32(1.0) / np.float32(np.sqrt(tx * tx + ty * ty + tz * tz))
        tx, ty, tz = tx * length, ty * length, tz * length
    else:
        tx, ty, tz = -ny / level, nx / level, np.float32(0.0)
    bx = ny * tz - nz * ty
    by = nz * tx - nx * tz
    bz = nx * ty - ny * tx
    return tx, ty, tz, bx, by, bz


@njit(cache=True, nogil=True)
def _frames(normal, axis, u, v):
    for i in range(len(normal)):
        u[i, 0], u[i, 1], u[i, 2], v[i, 0], v[i, 1], v[i, 2] = surface_frame(
            normal[i, 0], normal[i, 1], normal[i, 2], axis[i]
        )


def surface_frames(normals: np.ndarray, axis: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Tangents u and v, (N, 3) float32 each, as `surface_frame` gives them, of normals (N, 3); zero where these are."""
    u, v = np.zeros((len(normals), 3), np.float32), np.zeros((len(normals), 3), np.float32)
    solid = np.flatnonzero(normals.any(axis=1))
    out = np.empty((2, len(solid), 3), np.float32)
    _frames(np.ascontiguousarray(normals[solid], np.float32), axis[solid].astype(np.float32), out[0], out[1])
    u[solid], v[solid] = out
    return u, v


def cross(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """The cross product of vectors (…, 3), the same to the bit as `np.cross`, which takes several times as long for a few."""
    a0, a1, a2 = a[..., 0], a[..., 1], a[..., 2]
    b0, b1, b2 = b[..., 0], b[..., 1], b[..., 2]
    x = a1 * b2 - a2 * b1
    out = np.empty((*x.shape, 3), x.dtype)
    out[..., 0], out[..., 1], out[..., 2] = x, a2 * b0 - a0 * b2, a0 * b1 - a1 * b0
    return out


def face_normals(triangles: np.ndarray) -> np.ndarray:
    """Normals (N, 3) of triangles (N, 3, 3) by winding, as long as twice their areas."""
    return np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])


def unit_rows(vectors: np.ndarray) -> np.ndarray:
    """Vectors (N, 3) at length 1."""
    return vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-12)


@njit(cache=True, nogil=True)
def corners_of(points: np.ndarray) -> np.ndarray:
    """Lowest and highest corner (2, 3) of points (N, 3); NumPy takes ten times as long along short rows."""
    out = np.empty((2, 3), points.dtype)
    out[0], out[1] = np.inf, -np.inf
    for i in range(len(points)):
        for k in range(3):
            out[0, k] = min(out[0, k], points[i, k])
            out[1, k] = max(out[1, k], points[i, k])
    return out
