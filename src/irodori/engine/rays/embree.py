"""Ray queries by Embree's general ray–triangle kernels, through embreex."""

from __future__ import annotations

import numpy as np


class EmbreeTriangles:
    """Triangles (T, 3, 3) float32 in Embree's tree; see `irodori.engine.rays.ray_scene.Kernel`."""

    def __init__(self, triangles: np.ndarray) -> None:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        self._scene = EmbreeScene()
        TriangleMesh(self._scene, triangles)
        # The tree is built by the first query; do it here, in one thread.
        self.closest(np.zeros((1, 3), np.float32), np.array([[0, 0, 1]], np.float32))

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        hit = self._scene.run(origins, directions, output=1)
        return hit["tfar"], hit["primID"]

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        return self._scene.run(origins, directions, reach, query="OCCLUDED") != -1
