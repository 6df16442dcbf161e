"""Which way each region faces: a labelling of all regions at once.

A segment that belongs to a family of parallel lines has a known direction in space. It lies in the plane of the region
on one side of it at least (then it hides the other), or of both (then they fold there, or are one). Whatever labelling
explains most of them, with what place and colour make likely, is found by damped belief propagation over the regions'
neighbourhood and settled by iterated conditional modes.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.families import Families

LEVEL, UPRIGHT, SLOPE, CARD = range(4)
"""Kinds of plane: level; upright; sloping; upright card that faces the camera."""

HIDING = 0.3
"""Cost of a line that only one of its two sides contains, against one that neither does."""

LEVEL_TOUCHING = 0.1
"""Cost of a line between two level planes: something must have made the line."""

THIN = 9.0
"""px across, below which a region is a strip."""

ROUNDS = 40
NEVER = 1e4


@dataclass(frozen=True, eq=False)
class Regions:
    """Measurements of each region, index 0 unused.

    `area` (R,), `box` (R, 4) x0 y0 x1 y1, `colour` (R, 3) 8-bit sRGB mean, `pixels` up to 200 positions each.
    """

    labels: np.ndarray
    area: np.ndarray
    box: np.ndarray
    colour: np.ndarray
    pixels: list[np.ndarray]


@dataclass(frozen=True, eq=False)
class Planes:
    """`kind` (R,), unit `normal` (R, 3) facing the camera, world frame, and `sure` (R,) 0 … 1 of every region."""

    kind: np.ndarray
    normal: np.ndarray
    sure: np.ndarray


def measure_regions(labels: np.ndarray, colour: np.ndarray) -> Regions:
    """Measure every label of (H, W)."""
    from scipy import ndimage

    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    box = np.zeros((count, 4))
    for index, found in enumerate(ndimage.find_objects(labels), 1):
        if found is not None:
            box[index] = (found[1].start, found[0].start, found[1].stop, found[0].stop)
    order = np.argsort(labels.ravel(), kind="stable")
    starts = np.concatenate([[0], np.cumsum(area)])
    pixels = []
    for index in range(count):
        own = order[starts[index] : starts[index + 1]]
        own = own[:: max(1, len(own) // 200)]
        y, x = np.divmod(own, labels.shape[1])
        pixels.append(np.stack([x + 0.5, y + 0.5], axis=1))
    return Regions(labels, area, box, colour, pixels)


def line_sides(labels: np.ndarray, segments: np.ndarray, reach: float = 2.5) -> np.ndarray:
    """Which regions lie along each segment: rows (segment, left region, right region, length px), (M, 4) float64."""
    height, width = labels.shape
    rows = []
    for index, (x0, y0, x1, y1) in enumerate(segments):
        length = np.hypot(x1 - x0, y1 - y0)
        steps = max(int(length // 3), 2)
        t = (np.arange(steps) + 0.5) / steps
        across = np.array([-(y1 - y0), x1 - x0]) / length * reach
        sides = []
        for side in (-1.0, 1.0):
            x = np.clip((x0 + t * (x1 - x0) + across[0] * side).astype(int), 0, width - 1)
            y = np.clip((y0 + t * (y1 - y0) + across[1] * side).astype(int), 0, height - 1)
            sides.append(labels[y, x].astype(np.int64))
        pair, times = np.unique(sides[0] * (1 << 32) + sides[1], return_counts=True)
        for code, hits in zip(pair.tolist(), times.tolist()):
            if hits >= max(2, 0.08 * steps):
                rows.append((index, code >> 32, code & 0xFFFFFFFF, hits / steps * length))
    return np.array(rows, float).reshape(-1, 4)


def choose_planes(
    regions: Regions, camera: Camera, segments: np.ndarray, families: Families, *, sky: int, cards: list[int],
    lit: bool,
) -> Planes:  # fmt: skip
    """Choose a plane for every region.

    `cards` are regions that are no planes (planting); `lit` says whether equal colours speak for equal facing.
    """
    count, options = len(regions.area), len(families.normals)
    cost = np.zeros((count, options + 1))
    facing = np.zeros((count, options, 3))
    for region in range(1, count):
        if regions.area[region] == 0 or region == sky:
            continue
        cost[region], facing[region] = _own_cost(region, regions, camera, families.normals, region in cards)
    holds = np.abs(families.normals @ families.ways.T) < 0.02
    holds = np.vstack([holds, families.ways[:, 2] > 0.99])  # a card holds upright lines
    pair, table = _line_costs(regions, segments, families, holds, sky, cost)
    if lit:
        pair, table = _with_colour(regions, pair, table, sky, options)
    label, sure = _settle(cost, pair, table)
    normal = np.zeros((count, 3))
    own = np.arange(count)
    planar = label < options
    normal[planar] = facing[own[planar], label[planar]]
    kind = np.where(
        ~planar, CARD, np.where(np.abs(normal[:, 2]) > 0.95, LEVEL, np.where(np.abs(normal[:, 2]) < 0.1, UPRIGHT, SLOPE))
    )  # fmt: skip
    for region in np.flatnonzero(~planar & (regions.area > 0)):
        normal[region] = card_normal(regions.pixels[region], camera)
    sure[list(cards)] = 0.6
    return Planes(kind, normal, sure)


def card_normal(pixels: np.ndarray, camera: Camera) -> np.ndarray:
    """Level unit normal of an upright card at picture positions (n, 2) that faces the camera."""
    mean = camera.rays(*pixels.T)[1].astype(float).mean(axis=0) * [1, 1, 0]
    norm = np.linalg.norm(mean)
    return -mean / norm if norm > 1e-6 else -camera.rotation[1] * [1, 1, 0]


def _own_cost(region: int, regions: Regions, camera: Camera, normals: np.ndarray, card: bool):
    """Cost of each plane for one region by itself, the card last, and the normals turned to the camera."""
    cost = np.zeros(len(normals) + 1)
    rays = camera.rays(*regions.pixels[region].T)[1].astype(float)
    slope = rays @ normals.T
    turn = np.where(np.mean(slope > 0, axis=0) > 0.5, -1.0, 1.0)
    facing, slope = normals * turn[:, None], slope * turn
    # A plane seen from one side cannot cross its own vanishing line.
    wrong = np.mean(slope > -1e-4, axis=0) > 0.02
    x0, y0, x1, y1 = regions.box[region]
    broad = np.sqrt(regions.area[region])
    level = np.abs(normals[:, 2]) > 0.95
    grazing = np.log(np.max(-slope, axis=0) / np.maximum(np.min(-slope, axis=0), 1e-4))
    cost[:-1] = np.where(level, 0.0, 6.0 * np.maximum(grazing - np.log(6.0), 0))
    cost[:-1] += np.where(level, _level_cost(region, regions, camera, broad), 0.0)
    sloping = (np.abs(normals[:, 2]) > 0.1) & ~level
    cost[:-1] += np.where(sloping, 4.0 + min(0.1 * broad, 12.0) + np.where(facing[:, 2] < 0, 12.0, 0.0), 0.0)
    cost[3:-1] += 2.0
    cost[:-1][wrong] = NEVER
    cost[-1] = 40.0 + 0.3 * broad
    if card:
        cost[:-1], cost[-1] = NEVER, 0.0
    return cost, facing


def _level_cost(region: int, regions: Regions, camera: Camera, broad: float) -> float:
    """What place and shape say about a level plane."""
    x0, y0, x1, y1 = regions.box[region]
    width, height = camera.size
    horizon = camera.horizon()
    line = (horizon[0][1] + horizon[1][1]) / 2 if horizon else -0.1 * height
    below = ((y0 + y1) / 2 - line) / height
    cost = -min(0.2 * broad, 25.0) * np.clip(below * 6, -0.4, 1.0) if abs(below) > 0.02 else 0.3 * broad
    if y1 >= height - 3 and (x1 - x0) > 0.5 * width:  # what spans the picture at its foot is ground
        cost -= 1.0 * broad
    if (y1 - y0) > 2.5 * max(x1 - x0, 1):
        cost += 0.8 * (y1 - y0)
    thickness = regions.area[region] / np.hypot(x1 - x0, y1 - y0)
    if thickness < THIN:  # strips are faces of bars, risers and fascias more often than treads
        cost += min(0.3 * max(x1 - x0, y1 - y0), 30.0)
    return cost


def _line_costs(regions: Regions, segments: np.ndarray, families: Families, holds: np.ndarray, sky: int, cost: np.ndarray):
    """Pairs of neighbours (E, 2) and their tables (E, L, L); lines beside the sky or inside a region go into `cost`."""
    options = cost.shape[1]
    rows = line_sides(regions.labels, segments)
    level = np.zeros((options, options))
    level[0, 0] = 1.0
    tables: dict[tuple[int, int], np.ndarray] = {}
    for index, left, right, length in rows:
        family = families.label[int(index)]
        if family < 0:
            continue
        i, j = int(left), int(right)
        weight = 30.0 * np.log1p(length / 30.0)
        holds_it = holds[:, family]
        if i == j:
            cost[i] += np.where(holds_it, 0.0, 0.4 * weight)
        elif sky in (i, j):
            cost[j if i == sky else i] += np.where(holds_it, 0.0, 0.9 * weight)
        else:
            low, high = (i, j) if i < j else (j, i)
            table = tables.setdefault((low, high), np.zeros((options, options)))
            both = holds_it[:, None] & holds_it[None]
            either = holds_it[:, None] | holds_it[None]
            table += np.where(both, 0.0, np.where(either, HIDING * weight, weight)) + LEVEL_TOUCHING * weight * level
    pair = np.array(list(tables), int).reshape(-1, 2)
    return pair, np.array(list(tables.values())).reshape(-1, options, options)


def _with_colour(regions: Regions, pair: np.ndarray, table: np.ndarray, sky: int, options: int):
    """Under a viewport's fixed light one material facing one way has one colour: tie such regions to the largest."""
    key = np.rint(regions.colour / 2.0).astype(np.int64) @ [1, 1000, 1000000]
    solid = np.flatnonzero((regions.area > 0) & (np.arange(len(key)) != sky))
    solid = solid[solid > 0]
    order = solid[np.lexsort((-regions.area[solid], key[solid]))]
    ties = []
    leader = -1
    for region in order:
        if leader < 0 or key[region] != key[leader]:
            leader = region
            continue
        ties.append((min(region, leader), max(region, leader), 12.0 + 0.5 * np.sqrt(min(regions.area[region], 6400))))
    if not ties:
        return pair, table
    unlike = 1.0 - np.eye(options + 1)
    extra = np.array([t[2] for t in ties])[:, None, None] * unlike[None]
    return np.concatenate([pair, np.array([t[:2] for t in ties], int)]), np.concatenate([table, extra])


def _settle(cost: np.ndarray, pair: np.ndarray, table: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Labels (R,) of least cost and how sure they are, by min-sum propagation and a last descent."""
    count, options = cost.shape
    belief = cost.copy()
    if len(pair):
        i, j = pair.T
        to_j, to_i = np.zeros((len(pair), options)), np.zeros((len(pair), options))
        for _ in range(ROUNDS):
            new_j = ((belief[i] - to_i)[:, :, None] + table).min(axis=1)
            new_i = ((belief[j] - to_j)[:, None, :] + table).min(axis=2)
            to_j = 0.5 * to_j + 0.5 * (new_j - new_j.min(axis=1, keepdims=True))
            to_i = 0.5 * to_i + 0.5 * (new_i - new_i.min(axis=1, keepdims=True))
            belief = cost.copy()
            np.add.at(belief, j, to_j)
            np.add.at(belief, i, to_i)
    label = belief.argmin(axis=1)
    if len(pair):
        for _ in range(4):
            own = cost.copy()
            np.add.at(own, i, table[np.arange(len(pair)), :, label[j]])
            np.add.at(own, j, table[np.arange(len(pair)), label[i], :])
            better = own.argmin(axis=1)
            gain = own[np.arange(count), label] - own[np.arange(count), better]
            # Neighbours must not move at once: only those that gain more than all around them do.
            most = np.zeros(count)
            np.maximum.at(most, i, gain[j])
            np.maximum.at(most, j, gain[i])
            move = (gain > 1e-6) & (gain >= most)
            if not move.any():
                break
            label[move] = better[move]
        belief = own
    two = np.sort(belief, axis=1)[:, :2]
    gap = two[:, 1] - two[:, 0]
    return label, np.clip(0.2 + 0.79 * gap / (gap + 25.0), 0.05, 0.99)
