"""Drawn lines: thin, dark, darker than both sides."""

from __future__ import annotations

import numpy as np

STROKE, TOWARDS_INK = 40, 0.3
"""8-bit steps that clearly drawn lines are darker than both sides, and the share of the way from there to these lines'
own tone from which any is an edge that the program drew, not a joint between bricks."""

FEWEST_STROKES = 0.0025
"""Share of a picture that clearly drawn lines take at least where edges are drawn."""

SHORTEST_STROKE = 8
"""px that a drawn edge reaches at least."""


def find_ink(encoded: np.ndarray, *, threshold: int = 12) -> np.ndarray:
    """Find thin dark lines.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.

    Returns
    -------
    (H, W) bool.
    """
    import cv2

    grey = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    # Ink is at most two pixels across its core; anything wider between two lines is a thin member with a face.
    core = np.maximum(*(cv2.morphologyEx(grey, cv2.MORPH_BLACKHAT, np.ones(s, np.uint8)) for s in ((3, 1), (1, 3))))
    return core > threshold


def drawn_edges(encoded: np.ndarray) -> np.ndarray:
    """Edges (H, W) bool that a program drew on an 8-bit capture (H, W, 3); none at all where it drew none.

    They are all in one dark tone, where joints between bricks are shades of what they lie in.
    """
    import cv2

    clear = _long(find_ink(encoded, threshold=STROKE))
    grey = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    if clear.mean() < FEWEST_STROKES:
        return np.zeros_like(clear)
    tone = float(np.percentile(grey[clear], 2))
    sides = cv2.morphologyEx(grey, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8)).astype(np.float32)
    return find_ink(encoded) & (sides - grey > TOWARDS_INK * (sides - tone)) & (sides > tone + 12)


def _long(ink: np.ndarray) -> np.ndarray:
    """Ink (H, W) that hangs together over `SHORTEST_STROKE` px at least: a speck of grain is no line."""
    import cv2

    _, parts, stats, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=8)
    kept = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) >= SHORTEST_STROKE
    kept[0] = False
    return kept[parts]


def ink_colour(encoded: np.ndarray, ink: np.ndarray) -> np.ndarray:
    """The colour of drawn lines, (3,): what the darkest of them show; black when nothing was."""
    if ink.sum() < 50:
        return np.zeros(3)
    return np.percentile(encoded[ink].astype(float), 1, axis=0)
