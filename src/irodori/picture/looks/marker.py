"""Marker: broad transparent strokes of a few inks that overlap, with an ink drawing over them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.colour import luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.hand import by_hand
from irodori.picture.drawing.hatching import FULLEST, hatched_surfaces, hatching
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.palette import nearest_of, palette_of
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.paths import SKY, joined
from irodori.picture.drawing.ruled import ruled
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, built, dark_of, sign_layer, tinted
from irodori.picture.drawing.washes import edge_distance, flat_colours
from irodori.picture.looks import look

HAND = Hand(ink=(0.10, 0.10, 0.11), pen=13.0, line=1.15, turns=(90.0, 0.0), looseness=0.2, most=0.8, of_colour=0.5)

INKS, PURE, PALE = 18, 1.3, 0.22
"""Markers in the set, how much purer these are than things, and how far they are paler: paper shines through."""


@look(
    "marker", about="Broad transparent strokes of a few inks, with an ink drawing over them", looseness=HAND.looseness
)
def draw_marker(buffers: Buffers, manner: Manner) -> Sheet:
    """Each surface in its nearest marker, a second layer where there is shade."""
    paper = np.array(paper_of(manner, "white"), np.float32)
    colours = flat_colours(buffers, 12.0, leaves=7.0)
    grey = luminance(colours)[..., None]
    colours = np.clip(grey + PURE * (colours - grey), 0.03, 1)
    colours = colours + PALE * (paper - colours)
    palette = palette_of(colours, manner.colours or INKS, buffers.seed)
    flat = palette[nearest_of(colours, palette)]
    dark = dark_of(buffers, HAND)
    pen = HAND.pen * buffers.scale
    slender = _slender(buffers, 0.75 * pen)
    ground = np.where((slender[buffers.region] & ~buffers.loose[buffers.region])[..., None], flat, paper).astype(
        np.float32
    )
    return Sheet(
        buffers.size, tuple(paper.tolist()), soft_edges(buffers, ground), _layers(buffers, manner, dark, flat, slender, pen), buffers.carried
    )  # fmt: skip


def _slender(buffers: Buffers, wide: float) -> np.ndarray:
    """(S,) bool by surface id: what is nowhere `wide` px: it is filled in with the tip, not stroked."""
    away = edge_distance(buffers.region)
    most = np.zeros(len(buffers.role_of), np.float32)
    np.maximum.at(most, buffers.region.ravel(), away.ravel())
    return most < wide


def _layers(
    buffers: Buffers, manner: Manner, dark: np.ndarray, colours: np.ndarray, slender: np.ndarray, pen: float
) -> tuple[Layer, ...]:
    """Broad strokes that just overlap over all surfaces, a second layer across them in shade; leaves, water and sky in the picture;
    outlines in ink."""
    loose = HAND.loose(manner)
    where = built(buffers)
    where &= ~slender[: len(where)]
    surfaces = hatched_surfaces(buffers, where)
    near, far = np.full(dark.shape, FULLEST, np.float32), np.where(dark > 0.45, FULLEST, 0).astype(np.float32)
    layers = []
    # Full cover: the pen is as wide as its lines are apart, and a tenth more.
    for n, (cover, strength) in enumerate(((near, 0.74), (far, 0.40))):
        laid = hatching(buffers, surfaces, cover, np.radians(HAND.turns[n]), pen)
        wide = by_hand(replace(laid, width=laid.width * np.float32(1.1 / FULLEST)), 0.5 * loose, buffers.scale, seed=n)
        layers.append(
            Layer(
                "strokes" if n == 0 else "shade", tinted(wide, colours), medium="glaze", strength=strength, fills=True
            )
        )
    nature = Nature(buffers, dark)
    level = buffers.natural[buffers.region] & ~buffers.loose[buffers.region]
    sky = (buffers.region == 0) & (nature.blue > 0.35)
    for area, turn, share, length in ((level | sky, -4.0, 0.8, 320.0), (nature.leaves > 0.6, -50.0, 0.36, 26.0)):
        step = share * pen
        broad = ruled(
            area.astype(np.float32), np.radians(turn), step, 1.4 * step, SKY, seed=9, longest=length * buffers.scale
        )
        broad = replace(broad, width=broad.width * np.float32(1.45))
        layers.append(
            Layer("planting, water and sky", tinted(broad, colours), medium="glaze", strength=0.62, fills=True)
        )
    fine = 0.9 * buffers.scale * manner.line_weight
    ink = HAND.inked(manner)
    layers += [
        Layer("planting", joined(nature.foliage(fine)[:2]), ink), sign_layer(buffers, ink),
        Layer("outlines", contours(buffers, weight=HAND.line * manner.line_weight, looseness=loose), ink, once=True),
    ]  # fmt: skip
    return tuple(layers)
