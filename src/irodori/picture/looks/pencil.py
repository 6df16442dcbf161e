"""Pencil: soft graphite in the paper's tooth, shading under the strokes, lines drawn twice."""

from __future__ import annotations

import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import caught, paper_of, tooth
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, drawn_layers
from irodori.picture.looks import look

HAND = Hand(
    ink=(0.22, 0.22, 0.235),
    medium="pencil",
    pen=1.35,
    line=1.15,
    turns=(62.0, -28.0, 20.0),
    looseness=0.25,
    most=0.8,
    of_colour=0.5,
    taper=0.55,
)

RUBBED = 0.45
"""Share of the tone that is rubbed into the paper under the strokes."""


@look("pencil", about="Soft graphite in the paper's tooth, shaded and hatched", looseness=HAND.looseness)
def draw_pencil(buffers: Buffers, manner: Manner) -> Sheet:
    """Part of the tone is rubbed in, the rest hatched over it."""
    dark = dark_of(buffers, HAND)
    paper, ink = np.array(paper_of(manner, "white"), np.float32), np.array(HAND.inked(manner), np.float32)
    rubbed = RUBBED * dark / (1 - float(ink.mean()))
    kept = caught(np.clip(rubbed, 0, 0.95), tooth(buffers.size, buffers.scale, coarse=1.1), 0.8)
    ground = paper + kept[..., None] * (ink - paper)
    left = np.clip(1 - (1 - dark) / np.maximum(1 - rubbed * (1 - float(ink.mean())), 0.05), 0, 1)
    return Sheet(
        buffers.size,
        tuple(paper.tolist()),
        ground,
        drawn_layers(buffers, manner, HAND, left.astype(np.float32)),
        buffers.carried,
    )
