"""Adding the entourage: what stands where, what it hides, and what had to be left out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage import Entry, Kind, Part, build
from irodori.entourage.build import SHARES
from irodori.entourage.entourage_list import EntourageList, Where
from irodori.entourage.horizon import build_horizon
from irodori.entourage.people import SEAT
from irodori.finishes import Finish, find_finish
from irodori.scene.articulation.members import Members
from irodori.scene.assign import all_surfaces, flagged
from irodori.scene.cover import Added, Cover, cover_structure
from irodori.scene.neighbours import Settled, surfaces_of
from irodori.scene.placing import Spot, spots_of

PROTECTED = (
    "wall", "column", "slab", "stair", "roof", "soffit", "ceiling", "glazing", "frame", "door", "railing", "sign", "lamp",
    "furniture", "fabric",
)  # fmt: skip
"""Roles of the architecture, which additions do not cover unless asked."""

BEARING = ("ground", "paving", "lawn", "water", "stair", "floor", "slab", "context", "other")
"""Roles of what things stand on."""

IN_THE_WORLD = ("at", "along", "within")

TOLERATED = 0.12
"""Share of an addition before the architecture up to which it is trimmed there; beyond, it is left out."""

SINGLE = ("tree", "shrub", "people", "vehicles", "loose furniture", "lamps", "climber", "houses")
"""Families whose members are surfaces of their own; the rest are one surface an entry and colour."""

UNSEEN = SHARES[-2]
"""Share of the leaves of what stands outside the picture, for its shadow and mirror image."""

SHARPEST_LEAF = 3.2
"""px of a leaf from which all leaves are grown; smaller ones are grown fewer and larger."""

VARIANTS, FIGURES = 5, 60
"""How many specimens of a kind there are; people are hardly two alike."""

ON_HOUSES = Kind("house details", "houses", "built", "What a neighbouring house lacks", 1.0)
"""What is built onto the neighbouring houses of a model; no entry of a list asks for it."""

ON_SURFACES = Kind("articulation", "members", "built", "Mullions, louvres and bands before plain surfaces", 1.0)
"""What high liberty sets before surfaces; no entry of a list asks for it."""

BY_THEMSELVES = (ON_HOUSES.name, ON_SURFACES.name)

LINE = find_finish("painted plaster").changed(colour="#23272b")
"""What figures are drawn with."""

OPACITY = {"solid": 1.0, "translucent": 0.45, "drawn": 0.9}


@dataclass(frozen=True, eq=False)
class Additions:
    """What the entourage brings to a scene.

    Attributes
    ----------
    mesh
        Triangles that light meets; figures that are only hinted at cast no shadow and are not among them.
    far
        (T,) bool: those of a horizon.
    surfaces
        Part and finish of each new surface, in the order of their ids.
    fragments, covered
        The structure's fragments with the additions before them; share of each pixel they hide, (H, W) float32.
    listed
        One entry an addition: mark, what, at (x, y, z m), height (m), facing, box (px) and state.
    """

    mesh: Mesh
    far: np.ndarray
    surfaces: tuple[tuple[Part, Finish], ...]
    fragments: Fragments
    covered: np.ndarray
    listed: tuple[dict, ...]


@dataclass(frozen=True, eq=False)
class _One:
    """One addition: its entry, spot and height; parts in the world frame with corner normals."""

    entry: Entry
    spot: Spot
    height: float
    parts: list[tuple[Part, np.ndarray, np.ndarray]]

    @property
    def far(self) -> bool:
        """Whether it lies behind all but the sky."""
        return self.entry.where.way == "horizon"

    @property
    def may_cover(self) -> bool:
        """Whether it may cover architecture: asked to, or made to climb it."""
        return self.entry.over or self.entry.kind.form == "climber"


_added: Kept[Additions | None] = Kept()
"""Additions to what is seen now: another light or finish does not change them."""


def add_entourage(
    structure: Structure, mesh: Mesh, entourage: EntourageList, settled: Sequence[Settled] = (),
    members: Sequence[Members] = (), *, season: str, seed: int, first: int, gone: Sequence[int] = (),
) -> Additions | None:  # fmt: skip
    """Add a list's entries to a structure; None when there is nothing to add.

    Parameters
    ----------
    mesh
        The structure's triangles, on which things at a place in the world are set down.
    settled
        What neighbouring houses get, from `settle`; what is on their plots is in the list.
    members
        What is set before plain surfaces, from `members_of`; it covers no other.
    season
        For entries that name none.
    first
        Id of the first new surface.
    gone
        Which of the additions, by their places in `listed`, are left out.

    Raises
    ------
    EntourageError
        When a place is not in the picture, or an entry brings too many.
    """
    key = (
        structure.fragments,
        entourage.entries,
        tuple(one.house for one in settled),
        _told(members),
        season,
        seed,
        first,
        tuple(gone),
    )
    return _added.of(mesh, key, lambda: _add(structure, mesh, entourage, settled, members, season, seed, first, gone))


def _told(members: Sequence[Members]) -> tuple:
    """What tells members from others."""
    return tuple((one.surface, len(part.triangles), part.finish.row.tobytes()) for one in members for part in one.parts)


def _add(structure, mesh, entourage, settled, members, season, seed, first, gone) -> Additions | None:
    ones, grounds = [_onto_house(some) for some in settled if some.parts], None
    ones += [_before(some) for some in members]
    if any(entry.where.way in IN_THE_WORLD for entry in entourage.entries):
        grounds = _grounds(structure, mesh)
    for entry in entourage.entries:
        ones += (
            _horizon(entry, structure, seed)
            if entry.where.way == "horizon"
            else _stand(entry, structure, grounds, season, seed)
        )
    protected = protected_surfaces(structure)
    for one in settled:
        # What stands before its neighbours hides nothing of the design.
        own = surfaces_of(one.house, structure.mesh)
        protected[own[own < len(protected)]] = False
    crowding = np.array([_crowds(one, structure, protected) for one in ones], bool)
    # Members that others stand before were not asked for, and go without a word.
    unasked = [crowds and one.entry.kind is ON_SURFACES for crowds, one in zip(crowding, ones)]
    ones, crowding = [one for one, gone in zip(ones, unasked) if not gone], crowding[~np.array(unasked, bool)]
    if not ones:
        return None
    crowding[list(gone)] = True
    kept = np.flatnonzero(~crowding).tolist()
    added, surfaces = _gather([ones[i] for i in kept], first) if kept else (None, [])
    cover = cover_structure(structure.fragments, structure.camera, added, protected) if kept else None
    listed = tuple(_listing(ones, kept, crowding, cover, structure, set(gone)))
    if not kept:
        return Additions(
            Mesh(np.zeros((0, 3, 3), np.float32), np.zeros(0, np.int32)), np.zeros(0, bool), (), structure.fragments,
            np.zeros(structure.regions.shape, np.float32), listed,
        )  # fmt: skip
    casts = added.opacity[added.owner] == 1
    solid = Mesh(added.triangles[casts], added.surface[casts])
    return Additions(solid, added.far[added.owner][casts], tuple(surfaces), cover.fragments, cover.covered, listed)


def protected_surfaces(structure: Structure, count: int = 0) -> np.ndarray:
    """Which surfaces are architecture, (S,) bool for at least `count` of them: nothing that is added covers them unless asked."""
    out = np.zeros(max(int(structure.fragments.region.max(initial=0)) + 1, count), bool)
    ids = structure.of_role(*PROTECTED)
    out[ids[ids < len(out)]] = True
    return out


def _crowds(one: _One, structure: Structure, protected: np.ndarray) -> bool:
    """Whether too much of an addition would lie before the architecture: judged on some of its triangles."""
    if one.may_cover or one.far:
        return False
    middles = np.concatenate([soup.mean(axis=1) for _, soup, _ in one.parts])
    spots, depth = structure.camera.project(middles[:: max(1, len(middles) // 2000)])
    width, height = structure.size
    inside = (spots >= 0).all(axis=1) & (spots < (width, height)).all(axis=1)
    if structure.camera.projection == "perspective":
        inside &= depth > 0.05
    x, y = spots[inside].astype(int).T
    before = depth[inside] < structure.depth[y, x]
    region = structure.regions[y, x]
    hides = before & protected[region] & (region != one.spot.surface)
    return bool(hides.sum() > TOLERATED * max(before.sum(), 1))


def _horizon(entry: Entry, structure: Structure, seed: int) -> list[_One]:
    level = np.isin(structure.surfaces["role"], ("ground", "water", "lawn", "paving")) & (
        structure.surfaces["nz"] > 0.9
    )
    offsets = structure.surfaces.loc[level, "offset"].to_numpy(float)
    camera = structure.camera
    ground = (
        float(np.median(offsets[np.isfinite(offsets)]))
        if np.isfinite(offsets).any()
        else float(camera.position[2]) - 2.0
    )
    ground = min(ground, float(camera.position[2]) - 0.5)
    height = entry.height or entry.kind.height
    parts = [
        (part, part.triangles.astype(np.float32), part.corner_normals)
        for part in build_horizon(entry.kind, camera, ground, height, seed)
    ]
    return [_One(entry, Spot((0.0, 0.0, ground), 0.0, 0.0), height, parts)]


def _onto_house(settled: Settled) -> _One:
    house = settled.house
    foot = tuple(float(v) for v in house.foot)
    parts = [
        (part, house.to_world(part.triangles).astype(np.float32), (part.corner_normals @ house.spin).astype(np.float32))
        for part in settled.parts
    ]
    entry = Entry("", ON_HOUSES, Where("at", (foot,)), over=True)
    return _One(entry, Spot(foot, math.degrees(-house.turn) % 360, 0.0), house.shell.tallest, parts)


def _before(members: Members) -> _One:
    parts = [(part, part.triangles.astype(np.float32), part.corner_normals) for part in members.parts]
    entry = Entry("", ON_SURFACES, Where("at", (members.foot,)))
    return _One(entry, Spot(members.foot, 0.0, 0.0, members.surface), members.height, parts)


def _stand(entry: Entry, structure: Structure, grounds: RayScene | None, season: str, seed: int) -> list[_One]:
    table = structure.surfaces.set_index("id")["role"]
    out = []
    for spot in spots_of(entry, structure, grounds, seed):
        kind = entry.kind
        height = entry.height or kind.height * _natural(kind, spot.chance)
        scale = height / kind.height
        foot = np.array(spot.foot)
        if kind.pose == "sitting" and table.get(spot.surface) == "furniture":
            foot[2] -= SEAT
        share = _share(entry, structure, foot, height, scale)
        variants = FIGURES if kind.form == "person" else VARIANTS
        variant = int(spot.chance * 1000) % variants + variants * (seed % 997)
        specimen = build(kind, entry.season or season, share, variant)
        turn = math.radians(spot.facing)
        spin = np.array([[math.cos(turn), -math.sin(turn), 0], [math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
        parts = [
            (
                part,
                (part.triangles @ spin * scale + foot).astype(np.float32),
                (part.corner_normals @ spin).astype(np.float32),
            )
            for part in specimen
        ]
        out.append(_One(entry, spot, height, parts))
    return out


def _grounds(structure: Structure, mesh: Mesh) -> RayScene:
    """What things given by their place in the world are set down on: never a roof, however high it lies."""
    table = all_surfaces(structure)
    return RayScene(mesh.triangles[flagged(table, table["role"].isin(BEARING), mesh)[mesh.surface]])


def _natural(kind: Kind, chance: float) -> float:
    """How much taller than the catalogue one specimen is; what is clipped or made is of one height."""
    if kind.form == "person":
        return 0.96 + 0.08 * chance
    grows = kind.is_plant and kind.form not in ("hedge", "clipped")
    return 0.88 + 0.24 * chance if grows else 1.0


def _share(entry: Entry, structure: Structure, foot: np.ndarray, height: float, scale: float) -> float:
    """Which of `SHARES` of its leaves an addition needs at its size in the picture."""
    kind = entry.kind
    camera = structure.camera
    spots, depth = camera.project(foot + np.array([[0, 0, 0], [0, 0, height / 2]]))
    reach = max(kind.spread * scale, height) / max(float(camera.footprint(np.float64(max(depth[1], 0.2)))), 1e-9)
    outside = (spots.max(axis=0) < -reach).any() or (spots.min(axis=0) > np.array(camera.size) + reach).any()
    if outside or (depth[1] < 0.2 and camera.projection == "perspective"):
        return UNSEEN
    a_metre = 1.0 / float(camera.footprint(np.float64(depth[1])))
    wanted = (
        (height * a_metre / 60) ** 1.2
        if kind.blades
        else (max(kind.leaf, 0.02) * scale * a_metre / SHARPEST_LEAF) ** 1.6
    )
    return min(SHARES, key=lambda share: abs(np.log(share / max(wanted, 1e-3))))


def _gather(ones: list[_One], first: int) -> tuple[Added, list[tuple[Part, Finish]]]:
    triangles, normals, surface, owner = [], [], [], []
    surfaces: list[tuple[Part, Finish]] = []
    shared: dict[tuple, int] = {}
    for number, one in enumerate(ones):
        for index, (part, soup, corners) in enumerate(one.parts):
            alone = one.entry.kind.family in SINGLE
            key = (id(one.entry), number if alone else 0, index if alone else part.finish.colour)
            if key not in shared:
                shared[key] = first + len(surfaces)
                surfaces.append((part, LINE if one.entry.manner == "drawn" else part.finish))
            triangles.append(soup)
            normals.append(corners)
            surface.append(np.full(len(soup), shared[key], np.int32))
            owner.append(np.full(len(soup), number, np.int32))
    manner = [one.entry.manner for one in ones]
    added = Added(
        np.concatenate(triangles), np.concatenate(normals), np.concatenate(surface), np.concatenate(owner),
        np.array([OPACITY[m] for m in manner], np.float32),
        np.array([one.may_cover for one in ones]),
        np.array([one.spot.surface or -1 for one in ones], np.int32), np.array([m == "drawn" for m in manner]),
        np.array([one.far for one in ones]),
    )  # fmt: skip
    return added, surfaces


def _listing(ones: list[_One], kept: list[int], crowding: np.ndarray, cover: Cover, structure: Structure, gone: set[int]):
    row_of = {index: row for row, index in enumerate(kept)}
    for index, one in enumerate(ones):
        item = {
            "mark": one.entry.mark,
            "what": one.entry.kind.name,
            "height": round(one.height, 2),
            "manner": one.entry.manner,
        }
        if one.far:
            yield {**item, "where": "horizon", "state": "left out: it was removed" if index in gone else "placed"}
            continue
        item |= {
            "where": "at " + ",".join(f"{v:.2f}" for v in one.spot.foot),
            "facing": round(one.spot.facing, 1),
            "over": one.entry.over,
        }
        box = _box(one, structure)
        if box is not None:
            item["box"] = box
        if crowding[index]:
            reason = "it was removed" if index in gone else "it would cover architecture; write over = yes to allow it"
            state = f"left out: {reason}"
        else:
            row = row_of[index]
            shown, withheld = cover.shown[row], cover.withheld[row]
            state = "placed"
            if shown + withheld < 0.5:
                state = "placed, not in sight"
            elif withheld > 0.005 * (shown + withheld):
                state = f"placed, trimmed by {100 * withheld / (shown + withheld):.0f} % before architecture"
        yield {**item, "state": state}


def _box(one: _One, structure: Structure) -> list[int] | None:
    """Where an addition lies in the picture: left, top, right, bottom, px; None when it lies outside."""
    corners = np.concatenate([soup.reshape(-1, 3) for _, soup, _ in one.parts])
    spots, depth = structure.camera.project(corners)
    if structure.camera.projection == "perspective":
        spots = spots[depth > 0.05]
    width, height = structure.size
    if not len(spots):
        return None
    low, high = spots.min(axis=0), spots.max(axis=0)
    if high[0] < 0 or high[1] < 0 or low[0] >= width or low[1] >= height:
        return None
    return [
        int(max(low[0], 0)), int(max(low[1], 0)), int(min(math.ceil(high[0]), width)), int(min(math.ceil(high[1]), height)),
    ]  # fmt: skip


def placed_list(listed: tuple[dict, ...]) -> str:
    """The additions as an entourage list (CSV) with the place of each in the world, to move or remove them."""
    import csv
    import io

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["mark", "what", "where", "height", "facing", "manner", "over", "note"])
    for item in listed:
        if item["what"] in BY_THEMSELVES or (not item["mark"] and item.get("where") == "horizon"):
            continue  # it comes with the houses, the surfaces and the land
        left_out = item["state"].startswith("left out")
        writer.writerow([
            ("#" if left_out else "") + item["mark"], item["what"], item["where"], f"{item['height']:g}",
            "" if "facing" not in item else f"{item['facing']:g}", "" if item["manner"] == "solid" else item["manner"],
            "yes" if item.get("over") else "", item["state"] if left_out else "",
        ])  # fmt: skip
    return out.getvalue()
