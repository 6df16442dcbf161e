"""Blue line print: a tracing printed in blue, lines and light shading, the paper slightly tinted."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, drawn_layers
from irodori.picture.looks import look

HAND = Hand(ink=(0.13, 0.20, 0.55), pen=0.7, line=1.25, turns=(90.0, 45.0), looseness=0.1, most=0.6, of_colour=0.25)

MOTTLE = 0.03
"""How unevenly such prints are exposed."""


@look("blue line print", about="A tracing printed in blue, lines and light shading", looseness=HAND.looseness)
def draw_blue_line_print(buffers: Buffers, manner: Manner) -> Sheet:
    """Blue lines on paper that the exposure has tinted unevenly."""
    paper = np.array(paper_of(manner, "pale blue"), np.float32)
    width, height = buffers.size
    rng = np.random.default_rng(3)
    cloud = cv2.resize(rng.standard_normal((9, 14)).astype(np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    ground = np.clip(paper * (1 + MOTTLE * np.float32([1.0, 0.8, 0.35]) * cloud[..., None] * 0.5), 0, 1)
    return Sheet(buffers.size, tuple(paper.tolist()), ground, drawn_layers(buffers, manner, HAND), buffers.carried)
