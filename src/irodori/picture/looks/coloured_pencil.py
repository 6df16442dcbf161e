"""Coloured pencil: strokes of each surface's own colour, one over the other, in the paper's tooth."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import painted_colours
from irodori.picture.drawing.paper import caught, paper_of, tooth
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, coloured_layers, dark_of
from irodori.picture.looks import look

HAND = Hand(
    ink=(0.27, 0.25, 0.27),
    medium="pencil",
    pen=1.9,
    line=1.0,
    turns=(66.0, -20.0),
    looseness=0.25,
    most=0.85,
    of_colour=0.6,
    taper=0.5,
)

LAID, PURE = 0.62, 1.35
"""Share of the colour that is laid in softly under the strokes, and how much purer pencils are than things."""


@look("coloured pencil", about="Strokes of each surface's own colour in the paper's tooth", looseness=HAND.looseness)
def draw_coloured_pencil(buffers: Buffers, manner: Manner) -> Sheet:
    """Colour is laid in softly, then hatched over in the same colour, darker in shade."""
    paper = np.array(paper_of(manner, "white"), np.float32)
    colours = painted_colours(buffers, buffers.region, 4.0, leaves=3.0)
    grey = luminance(colours)[..., None]
    colours = np.clip(grey + PURE * (colours - grey), 0.02, 1)
    density = 1 - np.clip(colours / paper, 0, 1)
    rough = tooth(buffers.size, buffers.scale, coarse=1.1)
    laid = np.stack([caught(LAID * density[..., k], rough, 0.9) for k in range(3)], axis=-1)
    ground = (paper * (1 - laid)).astype(np.float32)
    return Sheet(
        buffers.size, tuple(paper.tolist()), ground,
        coloured_layers(buffers, manner, HAND, dark_of(buffers, HAND), colours), buffers.carried,
    )  # fmt: skip
