"""Fine lines that the reading could not give to a surface, carried over from the capture.

Lettering, slim bars and railings a pixel or two wide are too small to be read as surfaces of their own. What the
capture shows there beyond the flat colours of its surfaces is kept as tone, so that no sign loses its text.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.capture import DRAWN
from irodori.core.colour import encode_srgb
from irodori.core.structure import Structure
from irodori.picture.joints import border_cover

LEAST = 0.05
"""Encoded contrast from which a difference is a line."""

FEWEST_PIXELS = 6
"""Pixels a line must have."""

CARRIED, IN_PLANTING = 0.7, 0.3
"""How much is carried over."""

TRACE = 0.5
"""How much of a pen's line along a border stays as its trace."""

FLOOR = 0.06

TOLD = 0.12
"""Encoded contrast with the darker side from which a line is ink."""

FULL = 0.65
"""Share of ink from which a pixel lies wholly under a line; one with three such pixels side by side is broad."""

COLOURED = 0.2
"""Difference of an encoded colour's channels from which it is no ink: letters are coloured."""

DIM, USUAL_SKY, WHOLLY = 0.5, 0.75, 0.25
"""Encoded tone below which a background is no lit sky; that of a lit one; and the difference from a background from which a pixel is
wholly something else."""

PEN, EDGE = 3, 1
"""How many px a pen's line, and an edge drawn over a shaded view, may reach beyond the pixels of the border."""


@dataclass(frozen=True, eq=False)
class CarriedLines:
    """`factor` (H, W, 1), or (H, W, 3) if lettering has colours, float32, on the developed picture's encoded values;
    `pen` (H, W) bool, the pixels of a pen's lines along borders, or None."""

    factor: np.ndarray
    pen: np.ndarray | None

    def beside(self, covered: np.ndarray) -> CarriedLines:
        """The lines that additions, which cover a share (H, W) of pixels, leave."""
        return replace(self, factor=1 + (self.factor - 1) * (1 - covered[..., None]))

    def draw_on(self, developed: np.ndarray, parted: np.ndarray) -> np.ndarray:
        """The picture (H, W, 3) with the lines; a pen's line stays where `parted` (H, W) says that no step marks the border.

        A line over a step would seem to move it.
        """
        import cv2

        factor = self.factor
        if self.pen is not None:
            told = np.where(self.pen, parted, 0)
            told = np.where(self.pen, cv2.dilate(told, _cross()), 0)
            factor = 1 + (factor - 1) * (1 - told[..., None])
        return np.clip(developed * factor, 0, 1)


def carried_lines(structure: Structure, already: np.ndarray | None) -> CarriedLines | None:
    """The lines to carry over, or None when there are none.

    `already` (H, W, 3): detail that surfaces kept as found bring along, 1 where there is none.
    """
    import cv2

    if structure.image is None or structure.mesh is not None:
        return None
    table = structure.surfaces
    regions, fragments = structure.regions, structure.fragments
    flat = np.zeros((int(fragments.region.max(initial=0)) + 1, 3), np.float32)
    flat[table["id"].to_numpy()] = encode_srgb(np.array([list(c) for c in table["colour"]], np.float32).reshape(-1, 3))
    shown = encode_srgb(structure.image)
    sky = regions == 0
    if sky.any():
        flat[0] = np.median(shown[sky], axis=0)
    plain = fragments.resolve(flat[fragments.region], structure.size)
    planting = np.zeros(len(flat), bool)
    planting[structure.of_role("planting")] = True
    grey = np.ptp(shown, axis=2) < COLOURED
    lettering = _lettering(structure, shown, plain)
    before = _before_dim_sky(shown, flat[0]) if sky.any() and flat[0].mean() < DIM else None
    shown, plain = shown.mean(axis=2), plain.mean(axis=2)
    cover = border_cover(fragments, structure.size, planting)
    pen = None
    if structure.kind in DRAWN:
        pen = _pen_on_borders(shown, plain, cover)
        plain = np.where(pen, plain, _with_drawn_edges(shown, plain, cover))
    else:
        cover = np.where(_ink_on_borders(shown, plain, cover, grey), np.float32(1), cover)
        plain = _with_drawn_edges(shown, plain, cover)
    strong = (np.abs(shown - plain) > LEAST).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(strong, connectivity=8)
    strong &= (stats[labels, cv2.CC_STAT_AREA] >= FEWEST_PIXELS).astype(np.uint8)
    ratio = np.clip((shown + FLOOR) / (plain + FLOOR), 0.35, 2.2)
    # A soft rim of one pixel, so that what is carried over keeps its own anti-aliasing.
    ratio = np.where(cv2.dilate(strong, np.ones((3, 3), np.uint8)) > 0, ratio, 1.0)
    # Nothing is carried over under the edges that the capture draws along borders: these the picture must not show.
    share = np.where(planting[regions], IN_PLANTING, CARRIED) * (1 - cover)
    if pen is not None:
        # Of a pen's line an even share: more on one side than on the other would move it.
        share = np.where(pen, TRACE, share)
    if already is not None:
        share = np.where((already != 1).any(axis=2), 0.0, share)
    factor = (1 + share * (ratio - 1)).astype(np.float32)[..., None]
    if before is not None:
        factor = np.where(sky[..., None], 1 + (before - 1) * (strong * (1 - cover))[..., None], factor)
    if lettering is not None:
        factor = np.where(lettering != 1, 1 + (lettering - 1) * (1 - cover[..., None]), factor)
    return CarriedLines(factor, pen)


def _before_dim_sky(shown: np.ndarray, dim: np.ndarray) -> np.ndarray:
    """Factor (H, W, 3) float32 with which what stands before a `dim` sky (3,), leaves and masts, shows its own colour before a light
    one; encoded, 1 where nothing stands."""
    cover = np.minimum(np.abs(shown - dim).max(axis=2) / WHOLLY, 1.0)[..., None]
    return (1 + cover * (np.clip((shown + FLOOR) / (USUAL_SKY + FLOOR), 0.05, 1.0) - 1)).astype(np.float32)


def _lettering(structure: Structure, shown: np.ndarray, plain: np.ndarray) -> np.ndarray | None:
    """Factor (H, W, 3) float32 of what stands on signs, 1 elsewhere; None without signs.

    Both pictures are encoded: a pixel that half a letter covers stays half as dark, and no stroke moves or thins.
    """
    sign = np.isin(structure.regions, structure.of_role("sign"))
    if not sign.any():
        return None
    factor = np.ones_like(plain)
    factor[sign] = np.clip((shown[sign] + FLOOR) / (plain[sign] + FLOOR), 0.05, 8.0)
    return factor


def _along_borders(dark: np.ndarray, cover: np.ndarray, reach: int) -> np.ndarray:
    """The `dark` pixels (H, W) of borders, and those up to `reach` px beside them that hang together with these, uint8."""
    import cv2

    dark = dark.astype(np.uint8)
    line = dark * (cover > 0).astype(np.uint8)
    for _ in range(reach):
        line = cv2.dilate(line, _cross()) & dark
    return line


def _cross() -> np.ndarray:
    import cv2

    return cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))


def _ink_on_borders(shown: np.ndarray, plain: np.ndarray, cover: np.ndarray, grey: np.ndarray) -> np.ndarray:
    """The pixels (H, W) that edges drawn over shaded faces darken.

    Ink is `grey` (H, W), and darker than both sides: beside a dark one it cannot be told.
    """
    import cv2

    darker = cv2.erode(plain, np.ones((5, 5), np.uint8))
    line = _along_borders((darker - shown > TOLD) & grey, cover, EDGE)
    # Half of a pixel of ink over the brighter side may look like the darker one.
    return (cv2.dilate(line, _cross()) > 0) & ((line > 0) | (grey & (np.abs(shown - plain) > LEAST)))


def _pen_on_borders(shown: np.ndarray, plain: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """The pixels (H, W) that a drawing's lines along borders darken, but for broad ones."""
    import cv2

    line = _along_borders(plain - shown > LEAST, cover, PEN)
    # A broad line has two flanks, each an edge of its own: no step stands for both.
    around = cv2.dilate(plain, np.ones((7, 7), np.uint8))
    ink = float(np.percentile(shown[line > 0], 2)) if line.any() else 0.0
    core = cv2.erode((around - shown > FULL * (around - ink)).astype(np.uint8), np.ones((3, 3), np.uint8))
    return (line > 0) & (cv2.dilate(core, np.ones((7, 7), np.uint8)) == 0)


def _with_drawn_edges(shown: np.ndarray, plain: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """The flat colours with the edges that the capture itself draws along borders: these the picture must not show."""
    under = cover > 0.9
    if under.sum() < 50 or np.ptp(plain[under]) < 0.1:
        return plain
    # Ink laid over the surface: shown = (1 − a) · plain + a · ink.
    slope, rest = np.polyfit(plain[under], shown[under], 1)
    for _ in range(3):
        near = np.abs(shown[under] - slope * plain[under] - rest) < 0.06
        if near.sum() < 50:
            return plain
        slope, rest = np.polyfit(plain[under][near], shown[under][near], 1)
    if not 0 <= slope < 1:
        return plain
    return (plain + cover * ((slope - 1) * plain + rest)).astype(np.float32)
