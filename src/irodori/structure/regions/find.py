"""Regions of a picture: the areas that must not move."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import largest_channel, least_channel
from irodori.core.pixels.ink import drawn_edges, find_ink
from irodori.core.pixels.nearest import filled_from_nearest
from irodori.core.pixels.zones import SMALLEST, flat_zones, zone_means
from irodori.structure.regions.colours import is_neutral, is_sky_tone
from irodori.structure.regions.drawn import drawn_regions
from irodori.structure.regions.graded_background import background_pieces, is_backdrop
from irodori.structure.regions.grow_from_seeds import gather_planting, grow_regions
from irodori.structure.regions.join import join_noise, join_shades
from irodori.structure.regions.lettering import gather_lettering
from irodori.structure.regions.seeds import between_lines, without_leaks

MOST_REGIONS = 4000

SPECK = 48
"""Pixels below which a zone of a lossy capture is taken for noise."""


LEAST_SKY, DIM_SPAN = 0.015, 0.75
"""Share of the picture that a sky takes at least; and share of its top that one takes whose colour is not a sky's."""


def find_regions(
    encoded: np.ndarray, *, drawing: bool = False, lossy: bool = False, smoothed: bool = False
) -> tuple[np.ndarray, np.ndarray, int, list[int], list[int]]:
    """Regions of a shaded or line capture; in a `drawing` all paper is one colour, and only lines part it.

    In a `lossy` capture small zones are noise, and in one whose textures were `smoothed` borders are soft where
    no edges are drawn. Returns labels (H, W) from 1, which pixels show their region's pure
    colour, the sky's label or 0, planting, and plates with lettering.

    Raises StructureError when there is no region at all.
    """
    ink = find_ink(encoded)
    noisy = lossy or smoothed
    labels, small = flat_zones(encoded, ink, smallest=SPECK if noisy else SMALLEST, core=3 if noisy else 2)
    if smoothed and not drawn_edges(encoded).any():
        labels = without_leaks(encoded, labels)
    clean = labels > 0
    if drawing:
        labels = between_lines(encoded, labels)
    if labels.max() == 0:
        labels = np.ones(ink.shape, np.int32)
    sky = _find_sky(encoded, labels)
    if sky and not drawing:  # the sky also shows through foliage, in pieces too small to be seeds
        mean = zone_means(encoded, labels)[sky]
        alike = (largest_channel(np.abs(encoded - mean.astype(np.float32))) < 4) & ~ink
        holes = np.isin(labels, np.unique(labels[alike & (labels > 0)]))
        labels = np.where(alike & (holes | (labels == 0)), sky, labels)
    labels, planting = gather_planting(encoded, labels, small, sky)
    pure = clean if drawing else labels > 0
    labels = grow_regions(encoded, labels, ink)
    signs: list[int] = []
    if not drawing:
        merged = join_noise(encoded, labels) if noisy else join_shades(encoded, labels)
        sky = int(merged[labels == sky][0]) if sky and (labels == sky).any() else sky
        leafy = np.bincount(merged.ravel(), np.isin(labels, planting).ravel())
        planting = np.flatnonzero(leafy > 0.5 * np.maximum(np.bincount(merged.ravel()), 1)).tolist()
        sky = sky or _find_backdrop(encoded, merged, lossy=noisy)
        if sky:
            merged = np.where(np.isin(merged, background_pieces(encoded, merged, sky)), sky, merged)
        else:  # what is dim may be a ceiling: whether it is the sky is told by the camera, later
            sky = _find_sky(encoded, merged, dim=True)
        labels, letters, signs = gather_lettering(encoded, merged, sky)
        pure &= ~letters
    return _compact(labels, pure, sky, planting, signs)


def find_drawn_regions(
    encoded: np.ndarray, segments: np.ndarray
) -> tuple[np.ndarray, np.ndarray, int, list[int], list[int]]:
    """The same for a drawing on paper, whose lines waver and have gaps."""
    darkness = 1 - least_channel(encoded).astype(np.float32) / 255
    labels, ink = drawn_regions(darkness, segments)
    if labels.max() == 0:
        labels = np.where(ink, 0, 1).astype(np.int32) if not ink.all() else np.ones(ink.shape, np.int32)
    pure = (labels > 0) & (darkness < 0.1)
    sky = _find_sky(encoded, labels)
    return _compact(grow_regions(encoded, labels, ink), pure, sky, [], [])


def _compact(labels, pure, sky, *lists):
    area = np.bincount(labels.ravel())
    used = np.flatnonzero(area)
    if len(used) > MOST_REGIONS:
        # A picture this busy is texture, not architecture: keep the largest regions and let them grow.
        kept = used[np.argsort(-area[used], kind="stable")[:MOST_REGIONS]]
        labels = filled_from_nearest(labels, ~np.isin(labels, kept))
        used = np.unique(labels)
    lookup = np.zeros(int(labels.max()) + 1, np.int32)
    lookup[used] = np.arange(1, len(used) + 1)
    return (
        lookup[labels], pure, int(lookup[sky]) if sky else 0,
        *([int(lookup[p]) for p in some if p < len(lookup) and lookup[p]] for some in lists),
    )  # fmt: skip


def _find_backdrop(encoded: np.ndarray, labels: np.ndarray, *, lossy: bool) -> int:
    """The largest zone at the top of the picture that is a viewport's graded backdrop, however deep its colour; 0 without."""
    area = np.bincount(labels.ravel())
    for zone in sorted(np.unique(labels[:3]).tolist(), key=lambda z: -area[z]):
        if zone and area[zone] > LEAST_SKY * labels.size and is_backdrop(encoded, labels == zone, lossy=lossy):
            return zone
    return 0


def _find_sky(encoded: np.ndarray, labels: np.ndarray, *, dim: bool = False) -> int:
    """The flat background: the largest light or blue zone that reaches the top of the picture, or (`dim`) a grey or bluish
    one, however dark, that takes most of the top and reaches a side; 0 without."""
    top = labels[:3].ravel()
    found, counts = np.unique(top[top > 0], return_counts=True)
    mean = zone_means(encoded, labels)
    for n in np.argsort(-counts):
        zone = int(found[n])
        if dim:
            broad = counts[n] > DIM_SPAN * len(top) and zone in labels[:, [0, -1]]
            likely = broad and (is_neutral(mean[zone]) or mean[zone][2] >= mean[zone].max())
        else:
            likely = is_sky_tone(mean[zone])
        if likely and (labels == zone).sum() > LEAST_SKY * labels.size:
            return zone
    return 0
