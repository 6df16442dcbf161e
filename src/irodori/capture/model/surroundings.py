"""What lies about a model: its plate goes on outwards, so that no edge of it shows, from the ground or from the air."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import pandas as pd

from irodori.capture.model.photographer import Subject, subject_of
from irodori.core.geometry.frames import face_normals
from irodori.core.model import SMALLEST_BUILDING, SURROUNDINGS, ModelData

FAR = (12.0, 40.0, 150.0)
"""m outwards to which the rings of land near a model reach; narrow ones keep its rays exact."""

FIELDS, BEYOND = 2600.0, (6000.0, 15_000.0, 40_000.0)
"""m outwards to which land is parted into fields, and to which plain land goes on beyond them."""

FIELD = (70.0, 240.0)
"""m of the sides of a field."""

TONES = ((1.0, 1.0, 1.0), (1.25, 1.08, 0.9), (0.8, 0.86, 0.85), (1.9, 1.45, 1.2), (1.1, 1.16, 1.0))
"""Colours of fields, by that of the land: meadows, one that is ripe."""

ENOUGH = 300.0
"""m beyond its subject from which a model's own land needs no more."""

FLAT = ("ground", "lawn", "paving", "water", "floor", "slab", "roof")
"""Roles of what can be a plate."""

CITY, BULKY = 24.0, 300.0
"""m of height from which a building stands in a city, and m² of its plan, or it may be a church in a village."""

LAND: dict[str, tuple[str, tuple[float, float, float]]] = {
    "lawn": ("lawn", (0.13, 0.2, 0.07)), "ground": ("ground", (0.24, 0.22, 0.15)), "water": ("water", (0.06, 0.12, 0.14)),
    "city": ("ground", (0.26, 0.26, 0.25)), "table": ("other", (0.72, 0.72, 0.7)),
    "plain": ("ground", (0.42, 0.4, 0.37)),
}  # fmt: skip
"""Kinds of land: the role of each, and its colour, linear."""


@dataclass(frozen=True)
class _Plate:
    """What a model stands on: its corners in plan, its level at the rim, and its role and colour there."""

    low: np.ndarray
    high: np.ndarray
    level: float
    role: str
    colour: tuple[float, float, float]


def with_surroundings(data: ModelData) -> ModelData:
    """The model amid land that goes on to the horizon, unless its own does."""
    subject = subject_of(data)
    plate = _plate(data, subject)
    low, high = data.mesh.bounds()
    if plate is not None and min((subject.low - low)[:2].min(), (high - subject.high)[:2].min()) > ENOUGH:
        return data
    role, colour = LAND[_land(data, subject, plate)]
    if plate is not None and plate.role == role:
        colour = plate.colour
    level = plate.level if plate is not None else float(subject.low[2]) - 0.01
    table = data.surfaces
    first, rows, soups, ids = int(table["id"].max()) + 1, [], [], []
    for number, flat in enumerate(_pieces(subject, plate, parted=role == "lawn")):
        if not len(flat):
            continue
        tone = np.clip(np.array(colour) * TONES[number], 0.01, 0.8)
        triangles = np.concatenate([flat, np.full((*flat.shape[:2], 1), level)], axis=-1)
        rows.append({
            "id": first + number, "name": SURROUNDINGS, "material": "grass" if number else "", "role": "ground" if number else role, "colour": tuple(float(t) for t in tone), "opacity": 1.0,
            "nx": 0.0, "ny": 0.0, "nz": 1.0, "offset": level, "area_m2": float(np.linalg.norm(face_normals(triangles), axis=1).sum() / 2),
        })  # fmt: skip
        soups.append(triangles.astype(np.float32))
        ids.append(np.full(len(triangles), first + number, np.int32))
    mesh = data.mesh.with_triangles(np.concatenate(soups), np.concatenate(ids))
    return replace(data, mesh=mesh, surfaces=pd.concat([table, pd.DataFrame(rows)], ignore_index=True))


def _plate(data: ModelData, subject: Subject) -> _Plate | None:
    """The broad level things about a subject's foot, taken together; None when there are none beyond it."""
    table, sizes = data.surfaces, data.mesh.measures
    flat = table[(table["nz"] > 0.97) & table["role"].isin(FLAT)]
    ids = flat["id"].to_numpy()
    rise = sizes.high[ids, 2]
    near_foot = (rise > subject.ground - 3.5) & (rise < subject.ground + 1.0)
    broad = (sizes.high[ids, :2] - sizes.low[ids, :2]).min(axis=1) > 0.25 * subject.size[:2].max()
    ids = ids[
        near_foot & broad & ~subject.own[ids]
        | (near_foot & (sizes.area[ids] > 1.2 * subject.size[0] * subject.size[1]))
    ]
    if not len(ids):
        return None
    low, high = sizes.low[ids, :2].min(axis=0).astype(float), sizes.high[ids, :2].max(axis=0).astype(float)
    if ((high - low) < subject.size[:2] + 1.0).all():
        return None
    # At its rim lies what reaches furthest; of that the largest.
    rim = ((sizes.low[ids, :2] < low + 0.6) | (sizes.high[ids, :2] > high - 0.6)).sum(axis=1)
    best = ids[np.lexsort((sizes.area[ids], rim))[-1]]
    own = table[table["id"] == best].iloc[0]
    return _Plate(low, high, float(sizes.high[best, 2]), str(own["role"]), tuple(float(c) for c in own["colour"]))


def _land(data: ModelData, subject: Subject, plate: _Plate | None) -> str:
    """What kind of land goes on about a model."""
    if not data.sources:
        return "plain"  # put together in memory, for a sheet or a sample
    if subject.size.max() < SMALLEST_BUILDING:
        return "table"
    if plate is not None and plate.role in ("lawn", "water"):
        return plate.role
    own = subject.role[subject.own]
    if plate is None and "roof" not in own and "ceiling" in own:
        return "city"  # before the windows of a room lies no meadow that would colour it
    neighbours = (data.surfaces["role"] == "context").sum()
    tall = subject.size[2] > CITY and subject.size[0] * subject.size[1] > BULKY
    if tall or (neighbours >= 6 and (plate is None or plate.role in ("paving", "floor", "slab"))):
        return "city"
    return "ground" if plate is not None and plate.role == "ground" else "lawn"


def _pieces(subject: Subject, plate: _Plate | None, parted: bool) -> list[np.ndarray]:
    """Level triangles (T, 3, 2) about a plate, or all about a subject: plain land, then fields of each further tone."""
    middle = (subject.low + subject.high)[:2] / 2
    low, high = (plate.low, plate.high) if plate is not None else (middle, middle)
    plain = [_ring(low, high, a, b) for a, b in zip((0.0, *FAR[:-1]), FAR)]
    fields: list[list[np.ndarray]] = [[] for _ in TONES]
    if parted:
        rng = np.random.default_rng(11)
        for field in _parted(_frame(low, high, FAR[-1], FIELDS), rng):
            fields[int(rng.integers(len(TONES)))].append(_oblong(*field))
        plain += fields[0]
    else:
        plain.append(_ring(low, high, FAR[-1], FIELDS))
    plain += [_ring(low, high, a, b) for a, b in zip((FIELDS, *BEYOND[:-1]), BEYOND)]
    return [_solid(plain), *(_solid(some) for some in fields[1:])]


def _solid(pieces: list[np.ndarray]) -> np.ndarray:
    """Triangles with an area."""
    flat = np.concatenate(pieces) if pieces else np.zeros((0, 3, 2))
    sides = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    return flat[np.abs(sides[0][:, 0] * sides[1][:, 1] - sides[0][:, 1] * sides[1][:, 0]) > 1e-6]


def _oblong(low: np.ndarray, high: np.ndarray) -> np.ndarray:
    a, b, c, d = low, np.array([high[0], low[1]]), high, np.array([low[0], high[1]])
    return np.array([(a, b, c), (a, c, d)])


def _frame(low: np.ndarray, high: np.ndarray, near: float, far: float) -> list[tuple[np.ndarray, np.ndarray]]:
    """Four oblongs between an oblong grown by `near` and by `far`."""
    (x0, y0), (x1, y1), (u0, v0), (u1, v1) = low - near, high + near, low - far, high + far
    ends = ((u0, v0, u1, y0), (u0, y1, u1, v1), (u0, y0, x0, y1), (x1, y0, u1, y1))
    return [(np.array([a, b]), np.array([c, d])) for a, b, c, d in ends]


def _ring(low: np.ndarray, high: np.ndarray, near: float, far: float) -> np.ndarray:
    return np.concatenate([_oblong(*one) for one in _frame(low, high, near, far)])


def _parted(
    oblongs: list[tuple[np.ndarray, np.ndarray]], rng: np.random.Generator
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Oblongs cut across their longer side until they are as large as fields."""
    out, waiting = [], list(oblongs)
    while waiting:
        low, high = waiting.pop()
        size = high - low
        axis = int(size[1] > size[0])
        if size[axis] < rng.uniform(*FIELD) * 1.4 or size[axis] < FIELD[0]:
            out.append((low, high))
            continue
        cut = low[axis] + size[axis] * rng.uniform(0.35, 0.65)
        for a, b in ((low[axis], cut), (cut, high[axis])):
            first, last = low.copy(), high.copy()
            first[axis], last[axis] = a, b
            waiting.append((first, last))
    return out
