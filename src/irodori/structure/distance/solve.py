"""How far away each plane lies: all borders vote together.

With q the logarithm of a plane's distance, a fold between two regions says that q_i − q_j equals the logarithm of
the ratio of their ray cosines along the border. Minimising the weighted absolute misfit (a linear programme) lets
occlusions stand as outliers. Where the border runs along an axis on one of the planes only, that plane's region ends
there and hides the other: a hinge then keeps it in front. In parallel projection q is the depth at the principal point,
and differences of depth take the place of logarithms.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.distance.border_evidence import (
    SHORTEST_EDGE,
    STRAIGHT,
    Border,
    ends_in_corner,
    hangs,
    level_up,
    spread_of,
    stands,
    way_of,
)
from irodori.structure.distance.cut_off_feet import LONGEST, cut_off
from irodori.structure.distance.tables import Legged
from irodori.structure.planes.choose import CARD, LEVEL
from irodori.structure.regions.measure import Regions

CUT = 0.4
"""Share of a crown's size over which a straight border cuts it off."""

MOST_BULGE = 0.5
"""Share of its distance by which a crown stands out from its card at most."""

# Factors on a border's vote that its two sides touch, by what meets there.

STANDING = 6.0
"""At the foot of what stands on something: nearly always so."""

BEHIND_TOP = 0.05
"""At the foot of what shows above a table, which most likely only hides that foot."""

CARRYING = 3.0
"""At the head of a post: what it carries lies on it."""

IN_FRONT = 0.3
"""Above a post's foot, where something stands in front of it."""

FAR_EDGE = 0.4
"""At a level plane above an upright one: its far edge may only look as if it touched."""

COPLANAR = 0.35
"""Between parallel planes: a step between them would look the same."""

BESIDE_CARD = 0.05
"""Beside a card (a crown, a person), which stands where it likes."""

HIDING = 0.15
"""Where the run of the border says that one hides the other."""

GROUND = 0.02
"""Share of the picture from which something level may be ground beside lower ground."""

BROADEST, FOOT = 0.03, 3
"""Share of the picture's width that a post has at most, and px of border by which it stands."""

FAR_OFF = 3.0
"""Times as far off as what hides its foot that a hill is at least."""

ONE_LEVEL = 60.0
"""What a piece of the ground's colour weighs at most, as a vote that it lies at the ground's level."""

LEG_AT, BEHIND_RIM = 0.2, 0.03
"""Share of a rim's width from its ends within which its legs are, and a factor on the vote of what else shows under it that it is as
far away."""

TABLE, CUSTOM = 0.74, 15.0
"""m that tables are high, usually, and what that weighs: less than the foot of a single leg."""

OVER = 0.3
"""How far (stacked) what hangs over a wall lies above it along their border."""

ENDING = 4.0
"""Factor on the longest border's vote that a cylinder ends where it does."""

CARRIED = 0.5
"""Factor on the length of edge along which two faces are one plane."""

PAST, ASIDE, STEP = (6.0, 11.0, 16.0), 4.0, 4.0
"""px beyond the end of an upright border at which one looks whether it goes on, px beside it, and px from place to place."""

PARALLEL_DEPTH = 60.0
"""m from the eye of a parallel view to what it stands on, which its lines cannot tell."""


def solve_offsets(
    regions: Regions, borders: list[Border], camera: Camera, kinds: np.ndarray, normals: np.ndarray, sky: int, anchor: int,
    distance: float, *, legged: Legged, groups: np.ndarray | None = None, carried: Sequence[tuple[int, int, float]] = (),
    uprights: Mapping[tuple[int, int], np.ndarray] | None = None, free: Collection[int] = (),
    leafy: Mapping[int, float] | None = None, hills: Collection[int] = (),
    ends: Sequence[tuple[int, int, float]] = (),
) -> np.ndarray:  # fmt: skip
    """Distance of each plane from the camera, (R,) m, by the `borders` measured; the plane of region `anchor` is held at `distance`.

    A plane is normal · (x − position) = −distance. In parallel projection distances may be negative. Level pieces
    of one of the `groups` (R,), colours where the light tells them, are likely to be one level; `carried` are `carried_faces`,
    in one plane, `legged` are what `find_legged` tells and `uprights` are `upright_edges`. What is `free` stands by itself, as
    columns and people do; what is `leafy` has no straight edge of its own, and bulges towards the eye by a share of its distance
    (parallel: m); `hills`, leafy too, lie behind all. `ends` are `cylinder_votes`.
    """
    parallel = camera.projection == "parallel"
    held = PARALLEL_DEPTH if parallel else float(np.log(distance))
    known = {(min(i, j), max(i, j)) for i, j, _ in ends}
    borders = [border for border in borders if (border.first, border.second) not in known]
    votes, hinges = _votes(borders, regions, kinds, normals, sky, uprights or {}, free, hills, legged)
    # As differences of q, like all of a hinge.
    bulges = {r: by if parallel else -np.log1p(-min(by, MOST_BULGE)) for r, by in (leafy or {}).items()}
    hinges += _behind_edges(borders, regions, kinds, normals, bulges, hills)
    level = (kinds == LEVEL) & (normals[:, 2] > 0)
    if not parallel:
        more, bounds = cut_off(regions, camera, normals, level, sky, anchor, distance)
        votes, hinges = votes + more, hinges + bounds
        if anchor not in legged.tops:
            votes += [(top, anchor, float(np.log1p(-TABLE / distance)), CUSTOM) for top in sorted(legged.tops)]
    if groups is not None:
        votes += _one_level(borders, regions, level, groups)
    votes += [(i, j, ratio, ENDING * LONGEST) for i, j, ratio in ends]
    votes += [(i, j, 0.0, CARRIED * min(size, LONGEST)) for i, j, size in carried]
    if not votes:
        return np.full(len(regions.area), distance if not parallel else PARALLEL_DEPTH)
    q = _solve(len(regions.area), votes, hinges, anchor, held, (-1e3, 1e3) if parallel else (-6, 9))
    return -q * (normals @ camera.rotation[2]) if parallel else np.exp(np.clip(q, -6, 9))


def _behind_edges(
    borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray, bulges: Mapping[int, float],
    hills: Collection[int],
) -> list:  # fmt: skip
    """Hinges that hold what is leafy, with all by which it `bulges`, behind the long straight edges above which it shows (a roof's, a
    wall's, that of the ground), and hills behind all, well behind where no foot tells how far off they are."""
    footed = {
        hill
        for border in borders
        if len(border.place) >= SHORTEST_EDGE
        and (hill := stands(border, regions, kinds, normals)) in hills
        and level_up(border.first + border.second - hill, kinds, normals)
    }
    hinges = []
    for border in borders:
        i, j, size = border.first, border.second, min(len(border.place), LONGEST)
        behind = hills if (i in hills) != (j in hills) else bulges
        if (i in behind) == (j in behind) or size < SHORTEST_EDGE:
            continue
        before, after = (j, i) if i in behind else (i, j)
        sign = 1.0 if after == i else -1.0
        x0, y0, x1, y1 = regions.box[after]
        # A crown's scallops run straight for a while, too.
        cut = sign * border.stacked > 0.3 and np.hypot(*np.ptp(border.place, axis=0)) > CUT * np.hypot(x1 - x0, y1 - y0)
        if behind is hills or (cut and way_of(border.place) is not None):
            away = np.log(FAR_OFF) if behind is hills and after not in footed else bulges[after]
            hinges.append((before, after, float(np.percentile(-sign * border.ratio, 5) - away), size))
    return hinges


def _votes(
    borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray, sky: int, uprights: Mapping,
    free: Collection[int], hills: Collection[int], legged: Legged,
):  # fmt: skip
    """Rows (i, j, q_i − q_j, weight) and hinges (i, j, most that q_i − q_j may be, weight)."""
    posts = _posts(borders, regions, kinds, normals) | set(free) | legged.legs
    feet: dict[int, float] = {}
    for border in borders:
        upper = stands(border, regions, kinds, normals)
        if upper >= 0 and len(border.place) >= 6:
            feet[upper] = max(feet.get(upper, -1.0), float(np.percentile(border.place[:, 1], 80)))
    eaves, hung = _eaves(borders, regions, kinds, normals)
    votes, hinges = [], []
    for border in borders:
        i, j, size = border.first, border.second, min(len(border.place), LONGEST)
        weight = size * np.exp(-border.spread / border.give) + 0.02
        if (i in hills) != (j in hills) and kinds[i] == kinds[j] == CARD:
            # Crowns stand before hills; only where nothing else tells are they as far away.
            votes.append((i, j, float(np.median(border.ratio)), BESIDE_CARD * weight))
            continue
        rim = _over_shown(border, regions, kinds, legged)
        before = max(rim, _before_ground(border, kinds, normals, legged))
        if before < 0:
            before = i if (i, j) in eaves else j if (j, i) in eaves else -1
        if before >= 0:
            sign = 1.0 if before == i else -1.0
            hinges.append((before, i + j - before, float(np.median(sign * border.ratio)), size))
            if rim >= 0:
                votes.append((i, j, float(np.median(border.ratio)), BEHIND_RIM * weight))
            continue
        upper = stands(border, regions, kinds, normals)
        if (i in posts) != (j in posts) and (upper < 0 or kinds[upper] != CARD or upper in posts):
            # A post stands on one thing and carries another; whatever else it meets is hidden by it.
            post = i if i in posts else j
            votes += _votes_of_post(border, post, regions, kinds, normals, free=post in free, tops=legged.tops)
            votes.append((i, j, float(np.median(border.ratio)), BESIDE_CARD * weight))
            continue
        if upper >= 0:
            tall = max(regions.box[upper, 3] - regions.box[upper, 1], 8)
            foot = float(np.percentile(border.place[:, 1], 80))
            # A broad terrace beside lower ground is stood on too; a small top before a wall hides its foot.
            broad = regions.area[i + j - upper] > GROUND * regions.labels.size
            slack = 0.0 if kinds[upper] == CARD else 0.12 if broad else 0.02
            lowest = foot >= feet.get(upper, foot) - slack * tall or (kinds[upper] == CARD and i + j - upper in posts)
            # A card stands on one thing: what it hides ends beside it, too.
            if not lowest:
                weight *= BESIDE_CARD if kinds[upper] == CARD else IN_FRONT
            elif i + j - upper in legged.tops and upper not in posts and kinds[upper] != CARD:
                weight *= BEHIND_TOP
            else:
                weight *= STANDING
        elif CARD in (kinds[i], kinds[j]):
            weight *= BESIDE_CARD
        elif hangs(border, kinds, normals):
            weight *= 1.0 if ends_in_corner(border, regions.labels) else FAR_EDGE
        elif abs(normals[i] @ normals[j]) > 0.98 and (i, j) not in hung:
            weight *= COPLANAR
        owner = border.owner
        if owner < 0 and (i, j) in uprights:
            owner = _goes_past(border, uprights[i, j], regions, kinds, normals, sky)
        if owner >= 0:
            weight *= HIDING
            if owner == i:
                hinges.append((i, j, float(np.percentile(border.ratio, 25)), size))
            else:
                hinges.append((j, i, float(-np.percentile(border.ratio, 75)), size))
        votes.append((i, j, float(np.median(border.ratio)), weight))
    return votes, hinges


def _before_ground(border: Border, kinds: np.ndarray, normals: np.ndarray, legged: Legged) -> int:
    """The one of two regions that legs carry, which only hides the level other; −1 without."""
    for own, other, _ in border.both_ways:
        if other not in legged.tops and level_up(other, kinds, normals) and own in legged.rims | legged.tops:
            return own
    return -1


def _eaves(borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray) -> tuple[set, set]:
    """Pairs of what hangs over a wall, or lies level on that, and the ground that shows beside it: its foot runs on in one
    line from the wall's head, though the wall stands on the same ground further down. And the pairs of regions, the first
    less than the second, of which one hangs so over the other."""
    feet: dict[int, dict[int, Border]] = {}
    over = []
    for border in borders:
        upper, facing = stands(border, regions, kinds, normals), {kinds[border.first], kinds[border.second]}
        if upper >= 0 and kinds[upper] != CARD:
            feet.setdefault(upper, {})[border.first + border.second - upper] = border
        elif upper < 0 and abs(border.stacked) > OVER and not facing & {LEVEL, CARD}:
            over.append(border)
    found, hung = set(), set()
    for border in over:
        upper, wall = border.downwards
        way = way_of(border.place) if len(border.place) >= SHORTEST_EDGE else None
        if way is None:
            continue
        middle, across = border.place.mean(axis=0), np.array([-way[1], way[0]])
        for ground in feet.get(upper, {}).keys() & feet.get(wall, {}).keys():
            away = [np.abs((_foot(feet[own][ground], own) - middle) @ across) for own in (upper, wall)]
            if min(map(len, away)) < FOOT:
                continue
            beside, below = map(np.median, away)
            if beside < STRAIGHT and below > SHORTEST_EDGE:
                found.add((upper, ground))
                hung.add((border.first, border.second))
    for border in borders:
        if hangs(border, kinds, normals):
            top, face = border.downwards
            found |= {(top, ground) for own, ground in found if own == face}
    return found, hung


def _foot(border: Border, region: int) -> np.ndarray:
    """Places (n, 2) of a border where a region lies right above the other."""
    return border.place[border.steps == (1 if border.first == region else -1)]


def _posts(borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray) -> set[int]:
    """Slim upright regions and cards that stand on something level, with the strips that go with them."""
    tall = regions.box[:, 3] - regions.box[:, 1]
    mean = regions.area / np.maximum(tall, 1)
    slim = regions.slim & (mean < BROADEST * regions.labels.shape[1]) & (kinds != LEVEL)
    slim[kinds == CARD] = True
    found = {
        own
        for border in borders
        for own, other, _ in border.both_ways
        if slim[own]
        and level_up(other, kinds, normals)
        and _end(border, own, regions).sum() >= max(FOOT, 0.4 * mean[own])
    }
    strips = True
    while strips:
        strips = set()
        for border in borders:
            i, j = border.first, border.second
            if (i in found) != (j in found) and slim[i] and slim[j] and CARD not in (kinds[i], kinds[j]):
                level = abs(regions.box[i, 3] - regions.box[j, 3]) < 0.1 * min(tall[i], tall[j])
                if level and len(border.place) > 0.5 * min(tall[i], tall[j]):
                    strips |= {i, j} - found
        found |= strips
    return found


def _votes_of_post(
    border: Border, post: int, regions: Regions, kinds: np.ndarray, normals: np.ndarray, *, free: bool,
    tops: Collection[int],
) -> list:  # fmt: skip
    """What a post's foot on something level and its head under what it carries say."""
    i, j = border.first, border.second
    foot, head = (_end(border, post, regions, low) for low in (True, False))
    # What stands on a table has its top beside the foot, too; else that hides it.
    foot &= level_up(i + j - post, kinds, normals) and (i + j - post not in tops or (border.steps == 0).sum() >= FOOT)
    if free:  # people carry nothing
        head &= kinds[i + j - post] == LEVEL
    votes = []
    for own, factor in ((foot, STANDING), (head, CARRYING)):
        if own.sum() >= FOOT:
            ratio = border.ratio[own]
            weight = factor * own.sum() * np.exp(-spread_of(ratio) / border.give)
            votes.append((i, j, float(np.median(ratio)), weight))
    return votes


def _over_shown(border: Border, regions: Regions, kinds: np.ndarray, legged: Legged) -> int:
    """The one of two regions that is a rim under which the other shows where no leg is, so may be far behind; −1 without."""
    for rim, own, _ in border.both_ways:
        if rim not in legged.rims or own in legged.rims or kinds[own] == LEVEL:
            continue
        if _end(border, own, regions, low=False).sum() >= FOOT:
            (x0, x1), (low, high) = regions.box[rim, [0, 2]], regions.box[own, [0, 2]]
            if min((low + high) / 2 - x0, x1 - (low + high) / 2) > LEG_AT * (x1 - x0):
                return rim
    return -1


def _goes_past(
    border: Border, edge: np.ndarray, regions: Regions, kinds: np.ndarray, normals: np.ndarray, sky: int
) -> int:
    """The one of two upright regions whose upright `edge`, (2, 2) top and foot, goes on past the other's foot, with the ground
    beside it, or past its top, with the sky or a ceiling: it stands before the other; −1 if none does."""
    i, j = border.first, border.second
    if {kinds[i], kinds[j]} & {LEVEL, CARD}:
        return -1
    way = (edge[1] - edge[0]) / np.hypot(*(edge[1] - edge[0]))
    away = border.place - edge[0]
    along = np.sort((away @ way)[np.abs(away @ [way[1], -way[0]]) < ASIDE])
    if len(along) < SHORTEST_EDGE:
        return -1
    across = ASIDE * np.array([way[1], -way[0]])
    # Where a frame ends right beside it, places on the border have neither region at their side.
    beside = [
        (regions.at(p - across), regions.at(p + across)) for p in edge[0] + along[:: SHORTEST_EDGE // 2, None] * way
    ]
    if beside.count((j, i)) > beside.count((i, j)):
        across = -across
    elif (i, j) not in beside:
        return -1
    edge = edge[0] + along[[0, -1]][:, None] * way
    for place, outward, ground in ((edge[1], way, True), (edge[0], -way, False)):
        if not ground and abs(normals[i] @ normals[j]) > 0.98:
            continue
        for region, hidden, side in ((j, i, across), (i, j, -across)):
            end = _after_plane(place - side, outward, hidden, regions, normals)
            beyond = [end + step * outward for step in PAST]
            own = {regions.at(there + 2 * side) for there in beyond}
            other = {regions.at(there) for there in beyond}
            if ground:
                ends = all(level_up(r, kinds, normals) for r in other)
            else:
                ends = other == {sky} if sky else all(kinds[r] == LEVEL and normals[r, 2] < 0 for r in other)
            if ends and own == {region}:
                return region
    return -1


def _after_plane(place: np.ndarray, way: np.ndarray, region: int, regions: Regions, normals: np.ndarray) -> np.ndarray:
    """The last place (2,) from one on along a way at which a region or what is parallel to it lies: below a wall's panes come
    rails and plinths."""
    while (here := regions.at(place + STEP * way)) > 0 and abs(normals[here] @ normals[region]) > 0.98:
        place = place + STEP * way
    return place


def _end(border: Border, post: int, regions: Regions, low: bool = True) -> np.ndarray:
    """Places (n,) of a border at which a post ends on what is below it, or (not `low`) under what is above it."""
    beyond = border.steps == (1 if (border.first == post) == low else -1)
    x0, y0, x1, y1 = regions.box[post]
    reach = max(3.0, min(0.35 * (x1 - x0), 0.15 * (y1 - y0)))
    return beyond & (border.place[:, 1] > y1 - reach if low else border.place[:, 1] < y0 + reach)


def _one_level(borders: list[Border], regions: Regions, level: np.ndarray, group: np.ndarray) -> list:
    """Votes that `level` pieces (R,) of one `group` (R,) lie at one height, the more so where a line parts them: it is a joint's
    rather than a step's."""
    large = np.flatnonzero(level & (regions.area >= 100))
    votes = []
    for number in np.unique(group[large]):
        own = large[group[large] == number]
        first = own[regions.area[own].argmax()]
        votes += [(int(first), int(r), 0.0, min(2.0 * np.sqrt(regions.area[r]), ONE_LEVEL)) for r in own if r != first]
    for border in borders:
        i, j = border.first, border.second
        if level[i] and level[j] and group[i] == group[j]:
            votes.append((i, j, 0.0, float(min(len(border.place), LONGEST))))
    return votes


def _solve(count: int, votes: list, hinges: list, anchor: int, held: float, limits: tuple[float, float]) -> np.ndarray:
    """Minimise Σ weight · misfit over q (count,) with q[anchor] = held."""
    from scipy.optimize import linprog
    from scipy.sparse import coo_matrix, vstack

    i, j, target, weight = (np.array(column) for column in zip(*votes, *hinges))
    i, j = i.astype(int), j.astype(int)
    every, m = np.arange(len(i)), len(votes)
    one = np.ones(len(i))
    shape = (len(i), count + len(i))
    upper = coo_matrix(
        (np.concatenate([one, -one, -one]), (np.tile(every, 3), np.concatenate([i, j, count + every]))), shape=shape
    )
    # A vote may be missed on either side, a hinge opens one way only.
    lower = coo_matrix(
        (
            np.concatenate([-one[:m], one[:m], -one[:m]]),
            (np.tile(every[:m], 3), np.concatenate([i[:m], j[:m], count + every[:m]])),
        ),
        shape=(m, shape[1]),
    )
    bounds = [limits] * count + [(0, None)] * len(i)
    bounds[anchor] = (held, held)
    result = linprog(
        np.concatenate([np.zeros(count), weight]), A_ub=vstack([upper, lower]).tocsr(),
        b_ub=np.concatenate([target, -target[:m]]), bounds=bounds, method="highs", options={"time_limit": 8.0},
    )  # fmt: skip
    return result.x[:count] if result.x is not None else np.full(count, held)
