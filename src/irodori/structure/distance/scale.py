"""How large it all is: from a known length, the eye's height, or typical storeys."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.errors import StructureError
from irodori.structure.distance.on_planes import plane_points
from irodori.structure.distance.typical_sizes import door_leaves, storey_height, upright_faces, wall_heights
from irodori.structure.regions.measure import Regions

WALL = 3.4
"""m that a typical wall in a view from above is high."""

STOREY = 3.2
"""m from one row of windows to the next."""

LEAST_WALL, LEAST_DOOR = 1.9, 1.45
"""m: where the tallest walls, or doors, would be lower than this if the eye were at its usual height, it is not."""

DOOR_HEIGHT = 2.1
"""m that a door is high."""

FROM_ABOVE = -12.0
"""Degrees of pitch below which an eye height of 1.6 m is not believed."""


def to_scale(
    camera: Camera, regions: Regions, normals: np.ndarray, distance: np.ndarray, *, eye_height: float | None,
    length: tuple[np.ndarray, float] | None, anchor: int, custom: tuple[float, float, str] | None = None,
    coloured: bool = True,
) -> tuple[Camera, np.ndarray, str]:  # fmt: skip
    """Camera and distances in metres, and a sentence that says what the scale rests on.

    `length` is a known dimension: its ends (2, 2) px and metres; `custom` what has a
    usual size in a view without depth: px, metres, and in words.
    Doors in walls of another colour are looked for where the capture is `coloured`.
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
    elif custom is not None:
        factor = custom[1] * camera.focal / custom[0]
        said = f"Scale from {custom[2]}; give a length to be exact"
    elif eye_height is not None and camera.projection == "perspective":
        factor, said = eye_height / max(distance[anchor], 1e-6), f"Scale from the eye height given ({eye_height:g} m)"
    else:
        factor, said = _guess(camera, regions, normals, distance, anchor, coloured)
    if camera.projection == "parallel":
        matrix = camera.matrix.copy()
        matrix[[0, 1], [0, 1]] /= factor
        camera = replace(camera, matrix=matrix)
    return camera, distance * factor, said


def _guess(camera, regions, normals, distance, anchor: int, coloured: bool) -> tuple[float, str]:
    """By what to multiply distances, and what that rests on, where nobody said anything."""
    pitch = np.degrees(np.arcsin(np.clip(camera.rotation[2, 2], -1, 1)))
    faces = upright_faces(regions, camera, normals, distance)
    walls = wall_heights(faces)
    grounded = normals[anchor, 2] > 0.9
    door = door_leaves(faces, regions, float(distance[anchor])) if grounded and coloured else None
    if camera.projection == "perspective" and pitch > FROM_ABOVE and grounded:
        eye_level = EYE_HEIGHT / max(distance[anchor], 1e-6)
        passable = door is None or door * eye_level > LEAST_DOOR
        if passable and (walls is None or walls[1] * eye_level > LEAST_WALL):
            return (
                eye_level,
                "Scale from an eye height of 1.6 m, good to about 10 %; give the eye height or a length to be exact",
            )
    storey = storey_height(faces, regions.labels.size)
    if door is not None:
        factor, said = DOOR_HEIGHT / door, f"doors are {DOOR_HEIGHT:g} m high, good to about 10 %"
    elif storey is not None:
        factor, said = STOREY / storey, f"storeys are {STOREY:g} m high, good to about 20 %"
    elif walls is not None:
        factor, said = WALL / walls[0], f"typical walls are {WALL:g} m high, good to about 50 %"
    else:
        return 1.0, "Nothing tells the scale; give the eye height or a length"
    why = "The eye is high up" if grounded else "No ground in sight"
    return (
        float(np.clip(factor, 0.02, 200.0)),
        f"{why}: scaled so that {said}; give the eye height or a length to be exact",
    )


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
