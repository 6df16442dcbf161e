"""The route of plans: seen from straight above, where all stands as high as its role is by custom."""

from __future__ import annotations

from irodori.structure.corrections.apply import correct_planes, correct_roles, known_length
from irodori.structure.distance.scale import to_scale
from irodori.structure.flat_views.elevation import flat_distance
from irodori.structure.flat_views.plan import (
    OUTER_WALL,
    OUTER_WALL_SAID,
    Plan,
    from_above,
    level_planes,
    plan_heights,
    plan_roles,
)
from irodori.structure.stages.reading import Surfaces, Told

SAID = "Read as a plan, cut through its walls"


def as_plan(told: Told, plan: Plan) -> Surfaces:
    """Surfaces of a plan."""
    regions, given = told.background.regions, told.given
    above = from_above(told.view.camera)
    planes = correct_planes(level_planes(regions), regions, above, given.surface)
    camera, distance, said = to_scale(
        above, regions, planes.normal, flat_distance(regions), eye_height=None, length=known_length(given),
        anchor=int(plan.outside[0]), custom=(plan.thickness, OUTER_WALL, OUTER_WALL_SAID),
    )  # fmt: skip
    roles, sure = correct_roles(*plan_roles(regions, plan), regions, given.surface)
    return Surfaces(camera, planes.normal, distance - plan_heights(roles), roles, planes.sure * sure, 0, (SAID, said))
