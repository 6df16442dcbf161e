"""The structure: all that must not move."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.recipe import FromMemory, Reading, Source
from irodori.core.work import late

if TYPE_CHECKING:
    import pandas as pd

STRUCTURE_COLUMNS = (
    "id", "role", "name", "material", "colour", "opacity", "nx", "ny", "nz", "offset", "area_px", "confidence",
)  # fmt: skip
"""The plane of a surface is nx·x + ny·y + nz·z = offset, world frame, metres; NaN offset where not planar."""


@dataclass(frozen=True, eq=False)
class Structure:
    """Camera, surfaces, depth, normals, lines and roles of one capture.

    Attributes
    ----------
    camera
        The camera of the capture.
    regions
        (H, W) int32, id of the surface that fills most of each pixel, 0 = sky or background.
    depth
        (H, W) float32, z along the optical axis, metres, inf in the sky.
    normal
        (H, W, 3) float32, unit, world frame, facing the camera.
    fragments
        Exact edge coverage.
    lines
        (L, 4) float32, line segments x0, y0, x1, y1, px.
    surfaces
        Table, one row a surface that is visible, `STRUCTURE_COLUMNS`.
    confidence
        How far the reading can be trusted, 0 … 1.
    kind
        The capture's kind.
    vanishing
        (V, 3) float64, unit world directions of the line families found.
    mesh
        The model's triangles, or None when read from pixels alone.
    digest
        The capture's digest.
    image
        The capture's picture (H, W, 3), linear.
    textured
        (H, W, 3) uint8 sRGB, the same with its materials' textures, for surfaces that are kept as found; None when
        `image` shows them too.
    origin
        What is needed to open the capture again.
    reading
        How it was read, corrections included.
    hidden_surfaces
        Rows like `surfaces` for the parts of a model that this view does not show, or None.
    """

    camera: Camera
    regions: np.ndarray
    depth: np.ndarray
    normal: np.ndarray
    fragments: Fragments
    lines: np.ndarray
    surfaces: pd.DataFrame
    confidence: float
    kind: str
    vanishing: np.ndarray
    digest: str
    mesh: Mesh | None = None
    image: np.ndarray | None = None
    textured: np.ndarray | None = None
    notes: tuple[str, ...] = ()
    north: float = 0.0
    origin: Source = field(default_factory=FromMemory)
    reading: Reading = field(default_factory=Reading)
    hidden_surfaces: pd.DataFrame | None = None

    @property
    def size(self) -> tuple[int, int]:
        return self.camera.size

    def of_role(self, *roles: str) -> np.ndarray:
        """Ids of the surfaces shown that have one of these roles."""
        return self.surfaces.loc[self.surfaces["role"].isin(roles), "id"].to_numpy()

    def save(self, path: str | Path) -> tuple[Path, Path]:
        """Write multi-channel OpenEXR and the JSON beside it; returns both paths. Raises OutputError."""
        return late.do("save structure", self, path)

    @classmethod
    def load(cls, path: str | Path) -> Structure:
        """Read what `save` wrote. Raises StructureError."""
        return late.do("load structure", path)

    def preview(self, shows: Literal["roles", "confidence"] = "roles") -> np.ndarray:
        """An annotated picture, uint8 (H, W, 3).

        "roles": regions, lines, horizon, vanishing points, roles. "confidence": how sure each surface is, with the
        places to look at first numbered.
        """
        return late.do(f"show {shows}", self)

    def _repr_png_(self) -> bytes:
        return late.do("encode png", self.preview())

    def __repr__(self) -> str:
        width, height = self.size
        return (
            f"<Structure {width}×{height}, {self.camera.projection}, {len(self.surfaces)} surfaces, "
            f"confidence {self.confidence:.2f}>"
        )
