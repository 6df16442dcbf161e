"""Surfaces as their file's textures show them, laid over what their finish looks like."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.file_looks import FileLook, FileLooks, FileMap
from irodori.core.model import Mesh
from irodori.core.work.kept import Kept
from irodori.engine.surface.surface_look import Look, Places
from irodori.engine.surface.tables import Tables
from irodori.engine.surface.texture_kernels import BASE, NOTHING, SRGB, Placings, Pyramids, look_at_textures

MOST_TEXELS = 96_000_000
"""Texels of all pyramids together, beyond which textures are halved."""


@dataclass(frozen=True, eq=False)
class FileTextures:
    """The textures of a scene's mesh, or of some of its triangles, ready for kernels; `surfaces` (S,) bool have any."""

    surfaces: np.ndarray
    triangles: np.ndarray
    at: np.ndarray
    row_of: np.ndarray
    uv: np.ndarray
    tone: np.ndarray
    placings: Placings
    pyramids: Pyramids
    factors: np.ndarray

    def keep(self, chosen: np.ndarray) -> FileTextures:
        """For the `chosen` triangles (T,) bool alone."""
        return replace(self, triangles=self.triangles[chosen], at=self.at[chosen], row_of=self.row_of[chosen])


def file_textures(mesh: Mesh, as_found: np.ndarray) -> FileTextures | None:
    """The textures of the surfaces `as_found` (S,) bool, which look as their file says; None where none has any."""
    looks = mesh.looks
    if looks is None:
        return None
    of = np.full(len(as_found), -1, np.int32)
    count = min(len(of), len(looks.of))
    of[:count] = np.where(as_found[:count], looks.of[:count], -1)
    row_of = of[mesh.surface]
    placed = (looks.at >= 0) & (row_of >= 0)
    if not placed.any():
        return None
    surfaces = np.zeros(len(as_found), bool)
    surfaces[mesh.surface[placed]] = True
    pyramids, index = _pyramids.of(looks, looks.uv.shape, lambda: _pyramids_of(looks))
    return FileTextures(
        surfaces, mesh.triangles, looks.at, row_of, looks.uv, np.zeros((0, 3, 3), np.float32) if looks.tone is None else looks.tone,
        _placings(looks.looks, index), pyramids, np.array([(*look.colour, 1.0 if look.roughness is None else look.roughness, look.bump) for look in looks.looks], np.float32),
    )  # fmt: skip


def lay_textures(textures: FileTextures, tri: np.ndarray, at: Places, tables: Tables, look: Look) -> Look:
    """A look with the file's textures at places on triangles `tri` (N,), −1 for none."""
    has = np.flatnonzero((tri >= 0) & (textures.at[tri] >= 0) & (textures.row_of[tri] >= 0))
    if not len(has):
        return look
    colour = np.zeros((len(has), 3), np.float32)
    gloss = np.full(len(has), -1, np.float32)
    bent = np.full((len(has), 3), np.nan, np.float32)
    look_at_textures(
        tri[has], at.position[has], at.view[has], at.normal[has], at.foot[has], textures.triangles, textures.at, textures.uv,
        textures.tone, textures.row_of, textures.placings, textures.pyramids, textures.factors, SRGB, colour, gloss, bent,
    )  # fmt: skip
    albedo, rough, leaning = look.albedo.copy(), look.rough.copy(), look.bent.copy()
    # What wear and weather did to the plain surface they do to its texture.
    albedo[has] = np.minimum(albedo[has] / tables.base[at.region[has]] * colour, 0.92)
    told = gloss >= 0
    rough[has[told]] = np.maximum(gloss[told] ** 2, 0.001)
    turned = np.isfinite(bent[:, 0])
    leaning[has[turned]] = bent[turned]
    return replace(look, albedo=albedo, rough=rough, bent=leaning)


def _maps_of(look: FileLook) -> tuple[FileMap | None, ...]:
    """In the order of the kernels' numbers."""
    return look.base, look.gloss, look.normals


_pyramids: Kept[tuple[Pyramids, dict[int, int]]] = Kept()
"""Those of models in use: every light of a view uses the same."""


def _pyramids_of(looks: FileLooks) -> tuple[Pyramids, dict[int, int]]:
    """Every texture at every size, and the number of each by its pixels' identity."""
    pictures: dict[int, tuple[np.ndarray, bool]] = {}
    for look in looks.looks:
        for number, one in enumerate(_maps_of(look)):
            if one is not None:
                pictures.setdefault(id(one.pixels), (one.pixels, number == BASE))
    shrink = 1
    while sum(p.shape[0] * p.shape[1] for p, _ in pictures.values()) * 4 / 3 / shrink**2 > MOST_TEXELS:
        shrink *= 2
    levels = [_levels(pixels, coloured, shrink) for pixels, coloured in pictures.values()]
    deepest = max((len(one) for one in levels), default=1)
    start, width, height = (np.zeros((len(levels), deepest), np.int64) for _ in range(3))
    texels, begin = [], 0
    for k, one in enumerate(levels):
        for n, level in enumerate(one):
            start[k, n], (height[k, n], width[k, n]) = begin, level.shape[:2]
            begin += level.shape[0] * level.shape[1]
            texels.append(level.reshape(-1, 4))
    flat = np.concatenate(texels) if texels else np.zeros((0, 4), np.uint8)
    counts = np.array([len(one) for one in levels], np.int64)
    return Pyramids(flat, start, width, height, counts), {key: k for k, key in enumerate(pictures)}


def _levels(pixels: np.ndarray, coloured: bool, shrink: int) -> list[np.ndarray]:
    """A texture and its halves down to one texel; colours are averaged as light."""
    import cv2

    from irodori.core.colour import encode_srgb

    values = SRGB[pixels] if coloured else pixels.astype(np.float32) / 255
    values[..., 3] = pixels[..., 3] / np.float32(255)
    if shrink > 1:
        size = max(pixels.shape[1] // shrink, 1), max(pixels.shape[0] // shrink, 1)
        values = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    out = []
    while True:
        shown = encode_srgb(values) if coloured else values
        out.append(np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8))
        high, wide = values.shape[:2]
        if high == 1 and wide == 1:
            return out
        values = cv2.resize(values, (max(wide // 2, 1), max(high // 2, 1)), interpolation=cv2.INTER_AREA)


def _placings(looks: tuple[FileLook, ...], index: dict[int, int]) -> Placings:
    count = len(looks)
    picture, uv_set = np.full((count, 3), NOTHING, np.int64), np.zeros((count, 3), np.int64)
    matrix, wrap = np.zeros((count, 3, 2, 3)), np.zeros((count, 3, 2), np.int64)
    for row, look in enumerate(looks):
        for number, one in enumerate(_maps_of(look)):
            if one is not None:
                picture[row, number] = index[id(one.pixels)]
                uv_set[row, number], matrix[row, number], wrap[row, number] = min(one.uv_set, 1), one.matrix, one.wrap
    return Placings(picture, matrix, uv_set, wrap)
