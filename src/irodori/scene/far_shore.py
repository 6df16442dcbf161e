"""An opposite bank behind the camera, for what the capture cannot show.

Glass and water mirror what lies behind the viewer. A bare horizon there makes every window white, and one even band makes it
painted; a bank with clumps of trees in two depths and a few houses among them is what most places have.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry.shapes import gabled_house
from irodori.core.model import Mesh
from irodori.core.sampling import unit_float
from irodori.entourage.horizon import ring

DISTANCE = 150.0
"""m from the camera."""

HEIGHT = 24.0
"""m of its tallest trees, over the level of the camera."""

BEHIND = 1.22
"""How much further off the second row of trees stands."""

SEGMENTS = 480
"""Pieces of the second row, all round."""

CLUMPS, HOUSES = 150, 26
"""Clumps of trees, and houses, in the first row all round."""

MARGIN = 14.0
"""Degrees beyond the sides of the view that stay open."""

LOWEST = 30.0
"""m below the camera that it reaches at `DISTANCE`."""

PARTS = (
    ("dense foliage", (0.036, 0.052, 0.026)), ("dense foliage", (0.055, 0.075, 0.030)), ("white render", (0.50, 0.46, 0.40)),
    ("clay tiles", (0.20, 0.085, 0.055)),
)  # fmt: skip
"""Finish and colour of its parts: trees behind, trees in front, walls, roofs."""

BACK, FRONT, WALLS, ROOFS = range(len(PARTS))


@dataclass(frozen=True, eq=False)
class FarShore:
    """Triangles (T, 3, 3) m, the part (T,) that each is of, and the skyline (SEGMENTS,): by bearing from +y towards +x, the sine of
    the height that it hides, 0 where it stays open."""

    triangles: np.ndarray
    part: np.ndarray
    skyline: np.ndarray


def far_shore(camera: Camera, mesh: Mesh) -> FarShore | None:
    """The bank, beyond the model; None where the view would meet it."""
    forward = camera.rotation[2]
    if camera.projection == "parallel" or abs(forward[2]) > 0.9:
        return None
    distance, land = DISTANCE, float(camera.position[2]) - 1.6
    if len(mesh):
        some = mesh.triangles[:: max(1, len(mesh) // 30000)].reshape(-1, 3)
        away = np.linalg.norm(some[:, :2] - camera.position[:2], axis=1)
        distance = max(DISTANCE, float(np.percentile(away, 98)) * 1.1)
        land = min(land, float(np.percentile(some[:, 2], 5)) + 1.0)
    scale = distance / DISTANCE
    half = math.degrees(math.atan(camera.size[0] / 2 / camera.focal)) + MARGIN
    heading = math.degrees(math.atan2(forward[0], forward[1]))

    def is_open(bearing):
        return np.abs((np.asarray(bearing) - heading + 180) % 360 - 180) < half

    corner = np.arange(SEGMENTS + 1)
    bearing = corner * (360.0 / SEGMENTS)
    wave = 0.62 + 0.2 * np.sin(0.11 * bearing) + 0.12 * np.sin(0.37 * bearing + 1.3)
    crown = HEIGHT * scale * (wave + 0.14 * np.array([_chance(i % SEGMENTS + 977) for i in corner.tolist()]))
    low = _ring(camera, bearing, distance * BEHIND, np.full(len(bearing), camera.position[2] - LOWEST * scale))
    high = _ring(camera, bearing, distance * BEHIND, camera.position[2] + crown * BEHIND)
    keep = ~is_open((corner[:-1] + 0.5) * (360.0 / SEGMENTS))
    p, q, over_p, over_q = low[:-1][keep], low[1:][keep], high[:-1][keep], high[1:][keep]
    triangles = [np.stack([np.stack([p, q, over_q], 1), np.stack([p, over_q, over_p], 1)], 1).reshape(-1, 3, 3)]
    parts = [np.full(len(triangles[0]), BACK)]
    for number in range(CLUMPS):
        at = 360.0 * (number + 0.8 * _chance(number + 31)) / CLUMPS
        if not is_open(at):
            triangles.append(_clump(camera, at, distance, land, scale, number))
            parts.append(np.full(len(triangles[-1]), FRONT))
    for number in range(HOUSES):
        at = 360.0 * (number + _chance(number + 501)) / HOUSES
        if is_open(at):
            continue
        wide, deep = (8 + 5 * _chance(number + 601)) * scale, 8 * scale
        walls, roof = gabled_house(wide, deep, 4.2 * scale, (4.2 + 0.4 * wide / scale) * scale)
        turn = math.radians(at) + (math.pi / 2 if _chance(number + 701) < 0.5 else 0.0)
        spin = np.array([[math.cos(turn), -math.sin(turn), 0], [math.sin(turn), math.cos(turn), 0], [0, 0, 1.0]])
        foot = _ring(camera, np.array([at]), distance * (0.96 + 0.08 * _chance(number + 801)), np.array([land]))[0]
        for some, part in ((walls, WALLS), (roof, ROOFS)):
            triangles.append(some @ spin + foot)
            parts.append(np.full(len(some), part))
    skyline = np.where(is_open(bearing[:-1]), 0.0, crown[:-1] / np.hypot(crown[:-1], distance))
    return FarShore(
        np.concatenate(triangles).astype(np.float32), np.concatenate(parts), skyline.astype(np.float32)
    )  # fmt: skip


def _chance(number: int) -> float:
    return float(unit_float(number))


def _ring(camera: Camera, bearing: np.ndarray, distance: float, level: np.ndarray) -> np.ndarray:
    return np.column_stack([ring(camera, np.radians(bearing), distance), level])


def _clump(camera: Camera, at: float, distance: float, land: float, scale: float, number: int) -> np.ndarray:
    """A few crowns as seen from afar: a fan of triangles with a bumpy rim, facing the camera."""
    wide = (5 + 9 * _chance(number + 61)) * scale
    tall = (5 + 12 * _chance(number + 91)) * scale
    middle = _ring(
        camera, np.array([at]), distance * (0.92 + 0.2 * _chance(number + 121)), np.array([land + 0.45 * tall])
    )[0]
    aside = np.array([math.cos(math.radians(at)), -math.sin(math.radians(at)), 0.0])
    angles = np.linspace(0, 2 * np.pi, 15)
    rim = 1 + 0.16 * np.array([_chance(number * 17 + k) - 0.5 for k in [*range(14), 0]])
    edge = middle + np.outer(np.cos(angles) * rim * wide / 2, aside)
    edge[:, 2] += np.sin(angles) * rim * np.where(np.sin(angles) > 0, 0.55, 0.5) * tall
    return np.stack([np.broadcast_to(middle, (14, 3)), edge[:-1], edge[1:]], axis=1)
