"""Watercolour: transparent washes over a pencil drawing, lights left to the paper."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import painted_colours, shaded_areas
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.paths import joined
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.drawing.washes import cloudy, washed
from irodori.picture.looks import look

HAND = Hand(ink=(0.30, 0.29, 0.30), medium="pencil", line=1.05, looseness=0.25)

MARGIN = 30.0
"""px of a picture 1280 wide, of a hand as loose as can be, that the wash ends before the sheet does."""

PALE, PURE = 0.30, 1.25
"""How far colours go towards the paper, and how much purer than the picture's they are: water takes nearly no white."""


@look(
    "watercolour", about="Transparent washes over a pencil drawing, lights left to the paper", looseness=HAND.looseness
)
def draw_watercolour(buffers: Buffers, manner: Manner) -> Sheet:
    """Washes for each surface and each of its tones; the sky runs wet in wet."""
    loose = HAND.loose(manner)
    paper = np.array(paper_of(manner, "white"), np.float32)
    nature = Nature(buffers, dark_of(buffers, HAND))
    _, areas = shaded_areas(buffers, nature.dark, by_tone=False)
    colours = painted_colours(buffers, areas, 22.0, leaves=4.0, flatness=0.6, steps=4)
    mean = colours.mean(axis=2, keepdims=True)
    colours = np.clip(mean + PURE * (colours - mean), 0, 1)
    colours = colours + PALE * (paper - colours) * (0.4 + mean)
    ground = washed(
        buffers, soft_edges(buffers, colours), paper, areas, thin=0.95, settling=0.09, edges=0.5, running=0.18
    )
    sky = _wet_sky(buffers, nature, colours, paper)
    share = nature.open_sky[..., None]
    ground = ground + share * (sky - ground)
    ground = paper + _unfinished(buffers, loose)[..., None] * (ground - paper)
    lines = contours(buffers, weight=HAND.line * manner.line_weight, looseness=loose)
    pen = 0.8 * buffers.scale * manner.line_weight
    ink = HAND.inked(manner)
    layers = (
        Layer("planting", joined(nature.foliage(pen)[:1]), ink, "pencil", strength=0.55),
        Layer("outlines", lines, ink, "pencil", once=True, strength=0.95), sign_layer(buffers, ink, strength=0.85),
    )  # fmt: skip
    return Sheet(buffers.size, tuple(paper.tolist()), ground, layers, buffers.carried)


def _unfinished(buffers: Buffers, loose: float) -> np.ndarray:
    """How much of the wash there is, (H, W) 0 … 1: it ends before the sheet does, the looser the hand the sooner, in brush marks."""
    width, height = buffers.size
    across = np.minimum(np.arange(width) + 0.5, width - np.arange(width) - 0.5)[None]
    down = np.minimum(np.arange(height) + 0.5, height - np.arange(height) - 0.5)[:, None]
    reach = MARGIN * buffers.scale * loose
    ragged = 0.9 * cloudy(buffers.size, 14, 21) + 0.25 * cloudy(buffers.size, 90, 22)
    away = np.minimum(across, 1.3 * down) + reach * (ragged - 1.6)
    return np.clip(away / (5.0 * buffers.scale) + (loose == 0), 0, 1).astype(np.float32)


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
