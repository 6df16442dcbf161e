"""Marker: transparent colour of a few inks in broad strokes that just overlap, with an ink drawing over them."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.hatching import hatched_surfaces, hatching
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import painted_colours, shaded_areas
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.palette import nearest_of, palette_of
from irodori.picture.drawing.paper import paper_of
from irodori.picture.drawing.paths import SKY, WATER, joined
from irodori.picture.drawing.ruled import ruled
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, built, dark_of, sign_layer, tinted
from irodori.picture.drawing.washes import cloudy
from irodori.picture.looks import look

HAND = Hand(ink=(0.10, 0.10, 0.11), pen=12.0, line=1.15, looseness=0.2, most=0.8, of_colour=0.5)

INKS, PURE, PALE = 18, 1.35, 0.20
"""Markers in the set, how much purer these are than things, and how far they are paler: paper shines through."""

OVERLAP, DEEPER = 0.17, 0.30
"""Share of a stroke that its neighbour overlaps, and how much deeper the ink is there."""

SHADE = 0.34
"""How much deeper a second coat is, where there is shade."""

RAGGED = 16.0
"""px of a picture 1280 wide by which the ends of strokes in the sky differ."""


@look(
    "marker", about="Broad transparent strokes of a few inks, with an ink drawing over them", looseness=HAND.looseness
)
def draw_marker(buffers: Buffers, manner: Manner) -> Sheet:
    """Each surface in its nearest marker, a second coat where there is shade, the seams of the strokes along the surface."""
    paper = np.array(paper_of(manner, "white"), np.float32)
    dark = dark_of(buffers, HAND)
    nature = Nature(buffers, dark)
    shade, areas = shaded_areas(buffers, dark)
    colours = painted_colours(buffers, areas, 12.0, leaves=4.0, flatness=0.75, steps=3)
    grey = luminance(colours)[..., None]
    colours = np.clip(grey + PURE * (colours - grey), 0.03, 1)
    colours = colours + PALE * (paper - colours)
    palette = palette_of(colours, manner.colours or INKS, buffers.seed)
    flat = palette[nearest_of(colours, palette)]
    ink = flat * (1 - SHADE * 0.5 * (shade & (dark < 0.6) & ~buffers.panes[buffers.region]))[..., None]
    ground = soft_edges(buffers, ink.astype(np.float32))
    # The sky is stroked in where it is blue; clouds are the paper.
    stroked = _stroked(buffers, nature)
    sky = nature.open_sky * (1 - stroked)
    ground = ground + sky[..., None] * (paper - ground)
    streaks = 1 + 0.03 * cloudy(buffers.size, 9, 31)
    ground = paper - (paper - ground) * np.clip(streaks, 0.7, 1.3)[..., None]
    return Sheet(
        buffers.size, tuple(paper.tolist()), np.clip(ground, 0, 1).astype(np.float32),
        _layers(buffers, manner, nature, stroked, flat), buffers.carried,
    )  # fmt: skip


def _stroked(buffers: Buffers, nature: Nature) -> np.ndarray:
    """Where strokes lie in the sky, (H, W) 0 … 1: what is blue, each stroke ending a little sooner or later than the next."""
    width, height = buffers.size
    pen = 1.3 * HAND.pen * buffers.scale
    v, u = np.indices((height, width), np.float32)
    row = (v + np.tan(np.radians(4.0)) * u) / pen
    number = np.floor(row).astype(int)
    late = np.random.default_rng(buffers.seed + 5).uniform(-1, 1, int(number.max()) + 1).astype(np.float32)
    bent = u + RAGGED * buffers.scale * late[number] * np.where(u > width / 2, 1, -1)
    middle = v + (0.5 - (row - number)) * np.float32(pen)
    blue = cv2.GaussianBlur(nature.blue, (0, 0), 4.0 * buffers.scale)
    told = cv2.remap(
        blue, bent.astype(np.float32), middle.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    # The tips are round.
    inked = cv2.GaussianBlur((told > 0.35).astype(np.float32), (0, 0), 0.3 * pen)
    return np.clip(0.5 + (inked - 0.5) * 4, 0, 1)


def _layers(
    buffers: Buffers, manner: Manner, nature: Nature, stroked: np.ndarray, colours: np.ndarray
) -> tuple[Layer, ...]:
    """The seams of strokes on surfaces, water and sky, leaves and outlines in ink."""
    loose = HAND.loose(manner)
    pen = HAND.pen * buffers.scale
    seam = OVERLAP * pen
    surfaces = hatched_surfaces(buffers, built(buffers))
    everywhere = np.full(buffers.region.shape, OVERLAP, np.float32)
    wet = buffers.natural[buffers.region] & ~buffers.loose[buffers.region]
    sky = nature.open_sky * stroked > 0.9
    long = 420.0 * buffers.scale
    seams = [
        hatching(buffers, surfaces, everywhere, np.radians(90.0), seam),
        ruled(wet.astype(np.float32), 0.0, pen, seam, WATER, seed=9, longest=0.5 * long),
        ruled(sky.astype(np.float32), np.radians(-4.0), 1.3 * pen, 1.3 * seam, SKY, seed=9, longest=long),
    ]
    fine = 0.9 * buffers.scale * manner.line_weight
    ink = HAND.inked(manner)
    return (
        Layer("strokes", tinted(joined(seams), colours), medium="glaze", strength=DEEPER, fills=True),
        Layer("planting", joined(nature.foliage(fine)[:2]), ink), sign_layer(buffers, ink),
        Layer("outlines", contours(buffers, weight=HAND.line * manner.line_weight, looseness=loose), ink, once=True),
    )  # fmt: skip
