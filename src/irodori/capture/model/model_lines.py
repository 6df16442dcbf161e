"""The lines that a view of a model shows: where surfaces end or meet, and outlines of what is smooth."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from irodori.core.camera import Camera
from irodori.core.geometry.welded import edges_between
from irodori.core.model import Mesh

WELD = 1e-3
"""m within which corners of triangles are one."""

SPACING = 3.0
"""px between the places of an edge at which one looks whether it shows."""

MOST_PLACES = 400
HIDDEN, SLACK = 0.004, 0.02
"""Share of its depth, and m, by which an edge may lie behind what the pixels around show of its surfaces, and still be seen."""

AROUND = (-2, -1, 0, 1, 2)
"""px across and down at which one looks for an edge's surfaces."""

SPECK = 2.0
"""px below which a line is a speck."""

STRAIGHT = 0.6
"""px by which pieces of one line may leave it."""

NEAREST = 0.05


def model_lines(
    mesh: Mesh, camera: Camera, regions: np.ndarray, depth: np.ndarray, loose: np.ndarray
) -> np.ndarray:  # fmt: skip
    """Line segments x0, y0, x1, y1, px, (L, 4) float32.

    Parameters
    ----------
    mesh
        The model's triangles.
    regions, depth
        (H, W) surface ids, and m along the optical axis, as traced.
    loose
        Ids of planting, whose leaves have no lines of their own.
    """
    start, end, surfaces = _candidates(mesh, camera, np.setdiff1d(regions, loose))
    if not len(start):
        return np.zeros((0, 4), np.float32)
    start, end, kept = _before_the_eye(start, end, camera)
    pieces, own = _visible_pieces(start, end, surfaces[kept], camera, regions, depth)
    joined = _joined(pieces, own)
    length = np.hypot(*(joined[:, 2:] - joined[:, :2]).T)
    return joined[length >= SPECK].astype(np.float32)


def _candidates(mesh: Mesh, camera: Camera, ids: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Ends (E, 3) of the edges at which a surface that shows ends, meets another or turns away, and the surfaces beside, (E, 2)."""
    shown = np.zeros(max(int(mesh.surface.max(initial=0)), int(ids.max(initial=0))) + 1, bool)
    shown[ids] = True
    shown[0] = False
    faces = np.flatnonzero(shown[mesh.surface])
    if not len(faces):
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 2), int)
    corners = mesh.triangles[faces].astype(float)
    ends, one, two, count = edges_between(corners, 1 / WELD)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    if camera.projection == "perspective":
        towards = camera.position - corners.mean(axis=1)
    else:
        towards = np.tile(-camera.rotation[2], (len(corners), 1))
    front = (normal * towards).sum(axis=1) > 0
    surface = mesh.surface[faces]
    parts = surface[one] != surface[two]
    turns = (front[one] != front[two]) & (count == 2)
    wanted = (count == 1) | (count > 2) | ((count == 2) & (parts | turns))
    beside = np.stack([surface[one], surface[two]], axis=1)[wanted]
    points, ends = corners.reshape(-1, 3), ends[wanted]
    return points[ends[:, 0]], points[ends[:, 1]], beside


def _before_the_eye(start: np.ndarray, end: np.ndarray, camera: Camera) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges cut off at a plane before the eye, and which of them are left."""
    if camera.projection != "perspective":
        return start, end, np.arange(len(start))
    a, b = ((p - camera.position) @ camera.rotation[2] for p in (start, end))
    kept = np.flatnonzero((a > NEAREST) | (b > NEAREST))
    start, end, a, b = start[kept].copy(), end[kept].copy(), a[kept], b[kept]
    for point, other, here, there in ((start, end, a, b), (end, start, b, a)):
        behind = here <= NEAREST
        share = ((NEAREST - there[behind]) / (here[behind] - there[behind]))[:, None]
        point[behind] = other[behind] + (point[behind] - other[behind]) * share
    return start, end, kept


def _visible_pieces(
    start: np.ndarray, end: np.ndarray, surfaces: np.ndarray, camera: Camera, regions: np.ndarray, depth: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """What of the edges shows, (P, 4) px, and the surfaces beside each, (P, 2)."""
    height, width = regions.shape
    a, b = camera.project(start)[0], camera.project(end)[0]
    # Places lie evenly in the picture; only what lies in it is looked at.
    low, high = _inside(a, b, width, height)
    seen = high > low
    a, b, start, end, surfaces, low, high = (v[seen] for v in (a, b, start, end, surfaces, low, high))
    if not len(a):
        return np.zeros((0, 4)), np.zeros((0, 2), int)
    from_, to = a + (b - a) * low[:, None], a + (b - a) * high[:, None]
    length = np.hypot(*(to - from_).T)
    count = np.clip(np.ceil(length / SPACING), 2, MOST_PLACES).astype(int)
    edge = np.repeat(np.arange(len(a)), count)
    step = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count)
    along = (step + 0.5) / count[edge]
    place = from_[edge] + (to - from_)[edge] * along[:, None]
    away = _depth_along(start[edge], end[edge], low[edge] + (high - low)[edge] * along, camera)
    nearest, farthest = np.full(len(edge), np.inf), np.full(len(edge), -np.inf)
    for dy in AROUND:
        for dx in AROUND:
            x = np.floor(place[:, 0] + dx).astype(int).clip(0, width - 1)
            y = np.floor(place[:, 1] + dy).astype(int).clip(0, height - 1)
            own = (regions[y, x][:, None] == surfaces[edge]).any(axis=1)
            nearest = np.where(own, np.minimum(nearest, depth[y, x]), nearest)
            farthest = np.where(own, np.maximum(farthest, depth[y, x]), farthest)
    # What falls away steeply is farther off at its edge than in the last pixel that it fills.
    steep = np.where(np.isfinite(nearest), farthest - nearest, 0.0)
    visible = away <= farthest * (1 + HIDDEN) + SLACK + steep
    # Runs of places that show, with their ends halfway to the next that does not.
    same = np.append(False, edge[1:] == edge[:-1])
    begins = np.flatnonzero(visible & ~(same & np.append(False, visible[:-1])))
    last = np.append(edge[1:] != edge[:-1], True)
    ends = np.flatnonzero(visible & (last | ~np.append(visible[1:], False)))
    one = from_[edge[begins]] + (to - from_)[edge[begins]] * (step[begins] / count[edge[begins]])[:, None]
    two = from_[edge[ends]] + (to - from_)[edge[ends]] * ((step[ends] + 1) / count[edge[ends]])[:, None]
    return np.concatenate([one, two], axis=1), np.sort(surfaces[edge[begins]], axis=1)


def _inside(a: np.ndarray, b: np.ndarray, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
    """Between which shares of their length segments lie in the picture (Liang and Barsky, ACM TOG 3, 1984)."""
    low, high = np.zeros(len(a)), np.ones(len(a))
    way = b - a
    for axis, most in ((0, width), (1, height)):
        for sign, room in ((-1, a[:, axis]), (1, most - a[:, axis])):
            gain = sign * way[:, axis]
            with np.errstate(divide="ignore", invalid="ignore"):
                share = room / gain
            low = np.where(gain < 0, np.maximum(low, share), low)
            high = np.where(gain > 0, np.minimum(high, share), high)
            high = np.where((gain == 0) & (room < 0), -1.0, high)
    return low, high


def _depth_along(start: np.ndarray, end: np.ndarray, share: np.ndarray, camera: Camera) -> np.ndarray:
    """Depth, m, at shares of the segments' length in the picture."""
    one, two = ((p - camera.position) @ camera.rotation[2] for p in (start, end))
    if camera.projection != "perspective":
        return one + (two - one) * share
    return 1.0 / (1.0 / one + (1.0 / two - 1.0 / one) * share)


def _joined(pieces: np.ndarray, own: np.ndarray) -> np.ndarray:
    """Pieces (P, 4) that touch and run on in one line between the same surfaces, `own` (P, 2), as one."""
    if len(pieces) < 2:
        return pieces
    way = pieces[:, 2:] - pieces[:, :2]
    length = np.maximum(np.hypot(*way.T), 1e-9)
    angle = np.arctan2(way[:, 1], way[:, 0]) % np.pi
    ends = np.round(np.concatenate([pieces[:, :2], pieces[:, 2:]]) * 4).astype(np.int64)
    piece = np.tile(np.arange(len(pieces)), 2)
    keys = np.column_stack([ends, own[piece]])
    _, group = np.unique(keys, axis=0, return_inverse=True)
    order = np.argsort(group.ravel(), kind="stable")
    here, there = order[:-1], order[1:]
    meet = group.ravel()[here] == group.ravel()[there]
    i, j = piece[here[meet]], piece[there[meet]]
    turn = np.abs(angle[i] - angle[j])
    turn = np.minimum(turn, np.pi - turn)
    straight = turn * np.minimum(length[i], length[j]) < STRAIGHT
    i, j = i[straight & (i != j)], j[straight & (i != j)]
    graph = coo_array((np.ones(len(i)), (i, j)), shape=(len(pieces), len(pieces)))
    count, line = connected_components(graph, directed=False)
    longest = np.zeros(count, int)
    by_length = np.argsort(length)
    longest[line[by_length]] = by_length
    base, unit = pieces[longest, :2], way[longest] / length[longest, None]
    reach = np.stack([((pieces[:, k : k + 2] - base[line]) * unit[line]).sum(axis=1) for k in (0, 2)])
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, line, reach.min(axis=0))
    np.maximum.at(high, line, reach.max(axis=0))
    return np.concatenate([base + unit * low[:, None], base + unit * high[:, None]], axis=1)
