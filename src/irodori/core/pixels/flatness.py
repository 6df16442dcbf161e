"""Telling what a 3D program shows from what was rendered or photographed."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import largest_channel

RINGING = 0.35
"""Share of what lies beside edges that wavers in a lossy picture; clean captures stay under half of it."""

BLOCKY = 1.6
"""How much more often than elsewhere noise begins at one place of eight; JPEG above 2, textures under 1.2."""


def is_drawn(encoded: np.ndarray) -> bool:
    """Whether an 8-bit picture (H, W, 3) is drawn in flat tones, as viewports and drawings are.

    There most neighbours are equal, and hardly any differ by a single step; renderings and photos are full of single
    steps. Lossy compression spreads them over flat areas too, but leaves those flat to a step.
    """
    same, within = _steps(encoded)
    return bool((same > 0.6 and within - same < 0.05) or within > 0.93)


def is_lossy(encoded: np.ndarray) -> bool:
    """Whether the edges of an 8-bit picture (H, W, 3) ring, as lossy compression makes them.

    A few pixels beside a strong edge a viewport is flat; compressed, it wavers there by some steps.
    """
    import cv2

    signed = encoded.astype(np.int16)
    rings, zone = 0, 0
    for axis in (0, 1):
        step = largest_channel(np.abs(np.diff(signed, axis=axis)))
        strong = (step > 24).astype(np.uint8)
        beside = (cv2.dilate(strong, np.ones((13, 13), np.uint8)) > 0) & (
            cv2.dilate(strong, np.ones((5, 5), np.uint8)) == 0
        )
        rings += int((beside & (step > 0) & (step <= 8)).sum())
        zone += int(beside.sum())
    return zone > 200 and rings > RINGING * zone


def local_span(encoded: np.ndarray, side: int) -> np.ndarray:
    """The 8-bit steps (H, W) that the most varied channel of a picture (H, W, 3) spans within `side` px."""
    import cv2

    block = np.ones((side, side), np.uint8)
    return largest_channel(cv2.dilate(encoded, block) - cv2.erode(encoded, block))


def has_blocks(encoded: np.ndarray) -> bool:
    """Whether noise in an 8-bit picture (H, W, 3) begins at the edges of 8 × 8 px blocks, as JPEG's does.

    A texture's grain begins anywhere. Once the picture was scaled, its blocks cannot be told.
    """
    signed = encoded.astype(np.int16)
    most = []
    for axis in (0, 1):
        still = largest_channel(np.abs(np.diff(signed, axis=axis))) == 0
        begins = still[:-1] & ~still[1:] if axis == 0 else still[:, :-1] & ~still[:, 1:]
        count = begins.sum(axis=1 - axis)
        by_place = np.bincount(np.arange(len(count)) % 8, count, minlength=8)
        most.append(by_place.max() / max(by_place.mean(), 1e-9))
    return min(most) > BLOCKY


def _steps(encoded: np.ndarray) -> tuple[float, float]:
    """Share of neighbours that are equal, and that differ by a step at most."""
    signed = encoded.astype(np.int16)
    steps = [largest_channel(np.abs(np.diff(signed, axis=axis))) for axis in (0, 1)]
    return float(np.mean([(s == 0).mean() for s in steps])), float(np.mean([(s <= 1).mean() for s in steps]))
