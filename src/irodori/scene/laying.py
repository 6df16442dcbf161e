"""How finishes lie: along the long side of a floor; whole on members narrower than one unit."""

from __future__ import annotations

import numpy as np

from irodori.core.model import Mesh


def laying_axes(mesh: Mesh, count: int) -> np.ndarray:
    """Direction, radians from east, of the total edge length of each surface's level triangles, (S,) float32."""
    axis = np.zeros(count, np.float32)
    normals = mesh.normals()
    level = np.abs(normals[:, 2]) > 0.9
    triangles, surface = mesh.triangles[level], mesh.surface[level]
    if not len(triangles):
        return axis
    edges = np.concatenate([triangles[:, (i + 1) % 3] - triangles[:, i] for i in range(3)])[:, :2]
    owner = np.tile(surface, 3)
    length = np.linalg.norm(edges, axis=1)
    # The angle is doubled twice over so that opposite and square directions add up.
    angle = np.arctan2(edges[:, 1], edges[:, 0])
    four = np.stack([np.cos(4 * angle), np.sin(4 * angle)], axis=1) * (length**2)[:, None]
    two = np.stack([np.cos(2 * angle), np.sin(2 * angle)], axis=1) * (length**2)[:, None]
    sums = [np.bincount(owner, column, minlength=count)[:count] for column in (*four.T, *two.T)]
    square = np.arctan2(sums[1], sums[0]) / 4
    longer = np.arctan2(sums[3], sums[2]) / 2
    turns = np.round((longer - square) / (np.pi / 2))
    axis[:] = square + turns * np.pi / 2
    return axis


def narrow_surfaces(mesh: Mesh, count: int) -> np.ndarray:
    """Width (S,), m, of each surface: the second largest side of its bounding box; inf where it has no triangles."""
    width = np.full(count, np.inf)
    if not len(mesh.surface):
        return width
    order = np.argsort(mesh.surface, kind="stable")
    ids, starts = np.unique(mesh.surface[order], return_index=True)
    corners = mesh.triangles[order]
    low = np.minimum.reduceat(corners.min(axis=1), starts)
    high = np.maximum.reduceat(corners.max(axis=1), starts)
    width[ids] = np.sort(high - low, axis=1)[:, 1]
    return width
