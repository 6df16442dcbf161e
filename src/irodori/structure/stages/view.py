"""Third stage: the view, which is the camera with the frame of directions it was told from."""

from __future__ import annotations

from dataclasses import dataclass

from irodori.core.camera import Camera
from irodori.core.corrections import Corrections
from irodori.structure.camera.frame import Frame
from irodori.structure.camera.read_camera import read_camera
from irodori.structure.camera.wireframes import shows_hidden_lines
from irodori.structure.stages.page import Page

WIREFRAME = "A wireframe, it seems: hidden lines are taken for borders; let the 3D program hide them and capture again"


@dataclass(frozen=True, eq=False)
class View:
    """The camera over the world's origin; `wireframe`: hidden lines show, too; and what there is to say of it."""

    camera: Camera
    frame: Frame
    wireframe: bool
    notes: tuple[str, ...]


def read_view(page: Page, given: Corrections) -> View:
    """The view of a page, as the user knows it. Raises StructureError."""
    camera, frame, notes = read_camera(page.capture, page.segments, given)
    is_line_drawing = page.traits.drawn and not page.traits.by_hand
    wireframe = is_line_drawing and shows_hidden_lines(page.encoded, page.segments)
    return View(camera, frame, wireframe, (*notes, WIREFRAME) if wireframe else notes)
