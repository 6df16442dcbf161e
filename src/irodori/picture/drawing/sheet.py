"""A drawing: paper or a painted ground, and strokes laid on it, which is what every look makes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from irodori.core.short import Short
from irodori.picture.buffers import WIDE
from irodori.picture.drawing.laying import colours_of, cover_of
from irodori.picture.drawing.paper import caught, tooth
from irodori.picture.drawing.paths import Paths

Medium = Literal["pen", "pencil", "charcoal", "glaze"]

GRAINS = {"pencil": (0.75, 0.9), "charcoal": (1.0, 1.6)}
"""How roughly the paper catches each dry medium, and how coarse its tooth is for it."""


@dataclass(frozen=True, eq=False, repr=False)
class Layer(Short):
    """Strokes that are laid down together.

    Attributes
    ----------
    name
        What they are: "outlines", "hatching", …
    paths
        Where they go; px of the sheet.
    ink
        (3,) sRGB-encoded.
    medium
        "pen" covers, "pencil" and "charcoal" are caught by the paper's tooth, "glaze" is transparent and has the paths' own colours.
    once
        Strokes that overlap are no darker, as outlines that share their ends.
    strength
        0 … 1.
    fills
        Strokes that fill areas, and end and cross anywhere within them.
    """

    name: str
    paths: Paths
    ink: tuple[float, float, float] = (0.07, 0.07, 0.08)
    medium: Medium = "pen"
    once: bool = False
    strength: float = 1.0
    fills: bool = False


@dataclass(frozen=True, eq=False, repr=False)
class Sheet(Short):
    """A drawing.

    Attributes
    ----------
    size
        (width, height), px.
    paper
        (3,) sRGB-encoded.
    ground
        (H, W, 3) float32 encoded: what is painted under the strokes; None for bare paper.
    layers
        Strokes, the lowest first.
    lettering
        (H, W, 1) or (H, W, 3) float32: factor of what the capture shows within surfaces and has to stay legible, or None.
    """

    size: tuple[int, int]
    paper: tuple[float, float, float] = (0.985, 0.985, 0.98)
    ground: np.ndarray | None = None
    layers: tuple[Layer, ...] = field(default=())
    lettering: np.ndarray | None = None

    def picture(self, factor: float = 1.0) -> np.ndarray:
        """The drawing `factor` times as large, (H, W, 3) float32 encoded. Strokes are drawn anew, finer; what is painted is enlarged."""
        import cv2

        size = (round(self.size[0] * factor), round(self.size[1] * factor))
        scale = max(size) / WIDE
        if self.ground is None:
            out = np.empty((size[1], size[0], 3), np.float32)
            out[:] = self.paper
        elif factor == 1.0:
            out = np.array(self.ground, np.float32)
        else:
            out = cv2.resize(np.asarray(self.ground, np.float32), size, interpolation=cv2.INTER_CUBIC).clip(0, 1)
        teeth: dict[str, np.ndarray] = {}
        for layer in self.layers:
            paths = layer.paths if factor == 1.0 else layer.paths.scaled(factor)
            if not len(paths):
                continue
            if layer.medium == "glaze":
                out = colours_of(paths, size, out, strength=layer.strength)
                continue
            cover = cover_of(paths, size, once=layer.once)
            if layer.medium in GRAINS:
                roughness, coarse = GRAINS[layer.medium]
                if layer.medium not in teeth:
                    teeth[layer.medium] = tooth(size, scale, coarse=coarse)
                cover = caught(cover * np.float32(layer.strength), teeth[layer.medium], roughness)
            elif layer.strength != 1.0:
                cover *= np.float32(layer.strength)
            out += cover[..., None] * (np.array(layer.ink, np.float32) - out)
        if self.lettering is not None:
            factor_of = self.lettering
            if factor != 1.0:
                factor_of = cv2.resize(factor_of, size, interpolation=cv2.INTER_CUBIC).reshape(size[1], size[0], -1)
            out *= np.clip(factor_of, 0, 1)
        return np.clip(out, 0, 1)

    def without_fills(self) -> Sheet:
        """The drawing without the strokes that fill areas: outlines, lettering, and what is painted."""
        return replace(self, layers=tuple(one for one in self.layers if not one.fills))
