"""Pen and ink: outlines by weight, hatching along every surface, white left white."""

from __future__ import annotations

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, drawn_layers
from irodori.picture.looks import look

HAND = Hand(ink=(0.075, 0.075, 0.085), pen=0.92)


@look("pen and ink", about="Outlines and hatching along every surface, white left white", looseness=HAND.looseness)
def draw_pen_and_ink(buffers: Buffers, manner: Manner) -> Sheet:
    """Hatching in up to four layers: how dense it is follows the light, how it lies the surface."""
    return Sheet(
        buffers.size, paper_of(manner, "white"), layers=drawn_layers(buffers, manner, HAND), lettering=buffers.carried
    )
