"""What the materials of a model's file look like: their values, their textures, and where these lie on its triangles."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from irodori.core.short import Short

REPEAT, MIRROR, CLAMP = 0, 1, 2
"""How a texture goes on beyond its edges."""


@dataclass(frozen=True, eq=False, repr=False)
class FileMap(Short):
    """One texture of a material.

    Attributes
    ----------
    pixels
        (H, W, 4) uint8, the first row at the texture coordinate v = 0; sRGB for colours, linear for all else.
    uv_set
        0 or 1: which texture coordinates place it.
    matrix
        (2, 3): texture coordinates (u, v, 1) to those in the picture, u to the right and v down, 0 … 1.
    wrap
        REPEAT, MIRROR or CLAMP along u and v.
    """

    pixels: np.ndarray
    uv_set: int = 0
    matrix: np.ndarray = field(default_factory=lambda: np.eye(2, 3))
    wrap: tuple[int, int] = (REPEAT, REPEAT)

    def own(self, coordinates: np.ndarray) -> np.ndarray:
        """Of both pairs of texture coordinates (…, 4) the pair (…, 2) that places it."""
        return coordinates[..., 2 * self.uv_set : 2 * self.uv_set + 2]

    def placed(self, uv: np.ndarray) -> np.ndarray:
        """Where texture coordinates (…, 2) lie in the picture, (…, 2)."""
        return uv @ self.matrix[:, :2].T + self.matrix[:, 2]

    def at(self, uv: np.ndarray) -> np.ndarray:
        """The nearest pixels (N, 4) uint8 at texture coordinates (N, 2)."""
        high, wide = self.pixels.shape[:2]
        placed = self.placed(uv)
        x, y = (
            _wrapped(placed[:, k], mode, n) for k, (mode, n) in enumerate(zip(self.wrap, (wide, high), strict=True))
        )
        return self.pixels[y, x]


@dataclass(frozen=True, eq=False, repr=False)
class FileLook(Short):
    """A material as its file describes it, by the metal and roughness of glTF 2.0 (ISO/IEC 12113:2022, 3.9).

    Attributes
    ----------
    colour
        Linear Rec.709; the factor of `base` where there is one.
    roughness, metalness
        0 … 1, None where the file does not say; factors of the green and blue channels of `gloss`.
    emission
        Linear Rec.709, 1 as bright as white paper.
    bump
        How strongly the `normals` lean.
    toned
        Whether the corners of what it is on have colours of their own.
    lumens
        Of a lamp that the file puts there; 0 for all else.
    cone
        Its axis (3,) in the world and half the angle of its beam, radians; None where it shines all round.
    """

    name: str = ""
    colour: tuple[float, float, float] = (0.7, 0.7, 0.7)
    roughness: float | None = None
    metalness: float | None = None
    emission: tuple[float, float, float] = (0.0, 0.0, 0.0)
    base: FileMap | None = None
    gloss: FileMap | None = None
    normals: FileMap | None = None
    bump: float = 1.0
    toned: bool = False
    lumens: float = 0.0
    cone: tuple[tuple[float, float, float], float] | None = None

    @property
    def textured(self) -> bool:
        """Whether any texture says more than the values alone."""
        return self.toned or any(one is not None for one in (self.base, self.gloss, self.normals))


@dataclass(frozen=True, eq=False, repr=False)
class FileLooks(Short):
    """The looks of a mesh's surfaces, and where their textures lie.

    Attributes
    ----------
    looks
        The materials.
    of
        (S,) int32 by surface id: the row of `looks`, −1 for none.
    at
        (T,) int32 by triangle: the row of `uv`, −1 for none.
    uv
        (U, 3, 4) float32: both pairs of texture coordinates of each corner.
    tone
        (U, 3, 3) float32: linear colours of the corners, factors of the material's own; None where all are white.
    """

    looks: tuple[FileLook, ...]
    of: np.ndarray
    at: np.ndarray
    uv: np.ndarray
    tone: np.ndarray | None = None

    @property
    def telling(self) -> bool:
        """Whether any look says more than a plain colour."""
        plain = FileLook()
        return any(
            look.textured
            or look.lumens > 0
            or look.emission != plain.emission
            or look.roughness is not None
            or look.metalness is not None
            for look in self.looks
        )

    def keep(self, triangles: np.ndarray) -> FileLooks:
        """For some of the triangles, as a mask or index."""
        return replace(self, at=self.at[triangles])

    def padded(self, count: int) -> FileLooks:
        """With `count` triangles more that have no looks."""
        return replace(self, at=np.concatenate([self.at, np.full(count, -1, np.int32)]))

    def look_of(self, surface: int) -> FileLook | None:
        """What the file says of a surface."""
        row = self.of[surface] if 0 <= surface < len(self.of) else -1
        return self.looks[row] if row >= 0 else None


def distinct_looks(looks: Iterable[FileLook | None]) -> tuple[tuple[FileLook, ...], list[int]]:
    """Looks without doubles, by identity, and which of them each one is; −1 for None."""
    index: dict[int, int] = {}
    kept: list[FileLook] = []
    rows = []
    for look in looks:
        if look is not None and id(look) not in index:
            index[id(look)] = len(kept)
            kept.append(look)
        rows.append(-1 if look is None else index[id(look)])
    return tuple(kept), rows


def _wrapped(values: np.ndarray, mode: int, count: int) -> np.ndarray:
    """Columns or rows of a texture (N,) int at places (N,) along it."""
    values = np.where(np.isfinite(values), values, 0.0)
    if mode == CLAMP:
        values = values.clip(0, 1)
    elif mode == MIRROR:
        values = 1 - np.abs(values % 2 - 1)
    else:
        values = values % 1.0
    return np.minimum((values * count).astype(int), count - 1)
