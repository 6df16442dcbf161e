"""Trees, grass, water, sky and clouds, as they are drawn: bows and shading for leaves, blades, level strokes, clouds left white."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from irodori.core.colour import luminance
from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.paths import FOLIAGE, SKY, WATER, Paths, joined
from irodori.picture.drawing.ruled import ruled, scallops, ticks
from irodori.picture.drawing.tone import blurred_within

MASS = 1.5
"""px, in a picture 1280 wide, over which leaves are one mass."""

BOW = 0.11
"""m of a leaf's bow; in the picture never less than `LEAST_BOW` px."""

LEAST_BOW, MOST_BOW = 3.2, 9.0

BLADE, LEAST_BLADE, MOST_BLADE = 0.16, 1.6, 11.0
"""m of a drawn blade of grass, and px between which it is drawn."""

SKIES = 0.17
"""Share of the paper that strokes cover in the deepest blue of a sky."""


@dataclass(frozen=True, eq=False)
class Nature:
    """What of a picture has no planes, ready to be drawn.

    Attributes
    ----------
    buffers
        All that is known.
    dark
        (H, W) float32: how dark the drawing is to be.
    """

    buffers: Buffers
    dark: np.ndarray

    @property
    def scale(self) -> float:
        return self.buffers.scale

    @cached_property
    def leaves(self) -> np.ndarray:
        """(H, W) float32: share of planting in each pixel, as masses."""
        import cv2

        buffers = self.buffers
        share = buffers.resolved(buffers.loose[buffers.fragments.region].astype(np.float32))[..., 0]
        return cv2.GaussianBlur(share, (0, 0), MASS * self.scale)

    @cached_property
    def _leaf_size(self) -> np.ndarray:
        """(H, W) px of a leaf's bow."""
        return np.clip(self._pixels_of(BOW), LEAST_BOW * self.scale, MOST_BOW * self.scale)

    def _pixels_of(self, metres: float) -> np.ndarray:
        """px that a length takes at each pixel, (H, W)."""
        depth = np.where(np.isfinite(self.buffers.depth), self.buffers.depth, 1e6)
        return metres / np.maximum(self.buffers.structure.camera.footprint(depth), 1e-9)

    def _of_role(self, *names: str) -> np.ndarray:
        """(H, W) bool: pixels of these roles that are no leaves."""
        return np.isin(self.buffers.role, [ROLES.index(n) for n in names]) & ~self.buffers.loose[self.buffers.region]

    def foliage(self, pen: float, *, seed: int = 0) -> list[Paths]:
        """Outlines of the masses of leaves, of their dark parts, and shading."""
        mass = self.leaves > 0.45
        if mass.sum() < 40 * self.scale**2:
            return []
        size = self._leaf_size
        soft = blurred_within(self.dark, mass, 2.2 * self.scale, 2.2 * self.scale)
        least = 60 * self.scale**2
        out = [scallops(mass.astype(np.float32), size, 0.85 * pen, FOLIAGE, least=least, seed=seed)]
        inner = soft[mass]
        for share, wide in ((55, 0.6), (82, 0.7)):
            level = np.percentile(inner, share)
            part = mass & (soft > level) & (self.leaves > 0.8)
            out.append(
                scallops(part.astype(np.float32), size * 0.9, wide * pen, FOLIAGE, least=least, seed=seed + share)
            )
        low, high = np.percentile(inner, (45, 95))
        shade = np.where(mass, np.clip((soft - low) / max(high - low, 1e-3), 0, 1) * np.clip(soft, 0.25, 0.75), 0)
        out.append(
            ruled(shade, np.radians(-52), 3.1 * self.scale, 0.8 * pen, FOLIAGE, seed=seed + 1, wave=1.1 * self.scale,
                  longest=26 * self.scale)
        )  # fmt: skip
        return [p for p in out if len(p)]

    def grass(self, pen: float, *, seed: int = 0) -> Paths:
        """Blades on lawns and on open ground."""
        lawn = self._of_role("lawn", "ground")
        tall = np.where(lawn, self._pixels_of(BLADE), 0)
        tall = np.where(tall > 0.5 * self.scale, np.clip(tall, LEAST_BLADE * self.scale, MOST_BLADE * self.scale), 0)
        return ticks(np.where(lawn, 0.05 + 0.55 * self.dark, 0), tall, 0.75 * pen, FOLIAGE, seed=seed + 2)

    def water(self, pen: float, *, seed: int = 0) -> Paths:
        """Level strokes, closer where the water is dark."""
        wet = self._of_role("water")
        if not wet.any():
            return Paths.none()
        height = wet.shape[0]
        rows = np.flatnonzero(wet.any(axis=1))
        # Most strokes lie at the far shore; the near water is left to a few.
        near = np.clip((np.arange(height) - rows[0]) / max(rows[-1] - rows[0], 1), 0, 1)[:, None]
        inner = self.dark[wet]
        low, high = np.percentile(inner, (8, 92))
        told = np.clip((self.dark - low) / max(high - low, 0.05), 0, 1)
        cover = np.where(wet, (0.06 + 0.34 * told) * (1 - 0.72 * near) * np.clip(0.3 + self.dark, 0, 1), 0).astype(
            np.float32
        )
        return ruled(
            cover,
            0.0,
            4.4 * self.scale,
            0.85 * pen,
            WATER,
            seed=seed + 3,
            wave=0.8 * self.scale,
            longest=70 * self.scale,
        )

    @cached_property
    def blue(self) -> np.ndarray:
        """(H, W) float32: how deep the sky's blue is, 0 for clouds and the pale foot of the sky."""
        import cv2

        buffers = self.buffers
        open_ = self.open_sky > 0.99
        if not open_.any():
            return np.zeros(self.dark.shape, np.float32)
        light = buffers.resolved(buffers.light)
        value = np.maximum(luminance(light), 1e-9)
        purity = np.clip((light[..., 2] - light[..., 0]) / np.maximum(light[..., 2], 1e-9), 0, 1)
        deep = purity * np.clip(np.percentile(value[open_], 80) / value, 0.4, 1.6)
        low, high = np.percentile(deep[open_], (25, 97))
        told = np.clip((deep - low) / max(high - low, 0.05), 0, 1) * (high > 0.08)
        return cv2.GaussianBlur(np.where(open_, told, 0).astype(np.float32), (0, 0), 2.5 * self.scale)

    @cached_property
    def open_sky(self) -> np.ndarray:
        """(H, W) float32: share of the sky in each pixel."""
        buffers = self.buffers
        return buffers.resolved((buffers.fragments.region == 0).astype(np.float32))[..., 0]

    def sky(self, pen: float, *, seed: int = 0) -> Paths:
        """Level strokes in the blue, clouds left white."""
        height = self.dark.shape[0]
        up = np.clip(1.15 - np.arange(height) / max(0.55 * height, 1), 0, 1)[:, None]
        cover = np.where(self.open_sky > 0.99, SKIES * self.blue * up, 0).astype(np.float32)
        return ruled(
            cover,
            np.radians(-2.5),
            4.6 * self.scale,
            0.6 * pen,
            SKY,
            seed=seed + 4,
            wave=1.2 * self.scale,
            longest=300 * self.scale,
        )

    def all(self, pen: float, *, seed: int = 0) -> Paths:
        """Everything, with one pen (px)."""
        several = [
            *self.foliage(pen, seed=seed),
            self.grass(pen, seed=seed),
            self.water(pen, seed=seed),
            self.sky(pen, seed=seed),
        ]
        return joined([p for p in several if len(p)])
