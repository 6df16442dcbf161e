"""Sprays in the outlines of crowns read from pixels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.core.colour import encode_srgb
from irodori.core.geometry.frames import unit_rows
from irodori.core.structure import Structure
from irodori.scene.growing.crowns.sprays import DENSE, LEAF, LEAF_AREA, MOST, SHARPEST, SPRAY, Sprays

STRAY = 5
"""px by which leaves read one by one may stand apart and are of one crown."""

SPECK, GAP = 90, 250
"""px under which a region in the sky beside leaves is one; and a gap among leaves is closed."""

UNLIKE_SKY, MEDIAN = 0.08, 31
"""Encoded difference from the sky's tone around, the median over so many px, from which a pixel of it shows a leaf."""

DEEPEST = 0.3
"""How far a crown reaches from its middle towards the eye, as a share of its distance."""

FEWEST = 60
"""px of a crown in the picture under which its outline says too little to grow into."""


@dataclass(frozen=True, eq=False)
class Outlines:
    """Crowns read from pixels: `label` (H, W) numbers them from 1, their stray leaves and the gaps between among them, `surface`
    (N,) is the id of each; `within` (H, W) px, the distance from the outline; `depth` (H, W) m; `stray` (S,) bool are
    leaves read as something else."""

    label: np.ndarray
    surface: np.ndarray
    within: np.ndarray
    depth: np.ndarray
    stray: np.ndarray


def find_outlines(structure: Structure, leafy: np.ndarray, protected: np.ndarray) -> Outlines | None:
    """The crowns of a reading: what is leafy, closed to masses, as far as nothing stands before them."""
    import cv2
    from scipy import ndimage

    regions = structure.regions
    own = leafy[np.minimum(regions, len(leafy) - 1)] & np.isfinite(structure.depth)
    if not own.any():
        return None
    near = cv2.dilate(own.astype(np.uint8), _disc(3 * STRAY)) > 0
    stray = _strays(regions, own, near, len(leafy))
    own |= stray[np.minimum(regions, len(stray) - 1)] | _leaves_in_sky(structure, near)
    index = ndimage.distance_transform_edt(
        ~(own & np.isfinite(structure.depth)), return_distances=False, return_indices=True
    )
    depth = structure.depth[tuple(index)]
    closed = cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_CLOSE, _disc(STRAY)) > 0
    before = protected[np.minimum(regions, len(protected) - 1)] | (structure.depth < 0.98 * depth)
    mask = own | (closed & ~before)
    _, hole, size, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8), connectivity=4)
    filled = size[:, cv2.CC_STAT_AREA] < GAP
    mask |= filled[hole] & ~before
    count, label, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] >= FEWEST
    large[0] = False
    surface = np.zeros(count, np.int64)
    for number in np.flatnonzero(large):
        ids = regions[own & (label == number)]
        ids = ids[leafy[np.minimum(ids, len(leafy) - 1)]]
        surface[number] = np.bincount(ids).argmax() if len(ids) else 0
    large &= surface > 0
    if not large.any():
        return None
    renumbered = np.where(large, np.cumsum(large), 0)
    label = renumbered[label]
    within = cv2.distanceTransform(np.pad(label > 0, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    return Outlines(label, surface[large], within, depth, stray)


def _leaves_in_sky(structure: Structure, near: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool of the sky, `near` (H, W) what is leafy, that show something else: leaves too small to be read."""
    import cv2

    sky = structure.regions == 0
    if structure.image is None or not sky.any():
        return np.zeros(near.shape, bool)
    shown = encode_srgb(structure.image)
    around = cv2.medianBlur(np.rint(shown * 255).astype(np.uint8), MEDIAN).astype(np.float32) / 255
    return sky & near & (np.abs(shown - around).max(axis=2) > UNLIKE_SKY)


def _strays(regions: np.ndarray, own: np.ndarray, near: np.ndarray, count: int) -> np.ndarray:
    """Specks (count,) bool, `near` (H, W) what is leafy, `own` (H, W), in the sky or among leaves: leaves too, whatever they were
    read as."""
    area = np.bincount(regions.ravel(), minlength=count)[:count]
    small = (area > 0) & (area < SPECK)
    small[0] = False
    leaf = np.isin(regions, np.unique(regions[own]))
    left, right, upper, lower = np.s_[:, :-1], np.s_[:, 1:], np.s_[:-1], np.s_[1:]
    for one, other in ((left, right), (right, left), (upper, lower), (lower, upper)):
        here, there = regions[one], regions[other]
        solid = ~((there == 0) | small[np.minimum(there, count - 1)] | leaf[other])
        small[here[(here != there) & solid]] = False
    apart = np.bincount(regions[~near].ravel(), minlength=count)[:count]
    return small & (apart == 0)


def _disc(radius: int) -> np.ndarray:
    import cv2

    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2)


def sprays_in_outlines(camera: Camera, outlines: Outlines, rng) -> tuple[Sprays, np.ndarray, np.ndarray]:
    """Sprays in crowns read from pixels, as deep as they are broad; how far (H, W) each pixel of theirs lies from the
    outline, in radii of a spray; and the depth (H, W) m of the crown's back."""
    import cv2

    inside = np.zeros(outlines.label.shape, np.float32)
    back = outlines.depth.copy()
    found: list[Sprays] = []
    for number, surface in enumerate(outlines.surface.tolist(), 1):
        y, x = np.nonzero(outlines.label == number)
        top, left = max(y.min() - 2, 0), max(x.min() - 2, 0)
        box = np.s_[top : y.max() + 3, left : x.max() + 3]
        own = outlines.label[box] == number
        within = np.where(own, outlines.within[box], 0)
        broad = float(within.max())
        middle = float(np.median(outlines.depth[box][own]))
        metre = 1.0 / float(camera.footprint(np.float64(middle)))
        depth = np.clip(outlines.depth[box], (1 - DEEPEST) * middle, (1 + DEEPEST) * middle)
        thick = np.minimum(np.sqrt(np.maximum(within * (2 * broad - within), 0.0)), DEEPEST * middle * metre)
        radius = max(min(SPRAY * metre, 0.3 * broad), 2.0)
        inside[box] = np.where(own, within / radius, inside[box])
        back[box] += np.where(own, thick / metre, 0)
        # How far off a crown is, is not well known: its leaves are small beside it all the same.
        leaf = max(min(LEAF * metre, 0.05 * broad), SHARPEST, np.sqrt(DENSE * len(y) / (LEAF_AREA * MOST)))
        number = max(int(2.2 * DENSE * len(y) / (np.pi * radius**2)), 8)
        # More of them where the crown is thick.
        weight = (0.45 + thick / broad)[own]
        chosen = rng.choice(len(y), number, p=weight / weight.sum())
        row, column = y[chosen] - top, x[chosen] - left
        deep = thick[row, column]
        aside = rng.uniform(-1, 1, number)
        origins, ways = camera.rays(x[chosen] + rng.uniform(0, 1, number), y[chosen] + rng.uniform(0, 1, number))
        place = origins + ways * (depth[row, column] + aside * deep / metre)[:, None]
        slopes = np.gradient(cv2.GaussianBlur(within, (0, 0), max(radius / 2, 1.0)))
        down, right = (-slope[row, column] * (1 - deep / broad) for slope in slopes)
        outward = np.stack([right, down, aside * deep / broad], axis=1) @ camera.rotation + [0, 0, 0.2]
        per = DENSE * len(y) / (LEAF_AREA * leaf**2) / number
        count = np.floor(per + rng.uniform(0, 1, number)).astype(int)
        same = np.ones(number)
        found.append(
            Sprays(
                place,
                unit_rows(outward),
                same * radius / metre,
                same * leaf / metre,
                count,
                (same * surface).astype(int),
            )
        )
    return Sprays(*(np.concatenate(rows) for rows in zip(*found))), inside, back


def within_outlines(inside: np.ndarray, camera: Camera, leaves: np.ndarray) -> np.ndarray:
    """Which leaves (T, 3, 3) have their middle in some crown's outline, (T,) bool."""
    spots, _ = camera.project(leaves.mean(axis=1))
    height, width = inside.shape
    x, y = np.floor(spots).astype(int).T
    shown = (x >= 0) & (x < width) & (y >= 0) & (y < height)
    keep = ~shown
    keep[shown] = inside[y[shown], x[shown]] > 0
    return keep
