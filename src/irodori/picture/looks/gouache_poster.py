"""Gouache poster: a few flat opaque tones, clear light and shade, no lines."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import BLUE, CLOUD, CLOUD_SHADE, painted_colours, shaded_areas, sky_tones
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.palette import nearest_of, palette_of
from irodori.picture.drawing.paper import tooth
from irodori.picture.drawing.paths import middles_of
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.drawing.washes import edge_distance
from irodori.picture.looks import look

HAND = Hand(ink=(0.1, 0.1, 0.1), of_colour=0.4)

TONES = 18
"""Colours of the usual poster."""

PURE, CLEAR = 1.45, 1.18
"""How much purer colours are than the picture's, and how much farther light and shade are apart."""


DARK, PALE = 0.30, (0.42, 0.40, 0.38)
"""Luminance of encoded tones below which dark lines are lost, and the colour of lines there."""

OUTLINED = 0.9
"""How strongly edges are drawn that would be lost between like tones."""


@look("gouache poster", about="A few flat opaque tones, clear light and shade")
def draw_gouache_poster(buffers: Buffers, manner: Manner) -> Sheet:
    """Every surface in one or two tones of a small palette."""
    nature = Nature(buffers, dark_of(buffers, HAND))
    _, areas = shaded_areas(buffers, nature.dark)
    colours = painted_colours(buffers, areas, 10.0, leaves=6.0, flatness=1.0)
    sky = buffers.region == 0
    if sky.any():
        tones = sky_tones(buffers, nature)
        own = [colours[sky & (tones == n)] for n in (BLUE, CLOUD, CLOUD_SHADE)]
        usual = colours[sky].mean(axis=0)
        colours = np.where(
            sky[..., None], np.array([one.mean(axis=0) if len(one) else usual for one in own])[tones], colours
        )
    grey = luminance(colours)[..., None]
    colours = np.clip(0.5 + CLEAR * (grey - 0.5) + PURE * (colours - grey), 0, 1)
    palette = palette_of(colours, manner.colours or TONES, buffers.seed)
    index = nearest_of(colours, palette)
    # A brush does not paint specks, nor does it lose what is slender: railings, posts, letters.
    size = min(int(3 * buffers.scale) * 2 + 1, 15)
    plain = cv2.medianBlur(index.astype(np.uint8), size).astype(np.int32)
    leafy = buffers.loose[buffers.region]
    plain = np.where(
        cv2.dilate(leafy.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0,
        cv2.medianBlur(plain.astype(np.uint8), min(2 * size + 1, 31)),
        plain,
    )
    index = np.where(leafy, plain, index)
    index = np.where(buffers.natural[buffers.region] & (edge_distance(buffers.region) > 0.5 * size), plain, index)
    flat = soft_edges(buffers, palette[index])
    streak = cv2.GaussianBlur(
        tooth(buffers.size, buffers.scale, coarse=1.0, seed=4), (0, 0), sigmaX=7 * buffers.scale, sigmaY=0.8
    )
    ground = np.clip(flat * (1 + 0.10 * (streak - 0.5))[..., None], 0, 1).astype(np.float32)
    dark = tuple(palette[luminance(palette).argmin()].tolist())
    lines = contours(buffers, weight=0.95 * manner.line_weight, looseness=manner.looseness or 0.0)
    on_dark = middles_of(lines, luminance(ground)) < DARK
    layers = (
        Layer("outlines", lines.take(~on_dark), dark, once=True, strength=OUTLINED),
        Layer("outlines on dark", lines.take(on_dark), PALE, once=True, strength=OUTLINED),
        sign_layer(buffers, dark),
    )
    return Sheet(buffers.size, ground=ground, layers=layers, lettering=buffers.carried)
