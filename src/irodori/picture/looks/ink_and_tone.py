"""Ink and one tone: an ink outline, and one flat wash where there is shade."""

from __future__ import annotations

import numpy as np

from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import BLUE, painted_tone, shaded_areas, sky_tones
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.paths import joined
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.drawing.tone import SHADE
from irodori.picture.looks import look

HAND = Hand(ink=(0.10, 0.10, 0.12), line=1.05, looseness=0.2, of_colour=0.25)

MIRRORED = 0.62
"""Darkness from which water is toned."""

TONE = (0.72, 0.745, 0.765)
"""The wash, a cool grey, as a factor on the paper."""


@look("ink and one tone", about="An ink outline, and one flat wash where there is shade", looseness=HAND.looseness)
def draw_ink_and_tone(buffers: Buffers, manner: Manner) -> Sheet:
    """Shade, and what is dark itself, under one flat tone; glazing too; all else is paper."""
    dark = dark_of(buffers, HAND)
    ink, loose = HAND.inked(manner), HAND.loose(manner)
    paper = np.array(paper_of(manner, "white"), np.float32)
    nature = Nature(buffers, dark)
    shade, _ = shaded_areas(buffers, dark)
    tone = painted_tone(buffers, dark, buffers.region, flatness=0.0)
    shade = np.where(nature.leaves > 0.5, tone > SHADE, shade)
    shade = np.where(buffers.role == ROLES.index("water"), tone > MIRRORED, shade)
    shade |= (buffers.region == 0) & (sky_tones(buffers, nature) == BLUE)
    tone = soft_edges(buffers, np.repeat(shade[..., None].astype(np.float32), 3, axis=-1))[..., 0]
    wash = np.array(TONE, np.float32) if not manner.ink else 1 - 0.30 * (1 - np.array(ink, np.float32))
    ground = paper * (1 + tone[..., None] * (wash - 1))
    lines = contours(buffers, weight=HAND.line * manner.line_weight, looseness=loose)
    pen = 0.9 * buffers.scale * manner.line_weight
    leafy = [p for p in (*nature.foliage(pen)[:2], nature.grass(0.8 * pen)) if len(p)]
    return Sheet(
        buffers.size, tuple(paper.tolist()), ground.astype(np.float32),
        (
            Layer("planting", joined(leafy), ink), sign_layer(buffers, ink),
            Layer("outlines", lines, ink, once=True),
        ),
        buffers.carried,
    )  # fmt: skip
