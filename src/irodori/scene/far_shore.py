"""A far tree line behind the camera, for what the capture cannot show.

Glass and water mirror what lies behind the viewer. A bare horizon there makes every window white; a line of trees a
good hundred metres off is what most places have.
"""

from __future__ import annotations

import math

import numpy as np

from irodori.core.camera import Camera
from irodori.core.model import Mesh
from irodori.core.sampling import unit_float

DISTANCE = 150.0
"""m from the camera."""

HEIGHT = 24.0
"""m of its tallest trees, over the level of the camera."""

SEGMENTS = 480
MARGIN = 14.0
"""Degrees beyond the sides of the view that stay open."""

COLOUR = (0.042, 0.058, 0.03)


def far_shore(camera: Camera, mesh: Mesh) -> np.ndarray:
    """Triangles (T, 3, 3) m of the tree line, beyond the model; none where the view would meet it."""
    forward = camera.rotation[2]
    if camera.projection == "parallel" or abs(forward[2]) > 0.9:
        return np.zeros((0, 3, 3), np.float32)
    distance = DISTANCE
    if len(mesh):
        away = np.linalg.norm(
            mesh.triangles[:: max(1, len(mesh) // 30000)].reshape(-1, 3)[:, :2] - camera.position[:2], axis=1
        )
        distance = max(DISTANCE, float(np.percentile(away, 98)) * 1.1)
    half = math.degrees(math.atan(camera.size[0] / 2 / camera.focal)) + MARGIN
    heading = math.degrees(math.atan2(forward[0], forward[1]))
    base = float(camera.position[2]) - 30.0 * distance / DISTANCE
    corner = np.arange(SEGMENTS + 1)
    bearing = corner * (360.0 / SEGMENTS)
    tall = HEIGHT * distance / DISTANCE
    wave = 0.62 + 0.2 * np.sin(0.11 * bearing) + 0.12 * np.sin(0.37 * bearing + 1.3)
    crown = tall * (wave + 0.14 * np.array([float(unit_float(i % SEGMENTS + 977)) for i in corner.tolist()]))
    foot = camera.position[:2] + distance * np.stack([np.sin(np.radians(bearing)), np.cos(np.radians(bearing))], axis=1)
    low = np.column_stack([foot, np.full(len(corner), base)])
    high = np.column_stack([foot, camera.position[2] + crown])
    middle = (corner[:-1] + 0.5) * (360.0 / SEGMENTS)
    shown = np.abs((middle - heading + 180) % 360 - 180) < half
    keep = ~shown
    p, q, over_p, over_q = low[:-1][keep], low[1:][keep], high[:-1][keep], high[1:][keep]
    quads = np.stack([np.stack([p, q, over_q], axis=1), np.stack([p, over_q, over_p], axis=1)], axis=1)
    return quads.reshape(-1, 3, 3).astype(np.float32)
