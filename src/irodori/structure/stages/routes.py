"""Fifth stage: which route a picture takes from regions to surfaces in space."""

from __future__ import annotations

from functools import partial

from irodori.structure.flat_views.elevation import is_elevation
from irodori.structure.flat_views.plan import find_plan
from irodori.structure.stages.elevation import as_elevation
from irodori.structure.stages.perspective import in_perspective
from irodori.structure.stages.plan import as_plan
from irodori.structure.stages.reading import Route, Told


def choose_route(told: Told) -> Route:
    """The route that the user says, or that the view and its regions tell."""
    said = told.given.camera.view
    square_on = said == "elevation" if said else is_elevation(told.view.camera)
    if said == "plan" or (square_on and not said):
        plan = find_plan(told.background.regions, sure=said == "plan")
        if plan is not None:
            return partial(as_plan, plan=plan)
    return as_elevation if square_on else in_perspective
