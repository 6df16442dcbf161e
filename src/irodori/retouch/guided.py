"""A filter that smooths one plane where another is smooth."""

from __future__ import annotations

import cv2
import numpy as np


def guided(guide: np.ndarray, plane: np.ndarray, reach: int, flatness: float = 1e-3) -> np.ndarray:
    """`plane` as, within `reach` px, a straight function of `guide`, both (H, W) float32; variance of the guide below `flatness` counts
    as none. He, Sun and Tang, Guided image filtering, ECCV 2010."""

    def mean(values: np.ndarray) -> np.ndarray:
        side = 2 * reach + 1
        return cv2.boxFilter(np.ascontiguousarray(values, np.float32), -1, (side, side), borderType=cv2.BORDER_REFLECT)

    guide, plane = np.asarray(guide, np.float32), np.asarray(plane, np.float32)
    middle, level = mean(guide), mean(plane)
    slope = (mean(guide * plane) - middle * level) / (mean(guide * guide) - middle**2 + np.float32(flatness))
    return mean(slope) * guide + mean(level - slope * middle)
