"""First stage: the page, and what kind of drawing or picture lies on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.capture import DRAWN, Capture
from irodori.core.colour import encode_8_bit
from irodori.core.pixels.segments import find_segments


@dataclass(frozen=True)
class Traits:
    """What is told by the kind of capture alone.

    Attributes
    ----------
    drawn
        Lines on paper: what surfaces show is the paper's colour, not theirs.
    by_hand
        Drawn by hand: lines waver.
    finished
        A rendering or photo: light falls off over flat surfaces too, so shades do not tell curves.
    """

    drawn: bool
    by_hand: bool
    finished: bool

    @property
    def coloured(self) -> bool:
        """Surfaces show colours of their own."""
        return not self.drawn

    @property
    def shades_tell_curves(self) -> bool:
        """What is shaded within itself is curved, as under a viewport's fixed light."""
        return self.coloured and not self.finished


@dataclass(frozen=True, eq=False)
class Page:
    """A capture with `encoded` (H, W, 3) uint8 sRGB, its line `segments` (N, 4) px and its traits."""

    capture: Capture
    encoded: np.ndarray
    segments: np.ndarray
    traits: Traits


def look_at_page(capture: Capture) -> Page:
    """The page of a capture."""
    encoded = encode_8_bit(capture.image)
    traits = Traits(capture.kind in DRAWN, capture.kind == "sketch", capture.kind == "finished")
    return Page(capture, encoded, find_segments(encoded), traits)
