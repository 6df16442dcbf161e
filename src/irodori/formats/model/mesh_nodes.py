"""What trimesh reads of a file, node by node."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from irodori.core.errors import ModelError


def placed(scene) -> Iterator[tuple[str, object, np.ndarray]]:
    """Name, geometry with faces, and matrix of each node of a scene."""
    geometries, graph = scene.geometry, scene.graph
    for node in sorted(graph.nodes_geometry):
        matrix, name = graph[node]
        geometry = geometries[name]
        if hasattr(geometry, "faces") and len(geometry.faces):
            yield str(node), geometry, matrix


def placed_triangles(geometry, corners: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """Triangles (T, 3, 3) float64 of a geometry where it is placed. Raises ModelError."""
    with np.errstate(over="ignore", invalid="ignore"):  # what is not finite is left out later
        vertices = np.asarray(geometry.vertices, np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
    if corners.min() < 0 or corners.max() >= len(vertices):
        raise ModelError("a triangle has a corner that is not there")
    triangles = vertices[corners]
    return triangles[:, ::-1] if np.isfinite(matrix).all() and np.linalg.det(matrix[:3, :3]) < 0 else triangles
