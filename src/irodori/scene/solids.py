"""Triangles for light transport from a structure that has no model.

What pixels show always comes from the region map; these solids only cast shadows, bounce light and are mirrored.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.geometry.surface_measures import edges_of
from irodori.core.model import Mesh
from irodori.core.recipe import FromMemory
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.formats.made_before import made_before

THICKNESS = {"wall": 0.25, "roof": 0.2, "slab": 0.2, "soffit": 0.15, "ceiling": 0.15, "column": 0.15}
"""How deep a surface is closed away from the camera, m."""

STANDING = ("wall", "column", "furniture", "stair", "railing", "vehicle", "planting")
"""What a view from straight above shows the top of, and stands on the ground: its sides are upright."""

ROOM_DEPTH = 3.0
"""Where glazing is closed, m behind it, so that no sun passes through a building."""

REACH = 400.0

SMALLEST = 48
"""Pixels below which a surface's plane is too uncertain to cast or mirror anything."""

LOOSE = 1.4
"""px by which an outline may leave its straight runs."""

BULGE, FACETS, INSET = 0.004, 64, 0.012
"""Share of its distance by which most of a curved surface leaves its plane; parts into which it is divided along its longer side; and
m by which these lie behind it, so that none shades its neighbours."""

CARDS = ("planting", "person", "context")
"""What stands as an upright card, whatever its relief."""

STEEPEST = 5.0
"""Ratio of depths within one triangle from which it is a spike of a plane seen edge-on."""

LEAST_GROUND = 0.005
"""Share of the picture from which level ground may run to the horizon."""

GROUND = ("ground", "paving", "lawn", "water", "floor", "slab")


_made: Kept[Mesh] = Kept()
"""Solids of structures that are in use: another light or finish does not change them."""


def solids_from_structure(structure: Structure) -> Mesh:
    """The solids of a structure; see `_solids`. Asked again for the same object it gives the same mesh."""
    seen = replace(structure, origin=FromMemory())
    return _made.of(structure, None, lambda: made_before("solids", lambda: _solids(structure), seen))


def _solids(structure: Structure) -> Mesh:
    """Planes inside region outlines, given thickness away from the camera, on a wide lowest level.

    Surface ids are those of the structure; closing faces of glazing get one id more than the largest.
    """
    import cv2

    regions = structure.regions
    table = structure.surfaces
    behind = int(table["id"].max()) + 1
    from_above = structure.camera.projection == "parallel" and structure.camera.rotation[2, 2] < -0.9999
    level = table.loc[(table["nz"] > 0.98) & np.isfinite(table["offset"]), "offset"]
    lowest = float(level.min()) if from_above and len(level) else None
    soups, ids = [], []
    for row in table.itertuples():
        normal = np.array([row.nx, row.ny, row.nz])
        found = np.nonzero(regions == row.id) if row.area_px > 0 else ((), ())
        if len(found[0]) < SMALLEST or not np.isfinite(row.offset):
            continue
        y0, y1, x0, x1 = found[0].min(), found[0].max() + 1, found[1].min(), found[1].max() + 1
        mask = np.pad((regions[y0:y1, x0:x1] == row.id).astype(np.uint8), 2)
        if cv2.erode(mask, np.ones((3, 3), np.uint8)).sum() < 0.25 * mask.sum():
            continue  # a plane cannot be told from a streak
        thick = ROOM_DEPTH if row.role == "glazing" else THICKNESS.get(row.role, 0.0)
        curved = _curved(structure, row.id, (y0, y1, x0, x1), normal, row.offset) if row.role not in CARDS else None
        if curved is not None:
            soup, facing = curved
            for inset in (INSET, thick) if thick else (INSET,):
                soups.append(soup - facing * inset)
                ids.append(np.full(len(soup), behind if row.role == "glazing" and inset == thick else row.id))
            continue
        # A pixel of overlap, so that no light leaks through the joints.
        mask = cv2.dilate(mask, np.ones((3, 3), np.uint8))
        flat = _triangulate(mask)
        if not len(flat):
            continue
        points = flat.reshape(-1, 2) + [x0 - 1.5, y0 - 1.5]
        soup = _on_plane(structure, points, normal, row.offset).reshape(-1, 3, 3)
        depth = structure.camera.project(soup.reshape(-1, 3))[1].reshape(-1, 3)
        spike = depth.max(axis=1) > STEEPEST * np.maximum(depth.min(axis=1), 0.3)
        if row.role not in GROUND or row.area_px < LEAST_GROUND * regions.size:
            soup = soup[~spike]
        soups.append(soup)
        ids.append(np.full(len(soup), row.id))
        if lowest is not None:
            if row.role in STANDING and row.nz > 0.98:
                soups.append(_down_to(soup, lowest))
                ids.append(np.full(len(soups[-1]), row.id))
            continue
        if thick:
            soups.append(soup - normal * thick)
            ids.append(np.full(len(soup), behind if row.role == "glazing" else row.id))
    _add_lowest_level(structure, soups, ids)
    if not soups:
        return Mesh(np.zeros((0, 3, 3), np.float32), np.zeros(0, np.int32))
    return Mesh(np.concatenate(soups).astype(np.float32), np.concatenate(ids).astype(np.int32))


def _curved(
    structure: Structure, region: int, box: tuple[int, int, int, int], normal: np.ndarray, offset: float
) -> tuple[np.ndarray, np.ndarray] | None:
    """Triangles (T, 3, 3), m, of a surface that leaves its plane, and its unit normals at their corners; None where it keeps to it."""
    from scipy import ndimage

    y0, y1, x0, x1 = box
    own = structure.regions[y0:y1, x0:x1] == region
    depth = structure.depth[y0:y1, x0:x1]
    y, x = np.nonzero(own)
    some = slice(None, None, max(1, len(y) // 400))
    place = np.stack([x[some] + x0 + 0.5, y[some] + y0 + 0.5], axis=1)
    flat = structure.camera.project(_on_plane(structure, place, normal, offset))[1]
    if np.percentile(np.abs(depth[own][some] / np.maximum(flat, 1e-6) - 1), 80) < BULGE:
        return None
    nearest = ndimage.distance_transform_edt(~own, return_distances=False, return_indices=True)
    step = max(2, max(own.shape) // FACETS)
    rows, columns = (np.unique(np.append(np.arange(0, size, step), size)) for size in own.shape)
    at = np.stack(np.meshgrid(rows, columns, indexing="ij"))
    inner = tuple(np.minimum(at, np.array(own.shape)[:, None, None] - 1))
    taken = nearest[(slice(None), *inner)]
    origins, rays = structure.camera.rays(at[1].ravel() + x0, at[0].ravel() + y0)
    corners = (origins + rays * depth[tuple(taken)].reshape(-1, 1)).reshape(*at.shape[1:], 3)
    facing = structure.normal[y0:y1, x0:x1][tuple(taken)]
    cover = np.add.reduceat(np.add.reduceat(own, rows[:-1], axis=0), columns[:-1], axis=1)
    filled = cover > 0.5 * np.diff(rows)[:, None] * np.diff(columns)
    a, b, c, d = (np.s_[:-1, :-1], np.s_[:-1, 1:], np.s_[1:, 1:], np.s_[1:, :-1])
    return tuple(
        np.concatenate([np.stack([grid[k][filled] for k in three], axis=1) for three in ((a, b, c), (a, c, d))])
        for grid in (corners, facing)
    )


def _down_to(soup: np.ndarray, lowest: float) -> np.ndarray:
    """Upright triangles (T, 3, 3) from the outer edges of level ones down to a height, m."""
    ends, _, outer = edges_of(soup, np.zeros(len(soup), np.int64))
    outer = ends[outer]
    foot = outer.copy()
    foot[..., 2] = lowest
    a, b, c, d = outer[:, 0], outer[:, 1], foot[:, 1], foot[:, 0]
    return np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])


def _triangulate(mask: np.ndarray) -> np.ndarray:
    """Triangles (T, 3, 2) px over a mask, its outline made of straight runs."""
    import cv2
    import mapbox_earcut

    contours, tree = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    out = []
    for index, contour in enumerate(contours):
        if tree[0][index][3] >= 0:
            continue
        rings = [contour]
        child = tree[0][index][2]
        while child >= 0:
            rings.append(contours[child])
            child = tree[0][child][0]
        rings = [r for r in map(_straightened, rings) if len(r) >= 3]
        if not rings:
            continue
        points = np.concatenate(rings)
        ends = np.cumsum([len(r) for r in rings]).astype(np.uint32)
        index_list = mapbox_earcut.triangulate_float64(points, ends)
        out.append(points[index_list].reshape(-1, 3, 2))
    return np.concatenate(out) if out else np.zeros((0, 3, 2))


def _straightened(ring: np.ndarray) -> np.ndarray:
    """Corners (n, 2) px of an outline (N, 1, 2): its straight runs fitted, not stepped.

    On a plane seen edge-on a step of one pixel is a tooth of half a metre, and would cast a toothed shadow.
    """
    import cv2

    corners = cv2.approxPolyDP(ring, LOOSE, True)[:, 0]
    points = ring[:, 0]
    if len(corners) < 3:
        return corners.astype(np.float64)
    at, start = [], 0
    for corner in corners:
        same = np.flatnonzero((points == corner).all(axis=1))
        start = int(same[np.searchsorted(same, start).clip(0, len(same) - 1)])
        at.append(start)
    middle, way = [], []
    for a, b in zip(at, (*at[1:], at[0])):
        run = points[a : b + 1] if b > a else np.concatenate([points[a:], points[: b + 1]])
        run = run.astype(np.float64)
        inner = run[1:-1] if len(run) > 8 else run
        middle.append(inner.mean(axis=0))
        way.append(np.linalg.svd(inner - middle[-1], full_matrices=False)[2][0])
    fitted = corners.astype(np.float64)
    for k in range(len(corners)):
        p, u, q, v = middle[k - 1], way[k - 1], middle[k], way[k]
        turn = u[0] * v[1] - u[1] * v[0]
        if abs(turn) < 0.15:
            continue
        met = p + u * (((q - p)[0] * v[1] - (q - p)[1] * v[0]) / turn)
        if np.hypot(*(met - fitted[k])) < 2 * LOOSE:
            fitted[k] = met
    return fitted


def _on_plane(structure: Structure, points: np.ndarray, normal: np.ndarray, offset: float) -> np.ndarray:
    origins, directions = structure.camera.rays(points[:, 0], points[:, 1])
    cosine = directions @ normal
    towards = offset - origins @ normal
    depth = towards / np.where(np.abs(cosine) < 1e-5, -1e-5, cosine)
    depth = np.where((depth < 0.02) | (depth > 900.0), 900.0, depth)
    return origins + directions * depth[:, None]


def _add_lowest_level(structure: Structure, soups: list, ids: list) -> None:
    """Ground or water goes on beside and behind the camera."""
    table = structure.surfaces
    level = table[(table["nz"] > 0.98) & table["role"].isin(GROUND)]
    level = level[np.isfinite(level["offset"])]
    level = level[level["area_px"] > 0.01 * structure.regions.size]
    if not len(level):
        return
    row = level.loc[level["offset"].idxmin()]
    x, y, _ = structure.camera.position
    z = float(row["offset"]) - 0.03
    r = REACH
    corners = np.array([[x - r, y - r, z], [x + r, y - r, z], [x + r, y + r, z], [x - r, y + r, z]])
    soups.append(corners[[[0, 1, 2], [0, 2, 3]]])
    ids.append(np.full(2, int(row["id"])))
