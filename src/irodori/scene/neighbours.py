"""Neighbouring houses of a model as places where people live: found by their walls, completed, with a plot about each."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.geometry.shapes import quarter_turned
from irodori.core.model import Mesh
from irodori.core.pixels.runs import runs_of
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage import Entry, Part
from irodori.entourage.catalogue import ENTOURAGE
from irodori.entourage.entourage_list import Where
from irodori.entourage.house_details import Opening, Shell, Side, build_details, door_place
from irodori.scene.assign import all_surfaces, flagged

BESIDE = re.compile(r"neighbou?rs?|context|surroundings?|adjacent|existing", re.I)
"""Words in the names of what stands beside the design."""

SIZES, HEIGHTS = (4.5, 26.0), (2.3, 14.0)
"""m of a house's sides, and of its walls."""

FULL = 0.9
"""Least share of the oblong about its foot that a house's foot fills."""

UPRIGHT = 0.1
WELD = 0.02
"""m within which corners are one."""

YARD = (3.2, 6.0)
"""m from the walls to the hedge, at the sides and before the door."""

LEVEL = 0.35
"""m that the ground of a plot may differ from a house's foot."""


@dataclass(frozen=True, eq=False)
class House:
    """A neighbouring house: its `shell`, the middle of its foot (3,) m, and the turn of its ridge from east, radians."""

    shell: Shell
    foot: np.ndarray
    turn: float

    @property
    def spin(self) -> np.ndarray:
        """Rows of points in the house's frame times this are in the world's directions."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        return np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])

    def to_world(self, points: np.ndarray) -> np.ndarray:
        return points @ self.spin + self.foot


def surfaces_of(house: House, mesh: Mesh) -> np.ndarray:
    """Ids of the surfaces of a mesh that a house is made of: no larger than it, and in its place."""
    sizes = mesh.measures
    front, end = house.shell.sides[:2]
    reach = np.array([end.away, front.away]) + 0.3
    ids = np.flatnonzero(sizes.area > 0)
    low, high = sizes.low[ids], sizes.high[ids]
    middle = np.abs((((low + high) / 2 - house.foot) @ house.spin.T)[:, :2])
    extent = (high - low)[:, :2].max(axis=1)
    return ids[(middle < reach).all(axis=1) & (extent < 2.6 * reach.max())]


_houses: Kept[list[House]] = Kept()
_settled: Kept[list[Settled]] = Kept()
"""Houses of meshes in use: views, finishes and lights do not change them; and what they get in a view."""


def neighbours_of(structure: Structure) -> list[House]:
    """The houses beside the design that a model has; none for readings of pixels."""
    mesh = structure.mesh
    if mesh is None:
        return []
    return _houses.of(mesh, None, lambda: _find(structure, mesh))


class Settled(NamedTuple):
    """What a neighbouring house gets: `parts` built onto it, in its own frame, and what grows and stands on its plot."""

    house: House
    parts: list[Part]
    plot: list[Entry]


def settle(structure: Structure, seed: int) -> list[Settled]:
    """Make the neighbouring houses of a model places where people live; the same structure and seed give the same ones."""
    return _settled.of(structure, seed, lambda: _settle(structure, seed))


def _settle(structure: Structure, seed: int) -> list[Settled]:
    houses = neighbours_of(structure)
    if not houses:
        return []
    grounds = RayScene(structure.mesh.triangles[~_planted(structure)])
    out = []
    eye = structure.camera.position
    for number, house in enumerate(houses):
        rng = np.random.default_rng(seed * 1009 + number)
        door = _front(house, eye)
        ahead = 0.0
        if door is not None:
            ahead = _reach_of_path(house, door, grounds)
        parts = build_details(house.shell, door, ahead, int(rng.integers(1 << 30)))
        out.append(Settled(house, parts, _plot(house, door, grounds, houses, rng)))
    return out


def _planted(structure: Structure) -> np.ndarray:
    """Which triangles of the model are planting, (T,) bool."""
    table, mesh = all_surfaces(structure), structure.mesh
    return flagged(table, table["role"] == "planting", mesh)[mesh.surface]


def _find(structure: Structure, mesh: Mesh) -> list[House]:
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    table = all_surfaces(structure)
    beside = [
        role == "context" or (role in ("wall", "roof") and BESIDE.search(f"{name} {material}") is not None)
        for role, name, material in zip(table["role"], table["name"], table["material"])
    ]
    wanted = flagged(table, beside, mesh)[mesh.surface]
    soup = mesh.triangles[wanted].astype(float)
    if not len(soup):
        return []
    corners, of = np.unique(np.round(soup.reshape(-1, 3) / WELD).astype(np.int64), axis=0, return_inverse=True)
    of = of.reshape(-1, 3)
    pairs = np.concatenate([of[:, [0, 1]], of[:, [1, 2]]])
    joined = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(len(corners),) * 2)
    piece = connected_components(joined, directed=False)[1][of[:, 0]]
    normals = mesh.normals()[wanted]
    upright = np.abs(normals[:, 2]) < UPRIGHT
    openings = mesh.triangles[flagged(table, table["role"].isin(("glazing", "door")), mesh)[mesh.surface]].astype(float)
    pieces = [soup[piece == k] for k in np.unique(piece)]
    houses = []
    for k, own in zip(np.unique(piece), pieces):
        walls = own[upright[piece == k]]
        if len(walls):
            house = _house(walls, pieces, openings)
            if house is not None:
                houses.append(house)
    return houses


def _house(walls: np.ndarray, pieces: list[np.ndarray], openings: np.ndarray) -> House | None:
    """A house of a piece of the model, when its walls stand on an oblong of a house's size."""
    import cv2

    points = walls.reshape(-1, 3)
    plan = points[:, :2].astype(np.float32)
    middle, sizes, _ = rect = cv2.minAreaRect(plan - plan.mean(axis=0))
    middle = np.array(middle) + plan.mean(axis=0)
    low = float(points[:, 2].min())
    if min(sizes) < SIZES[0] or max(sizes) > SIZES[1]:
        return None
    hull = cv2.contourArea(cv2.convexHull(plan - plan.mean(axis=0)))
    box = cv2.boxPoints(rect)
    edge = box[1] - box[0]
    turn = float(np.arctan2(edge[1], edge[0]))
    if hull < FULL * sizes[0] * sizes[1]:
        return None
    near = np.concatenate([p for p in pieces if _over(p, middle, max(sizes))])
    house = House(None, np.array([*middle, low]), turn)
    roof, ridge = _local(near, house), None
    eaves = _eaves(_local(walls, house))
    slopes = _pitched(roof, eaves)
    if len(slopes):
        ridge = float(slopes[..., 2].max())
        # The ridge runs along x: where the roof is highest it is long.
        top = slopes.reshape(-1, 3)
        top = top[top[:, 2] > ridge - 0.1]
        if np.ptp(top[:, 1]) > np.ptp(top[:, 0]):
            house = replace(house, turn=turn + np.pi / 2)
            slopes = _pitched(_local(near, house), eaves)
    wall = _local(walls, house).reshape(-1, 3)
    long, deep = float(np.abs(wall[:, 0]).max()), float(np.abs(wall[:, 1]).max())
    if not HEIGHTS[0] < eaves < HEIGHTS[1] or (ridge is not None and ridge < eaves + 0.3):
        return None
    holes = _local(openings, house) if len(openings) else np.zeros((0, 3, 3))
    sides = tuple(
        Side(half, away, quarter, eaves, _openings_in(holes, half, away, quarter))
        for quarter, (half, away) in enumerate(((long, deep), (deep, long), (long, deep), (deep, long)))
    )
    reach = drip = verge = 0.0
    if ridge is not None:
        flat = slopes.reshape(-1, 3)
        reach, verge = float(np.abs(flat[:, 1]).max()), float(np.abs(flat[:, 0]).max())
        drip = float(flat[np.abs(flat[:, 1]) > reach - 0.05, 2].max())
        if reach > deep + 1.2 or verge > long + 1.5 or reach < deep - 0.1:
            ridge = None
    return replace(house, shell=Shell(sides, ridge, reach, drip, verge))


def _over(piece: np.ndarray, middle: np.ndarray, size: float) -> bool:
    """Whether a piece lies over or in a house's foot."""
    flat = piece.reshape(-1, 3)[:, :2]
    return bool(np.abs((flat.min(axis=0) + flat.max(axis=0)) / 2 - middle).max() < 0.12 * size)


def _local(triangles: np.ndarray, house: House) -> np.ndarray:
    return (triangles - house.foot) @ house.spin.T


def _eaves(walls: np.ndarray) -> float:
    """Up to where the walls go on all sides: gables go higher."""
    flat = walls.reshape(-1, 3)
    half = np.abs(flat[:, 1]).max()
    corners = flat[np.abs(flat[:, 1]) > half - 0.05]
    tall = float(corners[:, 2].max())
    ends = flat[np.abs(flat[:, 0]) > np.abs(flat[:, 0]).max() - 0.05]
    aside = ends[np.abs(ends[:, 1]) > half - 0.05]
    return float(aside[:, 2].max()) if len(aside) else tall


def _pitched(triangles: np.ndarray, eaves: float) -> np.ndarray:
    """The triangles of a pitched roof over walls of a height."""
    up = unit_rows(face_normals(triangles))[:, 2]
    return triangles[(up > 0.3) & (up < 0.96) & (triangles[..., 2].max(axis=1) > eaves)]


def _openings_in(holes: np.ndarray, half: float, away: float, quarter: int) -> tuple[Opening, ...]:
    """Panes and doors in one wall, each as its bounding oblong."""
    if not len(holes):
        return ()
    points = quarter_turned(holes, -quarter)
    points = points[(np.abs(points[..., 1] - away) < 0.3).all(axis=1) & (np.abs(points[..., 0]) < half).all(axis=1)]
    out: list[list[float]] = []
    # Triangles that touch are of one pane.
    boxes = sorted(
        [float(t[:, 0].min()), float(t[:, 0].max()), float(t[:, 2].min()), float(t[:, 2].max())] for t in points
    )
    for a, b, low, high in boxes:
        for other in out:
            if a <= other[1] + 0.02 and b >= other[0] - 0.02 and low <= other[3] + 0.02 and high >= other[2] - 0.02:
                other[:] = [min(a, other[0]), max(b, other[1]), min(low, other[2]), max(high, other[3])]
                break
        else:
            out.append([a, b, low, high])
    return tuple((a, b, low, high) for a, b, low, high in out if b - a > 0.2 and high - low > 0.2)


def _front(house: House, eye: np.ndarray) -> int | None:
    """The side that gets a door: the one towards the eye, a side with windows rather than one without."""
    best, chosen = -np.inf, None
    towards = (np.asarray(eye) - house.foot)[:2]
    towards = towards / max(float(np.linalg.norm(towards)), 1e-6)
    for number, side in enumerate(house.shell.sides):
        if any(low < 0.35 for _, _, low, _ in side.openings):
            return None  # it has one
        if door_place(side) is None:
            continue
        out = (side.placed(np.array([0, 1.0, 0])) @ house.spin)[:2]
        worth = float(out @ towards) + (0.6 if side.openings else 0.0)
        if worth > best:
            best, chosen = worth, number
    return chosen


def _is_open(grounds: RayScene, places: np.ndarray, level: float) -> np.ndarray:
    """Whether at places (N, 2) m the ground lies open to the sky about at a level."""
    above = np.column_stack([places, np.full(len(places), level + 400.0)]).astype(np.float32)
    down = np.broadcast_to(np.array([0, 0, -1], np.float32), above.shape)
    distance, hit = grounds.closest(above, np.ascontiguousarray(down))
    return (hit >= 0) & (np.abs(400.0 - distance) < LEVEL)


def _line(house: House, a, b) -> np.ndarray:
    """Places (N, 2) m in the world along a line in the house's frame."""
    a, b = np.array([*a, 0.0]), np.array([*b, 0.0])
    n = max(2, int(np.linalg.norm(b - a) / 0.4))
    return house.to_world(a + np.linspace(0, 1, n)[:, None] * (b - a))[:, :2]


def _reach_of_path(house: House, door: int, grounds: RayScene) -> float:
    """How far the path from the door leads before it meets something else than open ground, m."""
    side = house.shell.sides[door]
    middle = door_place(side)
    out = []
    for aside in (-0.6, 0.6):
        ends = side.placed(np.array([[middle + aside, side.away + d, 0.0] for d in (0.6, YARD[1] + 0.6)]))
        open_ = _is_open(grounds, _line(house, ends[0, :2], ends[1, :2]), house.foot[2])
        out.append(0.6 + YARD[1] * (int(np.argmin(open_)) if not open_.all() else len(open_)) / len(open_))
    return min(out) if min(out) > 1.2 else 0.0


def _plot(house: House, door: int | None, grounds: RayScene, houses: list[House], rng) -> list[Entry]:
    """Hedges about the plot, shrubs by the walls, a bicycle by the door."""
    sides = house.shell.sides
    front = sides[door] if door is not None else sides[0]
    level = house.foot[2]
    out = []
    kind = ENTOURAGE[str(rng.choice(["hornbeam hedge", "yew hedge"], p=[0.75, 0.25]))]
    tall = float(rng.uniform(1.0, 1.35))
    gate = door_place(front) if door is not None else 0.0

    def at(x: float, y: float) -> np.ndarray:
        """From the front wall's frame to the house's."""
        return front.placed(np.array([x, y, 0.0]))[:2]

    wide, ahead, behind = front.half + YARD[0], front.away + YARD[1], -front.away - YARD[0]
    runs = [((-wide, behind), (-wide, ahead)), ((wide, ahead), (wide, behind))]
    runs += [
        ((-wide, ahead), (gate - 0.9, ahead)),
        ((gate + 0.9, ahead), (wide, ahead)),
        ((wide, behind), (-wide, behind)),
    ]
    for a, b in runs:
        a, b = at(*a), at(*b)
        places = _line(house, a, b)
        open_ = _is_open(grounds, places, level) & ~_near_others(places, house, houses)
        for first, last in runs_of(open_):
            if last - first >= 3:
                ends = (*places[first], level), (*places[last], level)
                out.append(Entry("", kind, Where("along", tuple(tuple(map(float, e)) for e in ends)), height=tall))
    spots = [(x, front.away + 0.55) for x in (-front.half + 0.7, front.half - 0.8)]
    for x, y in spots:
        place = house.to_world(np.array([*at(x, y), 0.0]))
        if rng.uniform() < 0.75 and abs(x - gate) > 1.3 and _is_open(grounds, place[None, :2], level)[0]:
            what = str(rng.choice(["hydrangea", "round shrub", "lavender"]))
            out.append(Entry("", ENTOURAGE[what], _at(place), height=float(rng.uniform(0.6, 1.1))))
    if door is not None and rng.uniform() < 0.7:
        x = gate + rng.choice([-1, 1]) * rng.uniform(1.3, 1.6)
        place = house.to_world(np.array([*at(x, front.away + 0.35), 0.0]))
        if abs(x) < front.half - 0.9 and _is_open(grounds, place[None, :2], level)[0]:
            way = front.placed(np.array([1.0, 0, 0])) @ house.spin
            facing = float(np.degrees(np.arctan2(way[0], way[1])))
            out.append(Entry("", ENTOURAGE["bicycle"], _at(place), facing=facing, over=True))
    return out


def _at(place: np.ndarray) -> Where:
    return Where("at", (tuple(float(v) for v in place),))


def _near_others(places: np.ndarray, house: House, houses: list[House]) -> np.ndarray:
    """Which places (N, 2) lie nearer to another house than to this one: its plot begins there."""
    own = _away(places, house)
    return np.any(
        [_away(places, other) < own - 0.2 for other in houses if other is not house] or [np.zeros(len(places), bool)],
        axis=0,
    )


def _away(places: np.ndarray, house: House) -> np.ndarray:
    x, y = np.abs((places - house.foot[:2]) @ house.spin[:2, :2].T).T
    front, end = house.shell.sides[0], house.shell.sides[1]
    return np.hypot(np.maximum(x - end.away, 0), np.maximum(y - front.away, 0))
