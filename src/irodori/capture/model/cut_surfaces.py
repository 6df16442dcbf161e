"""Cutting a model's parts into surfaces: connected pieces on one plane or smooth shape."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import face_normals
from irodori.core.model import Mesh
from irodori.core.roles import role_from_words

SMOOTH_ANGLE = 28.0
"""Neighbouring triangles that meet at less than this many degrees belong to one smooth surface."""

WHOLE_ROLES = {"planting", "person", "vehicle", "fabric", "lamp", "railing", "sign"}
"""Roles whose parts stay one surface however many faces they have."""


def cut_surfaces(parts: list) -> tuple[Mesh, list[dict]]:
    """Split `parts` (metres, z up) into surfaces.

    Returns the mesh with surface ids from 1 in the order of the parts, and a row for each surface
    (`SURFACE_COLUMNS`). Ids depend only on the parts, so every view of a model shares them.
    """
    triangles, ids, rows = [], [], []
    next_id = 1
    for part in parts:
        soup = np.asarray(part.triangles, np.float64)
        normals = face_normals(soup)
        area = np.linalg.norm(normals, axis=1) / 2
        solid = area > 1e-10
        if not solid.any():
            continue
        soup, area, normals = soup[solid], area[solid], normals[solid] / (2 * area[solid, None])
        named = role_from_words(part.name, part.material)
        made = role_from_words(part.material)
        if named == "ground" and made in ("lawn", "paving", "water"):
            named = made  # "ground" says where it is, "grass" what it is
        if made == "planting" and named in (None, "wall", "roof", "other"):
            named = made
        if named is None and part.opacity < 0.9:
            named = "glazing"
        label = np.zeros(len(soup), int) if named in WHOLE_ROLES else _smooth_groups(soup, normals)
        for group in range(label.max() + 1):
            chosen = label == group
            rows.append(_row(next_id, part, named, soup[chosen], normals[chosen], area[chosen]))
            triangles.append(soup[chosen])
            ids.append(np.full(int(chosen.sum()), next_id, np.int32))
            next_id += 1
    if not triangles:
        return Mesh(np.zeros((0, 3, 3), np.float32), np.zeros(0, np.int32)), []
    return Mesh(np.concatenate(triangles).astype(np.float32), np.concatenate(ids)), rows


def _smooth_groups(soup: np.ndarray, normals: np.ndarray) -> np.ndarray:
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    count = len(soup)
    keys = np.round(soup.reshape(-1, 3), 4)
    _, vertex = np.unique(keys, axis=0, return_inverse=True)
    corner = vertex.reshape(count, 3)
    edges = np.sort(np.concatenate([corner[:, [0, 1]], corner[:, [1, 2]], corner[:, [2, 0]]]), axis=1)
    owner = np.tile(np.arange(count), 3)
    order = np.lexsort((edges[:, 1], edges[:, 0]))
    edges, owner = edges[order], owner[order]
    same = (edges[1:] == edges[:-1]).all(axis=1)
    a, b = owner[:-1][same], owner[1:][same]
    smooth = (normals[a] * normals[b]).sum(axis=1) > np.cos(np.radians(SMOOTH_ANGLE))
    graph = coo_matrix((np.ones(smooth.sum()), (a[smooth], b[smooth])), shape=(count, count))
    return connected_components(graph, directed=False)[1]


def _row(surface: int, part, role: str | None, soup: np.ndarray, normals: np.ndarray, area: np.ndarray) -> dict:
    total = float(area.sum())
    mean = (normals * area[:, None]).sum(axis=0)
    length = np.linalg.norm(mean)
    normal = mean / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    flat = bool((normals @ normal > 0.9995).all())
    centre = (soup.mean(axis=1) * area[:, None]).sum(axis=0) / total
    return {
        "id": surface,
        "name": part.name,
        "material": part.material,
        "role": role or role_from_orientation(normal),
        "colour": part.colour,
        "opacity": part.opacity,
        "nx": normal[0],
        "ny": normal[1],
        "nz": normal[2],
        "offset": float(normal @ centre) if flat else np.nan,
        "area_m2": total,
    }


def role_from_orientation(normal: np.ndarray) -> str:
    """A role for a nameless surface: floor when it faces up, ceiling when down, else wall; roofs slope."""
    if normal[2] > 0.97:
        return "floor"
    if normal[2] < -0.85:
        return "ceiling"
    return "roof" if normal[2] > 0.2 else "wall"
