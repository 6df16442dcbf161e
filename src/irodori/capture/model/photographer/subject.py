"""What a model is about: the building amid its plate, neighbours and planting, told by names, size, detail and what stands together."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from irodori.core.model import ModelData
from irodori.core.work.kept import Kept

BACKGROUND = ("ground", "water", "context", "lawn", "planting", "sky", "paving", "person", "vehicle")
"""Roles of what lies or stands about the subject."""

BUILT = ("wall", "roof", "glazing", "door", "column", "frame", "soffit", "sign", "railing", "stair", "ceiling")
"""Roles of what tells where a building stands."""

ASIDE = re.compile(
    r"\b(?:neighbou?r|context|surround|adjacent|existing|umgebung|nachbar|bestand|voisin|contexte|contesto|vicino|vecino|entorno)",
    re.I,
)
"""Words in the names of what is not designed."""

DETAIL = {"door": 8.0, "sign": 4.0, "glazing": 3.0, "frame": 2.0, "railing": 1.5, "column": 1.5}
"""How much a m² of each role says that somebody designed this; 1 for all else."""

CELLS = 256
"""Cells along the longer side of the plan in which one looks for what stands together."""

MANY = 200_000
"""Corners from which those inside the plan are sorted out before its hull is drawn."""

APART = 1.2
"""m between things up to which they stand together."""

ALSO = 0.3
"""Share of the largest cluster's weight from which another near it belongs to the subject, too."""


@dataclass(frozen=True, eq=False)
class Subject:
    """What a model is about.

    Attributes
    ----------
    own
        (S,) bool by surface id.
    low, high
        (3,) m, its corners.
    ground
        Level that one stands on beside it, m.
    role
        (S,) role by surface id.
    part
        (S,) int: which named object each surface belongs to.
    corners
        (N, 3) m: the outline of its plan, at its foot and at its top.
    """

    own: np.ndarray
    low: np.ndarray
    high: np.ndarray
    ground: float
    role: np.ndarray
    part: np.ndarray
    corners: np.ndarray

    @property
    def size(self) -> np.ndarray:
        """Its extent, (3,) m."""
        return self.high - self.low


_subjects: Kept[Subject] = Kept()
"""Subjects of models in use: each view and the land about them ask for the same one."""


def subject_of(data: ModelData) -> Subject:
    """What a model is about: all that is no background, of the buildings that are drawn in most detail."""
    return _subjects.of(data.mesh, data.digest, lambda: _subject_of(data))


def _subject_of(data: ModelData) -> Subject:
    table, sizes = data.surfaces, data.mesh.measures
    ids = table["id"].to_numpy()
    count = int(max(ids.max(), data.mesh.surface.max())) + 1
    role = np.full(count, "", dtype=object)
    role[ids] = table["role"].to_numpy(object)
    part = np.zeros(count, int)
    part[ids] = table.groupby(["name", "material"], sort=False).ngroup().to_numpy()
    aside = np.zeros(count, bool)
    aside[ids] = [ASIDE.search(re.sub(r"[_\-.]", " ", name)) is not None for name in table["name"]]
    main = ~np.isin(role, ["", *BACKGROUND]) & ~aside & (np.arange(count) < len(sizes.area))
    if not main.any():
        main = (role != "") & (np.arange(count) < len(sizes.area))
    built = main & np.isin(role, BUILT)
    seeds = np.flatnonzero(built if built.any() else main)
    seeds = seeds[sizes.area[seeds] > 0]
    own = main.copy()
    if len(seeds):
        low, high = _where(
            sizes.low[seeds].astype(float),
            sizes.high[seeds].astype(float),
            [_weight(role[s], sizes.area[s]) for s in seeds],
        )
        middle = np.where(
            (sizes.area > 0)[:, None], (sizes.low + np.where(np.isfinite(sizes.high), sizes.high, 0)) / 2, np.inf
        )[:count]
        inside = ((middle[:, :2] > low - APART) & (middle[:, :2] < high + APART)).all(axis=1)
        own[: len(inside)] &= inside
        broad = sizes.high[: len(inside), :2] - sizes.low[: len(inside), :2]
        # A plate under all, whatever it is called.
        own[: len(inside)] &= ~(
            (broad > 1.6 * (high - low) + 2).any(axis=1) & np.isin(role[: len(inside)], ("floor", "slab", "other"))
        )
    if not own.any():
        own = main
    held = np.flatnonzero(own)
    held = held[sizes.area[held] > 0]
    low, high = sizes.low[held].min(axis=0).astype(float), sizes.high[held].max(axis=0).astype(float)
    return Subject(own, low, high, _ground(data, low, high), role, part, _outline(data, own, low, high))


def _weight(role: str, area: float) -> float:
    return DETAIL.get(role, 1.0) * min(float(area), 400.0)


def _where(low: np.ndarray, high: np.ndarray, weight: list[float]) -> tuple[np.ndarray, np.ndarray]:
    """Corners in plan of the cluster of boxes (N, 3) that weighs most, with others near it that weigh much."""
    from scipy.ndimage import label

    begin, extent = low[:, :2].min(axis=0), np.ptp(np.concatenate([low, high])[:, :2], axis=0)
    cell = max(APART, float(extent.max()) / CELLS)
    a = ((low[:, :2] - begin) / cell).astype(int) + 1
    b = ((high[:, :2] - begin) / cell).astype(int) + 1
    grid = np.zeros(b.max(axis=0) + 2, bool)
    for (x0, y0), (x1, y1) in zip(a, b):
        grid[x0 : x1 + 1, y0 : y1 + 1] = True
    found, number = label(grid, np.ones((3, 3)))
    of = found[tuple(((a + b) // 2).T)]
    # What stands in the middle of a courtyard lies on no cell of its own.
    weights = np.bincount(of, weight, number + 1)
    weights[0] = 0
    boxes = {k: (low[of == k, :2].min(axis=0), high[of == k, :2].max(axis=0)) for k in np.flatnonzero(weights > 0)}
    best = int(weights.argmax())
    first, last = boxes[best]
    reach = float(np.linalg.norm(last - first))
    for k, (c, d) in boxes.items():
        gap = np.maximum(np.maximum(first - d, c - last), 0)
        if weights[k] > ALSO * weights[best] and np.linalg.norm(gap) < 0.35 * reach:
            first, last = np.minimum(first, c), np.maximum(last, d)
    return first, last


def _outline(data: ModelData, own: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Corners of the hull of a subject's plan, at its foot and its top: what stands askew fills less than its box."""
    import cv2

    plan = np.ascontiguousarray(data.mesh.triangles[own[data.mesh.surface]].reshape(-1, 3)[:, :2], np.float32)
    if len(plan) > MANY:
        # What lies within the hull of a few is no corner of the whole (Akl and Toussaint, IPL 7, 1978).
        a, b = plan @ np.float32([1, 1]), plan @ np.float32([1, -1])
        ends = np.concatenate([plan[[v.argmin(), v.argmax()]] for v in (plan[:, 0], plan[:, 1], a, b)])
        few = cv2.convexHull(ends).reshape(-1, 2)
        side = np.roll(few, -1, axis=0) - few
        turn = np.sign(side[0, 0] * side[1, 1] - side[0, 1] * side[1, 0])
        inside = np.ones(len(plan), bool)
        for corner, way in zip(few, side):
            inside &= turn * (way[0] * (plan[:, 1] - corner[1]) - way[1] * (plan[:, 0] - corner[0])) > 0
        plan = np.concatenate([plan[~inside], ends])
    hull = cv2.convexHull(plan).reshape(-1, 2).astype(float)
    return np.concatenate([np.column_stack([hull, np.full(len(hull), z)]) for z in (low[2], high[2])])


def _ground(data: ModelData, low: np.ndarray, high: np.ndarray) -> float:
    """Level of the ground about a subject: the lowest broad level that is walked on there, else its foot."""
    table, sizes = data.surfaces, data.mesh.measures
    flat = table[(table["nz"] > 0.9) & table["role"].isin(["paving", "ground", "lawn", "floor"])]
    ids = flat["id"].to_numpy()
    ids = ids[ids < len(sizes.area)]
    reach = 0.5 * (high - low)[:2] + 4
    near = ((sizes.high[ids, :2] > low[:2] - reach) & (sizes.low[ids, :2] < high[:2] + reach)).all(axis=1)
    outside = ((sizes.low[ids, :2] < low[:2] - 1) | (sizes.high[ids, :2] > high[:2] + 1)).any(axis=1)
    ids = ids[near & outside & (np.abs(sizes.high[ids, 2] - low[2]) < 0.5 * (high - low)[2] + 3)]
    if not len(ids):
        return float(low[2])
    return float(sizes.high[ids[sizes.area[ids].argmax()], 2])
