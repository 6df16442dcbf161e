"""Crowns of trees in drawings, where no colour tells them: ragged outlines against the sky."""

from __future__ import annotations

import numpy as np

from irodori.structure.regions import Regions, under_sky

STRAIGHT, OF_ITS_SIZE = 25.0, 0.3
"""px, and share of a region's diagonal, from which a run of its outline counts as straight: scallops are shorter."""

MOST_STRAIGHT, MOST_RUNS, LEAST_SKY, RAGGED = 0.7, 1.2, 0.6, 1.03
"""At most what share of a crown's outline runs straight, and what share with its short runs, each side counted; over what share of its width the sky begins right above it;
and how much longer its outline is than the one drawn tightly around it."""

SMALLEST_CROWN = 250
WIDEST = 2.5
"""Times its height that a crown is wide at most."""


def drawn_crowns(regions: Regions, sides: np.ndarray, sky: int) -> list[int]:
    """Regions that are crowns; `sides` are `line_sides` of the drawing's segments."""
    import cv2

    if not sky:
        return []
    labels, count = regions.labels, len(regions.area)
    open_above = under_sky(regions, sky)
    straight, runs = np.zeros(count), np.zeros(count)
    least = np.maximum(STRAIGHT, OF_ITS_SIZE * np.hypot(*(regions.box[:, 2:] - regions.box[:, :2]).T))
    for column in (1, 2):
        long = sides[sides[:, 3] > STRAIGHT]
        runs += np.bincount(long[:, column].astype(int), long[:, 3], minlength=count)[:count]
        long = long[long[:, 3] > least[long[:, column].astype(int)]]
        straight += np.bincount(long[:, column].astype(int), long[:, 3], minlength=count)[:count]
    found = []
    for region in np.flatnonzero((regions.area >= SMALLEST_CROWN) & (open_above > LEAST_SKY)):
        if region in (0, sky):
            continue
        x0, y0, x1, y1 = regions.box[region].astype(int)
        if x1 - x0 > WIDEST * (y1 - y0):
            continue
        mask = np.pad((labels[y0:y1, x0:x1] == region).astype(np.uint8), 1)
        outline = max(cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)
        around = cv2.arcLength(outline, True)
        if runs[region] > MOST_RUNS * around or straight[region] > MOST_STRAIGHT * around:
            continue
        if around > RAGGED * cv2.arcLength(cv2.convexHull(outline), True):
            found.append(int(region))
    return found
