"""From the entourage list's places to spots on the ground."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from irodori.core.errors import EntourageError
from irodori.core.sampling import unit_float
from irodori.core.selectors import matching_surfaces, names_of
from irodori.core.structure import Structure
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage import Entry
from irodori.scene.assign import all_surfaces

MOST = 30_000
"""Additions that one entry may bring."""

LEVEL = 0.5
"""Least upward part of a normal on which things stand."""

STEEPEST = 0.4
"""Greatest upward part of a normal on which climbers grow."""


@dataclass(frozen=True)
class Spot:
    """One addition: foot (x, y, z) m, `facing` degrees clockwise from north, `chance` 0 … 1 of its own, and the
    surface it stands on (0: unknown)."""

    foot: tuple[float, float, float]
    facing: float
    chance: float
    surface: int = 0


def chance_at(x: np.ndarray, y: np.ndarray, key: int) -> np.ndarray:
    """A random number 0 … 1 for each place, the same in every view; x, y (N,) are whole numbers."""
    mixed = np.uint32(np.asarray(x, np.int64) * 73856093 & 0xFFFFFFFF) ^ np.uint32(
        np.asarray(y, np.int64) * 19349663 & 0xFFFFFFFF
    )
    return np.array([unit_float(np.uint32(int(m) ^ (key * 2654435761 & 0xFFFFFFFF))) for m in np.atleast_1d(mixed)])


def _chance_of(foot: np.ndarray, seed: int) -> float:
    """The chance of a place of its own, to the centimetre."""
    return float(chance_at(np.round(foot[:1] * 100), np.round(foot[1:2] * 100), seed)[0])


def _bearing(way: np.ndarray) -> float:
    """Degrees clockwise from north of a direction (x, y, …)."""
    return math.degrees(math.atan2(way[0], way[1])) % 360


def spots_of(entry: Entry, structure: Structure, rays: RayScene, seed: int) -> list[Spot]:
    """Where the additions of an entry stand. Raises EntourageError when a place is not in the picture or in the sky."""
    where = entry.where
    climbs = entry.kind.form == "climber"
    if where.way == "at":
        feet = np.array([_drop(p, rays) for p in where.points])
        surfaces = np.zeros(len(feet), int)
    elif where.way == "pixel":
        picked = [_picked(structure, p, entry) for p in where.points]
        feet, surfaces = np.array([p for p, _ in picked]), np.array([s for _, s in picked])
        if climbs:
            return [_against(structure, p, s, entry, seed) for p, s in zip(feet, surfaces)]
    elif where.way in ("line", "along"):
        if where.way == "along":
            corners = np.array([_drop(p, rays) for p in where.points])
            return _along(entry, corners, np.zeros(len(corners), int), seed)
        picked = [_picked(structure, p, entry) for p in where.points]
        return _along(entry, np.array([p for p, _ in picked]), [s for _, s in picked], seed)
    elif where.way == "within":
        return _within(entry, rays, seed)
    else:
        mask = _mask_of(entry, structure)
        return _up_walls(entry, structure, mask, seed) if climbs else _scattered(entry, structure, mask, seed)
    return [_spot(entry, f, _chance_of(f, seed), s) for f, s in zip(feet, surfaces)][: entry.number]


def _spot(entry: Entry, foot, chance: float, surface: int, facing: float | None = None) -> Spot:
    if entry.facing is not None:
        facing = entry.facing
    elif facing is None:
        facing = 360.0 * ((chance * 7.31) % 1)
    return Spot(tuple(float(v) for v in foot), float(facing), float(chance), int(surface))


def _drop(point: tuple[float, ...], rays: RayScene) -> np.ndarray:
    """A point "at": with its own height, or on what lies highest there."""
    if len(point) == 3:
        return np.array(point)
    above = np.array([[point[0], point[1], 500.0]], np.float32)
    distance, hit = rays.closest(above, np.array([[0, 0, -1]], np.float32))
    return np.array([point[0], point[1], 500.0 - distance[0] if hit[0] >= 0 else 0.0])


def _picked(structure: Structure, point, entry: Entry) -> tuple[np.ndarray, int]:
    x, y = point
    width, height = structure.size
    if not (0 <= x < width and 0 <= y < height):
        raise EntourageError(
            f"{entry.kind.name}: pixel {x:g},{y:g} lies outside the picture of {width} × {height} pixels"
        )
    surface = structure.regions[int(y), int(x)]
    if surface == 0:
        raise EntourageError(f"{entry.kind.name}: pixel {x:g},{y:g} shows the sky; pick a pixel where it stands")
    column, row = np.array([int(x) + 0.5]), np.array([int(y) + 0.5])
    origin, way = structure.camera.rays(column, row)
    return (origin + way * structure.depth[int(y), int(x)])[0].astype(float), int(surface)


def _along(entry: Entry, corners: np.ndarray, surfaces, seed: int) -> list[Spot]:
    """One after the other between corners (N, 3) m."""
    spots = []
    step = entry.spacing or entry.kind.spacing or max(entry.kind.spread, 0.8)
    for a, b, surface in zip(corners[:-1], corners[1:], surfaces):
        length = float(np.hypot(*(b - a)[:2]))
        count = max(round(length / step), 1)
        facing = _bearing(b - a)
        for k in range(count):
            foot = a + (b - a) * (k + 0.5) / count
            chance = _chance_of(foot, seed)
            along = facing if entry.kind.family in ("hedge", "vehicles", "loose furniture") else None
            spots.append(_spot(entry, foot, chance, surface, along))
    return spots[: entry.number]


def _mask_of(entry: Entry, structure: Structure) -> np.ndarray:
    """Pixels of an area or of the surfaces that a selector means, (H, W) bool."""
    import cv2

    if entry.where.way == "area":
        mask = np.zeros(structure.regions.shape, np.uint8)
        cv2.fillPoly(mask, [np.round(np.array(entry.where.points)).astype(np.int32)], 1)
        return (mask > 0) & (structure.regions > 0)
    table = all_surfaces(structure)
    ids = matching_surfaces(structure, table, names_of(table), entry.where.selector)
    return np.isin(structure.regions, ids) & (structure.regions > 0)


def points_of(structure: Structure, mask: np.ndarray, most: int = 250_000) -> tuple[np.ndarray, np.ndarray]:
    """World points (N, 3) m and surfaces (N,) of some pixels, about `most` of them evenly."""
    y, x = np.nonzero(mask & np.isfinite(structure.depth))
    stride = max(1, len(x) // most)
    y, x = y[::stride], x[::stride]
    origins, ways = structure.camera.rays(x + 0.5, y + 0.5)
    return (origins + ways * structure.depth[y, x][:, None]).astype(float), structure.regions[y, x]


def _scattered(entry: Entry, structure: Structure, mask: np.ndarray, seed: int) -> list[Spot]:
    """A jittered grid in the world over level ground, so that every view of a model has the same plants."""
    from scipy.spatial import cKDTree

    points, surfaces = points_of(structure, mask & (structure.normal[..., 2] > LEVEL))
    if not len(points):
        return []
    step = _pitch(entry)
    gx, gy, x, y = _jittered(entry, points[:, :2].min(axis=0), points[:, :2].max(axis=0), step, seed)
    # Only where the picture shows the ground; far away pixels lie further apart.
    away, near = cKDTree(points[:, :2]).query(np.column_stack([x, y]))
    camera = structure.camera
    depth = (points[near] - camera.position) @ camera.rotation[2]
    reach = np.maximum(0.35 * step, np.minimum(6 * camera.footprint(np.maximum(depth, 0.1)), 2 * step))
    shown = np.flatnonzero(away < reach)
    shown, chance = _fewest(entry, shown, chance_at(gx[shown], gy[shown], seed))
    feet = np.column_stack([x[shown], y[shown], points[near[shown], 2]])
    return [_spot(entry, f, c, s) for f, c, s in zip(feet, chance, surfaces[near[shown]])]


def _pitch(entry: Entry) -> float:
    return entry.spacing or entry.kind.spacing or max(entry.kind.spread * 0.9, 0.5)


def _jittered(entry: Entry, low: np.ndarray, high: np.ndarray, step: float, seed: int):
    """Cells of a grid between two corners (x, y) m, and a place in each: column, row, x, y (N,)."""
    first, last = np.floor(low / step).astype(int), np.ceil(high / step).astype(int)
    if np.prod((last - first + 1).astype(float)) > 40 * MOST:
        raise EntourageError(f"{entry.kind.name}: the area is too large for a spacing of {step:g} m; widen it")
    gx, gy = (g.ravel() for g in np.meshgrid(np.arange(first[0], last[0] + 1), np.arange(first[1], last[1] + 1)))
    x = (gx + 0.5 + 0.8 * (chance_at(gx, gy, seed + 1) - 0.5)) * step
    y = (gy + 0.5 + 0.8 * (chance_at(gx, gy, seed + 2) - 0.5)) * step
    return gx, gy, x, y


def _fewest(entry: Entry, index: np.ndarray, chance: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Those of some places that the entry's number allows."""
    if len(index) > MOST and entry.number is None:
        raise EntourageError(f"{entry.kind.name}: {len(index)} would stand there, more than {MOST}; widen the spacing")
    best = np.sort(np.argsort(chance, kind="stable")[: entry.number])
    return index[best], chance[best]


def _within(entry: Entry, rays: RayScene, seed: int) -> list[Spot]:
    """A jittered grid inside a polygon in plan, set down on what lies highest there."""
    import cv2

    outline = np.array(entry.where.points, np.float32)
    step = _pitch(entry)
    gx, gy, x, y = _jittered(entry, outline.min(axis=0), outline.max(axis=0), step, seed)
    inside = [cv2.pointPolygonTest(outline, (float(a), float(b)), False) >= 0 for a, b in zip(x, y)]
    index, chance = _fewest(entry, np.flatnonzero(inside), chance_at(gx[inside], gy[inside], seed))
    return [_spot(entry, _drop((x[i], y[i]), rays), c, 0) for i, c in zip(index, chance)]


def _up_walls(entry: Entry, structure: Structure, mask: np.ndarray, seed: int) -> list[Spot]:
    """Climbers along the foot of each wall in the mask."""
    spots = []
    steep = mask & (np.abs(structure.normal[..., 2]) < STEEPEST)
    for surface in np.unique(structure.regions[steep]):
        own = steep & (structure.regions == surface)
        points, _ = points_of(structure, own)
        if not len(points):
            continue
        normal = np.median(structure.normal[own], axis=0)
        along = np.array([-normal[1], normal[0]]) / max(np.hypot(normal[0], normal[1]), 1e-6)
        place = points[:, :2] @ along
        step = entry.spacing or entry.kind.spacing
        facing = _bearing(normal)
        for k in range(math.floor(place.min() / step), math.ceil(place.max() / step)):
            here = np.flatnonzero((place >= k * step) & (place < (k + 1) * step))
            if len(here) < 4:
                continue
            foot = points[here[points[here, 2].argmin()]]
            spots.append(_spot(entry, foot, chance_at([k], [surface], seed)[0], surface, facing))
    return spots[: entry.number]


def _against(structure: Structure, foot: np.ndarray, surface: int, entry: Entry, seed: int) -> Spot:
    """A climber at a picked pixel of a wall."""
    normal = np.median(structure.normal[structure.regions == surface], axis=0)
    if abs(normal[2]) > STEEPEST:
        raise EntourageError(f"{entry.kind.name} climbs walls; pick a pixel at a wall's foot")
    return _spot(entry, foot, _chance_of(foot, seed), surface, _bearing(normal))
