"""Fine lines that the reading could not give to a surface, carried over from the capture.

Lettering, slim bars and railings a pixel or two wide are too small to be read as surfaces of their own. What the
capture shows there beyond the flat colours of its surfaces is kept as tone, so that no sign loses its text.
"""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.structure import Structure

LEAST = 0.05
"""Encoded contrast from which a difference is a line."""

SHORTEST = 6
"""Pixels a line must have."""

AT_BORDER, INSIDE, IN_PLANTING = 0.10, 0.75, 0.3
"""How much is carried over: on borders the capture has its drawn edges, which the picture must not show as such."""

FLOOR = 0.06


def carried_lines(structure: Structure, already: np.ndarray | None) -> np.ndarray | None:
    """Factor on the developed picture's encoded values, (H, W) float32, or None when nothing is to be carried over.

    `already` (H, W, 3): detail that surfaces kept as found bring along, 1 where there is none.
    """
    import cv2

    if structure.image is None or structure.mesh is not None:
        return None
    table = structure.surfaces
    regions, fragments = structure.regions, structure.fragments
    flat = np.zeros((int(fragments.region.max(initial=0)) + 1, 3), np.float32)
    flat[table["id"].to_numpy()] = encode_srgb(np.array([list(c) for c in table["colour"]], np.float32).reshape(-1, 3))
    shown = encode_srgb(structure.image)
    sky = regions == 0
    if sky.any():
        flat[0] = np.median(shown[sky], axis=0)
    plain = fragments.resolve(flat[fragments.region], structure.size)
    shown, plain = shown.mean(axis=2), plain.mean(axis=2)
    strong = (np.abs(shown - plain) > LEAST).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(strong, connectivity=8)
    strong &= (stats[labels, cv2.CC_STAT_AREA] >= SHORTEST).astype(np.uint8)
    ratio = np.clip((shown + FLOOR) / (plain + FLOOR), 0.35, 2.2)
    # A soft rim of one pixel, so that what is carried over keeps its own anti-aliasing.
    ratio = np.where(cv2.dilate(strong, np.ones((3, 3), np.uint8)) > 0, ratio, 1.0)
    border = np.zeros(regions.shape, np.uint8)
    for a, b, here, there in (
        (regions[:, 1:], regions[:, :-1], np.s_[:, 1:], np.s_[:, :-1]),
        (regions[1:], regions[:-1], np.s_[1:], np.s_[:-1]),
    ):
        border[here] |= a != b
        border[there] |= a != b
    away = cv2.distanceTransform(1 - border, cv2.DIST_L2, 3)
    share = AT_BORDER + (INSIDE - AT_BORDER) * np.clip(away / 2, 0, 1)
    planting = np.zeros(len(flat), bool)
    planting[table.loc[table["role"] == "planting", "id"].to_numpy()] = True
    share = np.where(planting[regions], np.minimum(share, IN_PLANTING), share)
    if already is not None:
        share = np.where((already != 1).any(axis=2), 0.0, share)
    return (1 + share * (ratio - 1)).astype(np.float32)
