"""Pencil: soft graphite in the paper's tooth, shading under the strokes, lines drawn twice."""

from __future__ import annotations

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, rubbed_and_drawn
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

TOOTH = (1.1, 0.8)
"""How coarse the paper is, and how roughly it catches."""


@look("pencil", about="Soft graphite in the paper's tooth, shaded and hatched", looseness=HAND.looseness)
def draw_pencil(buffers: Buffers, manner: Manner) -> Sheet:
    """Part of the tone is rubbed in, the rest hatched over it."""
    dark = dark_of(buffers, HAND)
    return rubbed_and_drawn(buffers, manner, HAND, paper_of(manner, "white"), dark, RUBBED * dark, TOOTH)
