"""Third stage: the view, which is the camera with the frame of directions it was told from."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.camera import Camera
from irodori.core.corrections import Corrections
from irodori.structure.camera.estimate import PRIOR_FOCAL, FrameSearch, usual_focal
from irodori.structure.camera.frame import PRIOR_SPREAD, Frame
from irodori.structure.camera.read_camera import camera_of, read_camera, through_lens
from irodori.structure.camera.wireframes import shows_hidden_lines
from irodori.structure.glance.glance import Glance
from irodori.structure.stages.page import Page

WIREFRAME = "A wireframe, it seems: hidden lines are taken for borders; let the 3D program hide them and capture again"


ODD = 0.8
"""How far the logarithm of a focal length that lines do not tell may be from the usual one's before it is nothing but chance."""


@dataclass(frozen=True, eq=False)
class View:
    """The camera over the world's origin; `wireframe`: hidden lines show, too; and what there is to say of it."""

    camera: Camera
    frame: Frame
    wireframe: bool
    notes: tuple[str, ...]

    def through(self, lens: float) -> View:
        """The same view, its lens the nearer to a usual one the less its lines tell it; what runs into the picture still runs to the same
        point."""
        likely = usual_focal(self.camera.size)
        if abs(np.log(self.frame.focal / likely)) > ODD:
            focal = likely * lens / PRIOR_FOCAL
        else:
            # It was found near another usual one: what that weighed, this weighs.
            focal = self.frame.focal * float((lens / PRIOR_FOCAL) ** ((self.frame.spread / PRIOR_SPREAD) ** 2))
        frame = through_lens(self.frame, focal)
        return replace(self, frame=frame, camera=camera_of(frame, self.camera.size))


def read_view(page: Page, frames: FrameSearch, given: Corrections, glance: Glance | None = None) -> View:
    """The view of a page, of all that its lines may tell, as the user knows it. Raises StructureError."""
    camera, frame, notes = read_camera(frames, page.segments, page.capture.size, given, glance)
    is_line_drawing = page.traits.drawn and not page.traits.by_hand
    wireframe = is_line_drawing and shows_hidden_lines(page.encoded, page.segments)
    return View(camera, frame, wireframe, (*notes, WIREFRAME) if wireframe else notes)
