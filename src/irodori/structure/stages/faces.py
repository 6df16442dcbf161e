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


def seen_areas(page: Page, areas: Areas, view: View, glance: Glance, *, said: bool) -> Areas:
    """The areas of a flat page, those that one colour joins parted, and the sky that is seen in place of one that seems to be none, unless
    it was `said`."""
    regions = measured(page, areas.labels, areas.pure)
    seen = glance.of_regions(regions)
    if not said and page.capture.alpha is None:
        sky = seen.sky(areas.sky, regions)
        if sky != areas.sky and (sky or areas.settled):
            areas = replace(areas, sky=sky, settled=False)
    camera = view.camera
    facing = facing_of(
        glance.canvas.spread(glance.facing), view.frame.axes, camera.matrix, camera.projection == "parallel"
    )
    skip = {*np.flatnonzero(seen.likely("sky") > 0.5).tolist(), *areas.planting, *areas.signs}
    return replace(areas, labels=part_flat(areas.labels, facing, skip))
