"""Charcoal: broad soft strokes, rubbed shadows, deep blacks, rough paper."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, rubbed_and_drawn
from irodori.picture.looks import look

HAND = Hand(
    ink=(0.10, 0.095, 0.09),
    medium="charcoal",
    pen=2.6,
    line=1.4,
    turns=(58.0, -32.0),
    looseness=0.3,
    most=0.97,
    of_colour=0.65,
    taper=0.4,
)

RUBBED, SMEAR = 0.62, 1.2
"""Share of the tone that is rubbed in, and px over which a finger smears it in a picture 1280 wide."""

WATER = 0.72
"""Share of the tone of water that is drawn."""

TOOTH = (1.8, 1.0)
"""How coarse the paper is, and how roughly it catches."""


@look("charcoal", about="Broad soft strokes, rubbed shadows, deep blacks", looseness=HAND.looseness)
def draw_charcoal(buffers: Buffers, manner: Manner) -> Sheet:
    """Most of the tone is rubbed in and a little beyond its edges; broad strokes lie over it."""
    # Water is left lighter than it is: a rubbed field of it would weigh more than the building.
    dark = dark_of(buffers, HAND) * np.where(buffers.role == ROLES.index("water"), WATER, 1).astype(np.float32)
    smeared = 0.5 * dark + 0.5 * cv2.GaussianBlur(dark, (0, 0), SMEAR * buffers.scale)
    return rubbed_and_drawn(buffers, manner, HAND, paper_of(manner, "cream"), dark, RUBBED * smeared, TOOTH)
