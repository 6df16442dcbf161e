"""Regions of the picture and what is measured of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from irodori.core.pixels.borders import border_pairs, counted, stacked_pairs

STRIP = 9.0
"""px across, below which a region is a strip."""

LEAFY = 12.0
"""8-bit steps by which what grows is greener than red or blue."""

MOST_OF_FOOT = 0.5
"""Share of the picture's foot from which what takes it is land."""

SLIM, LEANING = 3.0, 0.6
"""Times its width that a slim region is high, and times its height that it reaches to the side at most."""


@dataclass(frozen=True, eq=False)
class Regions:
    """Measurements of each region, index 0 unused.

    `area` (R,), `box` (R, 4) x0 y0 x1 y1, `colour` (R, 3) 8-bit sRGB mean, `pixels` up to 200 positions each.
    """

    labels: np.ndarray
    area: np.ndarray
    box: np.ndarray
    colour: np.ndarray
    pixels: list[np.ndarray]

    def at(self, place: np.ndarray) -> int:
        """The region at a picture position x, y; 0 beyond the picture."""
        x, y = np.floor(place).astype(int)
        height, width = self.labels.shape
        return int(self.labels[y, x]) if 0 <= x < width and 0 <= y < height else 0

    @cached_property
    def main_box(self) -> np.ndarray:
        """Boxes (R, 4) without the few scattered pixels that stretch some far beyond what they mostly are."""
        box = self.box.astype(float).copy()
        for region, place in enumerate(self.pixels):
            if len(place) < 20:
                continue
            low, high = np.percentile(place, [3, 97], axis=0)
            spare = (high - low) * 0.03 / 0.94 + 0.5
            main = np.concatenate([np.maximum(low - spare, box[region, :2]), np.minimum(high + spare, box[region, 2:])])
            if np.prod(box[region, 2:] - box[region, :2]) > 1.5 * np.prod(main[2:] - main[:2]):
                box[region] = main
        return box

    @cached_property
    def neighbours(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Regions (N,), a neighbour of each (N,), every pair both ways, and how many px of border they share (N,)."""
        low, high, _, _ = border_pairs(self.labels)
        return counted(np.concatenate([low, high]), np.concatenate([high, low]))

    @cached_property
    def stacked(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Regions (N,), those right below them (N,), and along how many px (N,)."""
        return counted(*stacked_pairs(self.labels))

    @cached_property
    def thickness(self) -> np.ndarray:
        """How wide each region is across its box's diagonal, (R,) px: little for a strip."""
        wide, high = (self.box[:, 2:] - self.box[:, :2]).T
        return self.area / np.maximum(np.hypot(wide, high), 1e-9)

    @cached_property
    def spans_foot(self) -> np.ndarray:
        """Which regions take most of the picture's foot, as land does, (R,) bool."""
        foot = self.labels[-1]
        return np.bincount(foot, minlength=len(self.area)) > MOST_OF_FOOT * len(foot)

    @cached_property
    def slim(self) -> np.ndarray:
        """Which regions are much higher than wide, as posts and columns are, (R,) bool."""
        wide, high = (self.box[:, 2:] - self.box[:, :2]).T
        return (high > SLIM * self.area / np.maximum(high, 1)) & (wide < LEANING * high) & (self.area > 0)


def measure_regions(labels: np.ndarray, colour: np.ndarray) -> Regions:
    """Measure every label of (H, W); `colour` (R, 3) may tell of labels that are none any more."""
    from scipy import ndimage

    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    box = np.zeros((count, 4))
    for index, found in enumerate(ndimage.find_objects(labels), 1):
        if found is not None:
            box[index] = (found[1].start, found[0].start, found[1].stop, found[0].stop)
    order = np.argsort(labels.ravel(), kind="stable")
    starts = np.concatenate([[0], np.cumsum(area)])
    pixels = []
    for index in range(count):
        own = order[starts[index] : starts[index + 1]]
        own = own[:: max(1, len(own) // 200)]
        y, x = np.divmod(own, labels.shape[1])
        pixels.append(np.stack([x + 0.5, y + 0.5], axis=1))
    return Regions(labels, area, box, colour[:count], pixels)


def line_sides(labels: np.ndarray, segments: np.ndarray, reach: float = 2.5) -> np.ndarray:
    """Which regions lie along each segment: rows (segment, left region, right region, length px), (M, 4) float64."""
    height, width = labels.shape
    rows = []
    for index, (x0, y0, x1, y1) in enumerate(segments):
        length = np.hypot(x1 - x0, y1 - y0)
        steps = max(int(length // 3), 2)
        t = (np.arange(steps) + 0.5) / steps
        across = np.array([-(y1 - y0), x1 - x0]) / length * reach
        sides = []
        for side in (-1.0, 1.0):
            x = np.clip((x0 + t * (x1 - x0) + across[0] * side).astype(int), 0, width - 1)
            y = np.clip((y0 + t * (y1 - y0) + across[1] * side).astype(int), 0, height - 1)
            sides.append(labels[y, x].astype(np.int64))
        pair, times = np.unique(sides[0] * (1 << 32) + sides[1], return_counts=True)
        for code, hits in zip(pair.tolist(), times.tolist()):
            if hits >= max(2, 0.08 * steps):
                rows.append((index, code >> 32, code & 0xFFFFFFFF, hits / steps * length))
    return np.array(rows, float).reshape(-1, 4)


def leafy(regions: Regions) -> np.ndarray:
    """Which regions are as green as leaves and meadows are, (R,) bool."""
    red, green, blue = regions.colour.T
    return green > np.maximum(red, blue) + LEAFY


def under_sky(regions: Regions, sky: int, growing: Sequence[int] = ()) -> np.ndarray:
    """The share of each region's width (R,) that has the sky, or what is `growing` before it, right above it."""
    count = len(regions.area)
    if not sky:
        return np.zeros(count)
    open_above = regions.labels[1:][np.isin(regions.labels[:-1], [sky, *growing])]
    return np.bincount(open_above, minlength=count) / np.maximum(regions.box[:, 2] - regions.box[:, 0], 1)
