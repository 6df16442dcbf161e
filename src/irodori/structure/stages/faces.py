"""Between the third stage and the fourth: areas as a glance has them. The sky is another, and what one colour joins is parted where its
faces meet."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.pixels.ink import find_ink
from irodori.structure.glance.glance import Glance
from irodori.structure.planes.part_flat import facing_of, part_flat
from irodori.structure.regions.colours import is_lit
from irodori.structure.stages.areas import Areas, measured
from irodori.structure.stages.page import Page
from irodori.structure.stages.view import View

NO_SKY, SURELY_SKY, LEAST_SKY = 0.15, 0.75, 0.01
"""How likely a glance finds what is no sky at most, and what is surely sky at least; and the share of the picture that a sky is at least
which only a glance finds."""

MOST_INK = 0.006
"""Share of the picture that drawn lines take at most where none are drawn: bars and joints look like lines, too."""

FEW, ENOUGH = 0.0005, 5
"""Share of the picture from which an area counts, and how many there are before their tones tell whether they are lit."""


def is_flat(page: Page, areas: Areas) -> bool:
    """Whether a page shows one colour a material: no light tells which way anything faces, and no line where it folds."""
    if not page.traits.shades_tell_curves or page.capture.textured is not None or page.capture.lossy:
        return False
    if find_ink(page.encoded).mean() > MOST_INK:
        return False
    regions = measured(page, areas.labels, areas.pure)
    return int((regions.area > FEW * regions.labels.size).sum()) >= ENOUGH and not is_lit(regions, areas.sky)


def with_sky_seen(page: Page, areas: Areas, glance: Glance | None, *, said: bool) -> Areas:
    """The areas of a page with the sky that is seen, where the one that was told by sight alone seems to be none; unless it was `said`."""
    if glance is None or said or page.capture.alpha is not None:
        return areas
    regions = measured(page, areas.labels, areas.pure)
    odds = glance.of_regions(regions).likely("sky")
    if areas.sky and odds[areas.sky] >= NO_SKY:
        return areas
    surely = (odds > SURELY_SKY) & (regions.area > LEAST_SKY * regions.labels.size)
    sky = int(np.where(surely, regions.area, 0).argmax()) if surely.any() else 0
    return replace(areas, sky=sky, settled=False) if sky or areas.settled else areas


def part_areas(page: Page, areas: Areas, view: View, glance: Glance | None) -> Areas:
    """The areas of a flat page, those that one colour joins parted; all others as they are."""
    if glance is None:
        return areas
    regions = measured(page, areas.labels, areas.pure)
    camera = view.camera
    facing = facing_of(
        glance.canvas.spread(glance.facing), view.frame.axes, camera.matrix, camera.projection == "parallel"
    )
    sky = glance.of_regions(regions).likely("sky")
    skip = {*np.flatnonzero(sky > 0.5).tolist(), *areas.planting, *areas.signs}
    return replace(areas, labels=part_flat(areas.labels, facing, skip))
