"""Watercolour: transparent washes over a pencil drawing, lights left to the paper."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.paths import joined
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.drawing.tone import in_shade
from irodori.picture.drawing.washes import cloudy, flat_colours, washed
from irodori.picture.looks import look

HAND = Hand(ink=(0.30, 0.29, 0.30), medium="pencil", line=1.05, looseness=0.25)

PALE, PURE = 0.30, 1.25
"""How far colours go towards the paper, and how much purer than the picture's they are: water takes nearly no white."""


@look(
    "watercolour", about="Transparent washes over a pencil drawing, lights left to the paper", looseness=HAND.looseness
)
def draw_watercolour(buffers: Buffers, manner: Manner) -> Sheet:
    """Washes for each surface and each of its tones; the sky runs wet in wet."""
    loose = HAND.loose(manner)
    paper = np.array(paper_of(manner, "white"), np.float32)
    colours = flat_colours(buffers, 16.0, leaves=7.0)
    mean = colours.mean(axis=2, keepdims=True)
    colours = np.clip(mean + PURE * (colours - mean), 0, 1)
    colours = colours + PALE * (paper - colours) * (0.4 + mean)
    nature = Nature(buffers, dark_of(buffers, HAND))
    natural = buffers.natural[buffers.region]
    shade = in_shade(buffers, nature.dark, by_tone=False) & ~natural
    areas = np.where(buffers.loose[buffers.region], 1_000_003, buffers.region) * 2 + shade
    areas = np.where(buffers.region == 0, 0, areas)
    ground = washed(
        buffers, soft_edges(buffers, colours), paper, areas, thin=0.95, settling=0.09, edges=0.5, running=0.26
    )
    sky = _wet_sky(buffers, nature, colours, paper)
    share = nature.open_sky[..., None]
    ground = ground + share * (sky - ground)
    lines = contours(buffers, weight=HAND.line * manner.line_weight, looseness=loose)
    pen = 0.8 * buffers.scale * manner.line_weight
    ink = HAND.inked(manner)
    layers = (
        Layer("planting", joined(nature.foliage(pen)[:1]), ink, "pencil", strength=0.55),
        Layer("outlines", lines, ink, "pencil", once=True, strength=0.95), sign_layer(buffers, ink, strength=0.85),
    )  # fmt: skip
    return Sheet(buffers.size, tuple(paper.tolist()), ground, layers, buffers.carried)


def _wet_sky(buffers: Buffers, nature: Nature, colours: np.ndarray, paper: np.ndarray) -> np.ndarray:
    """A sky that ran: its blue spreads into the damp paper, clouds are what stayed dry, blooms where water came back."""
    wet = cv2.GaussianBlur(nature.blue, (0, 0), 9.0 * buffers.scale)
    wander = 0.22 * cloudy(buffers.size, 9, 11) + 0.10 * cloudy(buffers.size, 40, 12)
    amount = np.clip(1.25 * wet + wander * np.clip(4 * wet, 0, 1), 0, 1.35)
    inside = nature.open_sky > 0.99
    if not inside.any():
        return np.broadcast_to(paper, colours.shape).astype(np.float32)
    deep = nature.blue > 0.6
    blue = colours[deep & inside].mean(axis=0) if (deep & inside).any() else colours[inside].mean(axis=0)
    density = -np.log(np.clip(blue / paper, 0.05, 1.0)) * 1.1
    # Skies without blue keep their own colour, thinly.
    own = -np.log(np.clip(cv2.GaussianBlur(colours, (0, 0), 8 * buffers.scale) / paper, 0.05, 1.0)) * 0.55
    bloom = np.clip(cloudy(buffers.size, 5, 13) - 1.0, 0, 1) * 0.35
    return (
        paper
        * np.exp(-(amount * (1 - bloom))[..., None] * density - own * (0.75 - 0.35 * np.clip(amount, 0, 1))[..., None])
    ).astype(np.float32)
