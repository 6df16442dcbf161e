"""What is curved, once planes are chosen: cylinders by their arcs, domes over them, and round posts of drawings."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.curves.cylinders import Cylinder, find_cylinders, with_cylinders
from irodori.structure.curves.rounds import Round, drawn_posts, round_top
from irodori.structure.planes.choose import Planes, as_cards
from irodori.structure.regions.measure import Regions


class Curves(NamedTuple):
    """Curves before cards (`rounds`) and cylinders, by region; and which regions are planting, and which of these are hills."""

    rounds: dict[int, Round]
    cylinders: dict[int, Cylinder]
    planting: list[int]
    hills: list[int]


def tell_curves(
    regions: Regions, camera: Camera, planes: Planes, ways: np.ndarray, known: Curves, *, sky: int, leave: Collection[int],
    drawn: bool, by_hand: bool,
) -> tuple[Planes, Curves]:  # fmt: skip
    """The planes with all that is curved, and the curves: what an arc tells is no planting and no curve of another kind.

    `ways` (K, 3) are the directions that lines run along; regions to `leave` are none of these.
    """
    # In drawings hills are told by their outlines alone, and an arc tells better.
    growing = set(known.planting) - set(known.hills if drawn else ())
    balls = {region for region, curve in known.rounds.items() if not curve.upright}
    cylinders = find_cylinders(
        regions, camera, planes, ways, sky=sky, leave={*growing, *leave}, balls=balls, by_hand=by_hand
    )
    told = set(cylinders).union(*(cylinder.ends for cylinder in cylinders.values()))
    planting, hills = ([region for region in those if region not in told] for those in (known.planting, known.hills))
    rounds = {region: curve for region, curve in known.rounds.items() if region not in told}
    planes = with_cylinders(planes, cylinders)
    domes = {top: round_top(regions, top, base) for base, drum in cylinders.items() for top in drum.tops}
    rounds |= {top: dome for top, dome in domes.items() if dome is not None}
    if drawn:
        others = {sky, *planting, *leave, *told, *rounds}
        posts = drawn_posts(regions, camera, planes.kind, planes.normal, ways, others)
        planes, rounds = as_cards(planes, posts, regions, camera), rounds | posts
    return planes, Curves(rounds, cylinders, planting, hills)
