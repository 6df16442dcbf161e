"""What neighbours say of which way each other faces: by the lines between them, by light and colour, and by what lies around.

Pairs of regions (E, 2) and for each a table (E, L, L) of the cost of every two planes that the first and the second may take.
"""

from __future__ import annotations

import numpy as np

from irodori.structure.camera.line_directions import UPRIGHTS, Families
from irodori.structure.regions.measure import Regions

HIDING = 0.3
"""Cost of a line that only one of its two sides contains, against one that neither does."""

TIE = 60.0
"""Cost when two large faces of one colour do not face the same way."""

MOST_TONE = 60.0
"""Most cost when two neighbours of one material but not of one tone face the same way."""

GREY, TINTED, ALIKE = 0.06, 0.01, 0.4
"""Chroma up to which a colour is a grey; share of the picture that has a tint where materials have colours; and a factor on what
greys that look like one material say then."""

HOSTED, SMALL, AROUND, RING, MOSTLY = 4.0, 0.02, (6.0, 0.3), 24, 0.6
"""Cost when a small thing does not face as what lies around it; share of the picture up to which it is small; px, and share of
its narrower side, at which one looks around it, in how many places a side; and the share of these where one region is found."""


def standing_before(
    regions: Regions, segments: np.ndarray, sides: np.ndarray, families: Families
) -> set[tuple[int, int]]:
    """Pairs of a slim region and one that lies along its upright edges on both sides, and so goes on behind it; one side may
    be beyond the picture."""
    index = sides[:, 0].astype(int)
    rows, index = sides[families.label[index] == UPRIGHTS], index[families.label[index] == UPRIGHTS]
    place = (segments[index, 0] + segments[index, 2]) / 2
    left: dict[int, set[int]] = {}
    right: dict[int, set[int]] = {}
    for own, other in ((1, 2), (2, 1)):
        post, beside = rows[:, own].astype(int), rows[:, other].astype(int)
        used = regions.slim[post] & (beside > 0)
        before = place[used] < (regions.box[post[used], 0] + regions.box[post[used], 2]) / 2
        for one, met, at_left in zip(post[used].tolist(), beside[used].tolist(), before.tolist()):
            (left if at_left else right).setdefault(one, set()).add(met)
    width = regions.labels.shape[1]
    found = set()
    for own, other, gone in ((left, right, regions.box[:, 2] >= width - 1), (right, left, regions.box[:, 0] <= 1)):
        for post, beside in own.items():
            beyond = set(other.get(post, ()))
            # A post seen from its corner is two slim faces.
            beyond |= {met for face in beyond if regions.slim[face] for met in other.get(face, ())}
            found |= {
                (post, behind) for behind in beside if not regions.slim[behind] and (behind in beyond or gone[post])
            }
    return found


def line_costs(
    rows: np.ndarray, families: Families, holds: np.ndarray, sky: int, cards: list[int],
    before: set[tuple[int, int]], cost: np.ndarray,
):  # fmt: skip
    """Pairs of neighbours (E, 2) and their tables (E, L, L); lines beside the sky or inside a region go into `cost`.

    The outline of a column or a crown says nothing of what it hides; `before` are pairs of a post and what is behind.
    """
    options = cost.shape[1]
    rows = rows[~np.isin(rows[:, 1:3], list(cards)).any(axis=1)]
    family = families.label[rows[:, 0].astype(int)]
    sides = np.sort(rows[:, 1:3].astype(np.int64), axis=1)[family >= 0]
    length, family = rows[family >= 0, 3], family[family >= 0]
    # Pieces of one border along one direction speak once.
    key, group = np.unique(np.column_stack([sides, family]), axis=0, return_inverse=True)
    total = np.bincount(group.ravel(), length, minlength=len(key))
    tables: dict[tuple[int, int], np.ndarray] = {}
    for (i, j, which), along in zip(key.tolist(), total):
        weight = 30.0 * np.log1p(along / 30.0)
        holds_it = holds[:, which]
        if i == j:
            cost[i] += np.where(holds_it, 0.0, 0.4 * weight)
        elif sky in (i, j):
            cost[j if i == sky else i] += np.where(holds_it, 0.0, 0.9 * weight)
        elif which == UPRIGHTS and ((i, j) in before or (j, i) in before):
            cost[i if (i, j) in before else j] += np.where(holds_it, 0.0, weight)
        else:
            table = tables.setdefault((i, j), np.zeros((options, options)))
            both = holds_it[:, None] & holds_it[None]
            either = holds_it[:, None] | holds_it[None]
            table += np.where(both, 0.0, np.where(either, HIDING * weight, weight))
    pair = np.array(list(tables), int).reshape(-1, 2)
    return pair, np.array(list(tables.values())).reshape(-1, options, options)


def with_light(regions: Regions, pair: np.ndarray, table: np.ndarray, normals: np.ndarray, overhead: np.ndarray):
    """Two neighbours of one material but not of one tone face different ways, and if one is level it is the lighter, or
    the darker if it lies overhead, (R,)."""
    upright = np.append(np.abs(normals[:, 2]) < 0.1, [False] * (table.shape[1] - len(normals)))
    chroma = np.ptp(regions.colour + 1.0, axis=1) / (regions.colour + 1.0).max(axis=1)
    tinted = regions.area[chroma > GREY].sum() > TINTED * regions.labels.size
    for index, (i, j) in enumerate(pair):
        a, b = regions.colour[i] + 1.0, regions.colour[j] + 1.0
        ratio = a / b
        if np.ptp(ratio) > 0.05 * ratio.mean() or abs(np.log(ratio.mean())) < 0.05:
            continue
        weight = min(0.25 * np.sqrt(min(regions.area[i], regions.area[j])), MOST_TONE)
        if tinted and min(chroma[i], chroma[j]) < GREY:
            weight *= ALIKE  # a grey is like many things by chance
        same = np.arange(len(normals))
        table[index, same, same] += weight
        i_darker = ratio.mean() < 1
        if i_darker != overhead[i]:
            table[index, 0, upright] += weight
        if i_darker == overhead[j]:
            table[index, upright, 0] += weight
    return pair, table


def with_hosts(regions: Regions, pair: np.ndarray, table: np.ndarray, left_out: set[int]):
    """Where nothing else tells it, a thing faces as what lies around it does: a pane as its wall, a bar as its panes."""
    height, width = regions.labels.shape
    ties = []
    small = (regions.area > 0) & (regions.area < SMALL * regions.labels.size)
    small[list(left_out)] = False
    step = np.linspace(0, 1, RING)
    edge = np.repeat([0.0, 1.0], RING)
    square = np.concatenate([np.stack([np.tile(step, 2), edge], 1), np.stack([edge, np.tile(step, 2)], 1)])
    for region in np.flatnonzero(small).tolist():
        low, high = regions.box[region].reshape(2, 2)
        beyond = max(AROUND[0], AROUND[1] * min(high - low))
        ring = low - beyond + square * (high - low + 2 * beyond)
        x, y = ring[((ring >= 0) & (ring < [width, height])).all(axis=1)].astype(int).T
        met, times = np.unique(regions.labels[y, x], return_counts=True)
        if not len(met):
            continue
        host = int(met[times.argmax()])
        if times.max() > MOSTLY * times.sum() and regions.area[host] > regions.area[region] and host not in left_out:
            ties.append((min(region, host), max(region, host)))
    if not ties:
        return pair, table
    unlike = HOSTED * (1.0 - np.eye(table.shape[1]))
    return np.concatenate([pair, np.array(ties)]), np.concatenate([table, np.repeat(unlike[None], len(ties), axis=0)])


def with_colour(regions: Regions, group: np.ndarray, pair: np.ndarray, table: np.ndarray):
    """Under a viewport's fixed light one material facing one way has one colour: tie such regions to their largest."""
    ties, leader, last = [], -1, -1
    for region in np.lexsort((-regions.area, group)):
        if group[region] != last:
            leader, last = region, group[region]
            continue
        weight = TIE * np.sqrt(regions.area[region] / max(regions.area[leader], 1))
        ties.append((min(region, leader), max(region, leader), weight))
    if not ties:
        return pair, table
    unlike = 1.0 - np.eye(table.shape[1])
    extra = np.array([t[2] for t in ties])[:, None, None] * unlike[None]
    return np.concatenate([pair, np.array([t[:2] for t in ties], int)]), np.concatenate([table, extra])
