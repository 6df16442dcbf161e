"""Roles weighed with geometry: what lies under the open sky, what stands on a roof, edges of slabs, and names that say nonsense."""

from __future__ import annotations

import numpy as np
import pandas as pd

from irodori.core.geometry.frames import face_normals
from irodori.core.model import SMALLEST_BUILDING, Mesh
from irodori.core.roles import role_from_words, species_from_words
from irodori.engine.rays.ray_scene import RayScene

SAMPLES = 12
"""Triangles of a surface from which one looks up at most."""

OPEN = 0.6
"""Share of them that see the sky from which a surface lies in the open."""

SQUARE = 60.0
"""m² of what is called a floor and lies in the open from which it is a square's."""

LOW = 1.2
"""m over the lowest open ground up to which what is level is walked on; what lies higher is a roof."""

THIN = 0.45
"""Height of a nameless plate, m, whose sides are part of it."""

BROAD = 0.9
"""m of the narrower side of a wall's level top from which that is a roof."""

HIDES = ("planting", "person", "vehicle", "glazing", "railing", "lamp", "sign", "fabric", "furniture")
"""Roles of what may stand over a ground in the open."""


def settle_roles(mesh: Mesh, rows: list[dict]) -> list[dict]:
    """The rows of a model's surfaces with roles that fit where they are; names win over guesses, geometry over nonsense."""
    table = pd.DataFrame(rows)
    role = table["role"].to_numpy(object).copy()
    named = np.array([role_from_words(n, m) is not None for n, m in zip(table["name"], table["material"])])
    ids = table["id"].to_numpy()
    size = mesh.measures
    low, high, area = size.low[ids], size.high[ids], table["area_m2"].to_numpy(float)
    up = table["nz"].to_numpy(float)
    if float(np.ptp(mesh.bounds(), axis=0).max()) < SMALLEST_BUILDING:
        # Its nameless parts are no walls.
        role[~named] = "furniture"
        return [{**row, "role": str(r)} for row, r in zip(rows, role)]
    _boxes_are_no_plants(table, mesh, role)
    role[_grown(table, mesh, low, high) & ~named] = "planting"
    named |= role == "planting"
    # A floor that is called so lies outdoors where it is broad and there are roofs, but not over it.
    kept = named & (role == "floor") & ~((area > SQUARE) & (role == "roof").any())
    level = (up > 0.97) & np.isin(role, ("floor", "wall", "slab")) & ~kept
    level &= np.sort(high - low, axis=1)[:, 1] > BROAD
    if level.any():
        is_open = np.zeros(len(ids), bool)
        is_open[level] = _under_the_sky(mesh, ids[level], table, role)
        wide = is_open & (area > 4.0)
        if wide.any():
            ground = float(np.min(high[wide, 2]))
            for k in np.flatnonzero(is_open):
                if high[k, 2] > ground + LOW and not (named[k] and role[k] == "slab"):
                    role[k] = "roof"
                elif not named[k] or role[k] == "floor":
                    role[k] = "paving"
    _plates_are_whole(table, named, low, high, area, up, role)
    return [{**row, "role": str(r)} for row, r in zip(rows, role)]


def _boxes_are_no_plants(table: pd.DataFrame, mesh: Mesh, role: np.ndarray) -> None:
    """What is called a plant but is a plain box is plant of another kind; hedges may be boxes."""
    planted = role == "planting"
    if not planted.any():
        return
    count = np.bincount(mesh.surface, minlength=int(table["id"].max()) + 1)
    for k in np.flatnonzero(planted):
        if (
            count[table["id"][k]] > 12
            or "plant" not in table["name"][k].casefold()
            or "planting" in table["name"][k].casefold()
        ):
            continue
        own = mesh.triangles[mesh.surface == table["id"][k]]
        normals = face_normals(own)
        steep = np.abs(normals[:, 2]) / np.maximum(np.linalg.norm(normals, axis=1), 1e-9)
        if ((steep < 0.02) | (steep > 0.98)).all():
            role[k] = "wall"


def _extents(table: pd.DataFrame, low: np.ndarray, high: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which part each surface (N,) is of, and the lowest and highest corner of each part, (P, 3) m."""
    part = table.groupby(["name", "material"], sort=False).ngroup().to_numpy()
    foot, top = np.full((int(part.max()) + 1, 3), np.inf), np.full((int(part.max()) + 1, 3), -np.inf)
    np.minimum.at(foot, part, low)
    np.maximum.at(top, part, high)
    return part, foot, top


def _grown(table: pd.DataFrame, mesh: Mesh, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Which surfaces are called like a kind of tree, and are as tall as one and no boards of its timber."""
    told = np.array([species_from_words(name) is not None for name in table["name"]])
    if not told.any():
        return told
    part, foot, top = _extents(table, low, high)
    size = top - foot
    faces = np.bincount(part, np.bincount(mesh.surface, minlength=int(table["id"].max()) + 1)[table["id"]], len(size))
    tree = (
        (size[:, 2] > 1.5)
        & (size[:, :2].max(axis=1) < 2.4 * size[:, 2])
        & (size[:, :2].max(axis=1) > 0.6)
        & (faces > 12)
    )
    return told & tree[part]


def _under_the_sky(mesh: Mesh, ids: np.ndarray, table: pd.DataFrame, role: np.ndarray) -> np.ndarray:
    """Whether most of each surface (N,) sees the sky straight above."""
    loose = np.zeros(int(mesh.surface.max()) + 1, bool)
    loose[table["id"].to_numpy()] = np.isin(role, HIDES)
    # Nothing upright lies straight above anything.
    rays = RayScene(mesh.triangles[~loose[mesh.surface] & (np.abs(mesh.normals()[:, 2]) > 1e-3)])
    order = np.argsort(mesh.surface, kind="stable")
    starts = np.searchsorted(mesh.surface[order], ids)
    ends = np.searchsorted(mesh.surface[order], ids, side="right")
    # Evenly spread over the triangles of each.
    size = ends - starts
    count = np.minimum(size, SAMPLES)
    owner = np.repeat(np.arange(len(ids)), count)
    step = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    soup = mesh.triangles[order[starts[owner] + step * (size[owner] - 1) // np.maximum(count[owner] - 1, 1)]]
    weights = np.array([(1, 1, 1), (4, 1, 1), (1, 4, 1), (1, 1, 4)], np.float32)
    weights /= weights.sum(axis=1, keepdims=True)
    origins = np.einsum("wk,tkc->wtc", weights, soup).reshape(-1, 3) + np.float32([0, 0, 0.03])
    _, hit = rays.closest(origins, np.tile(np.float32([0, 0, 1]), (len(origins), 1)))
    owner = np.tile(owner, len(weights))
    return np.bincount(owner, hit < 0, len(ids)) > OPEN * np.bincount(owner, minlength=len(ids))


def _plates_are_whole(table, named, low, high, area, up, role) -> None:
    """The sides of a nameless plate are part of it."""
    part, foot, top = _extents(table, low, high)
    whole = ((top - foot)[:, 2] < THIN) & (np.bincount(part, named, len(top)) == 0)
    for number in np.flatnonzero(whole):
        at = np.flatnonzero(part == number)
        tops = at[up[at] > 0.97]
        if len(tops) and area[tops].sum() > 0.3 * area[at].sum():
            role[at] = role[tops[area[tops].argmax()]]
