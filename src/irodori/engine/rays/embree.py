"""Ray queries by Embree's general ray–triangle kernels, through embreex."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.geometry.welded import mixed, table_size

MANY = 200_000
"""Triangles from which corners that they share are handed over once: embreex takes as long for each number as the tree does."""


class EmbreeTriangles:
    """Triangles (T, 3, 3) float32 in Embree's tree; see `irodori.engine.rays.ray_scene.Kernel`."""

    def __init__(self, triangles: np.ndarray) -> None:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        self._scene = EmbreeScene()
        if len(triangles) > MANY:
            TriangleMesh(self._scene, *_shared_corners(np.ascontiguousarray(triangles, np.float32)))
        else:
            TriangleMesh(self._scene, triangles)
        # The tree is built by the first query; do it here, in one thread.
        self.closest(np.zeros((1, 3), np.float32), np.array([[0, 0, 1]], np.float32))

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        hit = self._scene.run(origins, directions, output=1)
        return hit["tfar"], hit["primID"]

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        return self._scene.run(origins, directions, reach, query="OCCLUDED") != -1


@njit(cache=True, nogil=True)
def _shared_corners(triangles):
    """The different corners (V, 3) float32 of triangles (T, 3, 3), and the numbers of each one's, (T, 3) int32."""
    count = 3 * len(triangles)
    size = table_size(count)
    table, corner = np.full(size, -1, np.int32), np.empty((len(triangles), 3), np.int32)
    points = np.empty((count, 3), np.float32)
    found = 0
    for t in range(len(triangles)):
        for c in range(3):
            x, y, z = triangles[t, c]
            h = mixed(np.float32(x).view(np.uint32), np.float32(y).view(np.uint32), np.float32(z).view(np.uint32))
            slot = np.int64(h & np.uint64(size - 1))
            while table[slot] >= 0:
                p = table[slot]
                if points[p, 0] == x and points[p, 1] == y and points[p, 2] == z:
                    break
                slot = (slot + 1) & (size - 1)
            if table[slot] < 0:
                table[slot] = found
                points[found, 0], points[found, 1], points[found, 2] = x, y, z
                found += 1
            corner[t, c] = table[slot]
    return points[:found].copy(), corner
