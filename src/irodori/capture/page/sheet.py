"""What lines are drawn on, and with: transparent pictures are laid on a sheet; light lines on a dark ground, and coloured
ones, become dark ones on white paper, as they are read."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np

from irodori.capture.page.frame_line import within_frame
from irodori.capture.page.window import within_window
from irodori.core.capture import Kind
from irodori.core.cleanings import CLEANINGS, Wanted
from irodori.core.colour import decode_srgb, encode_8_bit, encode_srgb, largest_channel, least_channel
from irodori.core.pixels.flatness import is_drawn

CLEAR, MASSIVE = 0.005, 0.05
"""Share of a picture that is see-through where it tells what is empty; and share of it that is opaque in areas, as things are."""

THIN = 7
"""px, odd, that lines are less wide than: what is left of ink when as much is taken off is areas."""

LIGHT_INK = 0.6
"""Mean tone, encoded, from which ink on nothing is meant for a dark ground."""

DARK, EVEN, MOST = 0.45, 0.05, 0.7
"""Tone, encoded, of a dark ground at most; how much a ground wavers; and the share of the picture that it takes at least."""

VIVID, COLOURED = 0.15, 0.35
"""How far apart, encoded, the channels of a coloured ink are; and share of all ink that it takes in a drawing in colours: a
selection outline on a drawing in black takes less."""

AREAS = 0.02
"""Share of the picture that areas other than the ground take, from which it is no drawing."""

ROUND, FAINT = 15, 0.15
"""px, odd, round a place within which ink is fullest where it counts as black; and how far, encoded, that stands out at least."""


@dataclass(frozen=True, eq=False)
class LaidOut:
    """A picture as it is looked at: `image` (H, W, 3), linear; `alpha` (H, W) where it tells things from emptiness, or None; and
    what was `done` to it, sentences by the names of `CLEANINGS`."""

    image: np.ndarray
    alpha: np.ndarray | None
    done: dict[str, str]


def lay_out(
    rgb: np.ndarray, alpha: np.ndarray | None, kind: Kind | None, wanted: Wanted, *, framed: bool = True
) -> LaidOut:
    """Lay a picture (H, W, 3), linear, with its alpha (H, W) on a sheet, without the window or frame round it, if it may be `framed`,
    and as black on white if it is a drawing in other tones."""
    image, outline, done = _on_sheet(rgb, alpha), _outline_of(alpha), {}
    encoded = encode_8_bit(image)
    for name, find in (("window", partial(within_window, sure=wanted.must("window"))), ("frame", within_frame)):
        inner = find(encoded) if framed and wanted.may(name) else None
        if inner is not None:
            image, encoded, outline = image[inner], encoded[inner], None if outline is None else outline[inner]
            done[name] = f"Took off {CLEANINGS[name]}: {image.shape[1]} × {image.shape[0]} px are left"
    if kind in (None, "line") or wanted.must("dark") or wanted.must("inks"):
        image, name = _turned_to_paper(image, encoded, kind, wanted)
        if name:
            done[name] = f"Turned {CLEANINGS[name]} into black on white"
    return LaidOut(image, outline, done)


def _on_sheet(rgb: np.ndarray, alpha: np.ndarray | None) -> np.ndarray:
    """A picture (H, W, 3), linear, laid on white by its alpha (H, W), or on black where its ink is light; the same array if opaque."""
    if alpha is None or alpha.min() >= 1.0:
        return rgb
    encoded, cover = encode_srgb(rgb), alpha[..., None]
    ink = float((encoded.mean(axis=2) * alpha).sum() / max(float(alpha.sum()), 1e-6))
    sheet = 0.0 if ink > LIGHT_INK and not _has_areas(alpha > 0.5, MASSIVE) else 1.0
    return decode_srgb(encoded * cover + np.float32(sheet) * (1.0 - cover))


def _outline_of(alpha: np.ndarray | None) -> np.ndarray | None:
    """The alpha (H, W) where it tells things from emptiness; None for opaque pictures and for lines on nothing."""
    if alpha is None or (alpha < 0.5).mean() < CLEAR or not _has_areas(alpha > 0.5, MASSIVE):
        return None
    return alpha


def _turned_to_paper(
    rgb: np.ndarray, in_8_bit: np.ndarray, kind: Kind | None, wanted: Wanted
) -> tuple[np.ndarray, str]:
    """A picture (H, W, 3), linear and `in_8_bit`, as dark ink on white paper where it is a drawing on a dark ground or in coloured
    inks, with the name of the cleaning; the same array, and none, where it is not."""
    encoded = encode_srgb(rgb)
    ground = np.median(encoded.reshape(-1, 3), axis=0)
    off = largest_channel(np.abs(encoded - ground))
    if (off < EVEN).mean() <= MOST:
        return rgb, ""
    name, tell = ("dark", _is_lighter) if ground.mean() < DARK else ("inks", _is_coloured)
    # What a scanner saw has grain of its own; cleaning the paper is for that.
    drawn = kind in (None, "line") and is_drawn(in_8_bit)
    ink = off > EVEN
    if not wanted.does(name, drawn and tell(encoded, ink, ground) and not _has_areas(ink, AREAS)):
        return rgb, ""
    return _as_on_paper(off), name


def _is_lighter(encoded: np.ndarray, ink: np.ndarray, ground: np.ndarray) -> bool:
    """Whether the `ink` (H, W) of a picture (H, W, 3) is lighter than its ground (3,)."""
    return bool(ink.any() and (encoded - ground)[ink].mean() > 0)


def _is_coloured(encoded: np.ndarray, ink: np.ndarray, ground: np.ndarray) -> bool:
    """Whether most of the `ink` (H, W) of a picture (H, W, 3) is coloured, whatever its ground (3,)."""
    vivid = largest_channel(encoded) - least_channel(encoded) > VIVID
    return bool((vivid & ink).sum() > COLOURED * ink.sum())


def _as_on_paper(off: np.ndarray) -> np.ndarray:
    """What stands out from a ground by so much (H, W) as black ink on white paper, (H, W, 3) linear, however strong it is."""
    import cv2

    full = np.maximum(cv2.dilate(off, np.ones((ROUND, ROUND), np.uint8)), FAINT)
    return decode_srgb(np.repeat(1.0 - (off / full)[..., None], 3, axis=2))


def _has_areas(mask: np.ndarray, share: float) -> bool:
    """Whether areas as wide as no line is take that share of a picture."""
    import cv2

    return bool(cv2.erode(mask.astype(np.uint8), np.ones((THIN, THIN), np.uint8)).mean() > share)
