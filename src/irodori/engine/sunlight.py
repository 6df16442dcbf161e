"""Direct sun: shadow rays towards the true disc."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import lattice_point
from irodori.engine.directions import any_frame
from irodori.engine.rays import RayScene


@njit(cache=True, nogil=True)
def _sun_rays(points, normals, keys, sun, cosine, sample, count, lift, origins, directions, reach):
    """One ray a point into the sun's disc; a negative reach where the surface faces away."""
    tx, ty, tz, bx, by, bz = any_frame(sun[0], sun[1], sun[2])
    for i in range(len(points)):
        dx, dy, dz = sun[0], sun[1], sun[2]
        if count > 1:
            a, b = lattice_point(np.uint32(sample), np.uint32(keys[i]))
            c = np.float32(1.0) - a * (np.float32(1.0) - cosine)
            s = np.float32(np.sqrt(max(np.float32(1.0) - c * c, np.float32(0.0))))
            x, y = s * np.float32(np.cos(6.2831853 * b)), s * np.float32(np.sin(6.2831853 * b))
            dx = x * tx + y * bx + c * sun[0]
            dy = x * ty + y * by + c * sun[1]
            dz = x * tz + y * bz + c * sun[2]
        facing = normals[i, 0] * dx + normals[i, 1] * dy + normals[i, 2] * dz
        reach[i] = np.float32(1e6) if facing > 0 else np.float32(-1.0)
        directions[i, 0], directions[i, 1], directions[i, 2] = dx, dy, dz
        for k in range(3):
            origins[i, k] = points[i, k] + normals[i, k] * lift[i]


def sun_visibility(
    scene: RayScene, points: np.ndarray, normals: np.ndarray, keys: np.ndarray, sun: np.ndarray, cosine: float,
    count: int, lift: np.ndarray,
) -> np.ndarray:  # fmt: skip
    """Share of the sun's disc each point sees, (N,) float32.

    Parameters
    ----------
    points, normals
        (N, 3) m and unit; `lift` (N,) m moves the rays' starts off the surface.
    keys
        (N,) uint32, what the samples depend on.
    sun, cosine
        Direction and cosine of the disc's radius.
    count
        Rays a point; a single ray goes to the disc's centre.
    """
    seen = np.zeros(len(points), np.float32)
    origins, directions = np.empty_like(points), np.empty_like(points)
    reach = np.empty(len(points), np.float32)
    for sample in range(count):
        _sun_rays(points, normals, keys, sun, np.float32(cosine), sample, count, lift, origins, directions, reach)
        lit = np.flatnonzero(reach > 0)
        if len(lit):
            blocked = scene.occluded(origins[lit], directions[lit], reach[lit])
            seen[lit] += ~blocked
    return seen / np.float32(count)
