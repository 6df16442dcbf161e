"""Second stage: areas with exact borders, and what of them is told by sight alone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.corrections import Corrections
from irodori.core.pixels.zones import zone_means
from irodori.structure.background.sky import empty_sky
from irodori.structure.corrections.apply import correct_regions, corrected_sky
from irodori.structure.regions.drawn import bridges
from irodori.structure.regions.find import find_drawn_regions, find_regions
from irodori.structure.regions.graded_background import is_backdrop
from irodori.structure.regions.measure import Regions, measure_regions
from irodori.structure.stages.page import Page


@dataclass(frozen=True, eq=False)
class Areas:
    """Areas of a page.

    Attributes
    ----------
    labels
        (H, W) int32, from 1.
    pure
        (H, W) bool: pixels that show their area's own colour.
    sky
        The area that looks like sky, 0 for none; `settled`: the user or the capture's transparency says so, or
        it is a viewport's backdrop beyond doubt.
    planting, signs
        Areas that are planting, and plates with lettering.
    """

    labels: np.ndarray
    pure: np.ndarray
    sky: int
    settled: bool
    planting: tuple[int, ...]
    signs: tuple[int, ...]


def find_areas(page: Page, given: Corrections) -> Areas:
    """The areas of a page, as the user corrected them. Raises StructureError."""
    found, pure, looks_like_sky, planting, signs = _by_kind(page)
    emptied, sky, empty = empty_sky(found, looks_like_sky, page.capture.alpha)
    corrected = correct_regions(emptied, given.surface)
    labels, sky, said = corrected_sky(corrected, sky, given.surface)
    settled = said or (empty and sky > 0)
    if given.camera.scene:
        settled = said or (given.camera.scene == "outdoors" and sky > 0)
    if sky and not settled and page.traits.shades_tell_curves:
        settled = is_backdrop(page.encoded, labels == sky, lossy=page.capture.lossy)
    return Areas(labels, pure, sky, settled, tuple(planting), tuple(signs))


def _by_kind(page: Page):
    """Labels, which pixels are pure, the sky, planting and signs, as `find_regions` tells them, by the kind of capture."""
    capture, encoded = page.capture, page.encoded
    if page.traits.by_hand:
        return find_drawn_regions(encoded, page.segments)
    if page.traits.drawn:
        gaps = bridges(page.segments, encoded.shape[:2])
        return find_regions(np.where(gaps[..., None], encoded.min(axis=(0, 1)), encoded), drawing=True)
    return find_regions(encoded, lossy=capture.lossy, smoothed=capture.textured is not None)


def measured(page: Page, labels: np.ndarray, pure: np.ndarray) -> Regions:
    """Areas with their measures, their colours those of their pure pixels."""
    return measure_regions(labels, colours_of(page, labels, pure))


def colours_of(page: Page, labels: np.ndarray, pure: np.ndarray) -> np.ndarray:
    """Mean 8-bit colours (R, 3) of what each label's `pure` pixels show."""
    colour = zone_means(page.encoded, np.where(pure, labels, 0))
    colour = np.pad(colour, ((0, int(labels.max()) + 1 - len(colour)), (0, 0)))
    if page.traits.drawn and not page.traits.by_hand:
        # Where lines leave no clean paper between them, it is of the same colour all the same.
        colour[1:][~colour[1:].any(axis=1)] = colour[np.bincount(labels.ravel()).argmax()]
    return colour
