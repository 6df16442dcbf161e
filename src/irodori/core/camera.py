"""The camera: where the capture was taken from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

Projection = Literal["perspective", "parallel"]

EYE_HEIGHT = 1.6
"""m over the ground of who looks, where nothing tells it."""


@dataclass(frozen=True, eq=False)
class Camera:
    """A pinhole or parallel camera.

    Attributes
    ----------
    matrix
        (3, 3) float64, px. Perspective: focal lengths and principal point. Parallel: the first two
        diagonal entries are pixels per metre.
    rotation
        (3, 3) float64, world to camera (x right, y down, z forward).
    position
        (3,) float64, metres, world frame.
    projection
        "perspective" or "parallel".
    size
        (width, height), px. Pixel centres lie at integer + 0.5.
    """

    matrix: np.ndarray
    rotation: np.ndarray
    position: np.ndarray
    projection: Projection
    size: tuple[int, int]

    @classmethod
    def look(
        cls,
        position: np.ndarray,
        target: np.ndarray,
        *,
        size: tuple[int, int],
        field: float = 60.0,
        span: float | None = None,
        up: tuple[float, float, float] = (0.0, 0.0, 1.0),
        centre: tuple[float, float] = (0.5, 0.5),
    ) -> Camera:
        """A camera at `position` looking at `target` (metres, world).

        `field` is the horizontal field of view in degrees; with `span` the camera is parallel and
        `span` is the picture's width in metres. `centre` places the principal point as a fraction of
        the picture (lens shift). Raises ValueError when position and target coincide.
        """
        position = np.asarray(position, np.float64)
        forward = np.asarray(target, np.float64) - position
        length = np.linalg.norm(forward)
        if length < 1e-9:
            raise ValueError("camera position and target are the same point")
        forward = forward / length
        right = np.cross(forward, np.asarray(up, np.float64))
        if np.linalg.norm(right) < 1e-6:
            right = np.cross(forward, np.array([0.0, 1.0, 0.0]))
        right /= np.linalg.norm(right)
        down = np.cross(forward, right)
        width, height = size
        scale = width / span if span else 0.5 * width / np.tan(np.radians(field) / 2)
        matrix = np.array([[scale, 0, width * centre[0]], [0, scale, height * centre[1]], [0, 0, 1.0]])
        return cls(matrix, np.stack([right, down, forward]), position, "parallel" if span else "perspective", size)

    @property
    def focal(self) -> float:
        """Horizontal focal length, px (parallel: px per metre)."""
        return float(self.matrix[0, 0])

    @property
    def facing(self) -> float:
        """Where it looks, degrees clockwise from world +y; straight down, where its upper edge points."""
        ahead = self.rotation[2] if np.hypot(*self.rotation[2, :2]) > 1e-3 else -self.rotation[1]
        return float(np.degrees(np.arctan2(ahead[0], ahead[1])) % 360)

    def rays(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Rays through picture positions.

        Parameters
        ----------
        x, y
            (N,) px.

        Returns
        -------
        origins, directions
            (N, 3) float32, world. Directions are scaled so that origin + depth · direction is the point
            at that `depth` (z along the optical axis); they are unit only on the axis.
        """
        k = self.matrix
        u = (np.asarray(x, np.float64) - k[0, 2]) / k[0, 0]
        v = (np.asarray(y, np.float64) - k[1, 2]) / k[1, 1]
        axes = self.rotation
        if self.projection == "perspective":
            directions = u[:, None] * axes[0] + v[:, None] * axes[1] + axes[2]
            origins = np.broadcast_to(self.position, directions.shape)
        else:
            origins = self.position + u[:, None] * axes[0] + v[:, None] * axes[1]
            directions = np.broadcast_to(axes[2], origins.shape)
        return np.ascontiguousarray(origins, np.float32), np.ascontiguousarray(directions, np.float32)

    def project(self, points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """World points (N, 3) to picture positions (N, 2) px and depths (N,) m."""
        local = (np.asarray(points, np.float64) - self.position) @ self.rotation.T
        depth = local[:, 2]
        k = self.matrix
        scale = np.where(np.abs(depth) < 1e-9, 1e-9, depth) if self.projection == "perspective" else 1.0
        x = local[:, 0] / scale * k[0, 0] + k[0, 2]
        y = local[:, 1] / scale * k[1, 1] + k[1, 2]
        return np.stack([x, y], axis=1), depth

    def horizon(self) -> tuple[tuple[float, float], tuple[float, float]] | None:
        """The horizon's picture positions at the left and right border, px; None for parallel or plan views."""
        if self.projection == "parallel":
            return None
        normal = self.rotation @ np.array([0.0, 0.0, 1.0])
        line = np.linalg.inv(self.matrix).T @ normal
        if abs(line[1]) < 1e-9:
            return None
        ends = [(float(x), float(-(line[0] * x + line[2]) / line[1])) for x in (0.0, float(self.size[0]))]
        return ends[0], ends[1]

    def footprint(self, depth: np.ndarray) -> np.ndarray:
        """Width of a pixel, m, on a surface facing the camera at `depth` (m)."""
        if self.projection == "parallel":
            return np.full(np.shape(depth), 1.0 / self.focal, np.float32)
        return (np.asarray(depth) / self.focal).astype(np.float32)

    def as_dict(self) -> dict:
        """Plain numbers for JSON."""
        return {
            "matrix": self.matrix.tolist(),
            "rotation": self.rotation.tolist(),
            "position": self.position.tolist(),
            "projection": self.projection,
            "size": list(self.size),
        }

    @classmethod
    def from_dict(cls, data: dict) -> Camera:
        """The camera that `as_dict` described."""
        return cls(
            np.array(data["matrix"], np.float64),
            np.array(data["rotation"], np.float64),
            np.array(data["position"], np.float64),
            data["projection"],
            (int(data["size"][0]), int(data["size"][1])),
        )
