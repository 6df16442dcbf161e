"""Night graphic: a few flat blues, pale lines, and windows that glow."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.edges import soft_edges
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import painted_tone, shaded_areas
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import paper_colour
from irodori.picture.drawing.paths import joined
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import Hand, dark_of, sign_layer
from irodori.picture.looks import look

HAND = Hand(ink=(0.80, 0.86, 0.93), line=0.9, looseness=0.05, of_colour=0.5)

NIGHT = ((0.055, 0.085, 0.16), (0.10, 0.15, 0.25), (0.17, 0.24, 0.36), (0.29, 0.38, 0.50))
"""Blues from the deepest to the palest, sRGB-encoded."""

GLOW, LAMP = (0.985, 0.80, 0.42), (1.0, 0.93, 0.72)

STARS = 0.00035
"""Stars a pixel of a picture 1280 wide."""


@look("night graphic", about="A few flat blues, pale lines, and windows that glow", looseness=HAND.looseness)
def draw_night_graphic(buffers: Buffers, manner: Manner) -> Sheet:
    """Light and shade of the scene in four blues; glazing, lamps and signs are lit whatever the hour."""
    dark = dark_of(buffers, HAND)
    blues = np.array(NIGHT, np.float32)
    if manner.paper:
        blues = blues + 0.8 * (paper_colour(manner.paper) - blues[0]) * np.linspace(1, 0.4, len(blues))[:, None].astype(
            np.float32
        )
    _, areas = shaded_areas(buffers, dark)
    step = np.digitize(painted_tone(buffers, dark, areas), (0.2, 0.5, 0.74))
    # What is written is lit, on a board that is not.
    step = np.where(buffers.role == ROLES.index("sign"), 2, step)
    flat = soft_edges(buffers, blues[::-1][step])
    height = buffers.size[1]
    down = (np.arange(height) / max(height - 1, 1)).astype(np.float32)[:, None, None]
    sky = blues[0] + (blues[1] - blues[0]) * np.clip(1.5 * down, 0, 1)
    nature = Nature(buffers, dark)
    ground = flat + nature.open_sky[..., None] * (sky - flat)
    ground = ground + _stars(buffers, nature)[..., None]
    # Leaves before the sky stay darker than it, or they would be clouds.
    leaves = nature.leaves[..., None] * (nature.leaves > 0.4)[..., None]
    ground = ground + leaves * (np.minimum(ground, blues[1] * 0.9) - ground)
    fragments = buffers.fragments
    lamp = buffers.role_of[fragments.region] == ROLES.index("lamp")
    lit = buffers.resolved((buffers.panes[fragments.region] & (fragments.region > 0)).astype(np.float32))
    lamps = buffers.resolved(lamp.astype(np.float32))
    # Rooms are lit from above: panes are brighter there, and what stands in them stays a shade.
    inner = 1 - 0.35 * np.clip(cv2.GaussianBlur(dark, (0, 0), 1.5 * buffers.scale), 0, 1)[..., None]
    ground = ground + lit * (np.array(GLOW, np.float32) * inner - ground)
    ground = ground + lamps * (np.array(LAMP, np.float32) - ground)
    halo = cv2.GaussianBlur(np.clip(0.6 * lit + lamps, 0, 1)[..., 0], (0, 0), 16 * buffers.scale)[..., None]
    ground = ground + 0.30 * halo * (1 - np.clip(lit + lamps, 0, 1)) * np.array(GLOW, np.float32)
    if buffers.carried is not None:
        # What the capture shows within surfaces is drawn in light too: most of all what is written.
        traced = np.clip(1 - buffers.carried, 0, 1).max(axis=2, keepdims=True)
        written = (buffers.role == ROLES.index("sign"))[..., None]
        ground = ground + np.where(written, traced, 0.3 * traced) * (np.array(LAMP, np.float32) - ground)
    lines = contours(buffers, weight=HAND.line * manner.line_weight, looseness=HAND.loose(manner))
    ink = HAND.inked(manner)
    layers = (
        Layer("planting", joined(nature.foliage(0.7 * buffers.scale)[:1]), ink, strength=0.3),
        Layer("outlines", lines, ink, once=True, strength=0.5), sign_layer(buffers, LAMP),
    )  # fmt: skip
    return Sheet(buffers.size, ground=np.clip(ground, 0, 1).astype(np.float32), layers=layers)


def _stars(buffers: Buffers, nature: Nature) -> np.ndarray:
    """Stars in the open sky, (H, W) float32."""
    width, height = buffers.size
    rng = np.random.default_rng(buffers.seed + 17)
    out = np.zeros((height, width), np.float32)
    count = int(STARS * width * height / buffers.scale**2)
    x, y = rng.integers(0, width, count), (rng.random(count) ** 1.5 * height).astype(int)
    out[y, x] = rng.uniform(0.2, 0.75, count)
    return (
        cv2.GaussianBlur(out, (0, 0), max(0.55 * buffers.scale, 0.4))
        * 2.2
        * buffers.scale**2
        * (nature.open_sky > 0.995)
    )
