"""Crowns of trees in drawings, where no colour tells them: ragged outlines against the sky."""

from __future__ import annotations

import numpy as np

from irodori.structure.regions import Regions, under_sky

STRAIGHT = 25.0
"""px from which a run of an outline counts as straight."""

MOST_STRAIGHT, LEAST_SKY, RAGGED = 0.6, 0.6, 1.03
"""At most what share of a crown's outline runs straight; over what share of its width the sky begins right above it;
and how much longer its outline is than the one drawn tightly around it."""

SMALLEST_CROWN = 250


def drawn_crowns(regions: Regions, sides: np.ndarray, sky: int) -> list[int]:
    """Regions that are crowns; `sides` are `line_sides` of the drawing's segments."""
    import cv2

    if not sky:
        return []
    labels, count = regions.labels, len(regions.area)
    open_above = under_sky(regions, sky)
    straight = np.zeros(count)
    for column in (1, 2):
        long = sides[sides[:, 3] > STRAIGHT]
        straight += np.bincount(long[:, column].astype(int), long[:, 3], minlength=count)[:count]
    found = []
    for region in np.flatnonzero((regions.area >= SMALLEST_CROWN) & (open_above > LEAST_SKY)):
        if region in (0, sky):
            continue
        x0, y0, x1, y1 = regions.box[region].astype(int)
        mask = np.pad((labels[y0:y1, x0:x1] == region).astype(np.uint8), 1)
        outline = max(cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)
        around = cv2.arcLength(outline, True)
        if straight[region] < MOST_STRAIGHT * around and around > RAGGED * cv2.arcLength(cv2.convexHull(outline), True):
            found.append(int(region))
    return found
