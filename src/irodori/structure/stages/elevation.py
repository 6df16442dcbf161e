"""The route of front elevations: drawn without depth, which comes from custom."""

from __future__ import annotations

from irodori.structure.corrections.apply import correct_planes, known_length
from irodori.structure.distance.scale import to_scale
from irodori.structure.flat_views.elevation import (
    customary_size,
    earth,
    flat_distance,
    front_planes,
    on_the_ground,
    squarely,
)
from irodori.structure.flat_views.relief import relief, slope_roofs
from irodori.structure.planes.risers import level_risers
from irodori.structure.stages.elements import Elements, find_footing, tell_roles
from irodori.structure.stages.reading import Surfaces, Told


def as_elevation(told: Told) -> Surfaces:
    """Surfaces of a front seen square on."""
    background, given = told.background, told.given.surface
    regions, sky = background.regions, background.sky.region
    square = squarely(told.view.camera)
    cards = sorted({*background.planting, *background.rounds})
    front = correct_planes(front_planes(regions, sky, cards), regions, square, given)
    elements = Elements(told, background.rounds, list(background.planting), list(background.hills), [], {})
    footing = find_footing(elements, square, front)
    mended = level_risers(regions, front, flat_distance(regions)) if square.projection == "perspective" else None
    planes = front if mended is None else correct_planes(mended, regions, square, given)
    scaled, distance, said = to_scale(
        square, regions, planes.normal, flat_distance(regions), eye_height=told.eye_height, length=known_length(told.given),
        anchor=footing.anchor, custom=customary_size(regions, sky), coloured=told.page.traits.coloured,
    )  # fmt: skip
    camera = on_the_ground(scaled, regions, sky)
    roles, sure = tell_roles(elements, camera, planes, distance, footing.anchor, ground=list(earth(regions, sky)))
    roofed = correct_planes(slope_roofs(planes, regions, camera, roles, sky), regions, camera, given)
    return Surfaces(
        camera, roofed.normal, relief(regions, camera, roofed, roles, distance, sky), roles, roofed.sure * sure * told.doubt, sky,
        (said,),
        background.rounds,
    )  # fmt: skip
