"""Models cut open by a plane: what lies beyond it is taken away, and what it cuts through is closed by faces of one tone."""

from __future__ import annotations

import hashlib
from dataclasses import replace

import numpy as np
import pandas as pd

from irodori.capture.model.photographer import subject_of
from irodori.capture.model.photographer.subject import BACKGROUND
from irodori.core.file_looks import FileLooks
from irodori.core.geometry.frames import face_normals
from irodori.core.model import Mesh, ModelData

CUT = "cut face"
"""Name of the surface that closes what was cut."""

TONE = (0.035, 0.036, 0.04)
"""Linear colour of cut faces: as dark as a plan's walls are drawn."""

NEVER_FILLED = ("planting", "person", "vehicle", "water", "glazing", "fabric")
"""Roles of what is not solid within."""

EARTH = 400.0
"""m to which earth is cut through, on either side and down."""

NEAR = 1e-4
"""m to which ends of a cut are joined."""


def cut_open(data: ModelData, plane: tuple[float, float, float, float], *, earth: bool = False) -> ModelData:
    """A model without what lies beyond a plane: of the unit normal (nx, ny, nz) and offset d it keeps n · x ≤ d, metres.

    The land about it stays, unless `earth` is to be cut through as well: then it is filled below the ground.
    """
    normal, offset = np.array(plane[:3], float), float(plane[3])
    mesh, table = data.mesh, data.surfaces
    beyond = mesh.triangles.astype(float) @ normal - offset
    if not earth:
        beyond[_is_land(data)[mesh.surface]] = -1.0
    kept, cut = (beyond <= 0).all(axis=1), (beyond > 0).any(axis=1) & (beyond <= 0).any(axis=1)
    pieces, source, weights = _clipped(mesh.triangles[cut].astype(float), beyond[cut])
    source = np.flatnonzero(cut)[source]
    looks = None if mesh.looks is None else _with_pieces(mesh.looks, kept, source, weights)
    surface = np.concatenate([mesh.surface[kept], mesh.surface[source]])
    soup = [mesh.triangles[kept], pieces.astype(np.float32)]
    cap = _caps(mesh, table, cut, normal, offset)
    if earth:
        cap = np.concatenate([cap, _earth(data, normal, offset)])
    if len(cap):
        number = int(table["id"].max()) + 1
        area = float(np.linalg.norm(face_normals(cap), axis=1).sum() / 2)
        row = {
            "id": number, "name": CUT, "material": "", "role": "other", "colour": TONE, "opacity": 1.0, "nx": normal[0],
            "ny": normal[1], "nz": normal[2], "offset": offset, "area_m2": area,
        }  # fmt: skip
        table = pd.concat([table, pd.DataFrame([row])], ignore_index=True)
        surface = np.concatenate([surface, np.full(len(cap), number, np.int32)])
        soup.append(cap.astype(np.float32))
        looks = None if looks is None else looks.padded(len(cap))
    opened = Mesh(np.concatenate(soup), surface.astype(np.int32), looks=looks)
    table = table[table["id"].isin(np.unique(opened.surface))].reset_index(drop=True)
    digest = hashlib.sha256(f"{data.digest} cut {plane}".encode()).hexdigest()
    return replace(data, mesh=opened, surfaces=table, digest=digest)


def _is_land(data: ModelData) -> np.ndarray:
    """Surfaces (S,) bool of land and of what stands on it beside the subject."""
    subject = subject_of(data)
    out = np.zeros(int(data.mesh.surface.max()) + 1, bool)
    count = min(len(out), len(subject.own))
    out[:count] = ~subject.own[:count] & np.isin(subject.role[:count], BACKGROUND)
    return out


def _earth(data: ModelData, normal: np.ndarray, offset: float) -> np.ndarray:
    """Triangles (2, 3, 3) upright in a plane: the earth that it cuts through, below the ground."""
    along = np.array([-normal[1], normal[0], 0.0])
    middle = normal * offset + along * (along @ data.mesh.bounds().mean(axis=0))
    top, foot = subject_of(data).ground - 0.02, subject_of(data).ground - EARTH
    a, b = middle - EARTH * along, middle + EARTH * along
    quad = [np.array([*p[:2], z]) for p, z in ((a, foot), (b, foot), (b, top), (a, top))]
    return np.array([[quad[0], quad[1], quad[2]], [quad[0], quad[2], quad[3]]])


def _crossings(beyond: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of triangles whose corners lie partly `beyond` (N, 3) a plane, m: the corner (N,) that is alone on its side, and, as weights of
    corners (N, 3), where the plane crosses the sides from that to the next and to the one after."""
    inside = beyond <= 0
    odd = np.argmax(np.where(inside.sum(axis=1, keepdims=True) == 1, inside, ~inside), axis=1)
    rows, corner, ends = np.arange(len(beyond)), np.eye(3), []
    for step in (1, 2):
        other = (odd + step) % 3
        from_odd, from_other = beyond[rows, odd], beyond[rows, other]
        t = (from_odd / (from_odd - from_other))[:, None]
        ends.append(corner[odd] * (1 - t) + corner[other] * t)
    return odd, ends[0], ends[1]


def _clipped(triangles: np.ndarray, beyond: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What is left of triangles (N, 3, 3) whose corners lie partly `beyond` (N, 3) a plane, m: pieces (K, 3, 3), which one each is
    of, and the weights (K, 3, 3) of its corners."""
    odd, first, second = _crossings(beyond)
    corner, inside = np.eye(3), (beyond <= 0).sum(axis=1)
    alone, after, last = corner[odd], corner[(odd + 1) % 3], corner[(odd + 2) % 3]
    one, two = np.flatnonzero(inside == 1), np.flatnonzero(inside == 2)
    pieces = ((one, alone, first, second), (two, first, after, last), (two, first, last, second))
    weights = np.concatenate([np.stack([a[at], b[at], c[at]], axis=1) for at, a, b, c in pieces])
    source = np.concatenate([at for at, *_ in pieces])
    return weights @ triangles[source], source, weights


def _with_pieces(looks: FileLooks, kept: np.ndarray, source: np.ndarray, weights: np.ndarray) -> FileLooks:
    """The looks of the triangles that were `kept` and of pieces of others."""
    old = looks.at[source]
    has = old >= 0
    at = np.full(len(source), -1, np.int32)
    at[has] = len(looks.uv) + np.arange(int(has.sum()))
    uv = np.concatenate([looks.uv, (weights[has] @ looks.uv[old[has]]).astype(np.float32)])
    tone = looks.tone
    if tone is not None:
        tone = np.concatenate([tone, (weights[has] @ tone[old[has]]).astype(np.float32)])
    return replace(looks, at=np.concatenate([looks.at[kept], at]), uv=uv, tone=tone)


def _caps(mesh: Mesh, table: pd.DataFrame, cut: np.ndarray, normal: np.ndarray, offset: float) -> np.ndarray:
    """Triangles (N, 3, 3) that close what a plane cuts through."""
    import shapely

    solid = table[~table["role"].isin(NEVER_FILLED)]
    part = pd.Series(solid.groupby(["name", "material"], sort=False).ngroup().to_numpy(), index=solid["id"].to_numpy())
    of = part.reindex(mesh.surface[cut]).fillna(-1).to_numpy(int)
    across = np.cross(normal, [0.0, 0.0, 1.0] if abs(normal[2]) < 0.9 else [1.0, 0.0, 0.0])
    across /= np.linalg.norm(across)
    along = np.cross(normal, across)
    segments = _segments(mesh.triangles[cut].astype(float), normal, offset) @ np.stack([across, along], axis=1)
    filled = []
    for number in np.unique(of[of >= 0]):
        lines = np.round(segments[of == number] / NEAR) * NEAR
        lines = lines[(lines[:, 0] != lines[:, 1]).any(axis=1)]
        if len(lines) >= 3:
            filled += _within(shapely.unary_union(shapely.linestrings(lines)), lines)
    if not filled:
        return np.zeros((0, 3, 3))
    from irodori.formats.model.polygons import triangulated

    shape = shapely.unary_union(filled)
    flat = [triangulated(one) for one in shapely.get_parts(shape) if one.geom_type == "Polygon"]
    places = np.concatenate([one for one in flat if len(one)] or [np.zeros((0, 3, 2))])
    return places[..., :1] * across + places[..., 1:] * along + normal * (offset - 1e-4)


def _segments(triangles: np.ndarray, normal: np.ndarray, offset: float) -> np.ndarray:
    """Where a plane crosses triangles (N, 3, 3): ends (N, 2, 3)."""
    _, first, second = _crossings(triangles @ normal - offset)
    return np.stack([first, second], axis=1) @ triangles


def _within(lines, ends: np.ndarray) -> list:
    """The faces between lines that lie within: from where one crosses an odd number of them to get out."""
    import shapely

    faces = shapely.get_parts(shapely.polygonize([lines]))
    out = []
    for face in faces:
        x, y = shapely.point_on_surface(face).coords[0]
        (x0, y0), (x1, y1) = ends[:, 0].T, ends[:, 1].T
        spans = (y0 > y) != (y1 > y)
        at = x0[spans] + (y - y0[spans]) / (y1[spans] - y0[spans]) * (x1[spans] - x0[spans])
        if (at > x).sum() % 2:
            out.append(face)
    return out
