"""Between the fourth stage and the fifth: the lens that is usual for what a view shows, where its lines do not tell."""

from __future__ import annotations

import numpy as np

from irodori.structure.regions.measure import Regions
from irodori.structure.stages.background import Background
from irodori.structure.stages.view import View

IN_ROOMS, IN_STREETS, OF_THINGS = 0.86, 0.92, 2.1
"""Usual focal lengths over the geometric mean of a picture's sides: rooms are seen through 16 to 28 mm lenses (of 36 mm film), streets
through 20 to 35 mm, single things through 35 to 85 mm."""

MARGIN, MOST_OF_IT = 0.02, 0.6
"""Share of its sides by which a picture is larger than a thing alone in it, and of the picture that it takes at most."""

LEVEL = 0.17
"""Sine of the pitch up to which uprights tell nothing of the lens."""

LAND = 0.01
"""Share of the picture from which what it cuts off at its foot is the ground."""


def usual_lens(view: View, background: Background) -> float | None:
    """The usual lens of what is seen, in terms of `irodori.structure.camera.estimate.PRIOR_FOCAL`; None where the lines told it."""
    if view.camera.projection == "parallel" or view.frame.observed or abs(view.camera.rotation[2, 2]) > LEVEL:
        return None
    if is_alone(background.regions, background.sky.region, view):
        return OF_THINGS
    if background.sky.region:
        return IN_STREETS
    return IN_ROOMS


def is_alone(regions: Regions, sky: int, view: View) -> bool:
    """Whether a picture shows one thing whole, before nothing or on a plain ground, from above its top: a house is higher than an eye."""
    horizon = view.camera.horizon()
    if not sky or horizon is None:
        return False
    height, width = regions.labels.shape
    shown = (regions.area > 0) & (np.arange(len(regions.area)) != sky)
    shown[0] = False
    ground = shown & (regions.box[:, 3] >= height - 1) & (regions.area > LAND * height * width)
    thing = shown & ~ground
    if not thing.any() or ground.sum() > 1:
        return False
    low, high = regions.box[thing, :2].min(axis=0), regions.box[thing, 2:].max(axis=0)
    if low[1] < max(horizon[0][1], horizon[1][1]):
        return False
    whole = (low > MARGIN * np.array([width, height])).all() and (high < (1 - MARGIN) * np.array([width, height])).all()
    return bool(whole and regions.area[thing].sum() < MOST_OF_IT * height * width)
