"""Which glazing has no room behind it."""

from __future__ import annotations

import numpy as np

from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.engine.rays import scene_rays

SHALLOWEST = 0.6
"""m behind the glass below which there is no room."""


def missing_rooms(structure: Structure, mesh: Mesh, is_glass: np.ndarray) -> np.ndarray:
    """(S,) uint8: 1 where a room must be imagined behind a glazing surface.

    Always so when the structure was read from pixels alone; with a model, where most rays through the glass stop
    at once at a blind wall.
    """
    rooms = np.zeros(len(is_glass), np.uint8)
    if structure.mesh is None:
        rooms[is_glass] = 1
        return rooms
    solid = ~is_glass[mesh.surface]
    if solid.all():
        return rooms
    blocked, _ = scene_rays(mesh.triangles, solid)
    fragments = structure.fragments
    glass = np.flatnonzero(is_glass[fragments.region])
    if not len(glass):
        return rooms
    glass = glass[:: max(1, len(glass) // 40000)]
    part = fragments.take(glass)
    x, y = part.positions(structure.size[0])
    origins, directions = structure.camera.rays(x, y)
    points = (origins + directions * part.depth[:, None] - part.normal * 0.02).astype(np.float32)
    distance, hit = blocked.closest(points, np.ascontiguousarray(-part.normal))
    shallow = (hit >= 0) & (distance < SHALLOWEST)
    total = np.bincount(part.region, minlength=len(is_glass))
    few = np.bincount(part.region, shallow, minlength=len(is_glass))
    rooms[(total > 0) & (few > 0.5 * total)] = 1
    return rooms
