"""Where things that a brief asks for stand: on what they may stand on, in the place that was said, apart from each other."""

from __future__ import annotations

import numpy as np

from irodori.brief.brief import Place
from irodori.core.structure import Structure
from irodori.entourage.catalogue import Kind
from irodori.scene.additions import PROTECTED
from irodori.scene.asked.places import Places
from irodori.scene.placing import points_of

GROWS_ON = ("lawn", "ground", "context")
STANDS_ON = ("paving", "floor", "ground", "slab", "lawn")
FLOATS = ("boat", "sailing boat")
PLANTS = ("broadleaf", "conifer", "shrub", "clipped", "hedge", "grass", "bed", "climber")

SOME = {
    "person": 3,
    "broadleaf": 4,
    "conifer": 4,
    "shrub": 5,
    "boat": 2,
    "sailing boat": 2,
    "bicycle": 3,
    "bench": 2,
    "planter": 3,
    "car": 2,
}
"""How many "some" are."""

NEAREST, FARTHEST = 3.0, 90.0
"""m from the eye between which things stand."""

APART = {
    "person": 1.3,
    "broadleaf": 4.5,
    "conifer": 3.5,
    "shrub": 1.4,
    "boat": 5.0,
    "sailing boat": 9.0,
    "car": 6.0,
    "bicycle": 0.9,
}
CROWN, LEAST_COVER = 0.22, 0.05
"""Half a crown's width over its height; share of its outline that may lie before architecture."""

BODY = 4000
"""Points of what something stands by that distances are measured to."""

CLOSE = 2.6
"""m within which something is by something else."""


def spots_for(places: Places, kind: Kind, place: Place, count: int, seed: int) -> tuple[np.ndarray, str]:
    """Points (N, 3) m in the world for up to `count` things of a kind, and why there are fewer or none.

    The same structure and seed give the same points.
    """
    structure = places.structure
    roles = ("water",) if kind.form in FLOATS else GROWS_ON if kind.form in PLANTS else STANDS_ON
    if kind.name == "reeds":
        roles = (*GROWS_ON, "water")
    allowed = np.isin(structure.regions, structure.of_role(*roles)) & (structure.normal[..., 2] > 0.9)
    if kind.form in PLANTS and allowed.sum() < 400:
        allowed |= np.isin(structure.regions, structure.of_role("paving")) & (structure.normal[..., 2] > 0.9)
    if place.relation == "on" and kind.form not in FLOATS:
        # Who says where says what it stands on.
        allowed |= (
            places.mask_of(place.to)
            & (structure.normal[..., 2] > 0.9)
            & ~np.isin(structure.regions, structure.of_role("water"))
        )
    allowed &= np.isfinite(structure.depth)
    if place.relation == "behind" and kind.form in PLANTS:
        hidden = _behind(places, place.to, count, seed)
        if len(hidden):
            return hidden, ""
    if not allowed.any():
        return np.zeros((0, 3)), f"nothing in sight that a {kind.name} could stand on"
    points, spots = _points(structure, allowed, seed)
    chosen = _chosen(places, points, spots, place)
    if not chosen.any():
        return np.zeros((0, 3)), f"no free ground {place} in sight"
    away = np.linalg.norm(points - structure.camera.position, axis=1)
    chosen &= (away > NEAREST) & (away < FARTHEST)
    # What is tall stands where all of it is seen, if there is such a place.
    for better in (_in_sight(structure, points, kind.height), _clear(structure, points, kind)):
        if (chosen & better).sum() >= 4 * count:
            chosen = chosen & better
    apart = APART.get(kind.form, 2.0)
    # What else a brief asks for moves nothing.
    rng = np.random.default_rng([seed, *kind.name.encode(), *str(place).encode()])
    found: list[np.ndarray] = []
    for index in rng.permutation(np.flatnonzero(chosen))[:4000]:
        if all(np.hypot(*(points[index] - other)[:2]) > apart for other in found):
            found.append(points[index])
            if len(found) == count:
                break
    note = "" if len(found) == count else f"room for {len(found)} of {count}"
    return np.array(found).reshape(-1, 3), note


def _behind(places: Places, name: str, count: int, seed: int) -> np.ndarray:
    """Points (N, 3) beyond something, in a row along its far side: the ground there is hidden by it."""
    structure = places.structure
    mask = places.mask_of(name) & np.isfinite(structure.depth)
    if not mask.any() or structure.camera.projection != "perspective":
        return np.zeros((0, 3))
    body, _ = points_of(structure, mask, BODY)
    if structure.mesh is not None:
        own = np.isin(structure.mesh.surface, np.unique(structure.regions[mask]))
        body = np.concatenate([body, structure.mesh.triangles[own].mean(axis=1).astype(float)])
    ahead = structure.camera.rotation[2] * (1, 1, 0)
    ahead /= max(np.linalg.norm(ahead), 1e-6)
    across = np.array([ahead[1], -ahead[0], 0.0])
    low, high = np.quantile(body @ across, (0.05, 0.95))
    far = np.quantile(body @ ahead, 0.98)
    rng = np.random.default_rng([seed, *name.encode(), count])
    places_across = low + (np.arange(count) + rng.uniform(0.25, 0.75, count)) / count * (high - low)
    depth = far + rng.uniform(2.5, 6.0, count)
    ground = np.quantile(body[:, 2], 0.02)
    return places_across[:, None] * across + depth[:, None] * ahead + np.array([0.0, 0.0, ground])


def _in_sight(structure: Structure, points: np.ndarray, height: float) -> np.ndarray:
    """Points (N,) bool on which something `height` m tall keeps its top in the picture."""
    tops, depth = structure.camera.project(points + [0.0, 0.0, height])
    wide, high = structure.size
    return (depth > 0) & (tops[:, 1] > 0.01 * high) & (tops[:, 0] > 0) & (tops[:, 0] < wide)


def _clear(structure: Structure, points: np.ndarray, kind: Kind) -> np.ndarray:
    """Points (N,) bool on which a plant would stand before next to no architecture: such would be left out."""
    if kind.form not in PLANTS:
        return np.ones(len(points), bool)
    built = np.isin(structure.regions, structure.of_role(*PROTECTED))
    wide, high = structure.size
    out = np.zeros(len(points), bool)
    reach = structure.camera.rotation[0] * kind.height * CROWN
    for index in range(0, len(points), max(1, len(points) // 1500)):
        corners = points[index] + np.array([-reach, reach, [0, 0, kind.height] - reach, [0, 0, kind.height] + reach])
        box, depth = structure.camera.project(corners)
        low = np.clip(np.floor(box.min(axis=0)), 0, (wide - 1, high - 1)).astype(int)
        top = np.clip(np.ceil(box.max(axis=0)), 1, (wide, high)).astype(int)
        behind = np.s_[low[1] : max(top[1], low[1] + 1), low[0] : max(top[0], low[0] + 1)]
        covered = built[behind] & (structure.depth[behind] > depth.mean())
        out[index] = covered.mean() < LEAST_COVER
    return out


def _points(structure: Structure, allowed: np.ndarray, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Points (N, 3) spread evenly over the ground that may be stood on, and their pixels (N, 2) as x, y."""
    import cv2

    inner = cv2.erode(allowed.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    y, x = np.nonzero(inner if inner.any() else allowed)
    origins, ways = structure.camera.rays(x + 0.5, y + 0.5)
    depth = structure.depth[y, x]
    # As many from a square metre far away as from a near one.
    weight = structure.camera.footprint(depth).astype(float) ** 2 / np.maximum(
        np.abs(ways[:, 2]) / np.linalg.norm(ways, axis=1), 0.02
    )
    near = depth < FARTHEST
    weight = np.where(near, weight, 0)
    if not weight.sum():
        weight = np.ones(len(y))
    pick = np.random.default_rng(seed).choice(len(y), min(len(y), 6000), p=weight / weight.sum())
    points = (origins + ways * depth[:, None])[pick].astype(float)
    return points, np.stack([x, y], axis=1)[pick]


def _chosen(places: Places, points: np.ndarray, spots: np.ndarray, place: Place) -> np.ndarray:
    """Which points are in the place that was said, (N,) bool."""
    structure = places.structure
    width = structure.regions.shape[1]
    x = spots[:, 0] / width
    if not place.to or place.to in ("inside", "outside", "horizon"):
        return np.ones(len(points), bool)
    if not place.relation or place.to in ("left", "right", "centre", "foreground", "background"):
        depth = structure.depth[spots[:, 1], spots[:, 0]]
        near, far = np.quantile(depth, 0.3), np.quantile(depth, 0.6)
        return {
            "left": x < 0.4, "right": x > 0.6, "centre": (x > 0.33) & (x < 0.67), "foreground": depth <= near, "background": depth >= far,
        }.get(place.to, np.ones(len(points), bool))  # fmt: skip
    mask = places.mask_of(place.to)
    if not mask.any():
        return np.zeros(len(points), bool)
    if place.relation == "on":
        return mask[spots[:, 1], spots[:, 0]]
    rows, columns = np.nonzero(mask & np.isfinite(structure.depth))
    body, _ = points_of(structure, mask, BODY)
    from scipy.spatial import cKDTree

    distance, _ = cKDTree(body[:, :2]).query(points[:, :2])
    far = np.median(structure.depth[rows, columns])
    depth = structure.depth[spots[:, 1], spots[:, 0]]
    across = (spots[:, 0] >= columns.min() - 0.05 * width) & (spots[:, 0] <= columns.max() + 0.05 * width)
    on = mask[spots[:, 1], spots[:, 0]]
    if place.relation == "before":
        return (depth < far) & across & (distance < 9) & (distance > 0.5) & ~on
    if place.relation == "behind":
        return (depth > far) & across & ~on
    if place.relation == "along":
        return (distance < CLOSE) & (distance > 0.2)
    return (distance < CLOSE) & (distance > 0.45)
