"""The capture's own texture, for surfaces that are kept as found."""

from __future__ import annotations

import numpy as np

from irodori.core.structure import Structure


def found_detail(structure: Structure, keeps: np.ndarray) -> np.ndarray | None:
    """Ratio of each pixel to its surface's typical colour, (H, W, 3) float32, or None when there is no texture.

    `keeps` (S,) bool: surfaces that are kept as found. Pixels near a border are left at 1: their colour is mixed
    with the neighbour's or with a drawn edge.
    """
    image = structure.image
    if image is None:
        return None
    import cv2

    regions = structure.regions
    detail = np.ones(image.shape, np.float32)
    border = np.zeros(regions.shape, np.uint8)
    border[:, 1:] |= regions[:, 1:] != regions[:, :-1]
    border[1:] |= regions[1:] != regions[:-1]
    inner = cv2.dilate(border, np.ones((5, 5), np.uint8)) == 0
    inner &= keeps[np.minimum(regions, len(keeps) - 1)] & (regions > 0)
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
    detail[inner] = ratio
    return detail
