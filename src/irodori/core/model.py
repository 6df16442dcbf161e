"""The model: triangles in the world, and the surfaces they belong to."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.file_looks import FileLooks
from irodori.core.geometry.frames import corners_of, face_normals
from irodori.core.geometry.surface_measures import SurfaceMeasures, surface_measures
from irodori.core.short import Short

if TYPE_CHECKING:
    import pandas as pd

SURROUNDINGS = "surroundings"
"""Name of the surface of land that goes on about a model."""

SMALLEST_BUILDING = 3.2
"""m: what is smaller is a product, and no building."""

SURFACE_COLUMNS = ("id", "name", "material", "role", "colour", "opacity", "nx", "ny", "nz", "offset", "area_m2")


@dataclass(frozen=True)
class ViewSpec:
    """A named view, before it has a picture size.

    Attributes
    ----------
    name
        What the user calls it.
    position, target
        Metres, world frame.
    field
        Horizontal field of view, degrees (perspective).
    span
        Width of the picture in metres (parallel), or None.
    aspect
        Width over height.
    origin
        "file", "views" or "intent": where the view comes from.
    ground
        Whether the ground plane is shown.
    up
        World direction that points up in the picture.
    shift
        Principal point as a fraction of the picture (lens shift).
    cut
        A plane by which the model is cut open, (nx, ny, nz, d) m: what lies beyond, n · x > d, is not there.
    """

    name: str
    position: tuple[float, float, float]
    target: tuple[float, float, float]
    field: float = 60.0
    span: float | None = None
    aspect: float = 1.6
    origin: str = "file"
    ground: bool = True
    up: tuple[float, float, float] = (0.0, 0.0, 1.0)
    shift: tuple[float, float] = (0.5, 0.5)
    cut: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, eq=False, repr=False)
class Mesh(Short):
    """Triangles ready for rays.

    Attributes
    ----------
    triangles
        (T, 3, 3) float32, metres, world frame (z up).
    surface
        (T,) int32, surface id of each triangle, ≥ 1.
    parts
        Ids of parts of surfaces, which have no triangles of their own, and the surface that each is part of.
    looks
        What the model's file says of materials, or None.
    """

    triangles: np.ndarray
    surface: np.ndarray
    parts: dict[int, int] = field(default_factory=dict)
    looks: FileLooks | None = None

    def __len__(self) -> int:
        return len(self.triangles)

    def with_triangles(self, triangles: np.ndarray, surface: np.ndarray) -> Mesh:
        """This mesh with more triangles (N, 3, 3), and the surface of each (N,)."""
        return Mesh(
            np.concatenate([self.triangles, triangles]), np.concatenate([self.surface, surface.astype(np.int32)]), self.parts,
            self.looks.padded(len(triangles)) if self.looks is not None else None,
        )  # fmt: skip

    def keep(self, chosen: np.ndarray) -> Mesh:
        """This mesh with the `chosen` triangles (T,) bool alone."""
        looks = self.looks.keep(chosen) if self.looks is not None else None
        return Mesh(self.triangles[chosen], self.surface[chosen], self.parts, looks)

    def bounds(self) -> np.ndarray:
        """Lowest and highest corner, (2, 3) m."""
        return self._bounds.copy()

    @cached_property
    def _bounds(self) -> np.ndarray:
        return corners_of(self.triangles.reshape(-1, 3))

    @cached_property
    def measures(self) -> SurfaceMeasures:
        """Sizes, fronts and layings by surface id."""
        measures = surface_measures(self.triangles, self.surface)
        return measures.with_parts(self.parts) if self.parts else measures

    def normals(self) -> np.ndarray:
        """Unit normals (T, 3) float32 by winding; zero for degenerate triangles."""
        return self._normals

    @cached_property
    def _normals(self) -> np.ndarray:
        n = face_normals(self.triangles)
        length = np.linalg.norm(n, axis=1, keepdims=True)
        return (n / np.maximum(length, 1e-20)).astype(np.float32)


@dataclass(frozen=True, eq=False, repr=False)
class ModelData(Short):
    """What was read from one or several model files.

    Attributes
    ----------
    mesh
        All triangles, metres, z up.
    surfaces
        One row a surface, `SURFACE_COLUMNS`; colour is linear Rec.709 as a tuple, opacity 0 … 1.
    views
        Views that the file or a views file brought.
    notes
        Plain sentences about what was assumed (up axis, unit).
    digest
        SHA-256 of the source files.
    """

    mesh: Mesh
    surfaces: pd.DataFrame
    views: tuple[ViewSpec, ...] = ()
    notes: tuple[str, ...] = ()
    digest: str = ""
    sources: tuple[str, ...] = ()
    north: float = 0.0
    assumed: dict = field(default_factory=dict)
