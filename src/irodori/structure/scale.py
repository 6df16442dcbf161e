"""How large it all is: from a known length, the eye's height, or typical storeys."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.camera import Camera
from irodori.core.errors import StructureError
from irodori.structure.regions import Regions

EYE_HEIGHT = 1.6
STOREY = 3.4
"""m that a typical wall in a view from above is high."""

DOOR_HEIGHT = 2.1
"""m that a door is high."""

FROM_ABOVE = -12.0
"""Degrees of pitch below which an eye height of 1.6 m is not believed."""

NEAREST, FARTHEST = 0.05, 900.0


def plane_depth(camera: Camera, normal: np.ndarray, distance: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Depths (N,), m, of planes normal · (X − position) = −distance at picture positions; each has its own plane."""
    origins, rays = camera.rays(x, y)
    cosine = -(rays * normal).sum(axis=1)
    height = distance + (normal * (origins - camera.position)).sum(axis=1)
    return np.clip(height / np.maximum(cosine, 1e-5), NEAREST, FARTHEST)


def to_scale(
    camera: Camera, regions: Regions, normals: np.ndarray, distance: np.ndarray, *, eye_height: float | None,
    length: tuple[np.ndarray, float] | None, anchor: int, door: float | None = None,
) -> tuple[Camera, np.ndarray, str]:  # fmt: skip
    """Camera and distances in metres, and a sentence that says what the scale rests on.

    `length` is a known dimension: its ends (2, 2) px and metres; `door` the height of doors in an elevation, px.
    `distance` (R,) comes with the eye about 1.6 m over the plane of region `anchor`.

    Raises
    ------
    StructureError
        When the known length does not lie on anything.
    """
    if length is not None:
        measured = _measure(camera, regions, normals, distance, length[0])
        factor = length[1] / measured
        said = f"Scale from the length given ({length[1]:g} m); as exact as its ends are picked"
    elif door is not None:
        factor = DOOR_HEIGHT * camera.focal / door
        said = f"Scale from doors {DOOR_HEIGHT:g} m high, good to about 10 %; give a length to be exact"
    elif eye_height is not None and camera.projection == "perspective":
        factor, said = eye_height / max(distance[anchor], 1e-6), f"Scale from the eye height given ({eye_height:g} m)"
    else:
        pitch = np.degrees(np.arcsin(np.clip(camera.rotation[2, 2], -1, 1)))
        typical = _typical_height(camera, regions, normals, distance)
        if camera.projection == "perspective" and pitch > FROM_ABOVE:
            factor = EYE_HEIGHT / max(distance[anchor], 1e-6)
            said = "Scale from an eye height of 1.6 m, good to about 10 %; give the eye height or a length to be exact"
        elif typical is None:
            factor, said = 1.0, "Nothing tells the scale; give the eye height or a length"
        else:
            factor = float(np.clip(STOREY / typical, 0.02, 200.0))
            said = (
                "Seen from above: scaled so that typical walls are 3.4 m high, good to about 30 %; "
                "give the eye height or a length to be exact"
            )
    if camera.projection == "parallel":
        matrix = camera.matrix.copy()
        matrix[[0, 1], [0, 1]] /= factor
        camera = replace(camera, matrix=matrix)
    return camera, distance * factor, said


def _measure(camera, regions, normals, distance, ends) -> float:
    height, width = regions.labels.shape
    inside = np.clip(ends.astype(int), 0, [width - 1, height - 1])
    region = regions.labels[inside[:, 1], inside[:, 0]]
    if not np.linalg.norm(normals[region], axis=1).all():
        raise StructureError("A known length must lie on the building: one of its ends is in the sky")
    points = plane_points(camera, normals[region], distance[region], ends)
    measured = float(np.linalg.norm(points[1] - points[0]))
    if measured < 1e-6:
        raise StructureError("A known length needs two ends that lie apart")
    return measured


def plane_points(camera: Camera, normal: np.ndarray, distance: np.ndarray, place: np.ndarray) -> np.ndarray:
    """World points (N, 3), m, of planes at picture positions (N, 2), as `plane_depth` has them."""
    origins, rays = (a.astype(float) for a in camera.rays(*place.T))
    return origins + rays * plane_depth(camera, normal, distance, *place.T)[:, None]


def _typical_height(camera, regions, normals, distance) -> float | None:
    """Height, m, that most of the walls' area stays under."""
    heights, weights = [], []
    for region in np.flatnonzero((np.abs(normals[:, 2]) < 0.1) & (regions.area > 150)):
        if not normals[region].any():
            continue
        place = regions.pixels[region]
        one = np.ones(len(place))
        heights.append(
            np.ptp(plane_points(camera, one[:, None] * normals[region], one * distance[region], place)[:, 2])
        )
        weights.append(regions.area[region])
    if not heights:
        return None
    order = np.argsort(heights)
    running = np.cumsum(np.array(weights)[order])
    return max(float(np.array(heights)[order][np.searchsorted(running, 0.6 * running[-1])]), 1e-3)
