"""Part of a picture: which fragments and light points have to be worked out so that it comes out as in the whole."""

from __future__ import annotations

import numpy as np

from irodori.core.fragments import Fragments
from irodori.engine.image.denoise import WINDOW
from irodori.engine.image.interlace import FILLED_FROM
from irodori.engine.light.light_points import LightPoints


class Part:
    """The pixels of a mask, and what filters read around them.

    Parameters
    ----------
    mask
        (H, W) bool.
    step, passes
        Spacing of light points, px, and the levels of the filter that smooths light over them.
    smoothing
        Levels of the filter that smooths reflections.
    """

    def __init__(self, mask: np.ndarray, step: int, passes: int, smoothing: int) -> None:
        # Every level of a wavelet reads 2^level steps to each side, and measures noise in a window around.
        lit = sum(WINDOW + 2**level for level in range(passes)) + 2
        reflected = sum(2 + 2**level for level in range(smoothing)) + FILLED_FROM
        self._shade = _grown(mask, reflected).ravel()
        self._light = _grown(mask, reflected + step * lit).ravel()

    @property
    def work(self) -> float:
        """Share of a whole picture's work: what filters read around a part is worked out too."""
        return float(self._shade.mean() + self._light.mean()) / 2

    def to_shade(self, index: np.ndarray, fragments: Fragments) -> np.ndarray:
        """Those of the fragments at `index` that have to be shaded."""
        return index[self._shade[fragments.pixel[index]]]

    def to_light(self, index: np.ndarray, points: LightPoints, fragments: Fragments, width: int) -> np.ndarray:
        """Those of the light points at `index` that have to be lit."""
        rows, columns = points.grid
        y, x = np.mgrid[:rows, :columns].reshape(2, -1)
        height = len(self._light) // width
        half = points.step // 2
        pixel = np.minimum(y * points.step + half, height - 1) * width + np.minimum(x * points.step + half, width - 1)
        orphans = np.flatnonzero(points.own >= 0)
        own = np.empty(len(points.region) - len(pixel), np.int64)
        own[points.own[orphans] - len(pixel)] = fragments.pixel[orphans]
        return index[self._light[np.concatenate([pixel, own])[index]]]


def _grown(mask: np.ndarray, reach: int) -> np.ndarray:
    import cv2

    side = 2 * reach + 1
    return cv2.dilate(mask.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
