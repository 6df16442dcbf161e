"""What routes through depth share: what stands on what, and what each surface is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.corrections.apply import correct_roles
from irodori.structure.curves.cylinders import Cylinder
from irodori.structure.curves.rounds import Round
from irodori.structure.distance.border_evidence import Border, measure_borders
from irodori.structure.distance.ground import find_ground
from irodori.structure.distance.tables import Legged, find_legged
from irodori.structure.planes.choose import Planes
from irodori.structure.planes.continued_edges import upright_edges
from irodori.structure.regions.colours import colour_groups
from irodori.structure.roles.rules import guess_roles, is_outdoors
from irodori.structure.roles.under_eaves import under_eaves
from irodori.structure.stages.reading import Told


@dataclass(frozen=True, eq=False)
class Elements:
    """What was told, with all that is curved: `planting` and `hills` among it are those left after curves were told; `free`
    regions stand by themselves."""

    told: Told
    rounds: dict[int, Round]
    planting: list[int]
    hills: list[int]
    free: list[int]
    cylinders: dict[int, Cylinder]

    @property
    def sky(self) -> int:
        return self.told.background.sky.region

    @cached_property
    def groups(self) -> np.ndarray:
        """Regions that count together have one number, (R,): those of one colour, and, in drawings, which have none, those that
        the picture's foot cuts off."""
        regions = self.told.background.regions
        if self.told.page.traits.coloured:
            return colour_groups(regions, self.sky)
        cut = regions.box[:, 3] >= len(regions.labels) - 1
        return np.where(cut, 0, np.arange(len(cut)))

    @cached_property
    def uprights(self) -> dict[tuple[int, int], np.ndarray]:
        """The upright edges between regions, as `upright_edges` tells them."""
        background = self.told.background
        return upright_edges(self.told.page.segments, background.sides, background.families)


@dataclass(frozen=True, eq=False)
class Footing:
    """How planes meet and what stands on what: borders, things on legs, and the region `anchor` that all stands on."""

    borders: list[Border]
    legged: Legged
    anchor: int


def find_footing(elements: Elements, camera: Camera, planes: Planes) -> Footing:
    """The footing of chosen planes."""
    regions, sky = elements.told.background.regions, elements.sky
    borders = measure_borders(regions, camera, planes.normal, sky, elements.cylinders)
    legged = find_legged(borders, regions, camera, planes.kind, planes.normal, elements.free)
    return Footing(
        borders, legged, find_ground(regions, borders, planes.kind, planes.normal, sky, elements.groups, legged)
    )  # fmt: skip


def tell_roles(
    elements: Elements, camera: Camera, planes: Planes, distance: np.ndarray, anchor: int, ground: list[int] | tuple = ()
) -> tuple[list[str], np.ndarray]:  # fmt: skip
    """What each region is, and how sure that is, (R,); `ground`: regions that are ground whatever else speaks."""
    told, sky = elements.told, elements.sky
    regions, coloured = told.background.regions, told.page.traits.coloured
    said = told.given.camera.scene
    seen = told.background.seen
    if said:
        outdoors = said == "outdoors"
    elif seen is not None and not sky and seen.scene:
        outdoors = seen.scene == "outdoors"
    else:
        eye = float(distance[anchor])
        outdoors = is_outdoors(regions, camera, planes.normal, eye, sky, elements.planting, coloured=coloured)
    roles, sure = guess_roles(
        regions, camera, planes.kind, planes.normal, distance, sky=sky, planting=elements.planting, rounds=elements.rounds,
        anchor=anchor, outdoors=outdoors, coloured=coloured, learned=told.learned, seen=told.seen,
    )  # fmt: skip
    if told.page.traits.by_hand:
        roles, sure = under_eaves(roles, sure, regions, planes.normal)
    certain = dict.fromkeys(ground, "ground")
    certain |= dict.fromkeys(elements.hills if coloured else (), "context")
    certain |= dict.fromkeys(told.areas.signs, "sign")
    return correct_roles([certain.get(r, role) for r, role in enumerate(roles)], sure, regions, told.given.surface)
