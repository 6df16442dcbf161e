"""Whether what looks like sky can be sky, now that the camera is known."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.families import Families
from irodori.structure.regions import Regions

NEAR_HORIZON = 0.04
"""Share of the picture's height within which sky comes down to the horizon somewhere."""

UPRIGHT_SHARE = 0.06

MOST_BELOW = 0.7
"""Share of sky below the horizon: a model's ground often ends before it."""


def is_open_sky(region: int, regions: Regions, camera: Camera, sides: np.ndarray, families: Families) -> bool:
    """Tell the sky from a ceiling and from ground that reaches the top of the picture.

    Sky lies above the horizon, and either comes down to it or has uprights standing against it; a ceiling ends at
    level lines only; `sides` are `line_sides` of the segments. The background of a parallel view is always open.
    """
    if camera.projection == "parallel":
        return True
    horizon = camera.horizon()
    if horizon is None:
        return False
    height, width = regions.labels.shape
    own = regions.labels == region
    columns = np.flatnonzero(own.any(axis=0))
    lowest = height - 1 - np.argmax(own[::-1], axis=0)[columns]
    line = np.interp(np.arange(width), [0, width], [horizon[0][1], horizon[1][1]])
    below = (np.arange(height)[:, None] > line) & own
    if below.sum() > MOST_BELOW * own.sum():
        return False
    if (lowest > line[columns] - NEAR_HORIZON * height).sum() > 0.01 * width:
        return True
    beside = ((sides[:, 1] == region) != (sides[:, 2] == region)) & (families.label[sides[:, 0].astype(int)] >= 0)
    if not beside.any():
        return True
    family = families.label[sides[beside, 0].astype(int)]
    length = sides[beside, 3]
    return bool(length[np.abs(families.ways[family, 2]) > 0.05].sum() > UPRIGHT_SHARE * length.sum())
