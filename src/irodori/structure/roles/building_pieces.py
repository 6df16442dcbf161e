"""Regions as pieces of a building: how high they lie, how large they are, what surrounds them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.distance.on_planes import plane_points
from irodori.structure.regions.measure import Regions

WAVERS = 3.0, 0.1
"""px, and share of its width, by which an upright side wavers."""

UPPER, EVEN = 80.0, 0.6
"""Percentile of height from which on a piece's upper part is measured, and how wide that is to the whole in a pane: in a
gable it is not."""


@dataclass(frozen=True, eq=False)
class Piece:
    """Measures of a region: `low`, `high` m over the ground, `wide` m, `thin` m across and `long` times that along;
    `even` what share of its width its upper part has; `host` the neighbour that takes most of its border, with what `share`."""

    low: float
    high: float
    wide: float
    thin: float
    long: float
    even: float
    host: int
    share: float


def measure_pieces(
    regions: Regions, camera: Camera, normals: np.ndarray, distance: np.ndarray, anchor: int
) -> list[Piece]:
    """Measures of every region on its plane (R, 3) and (R,); `anchor` is the ground."""
    count = len(regions.area)
    own, other, size = regions.neighbours
    total = np.bincount(own, size, count)
    host, share = np.zeros(count, int), np.zeros(count)
    for at in np.argsort(size, kind="stable"):
        host[own[at]], share[own[at]] = other[at], size[at] / total[own[at]]
    ground = -float(distance[anchor]) if normals[anchor, 2] > 0.9 else -1.6
    out = []
    for region in range(count):
        place = regions.pixels[region]
        if region == 0 or len(place) == 0 or not normals[region].any():
            out.append(Piece(0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 0, 0.0))
            continue
        box = regions.main_box[region]
        place = place[((place >= box[:2]) & (place <= box[2:])).all(axis=1)]
        points = plane_points(camera, normals[region], distance[region], place) - camera.position
        z = np.percentile(points[:, 2], [3, 97]) - ground
        flat = points[:, :2] - points[:, :2].mean(axis=0)
        along = flat @ np.linalg.svd(flat, full_matrices=False)[2][0]
        wide = np.ptp(along)
        upper = along[points[:, 2] >= np.percentile(points[:, 2], UPPER)]
        x0, y0, x1, y1 = box
        depth = float(np.linalg.norm(np.median(points, axis=0)))
        across = max(np.hypot(x1 - x0, y1 - y0), 1)
        thin = regions.area[region] / across
        out.append(
            Piece(
                float(z[0]),
                float(z[1]),
                float(wide),
                float(thin * camera.footprint(depth)),
                float(across / thin),
                float(np.ptp(upper) / max(wide, 1e-6)),
                int(host[region]),
                float(share[region]),
            )
        )
    return out


def stands_upright(own: np.ndarray) -> float:
    """Share of the rows of a mask (H, W) bool in which its left and its right side stand where they usually do, the lesser."""
    rows = np.flatnonzero(own.any(axis=1))
    left = own[rows].argmax(axis=1)
    right = own.shape[1] - 1 - own[rows, ::-1].argmax(axis=1)
    wavers = max(WAVERS[0], WAVERS[1] * float(np.median(right - left)))
    return min(float((np.abs(side - np.median(side)) < wavers).mean()) for side in (left, right))
