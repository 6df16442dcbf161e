"""What the stages hand to a route, and what a route gives back."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from irodori.core.camera import Camera
from irodori.core.corrections import Corrections
from irodori.structure.curves.cylinders import Cylinder
from irodori.structure.curves.rounds import Round
from irodori.structure.flat_views.elevation import is_elevation
from irodori.structure.glance.glance import Seen
from irodori.structure.stages.areas import Areas
from irodori.structure.stages.background import Background
from irodori.structure.stages.page import Page
from irodori.structure.stages.view import View

DOUBT = 0.5
"""How much less sure a wireframe's surfaces are."""


@dataclass(frozen=True, eq=False)
class Told:
    """What the stages before a route have told, and what the user says: corrections, the eye's height (m), and whether the
    learned reader is heard."""

    page: Page
    areas: Areas
    view: View
    background: Background
    given: Corrections
    eye_height: float | None
    learned: bool

    @property
    def doubt(self) -> float:
        """What the surfaces' sureness is times, for what the drawing shows besides them."""
        return DOUBT if self.view.wireframe else 1.0

    @property
    def seen(self) -> Seen | None:
        """What surfaces seem to be and how they seem to face; None where nobody glanced, and square on, where
        lines tell better."""
        return None if is_elevation(self.view.camera) else self.background.seen


@dataclass(frozen=True, eq=False)
class Surfaces:
    """Surfaces in space.

    Attributes
    ----------
    camera
        To scale, over the ground.
    normal, distance
        (R, 3) and (R,) m: the plane of each region, from the eye.
    roles, sure
        What each is, and how sure all of it is, (R,).
    sky
        The region of the sky, 0 for none.
    rounds, cylinders
        Curves among the regions.
    notes
        What there is to say.
    """

    camera: Camera
    normal: np.ndarray
    distance: np.ndarray
    roles: list[str]
    sure: np.ndarray
    sky: int
    notes: tuple[str, ...]
    rounds: dict[int, Round] = field(default_factory=dict)
    cylinders: dict[int, Cylinder] = field(default_factory=dict)


class Route(Protocol):
    """A way from regions to surfaces in space: `in_perspective`, `as_elevation` or `as_plan`."""

    def __call__(self, told: Told) -> Surfaces: ...
