"""Product on white: the picture's subject in its own finishes under studio light, a soft shadow on white."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import encode_srgb, luminance
from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.maquette import irradiance
from irodori.picture.drawing.paper import paper_colour
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.film import FILMS
from irodori.picture.looks import look

STUDIO = 0.45
"""How far the scene's light and shade are evened out by the studio's large lamps."""

WHITE = 1.35
"""Exposed light of white under them."""

SHADOW = 0.45
"""Darkest of the shadow on the ground."""

TRACE, TRACED = (0.45, 0.45, 0.46), 0.35
"""Ink, and its strength, of the faint lines that stay of everything."""

AROUND = ("ground", "lawn", "water", "paving", "floor", "planting", "context", "sky")
"""What is left out: the ground and all behind."""


@look("product on white", about="The subject in its own finishes under studio light, a soft shadow on white")
def draw_product_on_white(buffers: Buffers, manner: Manner) -> Sheet:
    """Land, planting and neighbours give way to white; what stands on the ground shades it softly."""
    fragments = buffers.fragments
    light = irradiance(buffers)
    grey = luminance(light)[:, None]
    surface = fragments.region > 0
    typical = float(np.median(grey[surface])) if surface.any() else 1.0
    even = grey ** (1 - STUDIO) * typical**STUDIO
    mirrored = np.maximum(buffers.light - buffers.fallen, 0)
    mirrored = mirrored + 0.6 * (luminance(mirrored)[:, None] - mirrored)
    white = float(np.percentile(even[surface][::11], 85)) if surface.any() else 1.0
    shown = encode_srgb(FILMS["plain"].curve((buffers.albedo * even + 0.5 * mirrored) * (WHITE / max(white, 1e-9))))
    role = buffers.role_of[fragments.region]
    apart = np.isin(role, [ROLES.index(r) for r in AROUND]) | buffers.loose[fragments.region] | ~surface
    back = paper_colour(manner.paper or "white")
    # On the ground the shadow alone stays, as light there beside the most there is.
    land = np.isin(role, [ROLES.index(r) for r in ("ground", "lawn", "water", "paving", "floor")])
    most = float(np.percentile(grey[land][::7], 90)) if land.any() else 1.0
    shade = np.where(land, np.clip(grey[:, 0] / max(most, 1e-9), 0, 1), 1.0)
    shade = buffers.resolved((1 - shade).astype(np.float32))[..., 0]
    soft = (
        cv2.GaussianBlur(shade, (0, 0), 7.0 * buffers.scale) * 0.65
        + cv2.GaussianBlur(shade, (0, 0), 2.0 * buffers.scale) * 0.35
    )
    plain = back * (1 - SHADOW * np.clip(soft, 0, 1))[..., None]
    weight = buffers.resolved((~apart).astype(np.float32))
    own = buffers.resolved((shown * ~apart[:, None]).astype(np.float32))
    lines = contours(buffers, weight=0.8 * manner.line_weight, looseness=manner.looseness or 0.0)
    return Sheet(
        buffers.size, ground=np.clip(own + (1 - weight) * plain, 0, 1).astype(np.float32),
        layers=(Layer("outlines", lines, TRACE, once=True, strength=TRACED),), lettering=buffers.carried,
    )  # fmt: skip
