"""What a modeller puts where something is to stand: balls on sticks, cones and crossed cards for trees, boxes for people and cars.

Each becomes what it stands for, of its height, spread and place; what is modelled in detail stays as it is.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.model import Mesh
from irodori.core.roles import species_from_words
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage import Entry
from irodori.entourage.catalogue import ENTOURAGE, Kind
from irodori.entourage.entourage_list import Where
from irodori.scene.assign import all_surfaces
from irodori.scene.growing.crowns.behind import behind_in_model
from irodori.scene.growing.crowns.pieces import pieces_of

COARSE = 2500
"""Triangles up to which something is a placeholder."""

MOST_PIECES, MOST = 1500, 240
"""Pieces beyond which plants are drawn leaf by leaf; and trees beyond which only the nearest are grown whole."""

TREE, SQUAT = 2.0, 2.4
"""m of height from which a plant is a tree, and spread over height beyond which it is a hedge or a bank of shrubs."""

ROUND = 1.9
"""One side of a plan over the other up to which it is one tree's."""

CARD = 1.4
"""Width over height up to which a card shows a single plant."""

STRAY = 0.7
"""m up to which a piece is a stray leaf of something else on its surface."""

HANGS = 3.5
"""m over the ground up to which a crown without a trunk hangs."""

PEOPLE = ("person standing", "person walking", "person talking", "person strolling", "person listening")
CHILD = 1.35
"""m of height below which a figure is a child."""

CAR, CAR_HEIGHT = (3.0, 5.8), (1.1, 2.3)
"""m of a car's length, and of its height."""


@dataclass(frozen=True, eq=False)
class Placed:
    """`surfaces` (S,) bool that were placeholders; the `mesh`, and the `structure` with fragments, without them; the share of each pixel
    that showed them, `covered` (H, W) float32; and the `entries` of what stands there instead."""

    surfaces: np.ndarray
    mesh: Mesh
    structure: Structure
    covered: np.ndarray
    entries: tuple[Entry, ...]


@dataclass(frozen=True, eq=False)
class _Thing:
    """A placeholder: its surfaces, corners (2, 3) m, the lowest part of its broad piece, points (N, 3) of that, names and role, and
    whether all of it is cards."""

    surfaces: frozenset[int]
    low: np.ndarray
    high: np.ndarray
    crown: float
    points: np.ndarray
    name: str
    role: str
    cards: bool

    @property
    def size(self) -> np.ndarray:
        return self.high - self.low


_placed: Kept[Placed | None] = Kept()
"""What stands in structures that are in use: a light does not change it."""


def find_placeholders(structure: Structure, mesh: Mesh, kept: np.ndarray) -> Placed | None:
    """What stands for trees, people and cars in a model's view; None without any. `kept` (S,) bool: surfaces that a schedule named.

    Asked again for the same structure it gives the same object.
    """
    return _placed.of(structure, kept.tobytes(), lambda: _find(structure, mesh, kept))


def _find(structure: Structure, mesh: Mesh, kept: np.ndarray) -> Placed | None:
    table = all_surfaces(structure)
    table = table[table["role"].isin(["planting", "person", "vehicle"])]
    ids = table["id"].to_numpy()
    ids = ids[(ids < len(kept)) & ~kept[np.minimum(ids, len(kept) - 1)]]
    if structure.mesh is None or not len(ids):
        return None
    table = table.set_index("id")
    entries, surfaces = [], np.zeros(len(kept), bool)
    things = _things(mesh, ids, table)
    eye = structure.camera.position[:2]
    things = sorted(things, key=lambda one: float(np.linalg.norm((one.low + one.high)[:2] / 2 - eye)))[:MOST]
    if not things:
        return None
    other = np.ones(int(mesh.surface.max()) + 1, bool)
    other[ids[ids < len(other)]] = False
    ground = RayScene(mesh.triangles[other[mesh.surface]])
    held: set[int] = set()
    for thing in things:
        entry = _entry(thing, ground)
        if entry is not None:
            entries.append((entry, thing.surfaces))
        elif thing.size.max() > STRAY:
            held |= thing.surfaces
    # A surface that holds something else, too, stays.
    entries = [(entry, own) for entry, own in entries if not own & held]
    for _, own in entries:
        surfaces[sorted(own)] = True
    if not entries:
        return None
    rest = mesh.keep(~surfaces[np.minimum(mesh.surface, len(surfaces) - 1)])
    was = surfaces[np.minimum(structure.regions, len(surfaces) - 1)].astype(np.float32)
    bare = replace(structure, fragments=behind_in_model(structure, rest, surfaces))
    return Placed(surfaces, rest, bare, was, tuple(entry for entry, _ in entries))


def _things(mesh: Mesh, ids: np.ndarray, table) -> list[_Thing]:
    """What some surfaces show, parted and put together by where the pieces stand."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    wanted = np.zeros(int(max(mesh.surface.max(), ids.max())) + 1, bool)
    wanted[ids] = True
    own = np.flatnonzero(wanted[mesh.surface])
    if not len(own):
        return []
    triangles, surface = mesh.triangles[own].astype(float), mesh.surface[own]
    pieces = pieces_of(triangles, surface)
    order, starts, of, low, high = pieces.order, pieces.starts, pieces.surface, pieces.low, pieces.high
    if len(starts) > MOST_PIECES:
        return []
    ends = np.append(starts[1:], len(order))
    middle, reach = (low + high)[:, :2] / 2, (high - low)[:, :2] / 2
    inside = (np.abs(middle[:, None] - middle[None]) <= reach[None] + 0.05).all(axis=2)
    touching = (low[:, None, 2] <= high[None, :, 2] + 0.6) & (low[None, :, 2] <= high[:, None, 2] + 0.6)
    alike = table["role"].loc[of].to_numpy(object)
    # What was cut out of one card lies in islands.
    flat = _flat(triangles[order], starts)
    near = (np.abs(middle[:, None] - middle[None]) <= reach[:, None] + reach[None] + 0.05).all(axis=2)
    islands = near & (of[:, None] == of[None]) & flat[:, None] & flat[None]
    together = (inside | islands) & touching & (alike[:, None] == alike[None])
    number = connected_components(coo_array(together), directed=False)[1]
    out = []
    for k in range(number.max() + 1):
        at = np.flatnonzero(number == k)
        count = int((ends[at] - starts[at]).sum())
        broad = at[np.argmax(reach[at].prod(axis=1) * np.maximum(high[at, 2] - low[at, 2], 0.01))]
        points = triangles[order[starts[broad] : ends[broad]]].reshape(-1, 3)
        names = " ".join(f"{table['name'][s]} {table['material'][s]}" for s in np.unique(of[at]))
        thing = _Thing(
            frozenset(of[at].tolist()), low[at].min(axis=0), high[at].max(axis=0), float(low[broad, 2]), points, names,
            str(alike[at[0]]) if count <= COARSE else "", bool(flat[at].all()),
        )  # fmt: skip
        out.append(thing)
    return out


def _flat(triangles: np.ndarray, starts: np.ndarray) -> np.ndarray:
    """Which pieces, from `starts` on in triangles (T, 3, 3), stand upright and flat, as cards do."""
    unit = unit_rows(face_normals(triangles))
    along = np.einsum("tk,tk->t", unit, np.repeat(unit[starts], np.diff(np.append(starts, len(triangles))), axis=0))
    return (np.minimum.reduceat(np.abs(along), starts) > 0.99) & (np.abs(unit[starts, 2]) < 0.2)


def _entry(thing: _Thing, ground: RayScene) -> Entry | None:
    """What a placeholder stands for; None when it is none."""
    size, middle = thing.size, (thing.low + thing.high) / 2
    if thing.role == "planting":
        return _tree(thing, ground)
    if thing.role == "person" and 0.8 < size[2] < 2.2 and size[:2].max() < 1.3:
        pose = PEOPLE[int(abs(middle[0] * 7.3 + middle[1] * 3.1) * 10) % len(PEOPLE)]
        kind = ENTOURAGE["child" if size[2] < CHILD else pose]
        return Entry("", kind, _at(middle, thing.low[2]), height=float(size[2]), over=True)
    length = float(np.linalg.norm(size[:2]))
    if thing.role == "vehicle" and CAR[0] < length < CAR[1] + 1 and CAR_HEIGHT[0] < size[2] < CAR_HEIGHT[1]:
        flat = thing.points[:, :2] - thing.points[:, :2].mean(axis=0)
        along = np.linalg.svd(flat, full_matrices=False)[2][0]
        facing = float(np.degrees(np.arctan2(along[0], along[1])) % 360)
        return Entry("", ENTOURAGE["car"], _at(middle, thing.low[2]), facing=facing, over=True)
    return None


def _tree(thing: _Thing, ground: RayScene) -> Entry | None:
    size, middle = thing.size, (thing.low + thing.high) / 2
    foot = float(thing.low[2])
    crown = np.ptp(thing.points, axis=0)
    # A card's width, however it is turned.
    wide = float(np.linalg.norm(crown[:2])) if thing.cards else float(crown[:2].mean())
    fits = wide < CARD * size[2] if thing.cards else crown[:2].max() < ROUND * crown[:2].min()
    if crown[:2].max() < 0.6 or not fits:
        return None
    if thing.crown - foot < 0.05 * size[2]:
        below = np.array([[middle[0], middle[1], foot + 0.1]], np.float32)
        distance, hit = ground.closest(below, np.float32([[0, 0, -1]]))
        if hit[0] >= 0 and 0.3 < distance[0] - 0.1 < HANGS:
            foot -= float(distance[0]) - 0.1
    tall, broad = float(thing.high[2]) - foot, wide
    if tall < TREE or broad > SQUAT * tall or tall > 60:
        return None
    clear = 0.0 if thing.cards else (thing.crown - foot) / tall
    kind = _species(thing, tall, broad)
    # In steps: trees much alike are grown but once.
    slim = float(np.clip(np.round(broad / tall / 0.08) * 0.08, 0.16, 1.6))
    stem = float(np.clip(np.round(clear / 0.08) * 0.08, 0.08, 0.5)) if clear > 0.04 else kind.clear
    kind = replace(kind, spread=slim * kind.height, clear=stem)
    return Entry("", kind, _at(middle, foot), height=tall, over=True)


def _at(middle: np.ndarray, foot: float) -> Where:
    return Where("at", ((float(middle[0]), float(middle[1]), float(foot)),))


def _species(thing: _Thing, tall: float, broad: float) -> Kind:
    """The kind of tree by its name, else by its shape and size."""
    told = species_from_words(thing.name)
    if told is not None:
        return ENTOURAGE[told]
    if _tapers(thing.points):
        return ENTOURAGE["spruce"]
    if tall > 3.2 * broad:
        return ENTOURAGE["poplar"]
    if broad > 0.85 * tall:
        return ENTOURAGE["oak" if tall > 9 else "cherry"]
    return ENTOURAGE["birch" if tall > 2.1 * broad else "maple" if tall < 10 else "lime tree"]


def _tapers(points: np.ndarray) -> bool:
    """Whether a crown is a cone: wide at its foot, pointed at its top."""
    low, high = points[:, 2].min(), points[:, 2].max()
    out = np.linalg.norm(points[:, :2] - (points[:, :2].min(axis=0) + points[:, :2].max(axis=0)) / 2, axis=1)
    share = (points[:, 2] - low) / max(high - low, 1e-6)
    foot, top = out[share < 0.2], out[share > 0.8]
    return len(foot) > 0 and len(top) > 0 and float(top.max()) < 0.4 * float(foot.max())
