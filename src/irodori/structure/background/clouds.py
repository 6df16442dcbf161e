"""Clouds of a rendering or photo: what stands in the sky in other tones than its own, and is still the sky."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.background.sky import is_overhead
from irodori.structure.regions.measure import Regions

GREEN = 4.0
"""8-bit steps by which green may stand over the mean of red and blue: clouds are white, grey, blue or warm."""

PUREST = 0.45
"""Saturation up to which a cloud in the evening sun goes."""

BY_SKY, AMONG_SKY, SMALL = 0.25, 0.8, 0.008
"""Share of its border that a cloud has with the sky and other clouds at least, and one that is smaller than such a share of the picture."""

STRAIGHT = 0.25
"""Share of its border that straight lines may run along."""

LEAST_LINE = 0.04
"""Length of a line that counts, as a share of the picture's longer side: shorter ones are fitted to clouds, too."""


def clouds(sky: int, regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray) -> list[int]:
    """Regions that are clouds, or what shows between them.

    They lie over the horizon, border on the `sky` or on each other, straight lines run along them only where they stand behind a roof under
    them, and their colour is one that clouds have.

    Parameters
    ----------
    segments, sides
        (N, 4) px, and what `line_sides` tells of them.
    """
    length = np.hypot(*(segments[:, 2:] - segments[:, :2]).T)
    long = length[sides[:, 0].astype(int)] > LEAST_LINE * max(regions.labels.shape) if len(sides) else []
    sides = sides[long]
    possible = _cloud_coloured(regions) & _free_of_lines(regions, segments, sides)
    possible[[0, sky]] = False
    possible &= regions.area > 0
    below = [r for r in np.flatnonzero(possible) if not is_overhead(int(r), regions, camera)]
    possible[below] = False
    one, other, shared = regions.neighbours
    found = np.zeros(len(possible), bool)
    found[sky] = True
    around = np.bincount(one, shared, minlength=len(possible))
    least = np.where(regions.area > SMALL * regions.labels.size, BY_SKY, AMONG_SKY)
    while True:
        # The picture's own rim is no border: what shows there may go on as sky.
        by_sky = np.bincount(one, shared * found[other], minlength=len(possible))
        ruled = _lines_between(found, sides, len(possible))
        new = possible & ~found & (by_sky > least * around) & (ruled < STRAIGHT * by_sky)
        if not new.any():
            break
        found |= new
    found[sky] = False
    return np.flatnonzero(found).tolist()


def _lines_between(found: np.ndarray, sides: np.ndarray, count: int) -> np.ndarray:
    """px (R,) of straight line between each region and those found."""
    out = np.zeros(count)
    for left, right, along in sides[:, 1:]:
        for own, other in ((int(left), int(right)), (int(right), int(left))):
            if found[other] and not found[own]:
                out[own] += along
    return out


def _cloud_coloured(regions: Regions) -> np.ndarray:
    red, green, blue = np.asarray(regions.colour, float).T
    most, least = regions.colour.max(axis=1), regions.colour.min(axis=1)
    pale = (most - least) < PUREST * np.maximum(most, 1)
    bluest = (blue >= green) & (green >= red - GREEN)
    return (green - (red + blue) / 2 < GREEN) & (pale | bluest)


def _free_of_lines(regions: Regions, segments: np.ndarray, sides: np.ndarray) -> np.ndarray:
    """Regions (R,) along whose border hardly any straight line runs, but at their foot."""
    one, _, shared = regions.neighbours
    around = np.maximum(np.bincount(one, shared, minlength=len(regions.area)), 1)
    middle = (segments[:, 1] + segments[:, 3]) / 2
    lined = np.zeros(len(regions.area))
    level = np.array([place[:, 1].mean() if len(place) else 0.0 for place in regions.pixels])
    for segment, left, right, along in sides:
        if left == right:
            continue
        for own in (int(left), int(right)):
            if middle[int(segment)] < level[own]:
                lined[own] += along
    return lined < STRAIGHT * around
