"""Charcoal: broad soft strokes, rubbed shadows, deep blacks, rough paper."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import caught, paper_of, tooth
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, drawn_layers
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


@look("charcoal", about="Broad soft strokes, rubbed shadows, deep blacks", looseness=HAND.looseness)
def draw_charcoal(buffers: Buffers, manner: Manner) -> Sheet:
    """Most of the tone is rubbed in and a little beyond its edges; broad strokes lie over it."""
    dark = dark_of(buffers, HAND)
    paper, ink = np.array(paper_of(manner, "cream"), np.float32), np.array(HAND.inked(manner), np.float32)
    smeared = 0.5 * dark + 0.5 * cv2.GaussianBlur(dark, (0, 0), SMEAR * buffers.scale)
    rubbed = RUBBED * smeared / (1 - float(ink.mean()))
    kept = caught(np.clip(rubbed, 0, 0.95), tooth(buffers.size, buffers.scale, coarse=1.8), 1.0)
    ground = paper + kept[..., None] * (ink - paper)
    left = np.clip(1 - (1 - dark) / np.maximum(1 - rubbed * (1 - float(ink.mean())), 0.05), 0, 1)
    return Sheet(
        buffers.size,
        tuple(paper.tolist()),
        ground,
        drawn_layers(buffers, manner, HAND, left.astype(np.float32)),
        buffers.carried,
    )
