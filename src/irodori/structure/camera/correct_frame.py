"""The frame with what the user knows of the camera."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.corrections import CameraCorrection
from irodori.core.errors import StructureError
from irodori.structure.camera.estimate import usual_focal
from irodori.structure.camera.frame import Frame
from irodori.structure.camera.frame_candidates import frame_from_points


def correct_frame(frame: Frame, given: CameraCorrection, size: tuple[int, int]) -> Frame:
    """The frame with what the user says of the camera.

    Raises
    ------
    StructureError
        When the vanishing points given cannot belong to one lens.
    """
    if given.model_copy(update={"scene": None}) == CameraCorrection():
        return frame
    middle = np.array(size) / 2
    centre = np.array(given.centre) - middle if given.centre else frame.centre
    focal = given.focal or (frame.focal if frame.make != "parallel" else usual_focal(size))
    axes = frame.axes
    if given.vanishing:
        found = frame_from_points(*(np.array(p) - middle for p in given.vanishing), centre, given.focal)
        if found is None:
            raise StructureError(
                "The two vanishing points given cannot lie at right angles: they must stand on either side of the "
                "principal point"
            )
        focal, axes = found
    if given.horizon:
        # The horizon's plane through the eye is level: its normal is up.
        left, right = (np.array([x, y]) for x, y in zip((0.0, float(size[0])), given.horizon))
        rays = [np.append((p - middle - centre) / focal, 1.0) for p in (left, right)]
        up = np.cross(rays[1], rays[0])
        up /= np.linalg.norm(up)
        up *= -np.sign(up[1] or 1.0)
        first = axes[0] - (axes[0] @ up) * up
        first /= np.linalg.norm(first)
        second = np.cross(up, first)
        axes = np.stack([first, second * np.sign(second @ axes[1] or 1.0), up])
    return replace(frame, focal=float(focal), centre=centre, axes=axes, observed=True, make="shifted")
