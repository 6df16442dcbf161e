"""What buildings have of a known size: walls, storeys, doors."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.distance.on_planes import plane_points
from irodori.structure.regions.measure import Regions

SMALL = 0.02
"""Share of the picture that a window fills at most."""

LEAST_FACE = 150
"""px of a face that is measured."""

STOREYS = 3
"""Steps from one row of windows to the next that must be seen to be believed."""

DOOR_SHAPE, DOOR_SHARE = (1.7, 2.6), 0.55
"""Times its width that a door is high, and the share of its border that its wall takes."""

LONG_AND_LOW = 8.0
"""Times its height that a storey's wall is wide at most: fascias, kerbs and the faces of terraces are wider."""

OTHER_COLOUR = 12.0
"""8-bit steps by which two upright surfaces that face one way differ if they are of different things."""


@dataclass(frozen=True, eq=False)
class Faces:
    """Upright faces: `region`, `area` px, `along` the place and `wide` the width in m, `low`, `high` m over the eye,
    `distance` m of the plane, (N,) each; `facing` (N, 3)."""

    region: np.ndarray
    area: np.ndarray
    along: np.ndarray
    wide: np.ndarray
    low: np.ndarray
    high: np.ndarray
    distance: np.ndarray
    facing: np.ndarray

    def __getitem__(self, chosen: np.ndarray) -> Faces:
        return Faces(*(getattr(self, name)[chosen] for name in self.__dataclass_fields__))

    @property
    def tall(self) -> np.ndarray:
        return self.high - self.low


def upright_faces(regions: Regions, camera: Camera, normals: np.ndarray, distance: np.ndarray) -> Faces:
    """The upright ones of all regions on their planes (R, 3), (R,)."""
    upright = np.flatnonzero((np.abs(normals[:, 2]) < 0.1) & normals.any(axis=1) & (regions.area > 40))
    rows = []
    for region in upright:
        place = regions.pixels[region]
        points = plane_points(camera, normals[region], distance[region], place) - camera.position
        side = np.percentile(points @ np.cross([0, 0, 1.0], normals[region]), [2, 98])
        rows.append((side.mean(), max(np.ptp(side), 1e-6), *np.percentile(points[:, 2], [2, 98])))
    along, wide, low, high = np.array(rows, float).reshape(-1, 4).T
    return Faces(
        upright,
        regions.area[upright],
        along,
        wide,
        low,
        np.maximum(high, low + 1e-6),
        distance[upright],
        normals[upright],
    )


def wall_heights(faces: Faces) -> tuple[float, float] | None:
    """Heights, m, that most of the walls' area, and nearly all of it, stays under; None without walls."""
    faces = faces[(faces.area > LEAST_FACE) & (faces.wide < LONG_AND_LOW * faces.tall)]
    if not len(faces.region):
        return None
    order = np.argsort(faces.tall)
    running = np.cumsum(faces.area[order])
    at = np.searchsorted(running, np.array([0.6, 0.9]) * running[-1])
    typical, tallest = np.maximum(faces.tall[order][at], 1e-3)
    return float(typical), float(tallest)


def storey_height(faces: Faces, whole: int) -> float | None:
    """How far, m, windows stand above those below: alike openings in one wall, one over the other.

    `whole` is the picture's area, px.
    """
    faces = faces[(faces.area > LEAST_FACE) & (faces.area < SMALL * whole)]
    if not len(faces.region):
        return None
    pair = faces.facing @ faces.facing.T > 0.98
    pair &= np.abs(faces.distance[:, None] - faces.distance) < 0.05 * np.abs(faces.distance)
    pair &= np.abs(faces.along[:, None] - faces.along) < 0.3 * faces.wide
    for size in (faces.wide, faces.tall):
        pair &= np.abs(np.log(size[:, None] / size)) < 0.2
    middle = (faces.low + faces.high) / 2
    step = middle[None, :] - middle[:, None]
    # Panes of one window stand close; storeys have a wall between their windows.
    step = np.where(pair & (step > 1.3 * faces.tall[:, None]), step, np.inf).min(axis=1)
    step = step[np.isfinite(step)]
    if len(step) < STOREYS:
        return None
    usual = float(np.median(step))
    return usual if np.mean(np.abs(step / usual - 1) < 0.15) > 0.6 else None


def door_leaves(faces: Faces, regions: Regions, ground: float) -> float | None:
    """Usual height, m, of what stands in a wall of another colour, like doors: at its wall's foot or on the ground,
    `ground` m under the eye."""
    shape = faces.tall / faces.wide
    likely = np.flatnonzero((shape > DOOR_SHAPE[0]) & (shape < DOOR_SHAPE[1]))
    if not len(likely):
        return None
    own, other, size = regions.neighbours
    index = {int(region): n for n, region in enumerate(faces.region)}
    found = []
    for n in likely:
        at = own == faces.region[n]
        host = index.get(int(other[at][size[at].argmax()]))
        if host is None or size[at].max() < DOOR_SHARE * size[at].sum():
            continue
        foot = np.abs(faces.low[n] - np.array([-ground, faces.low[host]])).min() < 0.06 * faces.tall[n]
        in_wall = foot and faces.facing[host] @ faces.facing[n] > 0.98 and faces.tall[host] > 1.05 * faces.tall[n]
        unlike = np.abs(regions.colour[faces.region[host]] - regions.colour[faces.region[n]]).max() > OTHER_COLOUR
        if in_wall and unlike and faces.area[host] > faces.area[n]:
            found.append(faces.tall[n])
    return float(np.median(found)) if found else None
