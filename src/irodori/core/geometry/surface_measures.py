"""What the triangles of each surface measure together, gathered in two passes over a mesh."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numba import njit

from irodori.core.geometry.frames import unit_rows

FLAT = 0.9994
"""Cosine between triangles of one flat surface."""

UPRIGHT = 0.95
"""Level part of the normal from which a surface stands."""

HASH, OWNER = np.array([73_856_093, 19_349_663, 83_492_791]), 1_000_003
"""Primes that make one number of a point, mm, and of a surface's id (Teschner et al., VMV 2003)."""


@dataclass(frozen=True, eq=False)
class SurfaceMeasures:
    """Measures by surface id, m and m²; inf and 0 for ids without triangles.

    Attributes
    ----------
    low, high
        (S, 3) float32, corners of the bounding box.
    area
        (S,) float32.
    laying
        (S,) float32, radians from east: the main direction of the outer edges of level triangles.
    front
        (S, 3) float32, unit normal of flat upright surfaces; 0 for all others.
    left, width
        (S,) float32: where those begin along their level axis (−ny, nx), and how long they are.
    """

    low: np.ndarray
    high: np.ndarray
    area: np.ndarray
    laying: np.ndarray
    front: np.ndarray
    left: np.ndarray
    width: np.ndarray

    def upto(self, count: int) -> SurfaceMeasures:
        """The measures of ids below `count`; ids beyond the mesh's have none."""
        out = []
        for f in fields(self):
            have = getattr(self, f.name)
            fill = np.inf if f.name == "low" else -np.inf if f.name == "high" else 0.0
            more = np.full((max(count - len(have), 0), *have.shape[1:]), fill, np.float32)
            out.append(np.concatenate([have[:count], more]))
        return SurfaceMeasures(*out)

    def with_parts(self, parts: dict[int, int]) -> SurfaceMeasures:
        """The measures with those of parts, which are their surfaces'."""
        wide = self.upto(max(max(parts), max(parts.values())) + 1)
        for f in fields(wide):
            getattr(wide, f.name)[list(parts)] = getattr(wide, f.name)[list(parts.values())]
        return wide


@njit(cache=True, nogil=True)
def _sum_up(triangles, surface, low, high, area, normal, level):
    for t in range(len(triangles)):
        s = surface[t]
        for c in range(3):
            for k in range(3):
                low[s, k] = min(low[s, k], triangles[t, c, k])
                high[s, k] = max(high[s, k], triangles[t, c, k])
        nx, ny, nz = _cross(triangles, t)
        size = np.sqrt(nx * nx + ny * ny + nz * nz)
        area[s] += 0.5 * size
        normal[s, 0] += nx
        normal[s, 1] += ny
        normal[s, 2] += nz
        level[t] = abs(nz) > 0.9 * size


def _mixed(keys: np.ndarray) -> np.ndarray:
    """Keys so mixed that sums of two tell which two (SplitMix64: Steele, Lea and Flood, OOPSLA 2014). One sort of the sums then
    finds equal edges, where rows of three numbers, as trimesh's or SciPy's grouping takes, need three times as long."""
    z = keys.astype(np.uint64)
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        z = (z ^ (z >> np.uint64(shift))) * np.uint64(factor)
    return z ^ (z >> np.uint64(31))


def edges_of(triangles: np.ndarray, surface: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges of triangles (T, 3, 3), m, with ids `surface` (T,): ends (3 T, 2, 3), ids (3 T,), and which are outer, (3 T,)
    bool: no other triangle of that surface shares them."""
    ends = np.stack([triangles[:, [0, 1, 2]], triangles[:, [1, 2, 0]]], axis=2).reshape(-1, 2, 3)
    owner = np.repeat(surface, 3).astype(np.int64)
    place = _mixed(np.rint(ends.astype(np.float64) * 1000).astype(np.int64) @ HASH)
    # The same for either direction; mixed first, or the two diagonals of a square would be one edge.
    key = place[:, 0] + place[:, 1] + owner.astype(np.uint64) * np.uint64(OWNER)
    _, which, times = np.unique(key, return_inverse=True, return_counts=True)
    return ends, owner, times[which] == 1


def _turns(triangles: np.ndarray, surface: np.ndarray, count: int) -> np.ndarray:
    """Sums (S, 4) of the cosine and sine of four and of two times the direction of each edge, by its squared length.

    Opposite and square directions add up. Only outer edges count: how a face was cut into triangles tells nothing.
    """
    ends, owner, outer = edges_of(triangles, surface)
    has = np.bincount(owner[outer], minlength=count) > 0
    outer |= ~has[owner]
    way = (ends[outer, 1, :2] - ends[outer, 0, :2]).astype(np.float64)
    angle, weight, own = np.arctan2(way[:, 1], way[:, 0]), (way**2).sum(axis=1), owner[outer]
    waves = np.cos(4 * angle), np.sin(4 * angle), np.cos(2 * angle), np.sin(2 * angle)
    return np.stack([np.bincount(own, wave * weight, minlength=count) for wave in waves], axis=1)


@njit(cache=True, nogil=True)
def _cross(triangles, t):
    ax, ay, az = triangles[t, 0]
    ux, uy, uz = triangles[t, 1, 0] - ax, triangles[t, 1, 1] - ay, triangles[t, 1, 2] - az
    vx, vy, vz = triangles[t, 2, 0] - ax, triangles[t, 2, 1] - ay, triangles[t, 2, 2] - az
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@njit(cache=True, nogil=True)
def _find_ends(triangles, surface, front, flat, left, right):
    for t in range(len(triangles)):
        s = surface[t]
        if not flat[s]:
            continue
        nx, ny, nz = _cross(triangles, t)
        size = np.sqrt(nx * nx + ny * ny + nz * nz)
        if size > 1e-9 and nx * front[s, 0] + ny * front[s, 1] + nz * front[s, 2] < FLAT * size:
            flat[s] = False
            continue
        level = np.sqrt(front[s, 0] * front[s, 0] + front[s, 1] * front[s, 1])
        for c in range(3):
            place = (triangles[t, c, 1] * front[s, 0] - triangles[t, c, 0] * front[s, 1]) / level
            left[s] = min(left[s], place)
            right[s] = max(right[s], place)


def surface_measures(triangles: np.ndarray, surface: np.ndarray) -> SurfaceMeasures:
    """Measure the surfaces of triangles (T, 3, 3) float32 with ids `surface` (T,) int32."""
    count = int(surface.max(initial=0)) + 1
    low, high = np.full((count, 3), np.inf, np.float32), np.full((count, 3), -np.inf, np.float32)
    area, normal, level = np.zeros(count), np.zeros((count, 3)), np.zeros(len(triangles), np.bool_)
    _sum_up(triangles, surface, low, high, area, normal, level)
    turns = _turns(triangles[level], surface[level], count)
    square, longer = np.arctan2(turns[:, 1], turns[:, 0]) / 4, np.arctan2(turns[:, 3], turns[:, 2]) / 2
    laying = square + np.round((longer - square) / (np.pi / 2)) * np.pi / 2
    front = unit_rows(normal)
    flat = np.hypot(front[:, 0], front[:, 1]) > UPRIGHT
    left, right = np.full(count, np.inf), np.full(count, -np.inf)
    _find_ends(triangles, surface, front, flat, left, right)
    flat &= right > left
    as_floats = (low, high, area, laying, np.where(flat[:, None], front, 0), np.where(flat, left, 0))
    width = np.subtract(right, left, out=np.zeros(count), where=flat)
    return SurfaceMeasures(*(a.astype(np.float32) for a in as_floats), width.astype(np.float32))
