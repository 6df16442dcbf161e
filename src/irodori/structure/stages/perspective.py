"""The usual route: planes by the lines between them, curves, distances solved together, roles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.structure.background.ceilings import under_ridges
from irodori.structure.corrections.apply import correct_planes, known_length
from irodori.structure.curves.cylinders import cylinder_votes
from irodori.structure.curves.polygonal import find_fans, turn_fans
from irodori.structure.curves.rounds import Round
from irodori.structure.curves.tell_curves import Curves, tell_curves
from irodori.structure.distance.border_evidence import Border, measure_borders
from irodori.structure.distance.scale import to_scale
from irodori.structure.distance.solve import solve_offsets
from irodori.structure.planes.choose import Planes, choose_planes, lie_level
from irodori.structure.planes.continued_edges import carried_faces
from irodori.structure.planes.risers import level_risers
from irodori.structure.stages.elements import Elements, Footing, find_footing, tell_roles
from irodori.structure.stages.reading import Surfaces, Told


def in_perspective(told: Told) -> Surfaces:
    """Surfaces of a view with depth, through a lens or parallel."""
    camera, regions, given = told.view.camera, told.background.regions, told.given.surface
    elements, chosen, rounds = choose_shapes(told)
    first = _placed(elements, camera, correct_planes(chosen, regions, camera, given))
    level = lie_level(first.planes, regions, camera, first.roles, first.sure)
    read = first if level is None else _placed(elements, camera, correct_planes(level, regions, camera, given))
    return Surfaces(
        read.camera, read.planes.normal, read.distance, read.roles, read.planes.sure * read.sure * told.doubt, elements.sky,
        (read.said,), rounds, elements.cylinders,
    )  # fmt: skip


def choose_shapes(told: Told) -> tuple[Elements, Planes, dict[int, Round]]:
    """Which way each region faces, and which are curved: the last are those with a relief of their own."""
    page, background, camera = told.page, told.background, told.view.camera
    regions, sides, families, sky = background.regions, background.sides, background.families, background.sky
    cards = sorted({*background.planting, *background.rounds})
    fans = find_fans(regions, [sky.region, *cards], coloured=page.traits.coloured)
    free = [face for fan in fans for face in fan.faces]
    slopes = under_ridges(regions, camera, page.segments, sides, families) - {sky.region, *cards}
    flat = choose_planes(
        regions, camera, page.segments, sides, families, sky=sky.region, cards=sorted({*cards, *free}),
        leafy=list(background.planting), tones_tell=background.tones_tell, by_hand=page.traits.by_hand, ceiling=sky.ceiling,
        ground=sky.ground, slopes=slopes, seen=None if told.seen is None else told.seen.towards(camera),
    )  # fmt: skip
    turned = turn_fans(flat, fans, regions, camera)
    planes, curves = tell_curves(
        regions, camera, turned, families.ways,
        Curves(background.rounds, {}, list(background.planting), list(background.hills)), sky=sky.region,
        leave={*free, *background.turned}, drawn=page.traits.drawn, by_hand=page.traits.by_hand,
    )  # fmt: skip
    drums = {face: fan.drum for fan in fans for face in fan.faces}
    elements = Elements(told, curves.rounds | drums, curves.planting, curves.hills, free, curves.cylinders)
    return elements, planes, curves.rounds


@dataclass(frozen=True, eq=False)
class _Placed:
    """Camera and planes to scale, `distance` (R,) m, the sentence about the scale, roles and how `sure` (R,) they are."""

    camera: Camera
    planes: Planes
    distance: np.ndarray
    said: str
    roles: list[str]
    sure: np.ndarray


def _placed(elements: Elements, camera: Camera, planes: Planes) -> _Placed:
    """How far away the chosen planes are and what they are."""
    told = elements.told
    footing = find_footing(elements, camera, planes)
    mended, unscaled = _distances(elements, camera, planes, footing)
    scaled, distance, said = to_scale(
        camera, told.background.regions, mended.normal, unscaled, eye_height=told.eye_height, length=known_length(told.given),
        anchor=footing.anchor, custom=None, coloured=told.page.traits.coloured,
    )  # fmt: skip
    roles, sure = tell_roles(elements, scaled, mended, distance, footing.anchor)
    return _Placed(scaled, mended, distance, said, roles, sure)


def _distances(
    elements: Elements, camera: Camera, planes: Planes, footing: Footing
) -> tuple[Planes, np.ndarray]:  # fmt: skip
    """How far each plane (R,) is, and the planes, of which what lies like treads and risers is mended by that."""
    told, sky = elements.told, elements.sky
    background, segments = told.background, told.page.segments
    regions, ends = background.regions, list(cylinder_votes(elements.cylinders))
    balls = {r: curve for r, curve in elements.rounds.items() if not curve.upright}
    bulges = {r: balls[r].radius(camera, 1.0) if r in balls else 0.0 for r in elements.planting}

    def solve(planes: Planes, borders: list[Border]) -> np.ndarray:
        carried = carried_faces(segments, background.sides, background.families, planes.normal, sky)
        return solve_offsets(
            regions, borders, camera, planes.kind, planes.normal, sky, footing.anchor, EYE_HEIGHT,
            legged=footing.legged, groups=elements.groups if background.tones_tell else None, carried=carried,
            uprights=elements.uprights, free=elements.free, leafy=bulges, hills=elements.hills, ends=ends,
        )  # fmt: skip

    distance = solve(planes, footing.borders)
    mended = level_risers(regions, planes, distance) if camera.projection == "perspective" else None
    if mended is None:
        return planes, distance
    corrected = correct_planes(mended, regions, camera, told.given.surface)
    return corrected, solve(corrected, measure_borders(regions, camera, corrected.normal, sky, elements.cylinders))
