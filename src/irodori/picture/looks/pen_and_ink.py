"""Pen and ink: outlines by weight, hatching along every surface, white left white."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb, hex_to_linear
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.hand import by_hand
from irodori.picture.drawing.hatching import hatched_surfaces, hatching, split_layers
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import paper_colour
from irodori.picture.drawing.paths import joined
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.tone import darkness, even, light_greys
from irodori.picture.looks import look
from irodori.picture.manner import Manner

TURNS = (90.0, 0.0, 45.0, -45.0)
"""Degrees from each surface's own axis at which the layers of hatching lie, the first where there is little shade."""

PEN = 0.95
"""px of the hatching's pen in a picture 1280 wide."""

INK = (0.075, 0.075, 0.085)
USUAL_LOOSENESS = 0.15


@look("pen and ink", about="Outlines and hatching along every surface, white left white", looseness=USUAL_LOOSENESS)
def draw_pen_and_ink(buffers: Buffers, manner: Manner) -> Sheet:
    """Hatching in up to four layers: how dense it is follows the light, how it lies the surface."""
    loose = USUAL_LOOSENESS if manner.looseness is None else manner.looseness
    ink = tuple(encode_srgb(hex_to_linear(manner.ink)).tolist()) if manner.ink else INK
    dark = even(buffers, darkness(buffers, light_greys(buffers)) / (1 - float(np.mean(ink))), 2 * buffers.scale)
    where = ~buffers.natural
    where[0] = False
    pen = PEN * buffers.scale * manner.line_weight
    surfaces = hatched_surfaces(buffers, where)
    shares = split_layers(np.clip(dark, 0, 0.97), len(TURNS))
    strokes = [
        by_hand(hatching(buffers, surfaces, cover, np.radians(turn), pen), 0.6 * loose, buffers.scale, seed=n)
        for n, (cover, turn) in enumerate(zip(shares, TURNS))
    ]
    lines = contours(buffers, weight=manner.line_weight, looseness=loose)
    return Sheet(
        buffers.size, tuple(paper_colour(manner.paper or "white").tolist()),
        layers=(
            Layer("hatching", joined(strokes), ink), Layer("planting, water and sky", Nature(buffers, dark).all(pen), ink),
            Layer("outlines", lines, ink, once=True),
        ),
        lettering=buffers.carried,
    )  # fmt: skip
