"""Fine lines that the reading could not give to a surface, carried over from the capture.

Lettering, slim bars and railings a pixel or two wide are too small to be read as surfaces of their own. What the
capture shows there beyond the flat colours of its surfaces is kept as tone, so that no sign loses its text.
"""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.structure import Structure
from irodori.picture.joints import border_cover

LEAST = 0.05
"""Encoded contrast from which a difference is a line."""

SHORTEST = 6
"""Pixels a line must have."""

CARRIED, IN_PLANTING = 0.7, 0.3
"""How much is carried over."""

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
    planting = np.zeros(len(flat), bool)
    planting[table.loc[table["role"] == "planting", "id"].to_numpy()] = True
    shown, plain = shown.mean(axis=2), plain.mean(axis=2)
    cover = border_cover(fragments, structure.size, planting)
    plain = _with_drawn_edges(shown, plain, cover)
    strong = (np.abs(shown - plain) > LEAST).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(strong, connectivity=8)
    strong &= (stats[labels, cv2.CC_STAT_AREA] >= SHORTEST).astype(np.uint8)
    ratio = np.clip((shown + FLOOR) / (plain + FLOOR), 0.35, 2.2)
    # A soft rim of one pixel, so that what is carried over keeps its own anti-aliasing.
    ratio = np.where(cv2.dilate(strong, np.ones((3, 3), np.uint8)) > 0, ratio, 1.0)
    # Nothing is carried over under the edges that the capture draws along borders: these the picture must not show.
    share = np.where(planting[regions], IN_PLANTING, CARRIED) * (1 - cover)
    if already is not None:
        share = np.where((already != 1).any(axis=2), 0.0, share)
    return (1 + share * (ratio - 1)).astype(np.float32)


def _with_drawn_edges(shown: np.ndarray, plain: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """The flat colours with the edges that the capture itself draws along borders: these the picture must not show."""
    under = cover > 0.9
    if under.sum() < 50 or np.ptp(plain[under]) < 0.1:
        return plain
    # Ink laid over the surface: shown = (1 − a) · plain + a · ink.
    slope, rest = np.polyfit(plain[under], shown[under], 1)
    for _ in range(3):
        near = np.abs(shown[under] - slope * plain[under] - rest) < 0.06
        if near.sum() < 50:
            return plain
        slope, rest = np.polyfit(plain[under][near], shown[under][near], 1)
    if not 0 <= slope < 1:
        return plain
    return (plain + cover * ((slope - 1) * plain + rest)).astype(np.float32)
