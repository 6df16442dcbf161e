"""The capture's own texture, for surfaces that are kept as found."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept

LEAF_HUES, LEAF_BRIGHTEST = 0.3, 1.3
"""How much of a crown's varying hue is kept, and how much brighter than the typical a leaf may be."""

LEAVES_ALONE = 0.6
"""Share of a crown's pixels, the paler ones, through which its background may shine."""


def found_detail(structure: Structure) -> np.ndarray | None:
    """Ratio of each pixel to its surface's typical colour, (H, W, 3) float32, or None when there is no picture.

    Pixels near a border are left at 1: their colour is mixed with the neighbour's or with a drawn edge. Asked again for the same structure,
    it is not worked out again; nobody may write into it.
    """
    return _details.of(structure, None, lambda: _found(structure))


_details: Kept[np.ndarray | None] = Kept()


def _found(structure: Structure) -> np.ndarray | None:
    image = structure.image
    if image is None:
        return None
    if structure.textured is not None:
        image = decode_srgb(structure.textured.astype(np.float32) / 255).astype(np.float32)
    regions = structure.regions
    detail = np.ones(image.shape, np.float32)
    inner = inside(regions)
    flat_regions = regions[inner]
    if not len(flat_regions):
        return None
    values = np.maximum(image[inner], 1e-3)
    order = np.argsort(flat_regions, kind="stable")
    _, starts = np.unique(flat_regions[order], return_index=True)
    pixels = values[order]
    ratio = np.ones_like(values)
    for a, b in zip(starts, np.append(starts[1:], len(pixels))):
        typical = np.median(pixels[a:b], axis=0)
        ratio[order[a:b]] = np.clip(pixels[a:b] / typical, 0.35, 2.5)
    # What stands on signs is carried over as it is, not lit as a texture.
    ratio[np.isin(flat_regions, structure.of_role("sign"))] = 1
    leaves = np.isin(flat_regions, structure.of_role("planting"))
    if leaves.any():
        # What shines through between leaves is the viewport's background, not a leaf's colour.
        tone = ratio[leaves].mean(axis=1, keepdims=True)
        ratio[leaves] = np.minimum(tone + LEAF_HUES * (ratio[leaves] - tone), LEAF_BRIGHTEST)
    detail[inner] = ratio
    detail.setflags(write=False)
    return detail


def colours_of_leaves(structure: Structure, crowns: np.ndarray) -> dict[int, np.ndarray]:
    """Linear colours (3,) of the leaves of the surfaces `crowns` that a picture shows: of its more colourful pixels, as in the
    others the background shines through."""
    if structure.image is None:
        return {}
    shown = np.isin(structure.regions, crowns)
    surface, pixels = structure.regions[shown], structure.image[shown]
    order = np.argsort(surface, kind="stable")
    numbers, starts = np.unique(surface[order], return_index=True)
    found = {}
    for number, own in zip(numbers.tolist(), np.split(pixels[order], starts[1:])):
        purity = 1 - own.min(axis=1) / np.maximum(own.max(axis=1), 1e-6)
        found[number] = own[purity >= np.quantile(purity, LEAVES_ALONE)].mean(axis=0)
    return found


def kept_detail(detail: np.ndarray | None, regions: np.ndarray, keeps: np.ndarray) -> np.ndarray | None:
    """The detail of surfaces that are kept as found, `keeps` (S,) bool, and 1 elsewhere; None when none has any."""
    if detail is None:
        return None
    kept = keeps[np.minimum(regions, len(keeps) - 1)]
    return np.where(kept[..., None], detail, np.float32(1)) if (kept & inside(regions)).any() else None


def inside(regions: np.ndarray) -> np.ndarray:
    """Pixels (H, W) of surfaces that lie off their borders, whose colour is their own."""
    import cv2

    border = np.zeros(regions.shape, np.uint8)
    border[:, 1:] |= regions[:, 1:] != regions[:, :-1]
    border[1:] |= regions[1:] != regions[:-1]
    return (cv2.dilate(border, np.ones((5, 5), np.uint8)) == 0) & (regions > 0)
