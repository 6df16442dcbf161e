"""Drawn lines: thin, dark, darker than both sides."""

from __future__ import annotations

import numpy as np


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
