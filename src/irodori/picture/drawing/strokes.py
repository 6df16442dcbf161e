"""What every look that works with strokes is made of: hatching on surfaces, nature, and outlines, in one hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from irodori.core.colour import encode_srgb, hex_to_linear, luminance
from irodori.core.roles import ROLES
from irodori.core.work.kept import Kept
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.hand import by_hand
from irodori.picture.drawing.hatching import FULLEST, hatched_surfaces, hatching, split_layers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.masses import bent_by_waves
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.paper import caught, tooth
from irodori.picture.drawing.paths import LETTERING, Paths, joined, middles_of
from irodori.picture.drawing.ruled import filled
from irodori.picture.drawing.sheet import Layer, Medium, Sheet
from irodori.picture.drawing.tone import darkness, even, light_greys

IN_SIGNS = 0.35
"""Difference in tone of what stands on a sign from which it is filled or left white."""


@dataclass(frozen=True)
class Hand:
    """How a medium is handled.

    Attributes
    ----------
    ink
        (3,) sRGB-encoded, unless the manner says so.
    medium
        As in `irodori.picture.drawing.sheet.Layer`.
    pen, line
        px of hatching, and factor on the usual width of outlines, in a picture 1280 wide.
    turns
        Degrees from each surface's own axis of the layers of hatching.
    looseness
        Of the usual hand.
    most
        The darkest tone, 0 … 1.
    of_colour
        How much of the surfaces' own darkness shows.
    fullest
        Share of the paper that one layer covers at most.
    taper
        How far strokes thin out at their ends.
    """

    ink: tuple[float, float, float]
    medium: Medium = "pen"
    pen: float = 0.95
    line: float = 1.0
    turns: Sequence[float] = (90.0, 0.0, 45.0, -45.0)
    looseness: float = 0.15
    most: float = 0.9
    of_colour: float = 0.4
    fullest: float = FULLEST
    taper: float = 0.0

    def inked(self, manner: Manner) -> tuple[float, float, float]:
        if not manner.ink:
            return self.ink
        red, green, blue = encode_srgb(hex_to_linear(manner.ink)).tolist()
        return red, green, blue

    def loose(self, manner: Manner) -> float:
        return self.looseness if manner.looseness is None else manner.looseness


def dark_of(buffers: Buffers, hand: Hand) -> np.ndarray:
    """How dark a drawing is to be at each pixel, (H, W) float32, signs cut to black and white so that they can be read."""
    greys = light_greys(buffers, hand.of_colour)
    dark = even(buffers, darkness(buffers, greys, most=hand.most), 2 * buffers.scale)
    wet = buffers.role == ROLES.index("water")
    if wet.any():
        dark = bent_by_waves(buffers, dark, wet)
    return signs_read(buffers, dark)


_signs: Kept[tuple[np.ndarray, np.ndarray]] = Kept()
"""Signs of pictures in use: what is hatched and what is filled in is told by the same."""


def signs_read(buffers: Buffers, dark: np.ndarray) -> np.ndarray:
    """Tone with the parts of signs, letters and boards, either full or empty."""
    of_sign, inked = _signs.of(buffers, None, lambda: _inked_signs(buffers))
    return np.where(of_sign, inked, dark).astype(np.float32)


def _inked_signs(buffers: Buffers) -> tuple[np.ndarray, np.ndarray]:
    """Where signs are, (H, W) bool, and how much of each pixel their darker parts fill, letters or boards, (H, W) float32."""
    fragments = buffers.fragments
    of_sign = buffers.role_of == ROLES.index("sign")
    mine = of_sign[fragments.region]
    shown = of_sign[buffers.region]
    if not mine.any():
        return shown, np.zeros(shown.shape, np.float32)
    # Each part has one colour, and the picture's signs are parted where they differ most.
    number = fragments.region[mine]
    weight = fragments.weight[mine].astype(np.float64)
    own = encode_srgb(luminance(buffers.albedo[mine]))
    total = np.bincount(number, weight, len(of_sign))
    mean = np.bincount(number, weight * own, len(of_sign)) / np.maximum(total, 1e-9)
    known = mean[total > 0]
    if np.ptp(known) < 0.5 * IN_SIGNS:
        return shown, np.zeros(shown.shape, np.float32)
    dark = of_sign & (mean < 0.5 * (float(known.max()) + float(known.min())))
    return shown, buffers.resolved(dark[fragments.region].astype(np.float32))[..., 0]


def sign_layer(
    buffers: Buffers, ink: tuple[float, float, float], medium: Medium = "pen", strength: float = 1.0
) -> Layer:
    """Solid ink where the parts of signs are dark, so that they can be read."""
    _, full = _signs.of(buffers, None, lambda: _inked_signs(buffers))
    paths = filled(full, LETTERING) if full.any() else Paths.none()
    return Layer("signs", paths, ink, medium, strength=strength)


def built(buffers: Buffers) -> np.ndarray:
    """(S,) bool by surface id: what strokes are laid on, all but nature, sky and signs."""
    out = ~buffers.natural
    out[0] = False
    out[buffers.role_of[: len(out)] == ROLES.index("sign")] = False
    return out


def drawn_layers(buffers: Buffers, manner: Manner, hand: Hand, dark: np.ndarray | None = None) -> tuple[Layer, ...]:
    """Hatching, nature and outlines of a picture in one hand, the lowest first."""
    ink, loose = hand.inked(manner), hand.loose(manner)
    dark = dark_of(buffers, hand) if dark is None else dark
    pen = hand.pen * buffers.scale * manner.line_weight
    surfaces = hatched_surfaces(buffers, built(buffers))
    shares = split_layers(np.clip(dark / (1 - float(np.mean(ink))), 0, 0.97), len(hand.turns), hand.fullest)
    strokes = [
        by_hand(
            hatching(buffers, surfaces, cover, np.radians(turn), pen),
            0.6 * loose,
            buffers.scale,
            seed=n,
            taper=hand.taper,
        )
        for n, (cover, turn) in enumerate(zip(shares, hand.turns))
    ]
    nature = Nature(buffers, dark)
    lines = contours(buffers, weight=hand.line * manner.line_weight, looseness=loose, taper=hand.taper)
    return (
        Layer("hatching", joined(strokes), ink, hand.medium, fills=True),
        Layer("planting, water and sky", nature.all(pen), ink, hand.medium, fills=True),
        sign_layer(buffers, ink, hand.medium),
        Layer("outlines", lines, ink, hand.medium, once=True),
    )


def coloured_layers(
    buffers: Buffers, manner: Manner, hand: Hand, dark: np.ndarray, colours: np.ndarray
) -> tuple[Layer, ...]:
    """As `drawn_layers`, each stroke in the colour (H, W, 3) of what it lies on; outlines in the hand's ink."""
    layers = drawn_layers(buffers, manner, hand, dark)
    return tuple(
        one
        if one.name in ("outlines", "signs")
        else replace(one, paths=tinted(one.paths, colours), medium="glaze", strength=0.8)
        for one in layers
    )


def tinted(paths: Paths, colours: np.ndarray) -> Paths:
    """Paths in the colour (H, W, 3) that lies under the middle of each."""
    return replace(paths, colour=middles_of(paths, colours).astype(np.float32))


def rubbed_and_drawn(
    buffers: Buffers, manner: Manner, hand: Hand, paper: tuple[float, float, float], dark: np.ndarray, rubbed: np.ndarray,
    tooth_of: tuple[float, float],
) -> Sheet:  # fmt: skip
    """A drawing in a dry medium of which the share `rubbed` (H, W) of the tone `dark` is rubbed into the paper, and the rest hatched over
    it; `tooth_of` are the coarseness of the paper's tooth and how roughly it catches."""
    ink, ground = np.array(hand.inked(manner), np.float32), np.array(paper, np.float32)
    black = 1 - float(ink.mean())
    rubbed = rubbed / black
    coarse, roughness = tooth_of
    kept = caught(np.clip(rubbed, 0, 0.95), tooth(buffers.size, buffers.scale, coarse=coarse), roughness)
    ground = ground + kept[..., None] * (ink - ground)
    left = np.clip(1 - (1 - dark) / np.maximum(1 - rubbed * black, 0.05), 0, 1)
    return Sheet(
        buffers.size, paper, ground, drawn_layers(buffers, manner, hand, left.astype(np.float32)), buffers.carried
    )
