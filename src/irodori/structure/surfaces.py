"""How far away the planes chosen for a picture's regions are, to what scale, and what the regions are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.carried_on import carried_faces, upright_edges
from irodori.structure.correct import correct_planes, correct_roles, known_length
from irodori.structure.corrections import Corrections
from irodori.structure.cylinders import Cylinder, cylinder_votes
from irodori.structure.elevation import customary_size, earth, flat_distance, on_the_ground
from irodori.structure.families import Families
from irodori.structure.ground import find_ground
from irodori.structure.meetings import Border, measure_borders
from irodori.structure.offsets import solve_offsets
from irodori.structure.on_legs import Legged, find_legged
from irodori.structure.orientation import Planes
from irodori.structure.regions import Regions
from irodori.structure.relief import relief, slope_roofs
from irodori.structure.risers import level_risers
from irodori.structure.roles import guess_roles, is_outdoors
from irodori.structure.round import Round
from irodori.structure.scale import EYE_HEIGHT, to_scale
from irodori.structure.tones import colour_groups


@dataclass(frozen=True, eq=False)
class Seen:
    """What is read of a picture before depth and roles; `hills` are planting, too; `free` regions stand by
    themselves."""

    regions: Regions
    segments: np.ndarray
    sides: np.ndarray
    families: Families
    sky: int
    planting: list[int]
    hills: list[int]
    rounds: dict[int, Round]
    free: list[int]
    signs: list[int]
    cylinders: dict[int, Cylinder]
    lit: bool
    shaded: bool
    frontal: bool
    learned: bool
    eye_height: float | None
    given: Corrections

    @cached_property
    def groups(self) -> np.ndarray:
        """Regions that count together have one number, (R,): those of one colour, and, in drawings, which have none, those that
        the picture's foot cuts off."""
        if self.shaded:
            return colour_groups(self.regions, self.sky)
        cut = self.regions.box[:, 3] >= len(self.regions.labels) - 1
        return np.where(cut, 0, np.arange(len(cut)))

    @cached_property
    def uprights(self) -> dict[tuple[int, int], np.ndarray]:
        """The upright edges between regions, as `upright_edges` tells them."""
        return upright_edges(self.segments, self.sides, self.families)


@dataclass(frozen=True, eq=False)
class SurfacesRead:
    """Camera and planes to scale, `distance` (R,) m, the sentence about the scale, roles and how `sure` (R,) they are."""

    camera: Camera
    planes: Planes
    distance: np.ndarray
    said: str
    roles: list[str]
    sure: np.ndarray


def read_surfaces(seen: Seen, camera: Camera, planes: Planes) -> SurfacesRead:
    """How far away the chosen planes are and what they are."""
    regions, given, sky = seen.regions, seen.given, seen.sky
    borders = measure_borders(regions, camera, planes.normal, sky, seen.cylinders)
    legged = find_legged(borders, regions, camera, planes.kind, planes.normal, seen.free)
    anchor = find_ground(regions, borders, planes.kind, planes.normal, sky, seen.groups, legged)
    planes, distance = _read_depth(seen, camera, planes, anchor, borders, legged)
    camera, distance, said = to_scale(
        camera, regions, planes.normal, distance, eye_height=seen.eye_height, length=known_length(given), anchor=anchor,
        custom=customary_size(regions, sky) if seen.frontal else None, coloured=seen.shaded,
    )  # fmt: skip
    if seen.frontal:
        camera = on_the_ground(camera, regions, sky)
    outdoors = is_outdoors(
        regions, camera, planes.normal, float(distance[anchor]), sky, seen.planting, coloured=seen.shaded
    )
    roles, sure = guess_roles(
        regions, camera, planes.kind, planes.normal, distance, sky=sky, planting=seen.planting, rounds=seen.rounds,
        anchor=anchor, outdoors=outdoors, coloured=seen.shaded, learned=seen.learned,
    )  # fmt: skip
    for region in earth(regions, sky) if seen.frontal else ():
        roles[region] = "ground"
    for region in seen.hills if seen.shaded else ():
        roles[region] = "context"
    for region in seen.signs:
        roles[region] = "sign"
    roles, sure = correct_roles(roles, sure, regions, given.surface)
    if seen.frontal:
        planes = correct_planes(slope_roofs(planes, regions, camera, roles, sky), regions, camera, given.surface)
        distance = relief(regions, camera, planes, roles, distance, sky)
    return SurfacesRead(camera, planes, distance, said, roles, sure)


def _read_depth(
    seen: Seen, camera: Camera, planes: Planes, anchor: int, borders: list[Border], legged: Legged
) -> tuple[Planes, np.ndarray]:
    """How far each plane (R,) is, and the planes, of which what lies like treads and risers is mended by that."""
    regions, ends = seen.regions, list(cylinder_votes(seen.cylinders))
    balls = {r: curve for r, curve in seen.rounds.items() if not curve.upright}
    bulges = {r: balls[r].radius(camera, 1.0) if r in balls else 0.0 for r in seen.planting}

    def solve(planes: Planes, borders: list[Border]) -> np.ndarray:
        if seen.frontal:
            return flat_distance(regions)
        carried = carried_faces(seen.segments, seen.sides, seen.families, planes.normal, seen.sky)
        return solve_offsets(
            regions, borders, camera, planes.kind, planes.normal, seen.sky, anchor, EYE_HEIGHT,
            legged=legged, groups=seen.groups if seen.lit else None, carried=carried, uprights=seen.uprights, free=seen.free,
            leafy=bulges, hills=seen.hills, ends=ends,
        )  # fmt: skip

    distance = solve(planes, borders)
    mended = level_risers(regions, planes, distance) if camera.projection == "perspective" else None
    if mended is None:
        return planes, distance
    planes = correct_planes(mended, regions, camera, seen.given.surface)
    return planes, solve(planes, measure_borders(regions, camera, planes.normal, seen.sky, seen.cylinders))
