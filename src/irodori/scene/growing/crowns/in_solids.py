"""Sprays in what a model has for crowns: in the shells of solids, and about cards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.model import Mesh
from irodori.core.work.kept import Kept
from irodori.scene.growing.crowns.pieces import pieces_of
from irodori.scene.growing.crowns.sprays import DENSE, LEAF, LEAF_AREA, MOST, OF_CARDS, SHARPEST, SPRAY, UNSEEN, Sprays

CARD = 0.6
"""Largest extent of a card, m; what is larger is a solid."""

SLIM = 14.0
"""Longest edge squared over area from which a triangle is a blade of grass or reed, which is drawn as it is."""

SMALLEST_CROWN = 0.5
"""Least extent of a crown, m."""


@dataclass(frozen=True, eq=False)
class _Masses:
    """The pieces of a model's crowns: `triangles` (T, 3, 3); by piece (P,) the `surface`, `middle` (P, 3), `extent` and `area`; the
    triangles in the `order` of their pieces, their running `share` of area, and where each piece `ends` in that."""

    triangles: np.ndarray
    surface: np.ndarray
    middle: np.ndarray
    extent: np.ndarray
    area: np.ndarray
    order: np.ndarray
    share: np.ndarray
    ends: np.ndarray


_found: Kept[_Masses | None] = Kept()
"""Pieces of meshes in use: views and lights do not change them."""


def sprays_in_solids(mesh: Mesh, camera: Camera, leafy: np.ndarray, rng) -> Sprays | None:
    """Sprays in the surfaces `leafy` (S,) bool of a model; None when none of them is a crown."""
    masses = _found.of(mesh, leafy.tobytes(), lambda: _masses(mesh, leafy))
    if masses is None:
        return None
    area, extent, middle = masses.area, masses.extent, masses.middle
    card = extent < CARD
    leaf = _leaf_sizes(camera, middle, extent)
    radius = np.where(card, 0.8 * extent, np.minimum(SPRAY, 0.16 * extent))
    fewest = np.sqrt(DENSE * area / 4 / (LEAF_AREA * MOST))
    leaf = np.where(card, leaf, np.maximum(leaf, fewest))
    wanted = np.where(card, OF_CARDS * area, DENSE * area / 4) / (LEAF_AREA * leaf**2)
    number = np.where(card, 1, np.maximum(area / (2.2 * radius**2), 6)).astype(int)
    of = np.repeat(np.arange(len(area)), number)
    place = _on_triangles(masses, of, rng)
    inward = middle[of] - place
    solid = ~card[of]
    # Mostly near the shell, and never beyond it.
    deep = np.linalg.norm(inward, axis=1)
    pull = np.maximum(
        0.55 * rng.uniform(0, 1, len(of)) ** 2, np.minimum(0.8 * radius[of] / np.maximum(deep, 1e-6), 0.9)
    )
    place = place + inward * np.where(solid, pull, 0)[:, None]
    outward = unit_rows(np.where(solid[:, None], -inward, rng.normal(size=inward.shape)) + [0, 0, 1e-6])
    count = np.floor(wanted[of] / number[of] + rng.uniform(0, 1, len(of))).astype(int)
    return Sprays(place, outward, radius[of], leaf[of], count, masses.surface[of])


def _masses(mesh: Mesh, leafy: np.ndarray) -> _Masses | None:
    """The pieces of the surfaces `leafy`, but for blades; None without any."""
    own = np.flatnonzero(leafy[np.minimum(mesh.surface, len(leafy) - 1)])
    own = own[~are_blades(mesh.triangles[own])]
    if not len(own):
        return None
    triangles, surface = mesh.triangles[own].astype(np.float64), mesh.surface[own].astype(np.int64)
    pieces = pieces_of(triangles, surface)
    low, high, order, starts = pieces.low, pieces.high, pieces.order, pieces.starts
    extent = np.linalg.norm(high - low, axis=1)
    if extent[extent >= CARD].max(initial=0) < SMALLEST_CROWN and not (extent < CARD).any():
        return None
    twice = np.linalg.norm(face_normals(triangles), axis=1)[order]
    share = np.cumsum(twice)
    ends = np.append(np.append(0, share)[starts], share[-1])
    return _Masses(
        triangles,
        pieces.surface,
        (low + high) / 2,
        extent,
        np.add.reduceat(twice, starts) / 2,
        order,
        share,
        ends,
    )


def are_blades(triangles: np.ndarray) -> np.ndarray:
    """Which triangles (T, 3, 3) are blades of grass or reed, (T,) bool."""
    longest = (
        np.max(((triangles - np.roll(triangles, 1, axis=1)) ** 2).sum(axis=2), axis=1)
        if len(triangles)
        else np.zeros(0)
    )
    area = np.linalg.norm(face_normals(triangles), axis=1) / 2
    return longest > SLIM * np.maximum(area, 1e-9)


def _on_triangles(masses: _Masses, of: np.ndarray, rng) -> np.ndarray:
    """A place (N, 3) on the triangles of each piece `of` (N,), evenly by area."""
    begin, end = masses.ends[of], masses.ends[of + 1]
    found = np.searchsorted(masses.share, begin + rng.uniform(0, 1, len(of)) * (end - begin))
    at = masses.order[found.clip(0, len(masses.order) - 1)]
    u, v = rng.uniform(0, 1, (2, len(at), 1))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    a, b, c = (masses.triangles[at, k] for k in range(3))
    return a + u * (b - a) + v * (c - a)


def _leaf_sizes(camera: Camera, middle: np.ndarray, extent: np.ndarray) -> np.ndarray:
    """Length of the leaves of crowns about `middle` (N, 3) and of an `extent` (N,), m: large where they are far or out of sight."""
    spots, depth = camera.project(middle)
    near = np.maximum(depth, 0.2)
    reach = extent / camera.footprint(near)
    seen = ((spots > -reach[:, None]) & (spots < np.array(camera.size) + reach[:, None])).all(axis=1)
    if camera.projection == "perspective":
        seen &= depth > 0.2
    return np.where(seen, np.maximum(LEAF, SHARPEST * camera.footprint(near)), UNSEEN)
