"""Between the third stage and the fourth: areas as a glance has them where no tones tell. The sky is another, and what one colour joins is parted
where its faces meet or a line has a gap."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.corrections import Corrections
from irodori.core.pixels.ink import find_ink
from irodori.structure.flat_views.elevation import is_elevation
from irodori.structure.glance.canvas import Canvas
from irodori.structure.glance.glance import Glance
from irodori.structure.planes.part_flat import DRAWN, UNDRAWN, facing_of, part_flat
from irodori.structure.regions.colours import is_lit
from irodori.structure.regions.part_leaks import part_leaks
from irodori.structure.stages.areas import Areas, measured
from irodori.structure.stages.page import Page
from irodori.structure.stages.view import View

MOST_INK = 0.006
"""Share of the picture that drawn lines take at most where none are drawn: bars and joints look like lines, too."""

FEW, ENOUGH = 0.0005, 5
"""Share of the picture from which an area counts, and how many there are before their tones tell whether they are lit."""


KINDS = (
    ("sky",), ("ground", "lawn", "water", "floor", "stair"), ("ceiling", "soffit"), ("wall", "glazing", "frame", "door", "slab"), ("roof",),
    ("planting",),
)  # fmt: skip
"""What no surface is two of."""

ACROSS = 480
"""px of a picture's width in which leaks are looked for."""


def is_flat(page: Page, areas: Areas) -> bool:
    """Whether a page shows one colour a material: no light tells which way anything faces, and no line where it folds."""
    if not page.traits.shades_tell_curves or page.capture.textured is not None or page.capture.lossy:
        return False
    if find_ink(page.encoded).mean() > MOST_INK:
        return False
    regions = measured(page, areas.labels, areas.pure)
    return int((regions.area > FEW * regions.labels.size).sum()) >= ENOUGH and not is_lit(regions, areas.sky)


def seen_areas(page: Page, areas: Areas, view: View, given: Corrections, glance: Glance) -> Areas:
    """The areas of a page on which no tones tell, as they are seen: parted where faces meet, and where a line has a gap; and the sky is what
    is seen as one."""
    if glance.trusted:
        return _folded(page, _with_seen_sky(page, areas, given, glance), view, glance)
    if page.traits.drawn:
        whole = _without_leaks(page, areas, glance)
        return whole if is_elevation(view.camera) else _folded(page, whole, view, glance)
    return areas


def _with_seen_sky(page: Page, areas: Areas, given: Corrections, glance: Glance) -> Areas:
    """The areas, another of which is the sky if the one that looked like it seems to be none, and nobody said so."""
    said = bool(given.camera.scene) or any(one.role == "sky" for one in given.surface)
    if said or page.capture.alpha is not None:
        return areas
    regions = measured(page, areas.labels, areas.pure)
    sky = glance.of_regions(regions).sky(areas.sky, regions)
    return replace(areas, sky=sky, settled=False) if sky != areas.sky and (sky or areas.settled) else areas


def _without_leaks(page: Page, areas: Areas, glance: Glance) -> Areas:
    """The areas of a drawing, those parted that lines with gaps join."""
    odds = np.stack([glance.likely(*kind) for kind in KINDS], axis=2)
    width, height = glance.canvas.size
    factor = min(1.0, ACROSS / width)
    small = Canvas((max(2, round(width * factor)), max(2, round(height * factor))))
    skip = {*areas.planting, *areas.signs, *([areas.sky] if areas.settled else [])}
    labels, parted = part_leaks(areas.labels, find_ink(page.encoded), small.spread(odds), skip)
    return replace(areas, labels=labels, sky=parted.get(areas.sky, areas.sky))


def _folded(page: Page, areas: Areas, view: View, glance: Glance) -> Areas:
    """The areas, parted where their faces seem to meet."""
    camera, ruled = view.camera, page.traits.drawn and not page.traits.by_hand
    facing = facing_of(
        glance.canvas.spread(glance.facing), view.frame.axes, camera.matrix, camera.projection == "parallel"
    )
    likely = glance.canvas.spread(glance.likely("sky")[..., None]).ravel()
    sky = np.bincount(areas.labels.ravel(), likely) > 0.5 * np.bincount(areas.labels.ravel())
    skip = {*np.flatnonzero(sky).tolist(), *areas.planting, *areas.signs}
    return replace(areas, labels=part_flat(areas.labels, facing, skip, by=DRAWN if ruled else UNDRAWN))
