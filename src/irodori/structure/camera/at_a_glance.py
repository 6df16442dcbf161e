"""How well a camera agrees with what is seen at a glance: ways that surfaces face, what lies level, and the projection."""

from __future__ import annotations

import numpy as np

from irodori.structure.camera.frame import Frame
from irodori.structure.glance.glance import Glance

ASKEW = 1.0
"""What a frame must gain, in mean cost a segment, along whose axes nothing faces that is seen."""

TILTED, TILT_SPREAD, MOST_TILTED = 0.03, np.radians(10.0), 9.0
"""What it must gain for the square of each spread by which its up is not what seems up, where all seems to lie level for sure; and the
square that counts at most."""

OTHERWISE = 0.25
"""What a projection must gain that is not the likely one, for sure."""


def unlikely(frame: Frame, glance: Glance) -> float:
    """What a frame must gain, in mean cost a segment, for what it makes of that which is seen."""
    parallel = glance.parallel if frame.make != "parallel" else 1 - glance.parallel
    return ASKEW * _askew(frame, glance) + _tilted(frame, glance) + OTHERWISE * parallel


def _askew(frame: Frame, glance: Glance) -> float:
    """How little what is solid seems to face along an axis of the frame: 0 for not at all, 1 for all."""
    facing, weight = glance.solid
    if weight.sum() < 1:
        return 0.0
    along = np.abs(facing @ frame.axes.T).max(axis=1)
    return float((weight * (1 - along)).sum() / weight.sum())


def _tilted(frame: Frame, glance: Glance) -> float:
    up, sure = glance.up
    angle = np.arccos(np.clip(up @ frame.axes[2], -1, 1))
    return float(TILTED * sure * min((angle / TILT_SPREAD) ** 2, MOST_TILTED))
