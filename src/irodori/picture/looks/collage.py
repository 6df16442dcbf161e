"""Collage: cut paper, each surface a sheet of its own tone and texture, a flat sky, people cut out with a white rim."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import encode_srgb, luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import painted_colours, shaded_areas
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.palette import nearest_of, palette_of
from irodori.picture.drawing.paper import paper_colour, tooth
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.drawing.washes import cloudy
from irodori.picture.looks import look

HAND = Hand(ink=(0.0, 0.0, 0.0))

LIGHT, SHADED = 1.0, 0.72
"""What a sheet in the sun and one in the shade give back."""

SKY_TOP, SKY_FOOT = (0.70, 0.79, 0.84), (0.93, 0.91, 0.86)

RIM = 1.6
"""px of the white rim of what is cut out by scissors, and of the shadow that a sheet throws, in a picture 1280 wide."""


@look("collage", about="Cut paper: flat sheets with their textures, a flat sky, people with a white rim")
def draw_collage(buffers: Buffers, manner: Manner) -> Sheet:
    """Textures without light, one tone for shade, sheets that throw a narrow shadow on what lies behind them."""
    textured = encode_srgb(buffers.resolved(buffers.albedo) ** 0.85)
    nature = Nature(buffers, dark_of(buffers, HAND))
    shade, areas = shaded_areas(buffers, nature.dark)
    photo = painted_colours(buffers, areas, 8.0)
    panes = buffers.panes[buffers.region]
    sheet = np.where((panes | (luminance(textured) < 0.03))[..., None], photo, textured)
    grey = luminance(sheet)[..., None]
    sheet = np.clip(grey + 1.1 * (sheet - grey), 0, 1) * 0.90 + 0.08
    if manner.colours:
        palette = palette_of(sheet, manner.colours, buffers.seed)
        sheet = palette[nearest_of(sheet, palette)]
    sheet = sheet * np.where(shade & ~panes, SHADED, LIGHT)[..., None]
    height = buffers.size[1]
    down = (np.arange(height) / max(height - 1, 1)).astype(np.float32)[:, None, None]
    foot = paper_colour(manner.paper) if manner.paper else np.array(SKY_FOOT, np.float32)
    sky = np.array(SKY_TOP, np.float32) + (foot - np.array(SKY_TOP, np.float32)) * np.clip(1.8 * down, 0, 1)
    share = nature.open_sky[..., None]
    ground = sheet + share * (sky - sheet)
    ground = ground * (1 - 0.42 * _thrown(buffers))[..., None]
    fibre = 0.05 * (tooth(buffers.size, buffers.scale, coarse=1.3, seed=6) - 0.5) + 0.012 * cloudy(buffers.size, 12, 7)
    ground = np.clip(ground * (1 + fibre)[..., None], 0, 1)
    rim = _rims(buffers)
    ground = ground + rim[..., None] * (0.97 - ground)
    layers = (sign_layer(buffers, (0.13, 0.12, 0.12)),)
    return Sheet(buffers.size, ground=ground.astype(np.float32), layers=layers, lettering=buffers.carried)


def _thrown(buffers: Buffers) -> np.ndarray:
    """Narrow shadows, (H, W) 0 … 1, of nearer sheets on those behind, below and to the right."""
    depth = np.where(np.isfinite(buffers.depth), buffers.depth, 1e4).astype(np.float32)
    reach = max(int(round(2.2 * RIM * buffers.scale)), 1)
    before = np.roll(depth, (reach, reach), axis=(0, 1))
    before[:reach], before[:, :reach] = 1e4, 1e4
    shaded = (before < depth * 0.96).astype(np.float32)
    return cv2.GaussianBlur(shaded, (0, 0), 0.9 * RIM * buffers.scale) * shaded


def _rims(buffers: Buffers) -> np.ndarray:
    """White rims, (H, W) 0 … 1, round people and whatever else was added that is no plant."""
    first_added = int(buffers.structure.surfaces["id"].max()) + 1 if len(buffers.structure.surfaces) else 1
    added = (buffers.region >= first_added) & ~buffers.loose[buffers.region]
    near = np.isfinite(buffers.depth) & (buffers.depth < 60)
    cut = (added & near).astype(np.float32)
    if not cut.any():
        return cut
    size = max(int(round(2 * RIM * buffers.scale)), 2) + 1
    grown = cv2.dilate(cut, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return cv2.GaussianBlur(grown, (0, 0), 0.6) * (1 - cut)
