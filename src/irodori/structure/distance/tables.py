"""Tables and seats: tops that lie on legs, whose feet may not be seen."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.distance.border_evidence import SHORTEST_EDGE, Border, ends_of, hangs, level_up, way_of
from irodori.structure.planes.choose import CARD, LEVEL
from irodori.structure.regions.measure import Regions

SHORTEST_RIM, SLIM, LOW = 8, 0.2, 0.3
"""px of border that tell a leg or a rim; and shares of the rim's width that a leg is wide, and a rim high, at most."""

BESIDE_LEG, BELOW_HEAD = 3.5, 6.5
"""px beside a leg, and below its head, at which its rim is no more seen."""

OUTWARD, BELOW, ABOVE = (6.0, 10.0), 5.0, 1.5
"""px beyond the end of a rim's upper edge at which one looks whether the top goes on, and px below and above its line."""


@dataclass(frozen=True, eq=False)
class Legged:
    """Regions of what stands on legs: level `tops`, upright `rims` under them, and `legs`."""

    tops: set[int]
    rims: set[int]
    legs: set[int]


def find_legged(
    borders: list[Border], regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, free: Collection[int]
) -> Legged:  # fmt: skip
    """Tops whose rim folds down from them and is carried by legs, between which the ground shows.

    What is `free`, as people are, carries nothing. Views from above in parallel projection show every foot, but of roofs and
    decks on posts: nothing is told of them.
    """
    if camera.projection == "parallel":
        return Legged(set(), set(), set())
    upright = (kinds != LEVEL) & (kinds != CARD)
    rim_of: dict[int, set[int]] = {}
    under: dict[int, set[int]] = {}
    for border in borders:
        for top, rim, above in border.both_ways:
            if upright[rim] and level_up(top, kinds, normals) and above > 0 and len(border.place) >= SHORTEST_RIM:
                under.setdefault(top, set()).add(rim)
                if hangs(border, kinds, normals) and _ends_there(border, top, regions):
                    rim_of.setdefault(rim, set()).add(top)
    upright[list(free)] = False
    carried = _carried(borders, regions, kinds, normals, upright, {rim for rim in rim_of if _is_low(rim, regions)})
    tops = {top for rim in carried for top in rim_of[rim]}
    # What folds down elsewhere along a top, no higher than it, is its rim, too.
    rims = {
        rim
        for top in tops
        for rim in under[top]
        if regions.box[rim, 1] >= regions.box[top, 1] and regions.area[rim] < regions.area[top]
    }
    return Legged(tops, rims, {leg for legs in carried.values() for leg in legs})


def _carried(
    borders: list[Border], regions: Regions, kinds: np.ndarray, normals: np.ndarray, upright: np.ndarray, rims: set[int]
) -> dict[int, set[int]]:
    """Of the rims those under which legs, `upright` (R,) ones, go on down, beside which the ground shows, with these."""
    wide = regions.box[:, 2] - regions.box[:, 0]
    beside = {
        own
        for border in borders
        for own, other, _ in border.both_ways
        if level_up(other, kinds, normals)
        and (border.place[border.steps == 0, 1] > regions.box[own, 1] + 2).sum() >= SHORTEST_RIM
    }
    out: dict[int, set[int]] = {}
    for border in borders:
        for rim, leg, above in border.both_ways:
            if rim not in rims or leg not in beside or not upright[leg] or above < 0.5:
                continue
            x0, y0, x1, _ = regions.box[leg]
            flanks = {regions.at(np.array([x, y0 + BELOW_HEAD])) for x in (x0 - BESIDE_LEG, x1 + BESIDE_LEG)}
            if wide[leg] < SLIM * wide[rim] and len(border.place) > 0.5 * wide[leg] and rim not in flanks:
                out.setdefault(rim, set()).add(leg)
    return out


def _is_low(rim: int, regions: Regions) -> bool:
    """Whether a region is as low, for its width, as a top's rim is."""
    x0, _, x1, _ = regions.box[rim]
    return bool(regions.area[rim] < LOW * (x1 - x0) ** 2)


def _ends_there(border: Border, top: int, regions: Regions) -> bool:
    """Whether a top ends where its border with its rim does: behind what stands before it, it would go on."""
    way = way_of(border.place) if len(border.place) >= SHORTEST_EDGE else None
    if way is None:
        return False
    way = way * np.sign(way[0] or 1.0)
    down = np.array([-way[1], way[0]])
    ends = 0
    for end, out in zip(border.place[list(ends_of(border.place, way))], (-way, way)):
        below = {regions.at(end + by * out + BELOW * down) for by in OUTWARD}
        if top in below:
            return False
        ends += 0 not in below and top not in {regions.at(end + by * out - ABOVE * down) for by in OUTWARD}
    return ends > 0
