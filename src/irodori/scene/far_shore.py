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
"""Degrees beyond the sides of the view, and beside the sun, that stay open."""

CLEAR = math.radians(2.5)
"""Angle by which the trees stay below the sun."""

COLOUR = (0.042, 0.058, 0.03)


def far_shore(camera: Camera, sun: np.ndarray, mesh: Mesh) -> np.ndarray:
    """Triangles (T, 3, 3) m of the tree line; none where the view or the sun would meet it.

    `sun` (3,): unit direction towards the sun. A model that reaches further than the tree line keeps it out.
    """
    forward = camera.rotation[2]
    if camera.projection == "parallel" or abs(forward[2]) > 0.9:
        return np.zeros((0, 3, 3), np.float32)
    distance = DISTANCE
    if len(mesh):
        away = np.linalg.norm(mesh.triangles.reshape(-1, 3)[:, :2] - camera.position[:2], axis=1)
        distance = max(DISTANCE, float(np.percentile(away, 98)) * 1.1)
    if distance > 600:
        distance = DISTANCE
    half = math.degrees(math.atan(camera.size[0] / 2 / camera.focal)) + MARGIN
    heading = math.degrees(math.atan2(forward[0], forward[1]))
    towards_sun = math.degrees(math.atan2(sun[0], sun[1]))
    base = float(camera.position[2]) - 30.0
    step = 360.0 / SEGMENTS
    eye = camera.position.astype(float)

    def crown(index: int) -> float:
        """Height of the trees over the camera at a corner of the line, m; 0 where it is open."""
        bearing = index * step
        tall = HEIGHT * distance / DISTANCE
        if sun[2] > -0.02 and abs((bearing - towards_sun + 180) % 360 - 180) < MARGIN:
            # The sun must come over the trees.
            tall = min(tall, distance * math.tan(max(math.asin(sun[2]) - CLEAR, 0.0)))
        wave = 0.62 + 0.2 * math.sin(0.11 * bearing) + 0.12 * math.sin(0.37 * bearing + 1.3)
        return tall * (wave + 0.14 * float(unit_float(index % SEGMENTS + 977)))

    out = []
    for i in range(SEGMENTS):
        if abs(((i + 0.5) * step - heading + 180) % 360 - 180) < half or min(crown(i), crown(i + 1)) <= 0:
            continue
        p, q = (
            eye[:2] + distance * np.array([math.sin(math.radians(k * step)), math.cos(math.radians(k * step))])
            for k in (i, i + 1)
        )
        high = (eye[2] + crown(i), eye[2] + crown(i + 1))
        out += [[[*p, base], [*q, base], [*q, high[1]]], [[*p, base], [*q, high[1]], [*p, high[0]]]]
    return np.array(out, np.float32).reshape(-1, 3, 3)
