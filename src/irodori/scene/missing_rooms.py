"""Which glazing has no room behind it, and how the rooms to be imagined lie."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import surface_frame
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.rays.ray_scene import scene_rays

SHALLOWEST = 0.6
"""m behind the glass below which there is no room."""


BAY, STOREY = 3.4, 2.75
"""m, usual width and height of a room."""

MULLION = 0.45
"""m between panes up to which they belong to one window."""

SILL = 0.85
"""m over the floor at which a window begins that is lower than `FULL` m."""

FULL = 2.15


def room_frames(structure: Structure, mesh: Mesh, is_glass: np.ndarray) -> np.ndarray:
    """The bays of rooms behind each surface, (S, 4) float32 as in `Scene.rooms`; 0 where none is to be imagined."""
    frames = np.zeros((len(is_glass), 4), np.float32)
    wanted = np.flatnonzero(missing_rooms(structure, mesh, is_glass))
    fragments = structure.fragments
    shown = np.isin(fragments.region, wanted)
    if not shown.any():
        return frames
    region, normal = fragments.region[shown], fragments.normal[shown]
    panes = []
    for surface in wanted:
        own = region == surface
        corners = mesh.triangles[mesh.surface == surface].reshape(-1, 3)
        if not own.any() or not len(corners):
            continue
        facing = normal[own].mean(axis=0)
        facing /= max(float(np.linalg.norm(facing)), 1e-6)
        axes = np.array(surface_frame(*facing.astype(np.float32), np.float32(0)), float).reshape(2, 3)
        spots = corners @ axes.T
        panes.append((surface, facing, float((corners @ facing).max()), spots.min(axis=0), spots.max(axis=0)))
    for group in _windows(panes):
        low = np.min([panes[k][3] for k in group], axis=0)
        high = np.max([panes[k][4] for k in group], axis=0)
        bays = max(round(float(high[0] - low[0]) / BAY), 1)
        # A single window sits in the middle of a room that is wider than it.
        width = max(float(high[0] - low[0]) / bays, 1.2) if bays > 1 else max(float(high[0] - low[0]) + 1.0, 2.6)
        begins = float(low[0] + high[0]) / 2 - width * bays / 2
        tall = float(high[1] - low[1])
        floors = max(round(tall / 3.1), 1)
        floor = float(low[1]) - (0.05 if tall > FULL else SILL)
        storey = max((float(high[1]) + 0.12 - floor) / floors, STOREY if floors == 1 else 2.2)
        for k in group:
            frames[panes[k][0]] = begins, width, floor, storey
    return frames


def _windows(panes: list) -> list[list[int]]:
    """Panes that belong together: on one plane, a mullion apart."""
    left, groups = list(range(len(panes))), []
    while left:
        group, waiting = [], [left.pop(0)]
        while waiting:
            k = waiting.pop()
            group.append(k)
            _, facing, offset, low, high = panes[k]
            for m in list(left):
                _, other, away, lower, upper = panes[m]
                beside = (lower < high + MULLION).all() and (upper > low - MULLION).all()
                if beside and facing @ other > 0.99 and abs(offset - away) < 0.25:
                    left.remove(m)
                    waiting.append(m)
        groups.append(sorted(group))
    return groups


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

    def is_blind(span: tuple[int, int]) -> np.ndarray:
        """Whether the rays through the panes stop at once."""
        a, b = span
        origins, directions = structure.camera.rays(x[a:b], y[a:b])
        points = (origins + directions * part.depth[a:b, None] - part.normal[a:b] * 0.02).astype(np.float32)
        distance, hit = blocked.closest(points, np.ascontiguousarray(-part.normal[a:b]))
        return (hit >= 0) & (distance < SHALLOWEST)

    shallow = np.concatenate(for_each_tile(split_tiles(len(glass), 8192), is_blind))
    total = np.bincount(part.region, minlength=len(is_glass))
    few = np.bincount(part.region, shallow, minlength=len(is_glass))
    rooms[(total > 0) & (few > 0.5 * total)] = 1
    return rooms
