"""What regions' colours say: under a viewport's fixed light one material facing one way has one colour, and skies are light."""

from __future__ import annotations

import numpy as np

from irodori.core.pixels.borders import border_pairs
from irodori.structure.regions.measure import STRIP, Regions

SAME_COLOUR, SAME_BROAD = 1.8, 0.7
"""8-bit steps within which two faces have one colour; broad ones, whose means hold nothing of their borders."""


WARM, PALE = 8, 215
"""8-bit steps by which what is more red than blue is no sky but a wall or a ceiling, unless all its channels are paler than this."""

BLUE = 18
"""8-bit steps by which a sky is more blue than red where no ceiling is."""


def is_sky_tone(colour: np.ndarray) -> bool:
    """Whether an 8-bit colour (3,) is light and neutral or bluish, as skies are; what is warm only where it is nearly white."""
    red, green, blue = colour
    bluish = blue >= red - 4 and blue > 90
    neutral = is_neutral(colour) and (red - blue < WARM or min(colour) > PALE)
    return bool(min(red, green, blue) > 150 and (bluish or neutral))


def is_sky_blue(colour: np.ndarray) -> bool:
    """Whether an 8-bit colour (3,) is a light blue that hardly any ceiling has."""
    return bool(is_sky_tone(colour) and colour[2] - colour[0] > BLUE)


def is_neutral(colour: np.ndarray) -> bool:
    """Whether an 8-bit colour (3,) is next to grey."""
    return bool(max(colour) - min(colour) < 26)


def is_lit(regions: Regions, sky: int) -> bool:
    """Whether tones tell facings: neighbours of one material but of several tones occur. False-colour captures have none."""
    low, high, _, _ = border_pairs(regions.labels)
    pair, size = np.unique(np.column_stack([low, high]), axis=0, return_counts=True)
    i, j = pair[(pair[:, 0] > 0) & (size > 12) & ~(pair == sky).any(axis=1)].T
    large = np.minimum(regions.area[i], regions.area[j]) > 60
    ratio = (regions.colour[i[large]] + 1.0) / (regions.colour[j[large]] + 1.0)
    mean = ratio.mean(axis=1)
    toned = (np.ptp(ratio, axis=1) < 0.05 * mean) & (np.abs(np.log(np.maximum(mean, 1e-6))) > 0.05)
    return bool(toned.sum() >= max(2, 0.03 * len(toned)))


def tints_apart(a: np.ndarray, b: np.ndarray) -> float:
    """By how much the tints of two 8-bit colours (3,) differ, however light they are: their channels' shares of the whole."""
    return float(np.abs(a / max(a.sum(), 1.0) - b / max(b.sum(), 1.0)).max())


def colour_groups(regions: Regions, sky: int) -> np.ndarray:
    """Regions of one colour get one number, (R,)."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    solid = np.flatnonzero((regions.area > 0) & (np.arange(len(regions.area)) != sky))
    solid = solid[solid > 0]
    broad = regions.thickness[solid] > STRIP
    wide, small = np.flatnonzero(broad), np.flatnonzero(~broad)
    links = [np.zeros((0, 2), int)]
    if len(wide):
        tree = cKDTree(regions.colour[solid[wide]])
        links.append(wide[tree.query_pairs(SAME_BROAD, output_type="ndarray")])
        # A strip belongs to the one broad face that it is nearest to, or else to strips like it.
        far, nearest = tree.query(regions.colour[solid[small]], distance_upper_bound=SAME_COLOUR)
        own = np.isfinite(far)
        links.append(np.column_stack([small[own], wide[nearest[own]]]))
        small = small[~own]
    if len(small):
        near = cKDTree(regions.colour[solid[small]]).query_pairs(SAME_COLOUR, output_type="ndarray")
        links.append(small[near])
    pairs = np.concatenate(links)
    graph = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(len(solid),) * 2)
    group = np.arange(len(regions.area)) + len(regions.area)
    group[solid] = connected_components(graph, directed=False)[1]
    return np.unique(group, return_inverse=True)[1]
