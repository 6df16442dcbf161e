"""Crowns of trees and hills: outlines that no building has."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.borders import border_pairs
from irodori.structure.camera.line_directions import Families
from irodori.structure.curves.rounds import round_crown
from irodori.structure.regions.measure import Regions, leafy, under_sky

STRAIGHT, OF_ITS_SIZE = 25.0, 0.3
"""px, and share of a region's diagonal, from which a run of its outline counts as straight: scallops are shorter."""

MOST_STRAIGHT, MOST_RUNS, LEAST_SKY, RAGGED = 0.7, 1.2, 0.6, 1.03
"""At most what share of a crown's outline runs straight, and what share with its short runs, each side counted; over what share of its width the sky begins right above it;
and how much longer its outline is than the one drawn tightly around it."""

ROUNDED, MOST_BUILT = 20.0, 0.2
"""8-bit steps by which its shading makes a crown round; the share of its outline that may run along long straight lines."""

SMALLEST_CROWN = 250
WIDEST = 2.5
"""Times its height that a crown is wide at most."""

ABOUT = 0.06
"""Share of the picture's height by which what stands before a hill may hide its foot above the horizon."""

LONGEST_BUILT, GENTLE, LONGEST_BESIDE = 0.25, 0.6, 24
"""Of a hill's border with the sky, at most what share runs along a family of lines, at least what share has the sky
above it and not beside it, and from how many px on it counts."""

ONE_HILL = 12.0
"""8-bit steps within which a slope far off is of the colour of one that is known."""


def drawn_crowns(regions: Regions, sides: np.ndarray, sky: int) -> list[int]:
    """Regions that are crowns; `sides` are `line_sides` of the drawing's segments."""
    import cv2

    if not sky:
        return []
    count = len(regions.area)
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
        if region in (0, sky) or regions.spans_foot[region]:
            continue
        x0, y0, x1, y1 = regions.box[region]
        if x1 - x0 > WIDEST * (y1 - y0):
            continue
        outline = _outline(regions, region)
        around = cv2.arcLength(outline, True)
        if runs[region] > MOST_RUNS * around or straight[region] > MOST_STRAIGHT * around:
            continue
        if around > RAGGED * cv2.arcLength(cv2.convexHull(outline), True):
            found.append(int(region))
    return found


def _outline(regions: Regions, region: int) -> np.ndarray:
    """The longest outline of a region, (n, 1, 2) px in its box."""
    import cv2

    x0, y0, x1, y1 = regions.box[region].astype(int)
    own = (regions.labels[y0:y1, x0:x1] == region).astype(np.uint8)
    return max(cv2.findContours(own, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)


def drawn_hills(
    regions: Regions, camera: Camera, sides: np.ndarray, families: Families, sky: int, crowns: list[int]
) -> list[int]:
    """Regions that are hills: about the horizon, not down to the picture's foot, rising gently along lines of no family.

    `sides` are `line_sides` of the drawing's segments.
    """
    horizon = camera.horizon()
    if horizon is None or not sky:
        return []
    open_ = [sky, *crowns]
    level = (horizon[0][1] + horizon[1][1]) / 2
    low, high, _, stacked = border_pairs(regions.labels)
    found = []
    low_open = np.isin(low, open_)
    touching, owner = low_open ^ np.isin(high, open_), np.where(low_open, high, low)
    label = families.label[sides[:, 0].astype(int)]
    beside_crown = np.isin(sides[:, 1:3], crowns).any(axis=1)
    # A crown's scallops may chance upon a slope, not upon the frame.
    built = np.isin(sides[:, 1:3], open_).any(axis=1) & (label >= 0) & ((label < 3) | ~beside_crown)
    for region in np.unique(owner[touching]).tolist():
        own = stacked[touching & (owner == region)]
        _, y0, _, y1 = regions.box[region]
        about = y0 < level < y1 + ABOUT * len(regions.labels) and y1 < len(regions.labels) - 1
        if region != 0 and about and _rises_gently(region, own, sides[built]):
            found.append(region)
    return found


def _rises_gently(region: int, steps: np.ndarray, built: np.ndarray) -> bool:
    """Whether a region meets the sky as a hill does: with the sky above it at most places of its border with that, `steps` (n,)
    of `border_pairs`, and with little of it along what is `built`, rows of `line_sides`."""
    if len(steps) < LONGEST_BESIDE or np.mean(steps != 0) < GENTLE:
        return False
    return bool(built[(built[:, 1:3] == region).any(axis=1), 3].sum() < LONGEST_BUILT * len(steps))


def green_hills(
    regions: Regions, camera: Camera, sides: np.ndarray, families: Families, sky: int, skip: set[int]
) -> list[int]:
    """Regions of a shaded capture that are hills: green, above the horizon or across it, some of them under the sky with an
    outline that rises gently along lines of no family, the others of the colour of these.

    `sides` are `line_sides` of the segments.
    """
    horizon = camera.horizon()
    if horizon is None or not sky:
        return []
    level = (horizon[0][1] + horizon[1][1]) / 2
    far = (regions.box[:, 1] < level) & (regions.box[:, 3] < level + ABOUT * len(regions.labels))
    far &= leafy(regions) & (regions.area > 0)
    far[list(skip)] = False
    if not far.any():
        return []
    index = sides[:, 0].astype(int)
    label = families.label[index]
    # Outlines of hills make families of wings, level ones, out of nothing.
    built = (label >= 0) & ((label < 3) | ~families.level[index]) & (sides[:, 1:3] == sky).any(axis=1)
    low, high, _, stacked = border_pairs(regions.labels)
    touching = (low == sky) | (high == sky)
    owner, steps = (low + high - sky)[touching], stacked[touching]
    found = [r for r in np.flatnonzero(far).tolist() if _rises_gently(r, steps[owner == r], sides[built])]
    if not found:
        return []
    apart = np.abs(regions.colour[:, None] - regions.colour[found]).max(axis=2).min(axis=1)
    return np.flatnonzero(far & (apart < ONE_HILL)).tolist()


def green_crowns(regions: Regions, sides: np.ndarray, grey: np.ndarray, pure: np.ndarray, skip: set[int]) -> list[int]:
    """Regions of a shaded capture that are foliage: green, rounded by their shading, and without a straight outline.

    `grey` (H, W) 8-bit brightness; `sides` are `line_sides` of the segments.
    """
    import cv2

    found = []
    for region in np.flatnonzero(leafy(regions) & (regions.area >= SMALLEST_CROWN)).tolist():
        if region in skip:
            continue
        x0, y0, x1, y1 = regions.box[region].astype(int)
        own = regions.labels[y0:y1, x0:x1] == region
        tone = grey[y0:y1, x0:x1][own & pure[y0:y1, x0:x1]]
        if len(tone) < SMALLEST_CROWN // 2 or np.subtract(*np.percentile(tone, [95, 5])) < ROUNDED:
            continue
        long = sides[sides[:, 3] > max(STRAIGHT, OF_ITS_SIZE * np.hypot(x1 - x0, y1 - y0))]
        straight = long[(long[:, 1] == region) | (long[:, 2] == region), 3].sum()
        built = straight > MOST_BUILT * cv2.arcLength(_outline(regions, region), True)
        # Behind a house a crown ends at the house's edges.
        if not built or round_crown(regions, region) is not None:
            found.append(region)
    return found
