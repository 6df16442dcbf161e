"""Fine lines that the reading could not give to a surface, carried over from the capture.

Lettering, slim bars and railings a pixel or two wide are too small to be read as surfaces of their own. What the
capture shows there beyond the flat colours of its surfaces is kept as tone, so that no sign loses its text.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

import numpy as np

from irodori.core.capture import DRAWN
from irodori.core.colour import encode_srgb
from irodori.core.errors import IrodoriError, unknown_name
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.picture.joints import border_cover

LEAST = 0.05
"""Encoded contrast from which a difference is a line."""

FEWEST_PIXELS = 6
"""Pixels a line must have."""

CARRIED, IN_PLANTING = 0.7, 0.3
"""How much is carried over."""

FLOOR = 0.06

TOLD = 0.12
"""Encoded contrast with the darker side from which a line is ink."""

COLOURED = 0.2
"""Difference of an encoded colour's channels from which it is no ink: letters are coloured."""

DIM, USUAL_SKY, WHOLLY = 0.5, 0.75, 0.25
"""Encoded tone below which a background is no lit sky; that of a lit one; and the difference from a background from which a pixel is
wholly something else."""

PEN, EDGE = 3, 1
"""How many px a pen's line, and an edge drawn over a shaded view, may reach beyond the pixels of the border."""


LINES = ("none", "fine", "as drawn")
"""What becomes of the lines of a capture: gone, one fine line along borders where they were, or as they are there."""

FINE = 0.55
"""How dark a fine line is."""

LETTERS, WORD_GAP, WORD_FILL = (7, 60), 9, 0.4
"""px of a letter's height, and of the gap between two in a word, at a width of 1280; and how much of a word's box its strokes fill
with the gaps between them."""

WORD_INK = 0.6
"""Encoded tone below which a pixel is a letter's."""

LEAST_WORD = 150
"""px of a word, with the gaps in it."""

LONG_STROKE, STROKE_TURNS = 39, 12
"""px, at a width of 1280, from which a straight stroke is no letter's; and in how many turns these are looked for."""


@dataclass(frozen=True, eq=False)
class CarriedLines:
    """Factors on the developed picture's encoded values, (H, W, 1) float32, or (H, W, 3) if lettering has colours: `always` for
    what no surface holds (lettering, slim bars), `fine` and `drawn` for the capture's lines."""

    always: np.ndarray
    fine: np.ndarray
    drawn: np.ndarray

    def beside(self, covered: np.ndarray) -> CarriedLines:
        """The lines that additions, which cover a share (H, W) of pixels, leave."""
        left = 1 - covered[..., None]
        return replace(self, **{name: 1 + (factor - 1) * left for name, factor in vars(self).items()})

    def factor(self, lines: str) -> np.ndarray:
        """What the picture's encoded values are multiplied with for a choice of `LINES`."""
        chosen = {"none": 1.0, "fine": self.fine, "as drawn": self.drawn}[lines]
        # Lettering as drawn is there twice: the darker of both is it.
        return np.minimum(self.always, chosen) if lines != "none" else self.always


def check_lines(lines: str) -> str:
    """Raises IrodoriError when there is no such choice."""
    if lines not in LINES:
        raise IrodoriError(unknown_name("way with lines", str(lines), LINES))
    return lines


def carried_lines(structure: Structure, already: np.ndarray | None) -> CarriedLines | None:
    """The lines to carry over, or None when there are none.

    `already` (H, W, 3): detail that surfaces kept as found bring along, 1 where there is none.
    """
    if structure.image is None or structure.mesh is not None:
        return None
    key = None if already is None else hashlib.sha256(np.ascontiguousarray(already)).digest()
    return _lines.of(structure, key, lambda: _carried(structure, already))


_lines: Kept[CarriedLines] = Kept()
"""Lines of structures in use: pictures of one carry the same."""


def _carried(structure: Structure, already: np.ndarray | None) -> CarriedLines:
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
    strong = _hanging_together(np.abs(shown - plain) > LEAST)
    drawn = np.where(_soft(strong) & ~planting[regions], np.clip((shown + FLOOR) / (plain + FLOOR), 0.05, 1.0), 1.0)
    if structure.kind in DRAWN:
        ink = _along_borders(plain - shown > LEAST, cover, PEN)
        letters = _letters(shown < WORD_INK, structure.size[0] / 1280)
        always = np.where(letters, drawn, 1.0)
        before = None
    else:
        ink = _ink_on_borders(shown, plain, cover, grey)
        over = np.where(ink, np.float32(1), cover)
        plain = _with_drawn_edges(shown, plain, over)
        strong = _hanging_together(np.abs(shown - plain) > LEAST)
        ratio = np.where(_soft(strong), np.clip((shown + FLOOR) / (plain + FLOOR), 0.35, 2.2), 1.0)
        # Nothing is carried over under the edges that the capture draws along borders: these the picture must not show.
        share = np.where(planting[regions], IN_PLANTING, CARRIED) * (1 - over)
        if already is not None:
            share = np.where((already != 1).any(axis=2), 0.0, share)
        always = 1 + share * (ratio - 1)
    always = always.astype(np.float32)[..., None]
    if before is not None:
        always = np.where(sky[..., None], 1 + (before - 1) * (strong * (1 - over))[..., None], always)
    if lettering is not None:
        always = np.where(lettering != 1, 1 + (lettering - 1) * (1 - cover[..., None]), always)
    near = _soft(_soft(ink > 0))
    fine = (1 - FINE * np.where(near, cover, 0)).astype(np.float32)[..., None]
    return CarriedLines(always, fine, drawn.astype(np.float32)[..., None])


def _hanging_together(strong: np.ndarray) -> np.ndarray:
    """The pixels (H, W) that are of some line, not specks, uint8."""
    import cv2

    strong = strong.astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(strong, connectivity=8)
    return strong & (stats[labels, cv2.CC_STAT_AREA] >= FEWEST_PIXELS).astype(np.uint8)


def _soft(mask: np.ndarray) -> np.ndarray:
    """The mask with a soft rim of one pixel, so that what is carried over keeps its own anti-aliasing."""
    import cv2

    return cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _letters(ink: np.ndarray, unit: float) -> np.ndarray:
    """The pixels (H, W) bool of words that a pen wrote: short strokes close together in a row, whatever crosses them."""
    import cv2

    ink = ink.astype(np.uint8)
    long = np.zeros_like(ink)
    size = int(LONG_STROKE * unit) | 1
    for turn in range(STROKE_TURNS):
        long |= cv2.morphologyEx(ink, cv2.MORPH_OPEN, _stroke(size, np.pi * turn / STROKE_TURNS))
    short = ink & (1 - cv2.dilate(long, np.ones((3, 3), np.uint8)))
    reach = int(WORD_GAP * unit) | 1
    words = cv2.morphologyEx(short, cv2.MORPH_CLOSE, np.ones((max(reach // 3, 1), reach), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(words, connectivity=8)
    wide, high = stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]
    told = (high >= LETTERS[0] * unit) & (high <= LETTERS[1] * unit) & (wide >= 1.3 * high)
    told &= stats[:, cv2.CC_STAT_AREA] > np.maximum(WORD_FILL * wide * high, LEAST_WORD * unit**2)
    told[0] = False
    word = cv2.dilate(told[labels].astype(np.uint8), np.ones((3, 3), np.uint8))
    # What crosses a word, a post before it, is none of it.
    return (word & (1 - _soft(long).astype(np.uint8))) > 0 if told.any() else np.zeros(ink.shape, bool)


def _stroke(size: int, turn: float) -> np.ndarray:
    """A straight stroke of `size` px at an angle, as a structuring element."""
    import cv2

    element, middle = np.zeros((size, size), np.uint8), size // 2
    step = np.array([np.cos(turn), np.sin(turn)]) * middle
    ends = np.round(np.stack([middle - step, middle + step])).astype(int)
    cv2.line(element, tuple(ends[0].tolist()), tuple(ends[1].tolist()), 1, 1)
    return element


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
