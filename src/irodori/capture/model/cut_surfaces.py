"""Cutting a model's parts into surfaces: connected pieces on one plane or smooth shape."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pandas as pd
from numba import njit

from irodori.capture.model.flush_faces import first_of_each, lifts_of
from irodori.capture.model.smooth_groups import smooth_groups
from irodori.core.geometry.frames import face_normals
from irodori.core.model import Mesh
from irodori.core.roles import role_from_words
from irodori.formats.model.parts import Part, looks_of_parts

SMALLEST = 1e-10
"""m² of a triangle that counts."""

SMOOTH_ANGLE = 28.0
"""Neighbouring triangles that meet at less than this many degrees belong to one smooth surface."""

WHOLE_ROLES = {"planting", "person", "vehicle", "fabric", "lamp", "railing", "sign"}
"""Roles whose parts stay one surface however many faces they have."""


def cut_surfaces(parts: list[Part]) -> tuple[Mesh, list[dict]]:
    """Split `parts` (metres, z up) into surfaces.

    Returns the mesh with surface ids from 1 in the order of the parts, and a row for each surface
    (`SURFACE_COLUMNS`). Ids depend only on the parts, so every view of a model shares them.
    """
    empty = Mesh(np.zeros((0, 3, 3), np.float32), np.zeros(0, np.int32))
    if not parts:
        return empty, []
    soup = np.concatenate([np.asarray(p.triangles, np.float64) for p in parts])
    owner = np.repeat(np.arange(len(parts)), [len(p.triangles) for p in parts])
    looks = looks_of_parts(parts)
    normals = face_normals(soup)
    area = np.linalg.norm(normals, axis=1) / 2
    solid = (area > SMALLEST) & first_of_each(soup)
    if not solid.all():
        soup, owner, normals, area = soup[solid], owner[solid], normals[solid], area[solid]
        looks = looks.keep(solid) if looks is not None else None
    if not len(soup):
        return empty, []
    normals /= 2 * area[:, None]
    named = [_named(p) for p in parts]
    whole = np.array([name in WHOLE_ROLES for name in named])
    starts = np.searchsorted(owner, np.arange(len(parts) + 1))
    label = smooth_groups(soup, normals, starts, whole, np.cos(np.radians(SMOOTH_ANGLE)))
    if (label[1:] < label[:-1]).any():
        order = np.argsort(label, kind="stable")
        soup, owner, normals, area, label = soup[order], owner[order], normals[order], area[order], label[order]
        looks = looks.keep(order) if looks is not None else None
    rows = _rows(parts, named, soup, owner, normals, area, label)
    soup = _lifted(rows, soup, normals, label)
    if looks is not None:
        starts = np.flatnonzero(np.diff(label, prepend=-1))
        looks = replace(looks, of=np.concatenate([[-1], looks.of[owner[starts]]]).astype(np.int32))
    return Mesh(soup.astype(np.float32), (label + 1).astype(np.int32), looks=looks), rows


def _lifted(rows: list[dict], soup: np.ndarray, normals: np.ndarray, label: np.ndarray) -> np.ndarray:
    """Triangles with what lies flush on something larger a little over it."""
    low, high = _boxes(soup, label, len(rows))
    table = pd.DataFrame(rows)
    lifts = lifts_of(table, low, high, table["area_m2"].to_numpy(float))
    if not lifts.any():
        return soup
    for row, lift in zip(rows, lifts.tolist()):
        row["offset"] += lift
    return soup + (lifts[label][:, None] * normals)[:, None]


def _named(part: Part) -> str | None:
    """The role that a part's names tell."""
    named = role_from_words(part.name, part.material)
    made = role_from_words(part.material)
    if named == "ground" and made in ("lawn", "paving", "water"):
        named = made  # "ground" says where it is, "grass" what it is
    if made == "planting" and named in (None, "wall", "roof", "other"):
        named = made
    return "glazing" if named is None and part.opacity < 0.9 else named


def _rows(parts: list[Part], named, soup, owner, normals, area, label) -> list[dict]:
    """A row for each surface of triangles that are sorted by `label`."""
    starts = np.flatnonzero(np.diff(label, prepend=-1))
    total, mean, centre = _summed(soup, normals, area, label, len(starts))
    length = np.linalg.norm(mean, axis=1)
    normal = np.where(length[:, None] > 1e-9, mean / np.maximum(length, 1e-12)[:, None], [0.0, 0.0, 1.0])
    flat = _least_along(normals, normal, label) > 0.9995
    offset = np.where(flat, (normal * centre).sum(axis=1) / total, np.nan)
    columns = zip(owner[starts].tolist(), normal.tolist(), offset.tolist(), total.tolist())
    rows = []
    for number, (k, (nx, ny, nz), far, size) in enumerate(columns, start=1):
        part = parts[k]
        rows.append({
            "id": number, "name": part.name, "material": part.material,
            "role": named[k] or role_from_orientation(np.array((nx, ny, nz))), "colour": part.colour, "opacity": part.opacity,
            "nx": nx, "ny": ny, "nz": nz, "offset": far, "area_m2": size,
        })  # fmt: skip
    return rows


@njit(cache=True, nogil=True)
def _boxes(soup, label, count):
    """The lowest and the highest corner (S, 3) of the triangles of each surface."""
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    for t in range(len(label)):
        for c in range(3):
            for k in range(3):
                low[label[t], k] = min(low[label[t], k], soup[t, c, k])
                high[label[t], k] = max(high[label[t], k], soup[t, c, k])
    return low, high


@njit(cache=True, nogil=True)
def _summed(soup, normals, area, label, count):
    """Sums of the area (S,), and of normals and centres (S, 3) by area, of the triangles of each surface."""
    total, mean, centre = np.zeros(count), np.zeros((count, 3)), np.zeros((count, 3))
    for t in range(len(label)):
        s = label[t]
        total[s] += area[t]
        for k in range(3):
            mean[s, k] += area[t] * normals[t, k]
            centre[s, k] += area[t] * (soup[t, 0, k] + soup[t, 1, k] + soup[t, 2, k]) / 3
    return total, mean, centre


@njit(cache=True, nogil=True)
def _least_along(normals, normal, label):
    """The least cosine between each surface's normal (S, 3) and those of its triangles (T, 3)."""
    out = np.full(len(normal), 2.0)
    for t in range(len(label)):
        s = label[t]
        along = normals[t, 0] * normal[s, 0] + normals[t, 1] * normal[s, 1] + normals[t, 2] * normal[s, 2]
        out[s] = min(out[s], along)
    return out


def role_from_orientation(normal: np.ndarray) -> str:
    """A role for a nameless surface: floor when it faces up, ceiling when down, else wall; roofs slope."""
    if normal[2] > 0.97:
        return "floor"
    if normal[2] < -0.85:
        return "ceiling"
    return "roof" if normal[2] > 0.2 else "wall"
