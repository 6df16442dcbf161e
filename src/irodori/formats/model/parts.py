"""The objects of a model file: triangles with their material, and where its textures and colours lie on them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.colour import OF_BYTES
from irodori.core.file_looks import FileLook, FileLooks, FileMap, distinct_looks
from irodori.core.geometry.frames import face_normals
from irodori.formats.model.cut_out import cut_out

SAMPLES = 256
"""Places of a part at which a texture is looked at for its mean colour, at least."""

PLAIN = (0.445, 0.445, 0.445)
"""Linear colour of what has no material."""


@dataclass(frozen=True, eq=False)
class Part:
    """One named object of a file: triangles (T, 3, 3) float64 in file units and axes, its material.

    `look` is all that the file says of that; `uv` (T, 3, 4) float32 are both pairs of texture coordinates of each corner, `tone`
    (T, 3, 3) float32 the corners' linear colours, each None where there are none.
    """

    name: str
    material: str
    colour: tuple[float, float, float]
    opacity: float
    triangles: np.ndarray
    look: FileLook | None = None
    uv: np.ndarray | None = None
    tone: np.ndarray | None = None


def looks_of_parts(parts: list[Part]) -> FileLooks | None:
    """The looks of parts, by their number, and where these lie on their triangles; None where no file told any."""
    looks, rows = distinct_looks(part.look for part in parts)
    return FileLooks(looks, np.array(rows, np.int32), *_joined_coordinates(parts)) if looks else None


def _joined_coordinates(parts: list[Part]) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """Row of coordinates of each triangle of all parts, the coordinates, and the corners' colours."""
    placed = [p for p in parts if p.look is not None and (p.tone is not None or (p.uv is not None and p.look.textured))]
    sizes = np.array([len(p.triangles) for p in parts])
    at = np.full(int(sizes.sum()), -1, np.int32)
    if not placed:
        return at, np.zeros((0, 3, 4), np.float32), None
    chosen = {id(p) for p in placed}
    has = np.repeat([id(p) in chosen for p in parts], sizes)
    at[has] = np.arange(int(has.sum()))
    uv = np.concatenate([np.zeros((len(p.triangles), 3, 4), np.float32) if p.uv is None else p.uv for p in placed])
    at[has] = np.where(np.isfinite(uv).all(axis=(1, 2)), at[has], -1)
    tone = None
    if any(p.tone is not None for p in placed):
        tone = np.concatenate(
            [np.ones((len(p.triangles), 3, 3), np.float32) if p.tone is None else p.tone for p in placed]
        )
    return at, uv, tone


def some_of(part: Part, kept: np.ndarray) -> Part:
    """A part with some of its triangles."""
    uv, tone = (None if one is None else one[kept] for one in (part.uv, part.tone))
    return replace(part, triangles=part.triangles[kept], uv=uv, tone=tone)


def cut_part(part: Part, base: FileMap, cutoff: float) -> Part:
    """A part without what its texture cuts out."""
    assert part.uv is not None
    if (base.pixels[..., 3] >= round(255 * cutoff)).all():
        return part
    triangles, uv, source = cut_out(part.triangles, part.uv, base, cutoff)
    tone = part.tone[source] if part.tone is not None else None
    return replace(part, triangles=triangles, uv=uv, tone=tone)


def mean_colour(part: Part) -> tuple[float, float, float]:
    """Mean linear colour of a part, by area."""
    look = part.look
    assert look is not None
    mean = np.array(look.colour, float)
    base = look.base if part.uv is not None else None
    if base is not None or part.tone is not None:
        weights, chosen = _spots(len(part.triangles))
        area = np.linalg.norm(face_normals(part.triangles[chosen]), axis=1)
        shown = np.ones((len(chosen), len(weights), 3))
        if base is not None and part.uv is not None:
            spots = np.einsum("sc,tck->tsk", weights, base.own(part.uv[chosen]).astype(float))
            seen = base.at(spots.reshape(-1, 2)).reshape(*spots.shape[:2], 4)
            shown = OF_BYTES[seen[..., :3]]
        if part.tone is not None:
            shown = shown * np.einsum("sc,tck->tsk", weights, part.tone[chosen])
        if area.sum() > 0:
            mean *= (shown.mean(axis=1) * area[:, None]).sum(axis=0) / area.sum()
    red, green, blue = np.clip(mean, 0.0, 1.0).tolist()
    return red, green, blue


def _spots(count: int) -> tuple[np.ndarray, np.ndarray]:
    """Weights of corners (S, 3) of spots on a triangle, and which of `count` triangles are looked at."""
    side = int(np.ceil(np.sqrt(SAMPLES / max(min(count, SAMPLES), 1))))
    a, b = ((np.mgrid[0:side, 0:side].reshape(2, -1) + 0.5) / side).tolist()
    a, b = np.array(a), np.array(b)
    # A square folded onto the triangle: evenly spread.
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    chosen = np.unique(np.linspace(0, count - 1, min(count, 4 * SAMPLES)).astype(int))
    return np.stack([1 - a - b, a, b], axis=1), chosen


class Toned:
    """Looks of what has colours at its corners, one for each look without."""

    def __init__(self) -> None:
        self._made: dict[int, tuple[FileLook, FileLook]] = {}

    def look(self, look: FileLook, tone: np.ndarray | None) -> FileLook:
        """The look itself, or the one that says so."""
        if tone is None:
            return look
        # The first is kept, or its number could be another's.
        return self._made.setdefault(id(look), (look, replace(look, toned=True)))[1]
