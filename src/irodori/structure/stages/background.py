"""Fourth stage: what lies behind and what grows, told from what was built; the regions as they stay from here on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.corrections import Corrections
from irodori.structure.background.clouds import clouds
from irodori.structure.background.crowns_and_hills import drawn_crowns, drawn_hills, green_crowns, green_hills
from irodori.structure.background.sky import is_overhead, more_sky, rest_of_dim_sky, same_sky, sky_elsewhere, tell_sky
from irodori.structure.camera.line_directions import Families, find_families
from irodori.structure.corrections.apply import turned_by_hand
from irodori.structure.curves.faceted_balls import find_balls
from irodori.structure.curves.rounds import Round, find_round, round_crowns
from irodori.structure.glance.glance import Glance, Seen
from irodori.structure.regions.colours import is_lit
from irodori.structure.regions.measure import Regions, line_sides, measure_regions
from irodori.structure.stages.areas import Areas, colours_of, measured
from irodori.structure.stages.page import Page
from irodori.structure.stages.view import View

FROM_HIGH_UP = -0.25
"""Sine of the pitch of a view up to which it shows no sky even out of doors."""


SURE = 0.4
"""How likely a glance finds a ceiling that passed for the sky."""


@dataclass(frozen=True, eq=False)
class Sky:
    """The region of the sky, 0 for none; or the `ceiling` that passed for it, with the `ground` that this makes likely; and the
    families of lines, which tables askew join where there is no sky."""

    region: int
    ceiling: int
    ground: int
    families: Families


@dataclass(frozen=True, eq=False)
class Background:
    """Regions, with what is told of them before their planes.

    Attributes
    ----------
    regions, sides
        Regions with their measures; which of them each segment lies between.
    sky
        The sky, or what passed for it.
    planting, hills
        Regions of planting, hills among them.
    rounds
        Curved regions by number, crowns among them.
    turned
        Regions of which the user gave the facing.
    tones_tell
        Whether one material facing one way has one colour all over, as under a viewport's fixed light.
    seen
        What is seen of the regions at a glance, None if nobody glanced.
    """

    regions: Regions
    sides: np.ndarray
    sky: Sky
    planting: tuple[int, ...]
    hills: tuple[int, ...]
    rounds: dict[int, Round]
    turned: frozenset[int]
    tones_tell: bool
    seen: Seen | None

    @property
    def families(self) -> Families:
        """Families of parallel lines."""
        return self.sky.families


def tell_background(page: Page, areas: Areas, view: View, given: Corrections, glance: Glance | None) -> Background:
    """The background of a page."""
    colour = colours_of(page, areas.labels, areas.pure)
    first = measure_regions(areas.labels, colour)
    first_sides = line_sides(areas.labels, page.segments)
    seen = None if glance is None else glance.of_regions(first)
    sky = _tell_sky(page, areas, view, first, first_sides, seen, indoors=given.camera.scene == "room")
    rest = _rest_of_sky(page, areas, view, sky, first, first_sides, seen)
    labels = np.where(np.isin(areas.labels, rest), sky.region, areas.labels) if rest else areas.labels
    regions, sides = (
        (measure_regions(labels, colour), line_sides(labels, page.segments)) if rest else (first, first_sides)
    )
    return _things(page, areas, view, given, glance, sky, *_with_balls(page, areas, sky, regions, sides))


def _tell_sky(
    page: Page, areas: Areas, view: View, regions: Regions, sides: np.ndarray, seen: Seen | None, *, indoors: bool
) -> Sky:  # fmt: skip
    camera, by_hand = view.camera, page.traits.by_hand
    families = find_families(page.segments, camera, view.frame.label, by_hand=by_hand)
    region, ceiling, ground = areas.sky, 0, 0
    if areas.sky and not areas.settled:
        region, ceiling, ground = tell_sky(
            areas.sky, regions, camera, page.segments, sides, families, drawn=page.traits.drawn
        )
        if indoors:
            region, ceiling = 0, ceiling or (areas.sky if is_overhead(areas.sky, regions, camera) else 0)
        if not region and not ground and not indoors and page.traits.shades_tell_curves:
            region = sky_elsewhere(regions, camera, page.segments, sides, families)
    if seen is not None and not indoors and not ground and not areas.settled:
        region, ceiling = _sky_at_a_glance(region, ceiling, regions, camera, seen)
    if not region and camera.rotation[2, 2] > FROM_HIGH_UP:
        indoors = find_families(page.segments, camera, view.frame.label, by_hand=by_hand, indoors=True)
        return Sky(region, ceiling, ground, indoors)
    return Sky(region, ceiling, ground, families)


def _rest_of_sky(
    page: Page, areas: Areas, view: View, sky: Sky, regions: Regions, sides: np.ndarray, seen: Seen | None
) -> list[int]:  # fmt: skip
    """Regions that are sky, too."""
    if not sky.region or areas.settled:
        return []
    told = _told_rest(page, areas, view, sky, regions, sides)
    rest = set(told) if seen is None else seen.rest_of_sky(sky.region, told, regions)
    if page.traits.finished:
        # A glance knows viewports, whose skies have no clouds.
        rest |= set(clouds(sky.region, regions, view.camera, page.segments, sides))
    return sorted(rest - {0, sky.region})


def _told_rest(
    page: Page, areas: Areas, view: View, sky: Sky, regions: Regions, sides: np.ndarray
) -> list[int]:  # fmt: skip
    """The same, as lines and colours tell."""
    if page.traits.coloured:
        if sky.region != areas.sky:
            return same_sky(sky.region, regions, view.camera)
        return rest_of_dim_sky(sky.region, regions, page.encoded)
    return more_sky(sky.region, regions, view.camera, page.segments, sides, sky.families)


def _sky_at_a_glance(region: int, ceiling: int, regions: Regions, camera: Camera, seen: Seen) -> tuple[int, int]:
    """The region of the sky and the ceiling that passed for it, unless a glance tells another."""
    sky = seen.sky(region, regions)
    if region and sky != region and seen.likely("ceiling")[region] > SURE and is_overhead(region, regions, camera):
        ceiling = region
    return sky, 0 if ceiling == sky else ceiling


def _with_balls(
    page: Page, areas: Areas, sky: Sky, regions: Regions, sides: np.ndarray
) -> tuple[Regions, np.ndarray, dict[int, Round]]:
    """Regions in which balls of flat faces are one each, and these balls."""
    found = find_balls(regions, [sky.region, *areas.planting, *areas.signs]) if page.traits.coloured else {}
    if not found:
        return regions, sides, {}
    labels = regions.labels
    for ball, (faces, _) in found.items():
        labels = np.where(np.isin(labels, faces), ball, labels)
    return measured(page, labels, areas.pure), line_sides(labels, page.segments), {b: c for b, (_, c) in found.items()}


def _things(
    page: Page, areas: Areas, view: View, given: Corrections, glance: Glance | None, sky: Sky, regions: Regions, sides: np.ndarray,
    balls: dict[int, Round],
) -> Background:  # fmt: skip
    """Planting, hills and curves among the regions."""
    camera, families, here = view.camera, sky.families, {sky.region, *areas.planting}
    if page.traits.coloured:
        crowns = green_crowns(regions, sides, page.encoded.mean(axis=2), areas.pure, here)
        growing = [*areas.planting, *crowns]
        hills = green_hills(regions, camera, sides, families, sky.region, {sky.region, *growing})
    else:
        growing = [*areas.planting, *drawn_crowns(regions, sides, sky.region)]
        hills = drawn_hills(regions, camera, sides, families, sky.region, growing)
    planting = (*growing, *hills)
    turned = turned_by_hand(regions, given.surface)
    skip = {sky.region, *planting, *turned}
    curved = find_round(page.encoded, regions, camera, areas.pure, skip, page.traits.shades_tell_curves)
    kept = {ball: curve for ball, curve in balls.items() if ball not in {*planting, *turned}}
    rounds = curved | round_crowns(regions, growing) | kept
    return Background(
        regions, sides, sky, planting, tuple(hills), rounds, frozenset(turned),
        page.traits.coloured and is_lit(regions, sky.region),
        None if glance is None else glance.of_regions(regions),
    )  # fmt: skip
