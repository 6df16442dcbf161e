"""Which way each region faces: a labelling of all regions at once.

A segment that belongs to a family of parallel lines has a known direction in space. It lies in the plane of the region
on one side of it at least (then it hides the other), or of both (then they fold there, or are one). Whatever labelling
explains most of them, with what place and colour make likely, is found by damped belief propagation over the regions'
neighbourhood and settled by iterated conditional modes.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry.frames import cross
from irodori.structure.camera.line_directions import UP, UPRIGHTS, Families, interpretation_normals
from irodori.structure.planes.corners import corner_faces, upright_ends
from irodori.structure.planes.least_cost_labels import settle
from irodori.structure.planes.pair_costs import line_costs, standing_before, with_colour, with_hosts, with_light
from irodori.structure.regions.colours import colour_groups
from irodori.structure.regions.measure import STRIP, Regions, under_sky

LEVEL, UPRIGHT, SLOPE, CARD = range(4)
"""Kinds of plane: level; upright; sloping; upright card that faces the camera."""

CEILING, AT_HEAD = 0.15, 0.1
"""How much a ceiling is level, for each px of its width; and what spans a picture without sky at its head."""

OWN_SLOPE = 22.0
"""Cost of a slope that only one region's own border tells."""

CORNER, MOST_CORNERS = 24.0, 2
"""Cost of a plane that does not contain both edges between which it ends at a corner, and how many corners count."""

STANDING, MOST_STANDING = 6.0, 30.0
"""What each upright line that ends on a region speaks for its being level, and all of them together at most."""

EDGE_ON = 0.03
"""Cosine to the view below which a slope is so edge-on that a touch of its pitch moves it by its own distance."""

SHORTEST_POST, BESIDE = 12.0, 5.0
"""px of an upright line that counts as standing, and how far beside it one looks."""

HARDLY_STANDS = 0.5
"""Confidence in an upright plane under which what is told for a ceiling is one."""

GROUND_ROLES, SURE_GROUND, BELOW_HORIZON, TO_HORIZON = ("floor", "lawn", "water"), 0.5, 0.02, 0.003
"""Roles of what lies level (paving goes down the fronts of terraces, too), how sure they must be, and how far below the horizon most
of it lies, and all (sine)."""

FLAT = 0.95
"""Cosine to the vertical from which an underside is a flat one."""

UNDER_RIDGE = 200.0
"""What keeps a ceiling under a ridge from being anything but a slope."""

ACROSS, UP_TO, FAR_END = 0.9, 0.01, 0.04
"""Share of the picture's width that land takes; and shares of its height over and under the horizon within which it ends."""

PARTED = 0.1
"""Share of the picture's width at its foot that other pieces of one colour take where something stands before a floor."""

STEEP, AROUND = 0.1, (0.25, 0.4)
"""How far down (sine) all of a picture looks in which what takes much of its edge is likely the ground; and the shares of the edge
from which it may be and from which it is."""

AT_A_GLANCE, AT_A_GLANCE_ALONE = 20.0, 100.0
"""What speaks for the way a region seems to face, for sure, at a glance, where tones tell, too, and where they do not."""

AS_LARGE, MOST_TIMES = 0.1, 4.0
"""Side, over that of the picture, of a square from which on larger regions count more there, and how often they count at most: of what is large
more places agree, and it has no more lines than what is small."""

NEVER = 1e4


@dataclass(frozen=True, eq=False)
class Planes:
    """`kind` (R,), unit `normal` (R, 3) facing the camera, world frame, and `sure` (R,) 0 … 1 of every region."""

    kind: np.ndarray
    normal: np.ndarray
    sure: np.ndarray


def choose_planes(
    regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families, *, sky: int,
    cards: list[int], leafy: list[int], tones_tell: bool, by_hand: bool = False, ceiling: int = 0, ground: int = 0,
    slopes: Collection[int] = (), seen: np.ndarray | None = None,
) -> Planes:  # fmt: skip
    """Choose a plane for every region.

    `ceiling` is a region that is as bright as a sky and is none, or 0; `ground` one that is level for sure, or 0; `slopes`
    are regions of a ceiling that has a ridge; `seen` (R, 3) which way each seems to face at a glance, the longer the surer.
    `sides` are `line_sides` of the segments; `cards` are regions that are no planes, `leafy` those of them that are planting; `tones_tell` says whether equal colours speak for equal facing.
    """
    count, shared = len(regions.area), len(families.normals)
    options = shared + 2  # two slopes of each region's own follow the shared planes, and the card comes last
    cost = np.zeros((count, options + 1))
    facing = np.zeros((count, options, 3))
    pitches = _own_pitches(regions, camera, segments, sides, families)
    open_above, roofed = under_sky(regions, sky), under_sky(regions, sky, leafy)
    stood_on = _stood_on(regions, segments, families)
    group = colour_groups(regions, sky) if tones_tell else np.arange(count)
    at_foot, parted = _at_foot(regions, group)
    round_all = _round_all(regions, group) if _from_above(camera) else np.zeros(count)
    for region in range(1, count):
        if regions.area[region] == 0 or region == sky:
            continue
        normals = np.vstack([families.normals, pitches[region][0]])
        cost[region], facing[region] = _own_cost(
            region, regions, camera, normals, region in cards, tones_tell, at_foot[region], parted[region] or not tones_tell,
            not sky and regions.box[region, 1] < 3,
        )  # fmt: skip
        cost[region, shared:options] += OWN_SLOPE - pitches[region][1]
        cost[region, 0] -= min(STANDING * stood_on[region], MOST_STANDING)
        cost[region, 0] -= round_all[region] * np.sqrt(regions.area[region])
        # The near edge of a soffit is a fascia's: what has the sky, or trees before it, over it is seen from above or
        # from the front. A gabled canopy shows its underside before trees, too.
        up = facing[region, :, 2]
        cost[region, :-1] += 40.0 * np.where(up < -FLAT, roofed[region], np.where(up < -0.1, open_above[region], 0.0))
    if ground:
        cost[ground, 1:] = NEVER
    if ceiling:
        cost[ceiling, 0] -= CEILING * np.sqrt(regions.area[ceiling])
    for region in slopes:
        up = facing[region, :, 2]
        cost[region, :-1] += np.where((up < -0.1) & (up > -FLAT), 0.0, UNDER_RIDGE)
    if seen is not None:
        larger = np.clip(np.sqrt(regions.area / regions.labels.size) / AS_LARGE, 1, MOST_TIMES)[:, None]
        cost[:, :-1] -= (AT_A_GLANCE if tones_tell else AT_A_GLANCE_ALONE * larger) * np.einsum(
            "rk,rok->ro", seen * np.linalg.norm(seen, axis=1, keepdims=True), facing
        )
    if not sky:
        above = _at_head(regions, camera)
        cost[above, 0] -= AT_HEAD * np.sqrt(regions.area[above])
    holds = np.abs(families.normals @ families.ways.T) < 0.02
    first = np.eye(len(families.ways))[:3] > 0
    holds = np.vstack([holds, first[:2], first[2:]])  # an own slope holds its ridge's lines, a card upright ones
    for region, one, other, times in corner_faces(
        regions, segments, sides, families.label, by_hand=by_hand, hiding=cards
    ):
        if region != sky:
            cost[region] += np.where(holds[:, one] & holds[:, other], 0.0, CORNER * min(times, MOST_CORNERS))
    closed = upright_ends(regions, segments, sides, families.label, cards)
    cost[:, ~holds[:, 2]] += CORNER * np.minimum(closed, MOST_CORNERS)[:, None]
    before = standing_before(regions, segments, sides, families)
    pair, table = line_costs(sides, families, holds, sky, cards, before, cost)
    if tones_tell:
        pair, table = with_light(regions, pair, table, families.normals, facing[:, 0, 2] < 0)
        pair, table = with_colour(regions, group, pair, table)
    pair, table = with_hosts(regions, pair, table, {0, sky, *cards})
    label, sure = settle(cost, pair, table, group)
    normal = np.zeros((count, 3))
    own = np.arange(count)
    planar = label < options
    normal[planar] = facing[own[planar], label[planar]]
    kind = np.where(
        ~planar, CARD, np.where(np.abs(normal[:, 2]) > 0.9995, LEVEL, np.where(np.abs(normal[:, 2]) < 0.1, UPRIGHT, SLOPE))
    )  # fmt: skip
    for region in np.flatnonzero(~planar & (regions.area > 0)):
        normal[region] = card_normal(regions.pixels[region], camera)
    sure[list(cards)] = 0.6
    return Planes(kind, normal, sure)


def lie_level(planes: Planes, regions: Regions, camera: Camera, roles: list[str], sure: np.ndarray) -> Planes | None:
    """The planes, of which those lie level that are ground, floor or ceiling for (nearly) sure; None when all of these do.

    Legs and posts before a floor part it into pieces, whose borders speak for what stands.
    """
    kind, normal = planes.kind.copy(), planes.normal.copy()
    for region in np.flatnonzero((kind == UPRIGHT) & (sure > SURE_GROUND)):
        over = roles[region] == "ceiling"
        # A wall's upper part may pass for a ceiling: only what hardly tells how it stands gives way.
        wanted = planes.sure[region] < HARDLY_STANDS if over else roles[region] in GROUND_ROLES
        if regions.area[region] > 0 and wanted:
            way = -UP if over else UP
            falls = camera.rays(*regions.pixels[region].T)[1] @ way
            if falls.max() < TO_HORIZON and np.median(falls) < -BELOW_HORIZON:
                kind[region], normal[region] = LEVEL, way
    return None if (kind == planes.kind).all() else Planes(kind, normal, planes.sure)


def _own_pitches(regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families):
    """For every region its two slopes, (2, 3) about the first and the second axis, and what speaks for each, (2,).

    Few lines make no family, yet a roof's verge tells its pitch: the slope is that of the region's border lines that
    belong to none.
    """
    nothing = np.tile([0, 0, 1.0], (2, 1)), np.full(2, -NEVER)
    out = [nothing] * len(regions.area)
    loose = sides[families.label[sides[:, 0].astype(int)] < 0]
    m = interpretation_normals(segments, camera)
    votes: dict[int, list[tuple[int, float]]] = {}
    for index, left, right, length in loose:
        if left != right and length > 20:
            votes.setdefault(int(left), []).append((int(index), length))
            votes.setdefault(int(right), []).append((int(index), length))
    for region, own in votes.items():
        lines, weight = np.array([v[0] for v in own]), np.array([v[1] for v in own])
        normals, gain = nothing[0].copy(), nothing[1].copy()
        for k, (ridge, across) in enumerate(
            ((families.ways[0], families.ways[1]), (families.ways[1], families.ways[0]))
        ):
            slope = cross(m[lines], ridge)
            good = np.linalg.norm(slope, axis=1) > 0.1
            side = np.sign(slope @ across)
            angle = np.arctan2((slope @ UP) * side, np.abs(slope @ across))
            good &= (np.abs(angle) > np.radians(6)) & (np.abs(angle) < np.radians(68))
            if not good.any():
                continue
            near = np.abs(angle[good][:, None] - angle[good][None]) < np.radians(2.5)
            best = int((near @ weight[good]).argmax())
            pitch = np.average(angle[good][near[best]], weights=weight[good][near[best]])
            normals[k] = cross(ridge, np.cos(pitch) * across + np.sin(pitch) * UP)
            gain[k] = min(0.7 * 30.0 * np.log1p(weight[good][near[best]].sum() / 30.0), 70.0)
        out[region] = normals, gain
    return out


def card_normal(pixels: np.ndarray, camera: Camera) -> np.ndarray:
    """Level unit normal of an upright card at picture positions (n, 2) that faces the camera."""
    mean = camera.rays(*pixels.T)[1].astype(float).mean(axis=0) * [1, 1, 0]
    norm = np.linalg.norm(mean)
    return -mean / norm if norm > 1e-6 else -camera.rotation[1] * [1, 1, 0]


def as_cards(planes: Planes, cards: Collection[int], regions: Regions, camera: Camera) -> Planes:
    """Planes of which some regions are upright cards that face the camera."""
    kind, normal = planes.kind.copy(), planes.normal.copy()
    for region in cards:
        kind[region], normal[region] = CARD, card_normal(regions.pixels[region], camera)
    return Planes(kind, normal, planes.sure)


def _own_cost(
    region: int, regions: Regions, camera: Camera, normals: np.ndarray, card: bool, tones_tell: bool, at_foot: float,
    parted: bool, at_head: bool,
):  # fmt: skip
    """Cost of each plane for one region by itself, the card last, and the normals turned to the camera.

    `at_head`: it reaches the head of a picture without sky, and may be a pitched ceiling.
    """
    cost = np.zeros(len(normals) + 1)
    rays = camera.rays(*regions.pixels[region].T)[1].astype(float)
    slope = rays @ normals.T
    turn = np.where(np.mean(slope > 0, axis=0) > 0.5, -1.0, 1.0)
    facing, slope = normals * turn[:, None], slope * turn
    # A plane seen from one side cannot cross its own vanishing line.
    wrong = np.mean(slope > -1e-4, axis=0) > 0.02
    broad = np.sqrt(regions.area[region])
    level = np.abs(normals[:, 2]) > 0.9995
    grazing = np.log(np.maximum(np.max(-slope, axis=0), 1e-12) / np.maximum(np.min(-slope, axis=0), 1e-4))
    cost[:-1] = np.where(level, 0.0, 6.0 * np.maximum(grazing - np.log(6.0), 0))
    cost[:-1] += np.where(level, _level_cost(region, regions, camera, broad, tones_tell, at_foot, parted), 0.0)
    sloping = (np.abs(normals[:, 2]) > 0.1) & ~level
    overhead = np.where(facing[:, 2] < 0, 0.0 if at_head else 12.0, 0.0)
    cost[:-1] += np.where(sloping, 4.0 + min(0.04 * broad, 6.0) + overhead, 0.0)
    cost[3:-1] += 2.0
    cost[:-1][wrong | (sloping & (-slope.mean(axis=0) < EDGE_ON))] = NEVER
    cost[-1] = 40.0 + 0.3 * broad
    if card:
        cost[:-1], cost[-1] = NEVER, 0.0
    return cost, facing


def _stood_on(regions: Regions, segments: np.ndarray, families: Families) -> np.ndarray:
    """How many upright lines stand on each region, (R,): it lies under and beside their foot, but not beside their top.

    A wall goes round a window from foot to top; a railing at the edge of a terrace has the drop only under it.
    """
    votes = np.zeros(len(regions.area))
    for index in np.flatnonzero(families.label[: len(segments)] == UPRIGHTS):
        top, foot = sorted(segments[index].reshape(2, 2), key=lambda end: end[1])
        length = np.hypot(*(foot - top))
        if length < SHORTEST_POST:
            continue
        way = (foot - top) / length
        across = BESIDE * np.array([-way[1], way[0]])
        under = regions.at(foot + 4 * way)
        if under == 0 or under != regions.at(foot + 8 * way):
            continue
        low, high = foot - 3 * way, top + 3 * way
        if under in (regions.at(low + across), regions.at(low - across)) and under not in (
            regions.at(high + across),
            regions.at(high - across),
        ):
            votes[under] += 1
    return votes


def _at_foot(regions: Regions, group: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Share of the picture's width at its foot that regions of the same `group` (R,) span, 0 for what ends above, (R,); and whether
    much of that is others of the group, (R,)."""
    height, width = regions.labels.shape
    touching = regions.box[:, 3] >= height - 3
    span = np.where(touching, regions.box[:, 2] - regions.box[:, 0], 0.0) / width
    low = regions.labels[-3:].min(axis=0)
    pieces = np.bincount(group[low], minlength=int(group.max()) + 1) / width
    return np.where(touching, np.maximum(span, pieces[group]), 0.0), pieces[group] > span + PARTED


def _from_above(camera: Camera) -> bool:
    """Whether the picture's head, too, looks down on the ground."""
    width, _ = camera.size
    return bool((camera.rays(np.array([0.5, width / 2, width - 0.5]), np.full(3, 0.5))[1][:, 2] < -STEEP).all())


def _round_all(regions: Regions, group: np.ndarray) -> np.ndarray:
    """How much the `group` (R,) of each region that reaches the picture's edge goes round all else, (R,) 0 … 1."""
    labels = regions.labels
    edge = np.concatenate([labels[0], labels[-1], labels[1:-1, 0], labels[1:-1, -1]])
    length = np.bincount(edge, minlength=len(regions.area))
    length[0] = 0
    share = np.bincount(group, length)[group] / len(edge)
    return np.where((length > 0) & (share > AROUND[0]), np.minimum(share / AROUND[1], 1.0), 0.0)


def _at_head(regions: Regions, camera: Camera) -> list[int]:
    """Regions that reach the picture's head and end above the horizon, if they span most of its width: a ceiling, or its pieces
    beside what stands before it."""
    horizon = camera.horizon()
    if horizon is None:
        return []
    number, count = np.unique(regions.labels[:3], return_counts=True)
    # Slivers beside what stands before it may run down to the floor.
    above = regions.main_box[number, 3] < min(horizon[0][1], horizon[1][1])
    above &= ~regions.slim[number] & (number > 0)
    return number[above].tolist() if count[above].sum() > 0.5 * count.sum() else []


def _level_cost(
    region: int, regions: Regions, camera: Camera, broad: float, tones_tell: bool, at_foot: float, parted: bool
) -> float:
    """What place and shape say about a level plane."""
    x0, y0, x1, y1 = regions.box[region]
    width, height = camera.size
    horizon = camera.horizon()
    line = (horizon[0][1] + horizon[1][1]) / 2 if horizon else -0.1 * height
    below = ((y0 + y1) / 2 - line) / height
    # From above everything lies below the horizon, and place says little.
    slant = 1.0 if abs(camera.rotation[2, 2]) < np.sin(np.radians(8)) else 0.35
    cost = -min(0.2 * broad, 25.0) * slant * np.clip(below * 6, -0.4, 1.0) if abs(below) > 0.02 else 0.3 * broad
    if y0 > line:  # walls stand up to the eye or over it, more often than they end below
        cost = min(cost, -0.6 * min(0.2 * broad, 25.0) * slant)
    red, green, blue = regions.colour[region]
    if tones_tell and below > 0.02 and regions.area[region] > 0.01 * width * height:
        # That much blue or green is water or grass; slate and zinc are a little blue too.
        cost -= 0.2 * broad * np.clip(max((blue - red - 12) / 24, (green - max(red, blue) - 12) / 6), 0.0, 1.0)
    if at_foot > 0.5:  # what spans the picture at its foot is ground
        cost -= 1.0 * broad
    elif parted and slant == 1.0 and at_foot > 0.21 and y0 > line + 0.1 * height:
        # So are its pieces, where colour says that they are one, or none does that they are not.
        cost -= 0.4 * broad
    elif slant == 1.0 and x1 - x0 > ACROSS * width and -UP_TO * height < y0 - line < FAR_END * height:
        cost -= 0.4 * broad  # and what spans it right under the horizon
    if (y1 - y0) > 2.5 * max(x1 - x0, 1):
        cost += min(0.8 * (y1 - y0), broad)  # what stands before a floor may leave slivers of it
    if regions.thickness[region] < STRIP:  # strips are faces of bars, risers and fascias more often than treads
        cost += min(0.2 * max(x1 - x0, y1 - y0), 15.0)
    return cost
