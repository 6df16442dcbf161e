"""What lies over the model in a capture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

GAIN, LEAST_GAIN = 18.0, 8.0
"""8-bit steps of tint that a line gains over what it lies on, and its rims."""


SHORTEST_PIECE, GAP = 14, 120
"""px of a straight piece of an outline, and px of a gap in it that is seen beyond."""

AXES, OUTLINE, HANDLES = "axis marks", "a selection outline", "selection handles"


@dataclass(frozen=True, eq=False)
class Overlay:
    """What lies over the model: `what` it is, the name of the `cleaning` that takes it away, its pixels (H, W) bool."""

    what: str
    cleaning: str
    mask: np.ndarray
    hue: int = 0
    middle: tuple[float, float] = (0.0, 0.0)
    reach: float = 0.0


def tint_gain(colours: np.ndarray, under: np.ndarray, tint: np.ndarray) -> np.ndarray:
    """How much more of a `tint`, (3,) that sums to 0, 8-bit `colours` (…, 3) have than what lies `under` them.

    A grey or black line gains none, also where what is under it has the opposite tint.
    """
    own, base = (np.asarray(values, np.float32) @ tint.astype(np.float32) for values in (colours, under))
    return own - np.maximum(base, 0.0)


def straight_pieces(mask: np.ndarray, gap: int) -> np.ndarray:
    """Straight pieces (N, 4) px of thin lines (H, W), with gaps up to `gap` px."""
    import cv2

    found = cv2.HoughLinesP(
        mask.astype(np.uint8) * 255, 1, np.pi / 720, 12, minLineLength=SHORTEST_PIECE, maxLineGap=gap
    )
    return np.zeros((0, 4)) if found is None else found.reshape(-1, 4).astype(float)
