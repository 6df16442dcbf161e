"""Cards with cut-out textures as triangles of what is left of them: leaves, people, fences, as exact as their pixels."""

from __future__ import annotations

import numpy as np

from irodori.core.file_looks import FileMap
from irodori.formats.model.polygons import triangulated

SMOOTH = 0.6
"""px by which an outline may leave that of the pixels."""

FINEST = 1024
"""px of the longer side of a texture to which outlines are traced."""

LEAST = 6.0
"""px² of a piece, or of a hole, that counts."""

MOST_TILES = 4096
"""Repeats of a texture on one triangle from which it is too small to be cut."""


def cut_out(
    triangles: np.ndarray, uv: np.ndarray, base: FileMap, cutoff: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Triangles (N, 3, 3), their coordinates (N, 3, 4), and which given one each is part of, where a texture's alpha is at least `cutoff`."""
    solid = _outlines(base, cutoff)
    placed = base.placed(base.own(uv).astype(float))
    out, coordinates, source = [], [], []
    for t in range(len(triangles)):
        for piece in _pieces(placed[t], solid):
            weights = _weights(piece, placed[t])
            out.append(weights @ triangles[t])
            coordinates.append(weights @ uv[t])
            source.append(np.full(len(piece), t))
    if not out:
        return np.zeros((0, 3, 3)), np.zeros((0, 3, 4), np.float32), np.zeros(0, int)
    return np.concatenate(out), np.concatenate(coordinates).astype(np.float32), np.concatenate(source)


def _outlines(base: FileMap, cutoff: float):
    """What is there of a texture, as a shape on the unit square, v down."""
    import cv2
    import shapely

    alpha = base.pixels[..., 3]
    high, wide = alpha.shape
    shrink = min(1.0, FINEST / max(high, wide))
    if shrink < 1:
        alpha = cv2.resize(alpha, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
        high, wide = alpha.shape
    # Twice as fine and one pixel larger, so that outlines run between pixels and close at the rim.
    fine = cv2.resize(alpha, (2 * wide, 2 * high), interpolation=cv2.INTER_LINEAR)
    mask = np.pad((fine >= max(round(255 * cutoff), 1)).astype(np.uint8), 1)
    outlines, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    shells, holes = [], []
    for outline, (_, _, _, parent) in zip(outlines, tree[0] if tree is not None else ()):
        if len(outline) < 3 or cv2.contourArea(outline) < 4 * LEAST:
            continue
        outline = cv2.approxPolyDP(outline, 2 * SMOOTH, True)[:, 0].astype(float)
        if len(outline) >= 3:
            ring = shapely.Polygon((outline - 0.5) / (2 * wide, 2 * high))
            (shells if parent < 0 else holes).append(shapely.make_valid(ring))
    solid = shapely.unary_union(shells).difference(shapely.unary_union(holes))
    return solid.intersection(shapely.box(0, 0, 1, 1))


def _pieces(corners: np.ndarray, solid) -> list[np.ndarray]:
    """Triangles (N, 3, 2) of what is there on one with `corners` (3, 2) in the texture, repeats included."""
    import shapely
    from shapely.affinity import translate

    (u0, v0), (u1, v1) = np.floor(corners.min(axis=0) + 1e-6), np.ceil(corners.max(axis=0) - 1e-6)
    face = shapely.Polygon(corners)
    if not np.isfinite(corners).all() or not face.is_valid or not 0 < (u1 - u0) * (v1 - v0) <= MOST_TILES:
        return []
    out = []
    for i in range(int(u0), int(u1)):
        for j in range(int(v0), int(v1)):
            found = translate(solid, i, j).intersection(face)
            out += [triangulated(one) for one in shapely.get_parts(found) if one.geom_type == "Polygon"]
    return [one for one in out if len(one)]


def _weights(piece: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """Weights (N, 3, 3) of a triangle's corners at places (N, 3, 2)."""
    sides = np.stack([corners[1] - corners[0], corners[2] - corners[0]], axis=1)
    inner = (piece - corners[0]) @ np.linalg.inv(sides).T
    return np.concatenate([1 - inner.sum(axis=-1, keepdims=True), inner], axis=-1)
