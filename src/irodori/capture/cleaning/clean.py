"""Taking off a capture what is not the model: helpers, the viewport's shadows, textures, hatching, noise."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from irodori.capture.cleaning.floating import find_pointer, find_widgets
from irodori.capture.cleaning.ground_grid import without_grid
from irodori.capture.cleaning.hatching import without_hatching
from irodori.capture.cleaning.hidden_edges import redraw
from irodori.capture.cleaning.overlay import Overlay
from irodori.capture.cleaning.painted_helpers import VIVID, VIVID_LOSSY, fill, find_signal_lines
from irodori.capture.cleaning.shadows import without_shadows
from irodori.capture.cleaning.textures import is_textured, smooth_textures
from irodori.capture.page.paper import clean_paper
from irodori.core.capture import Kind
from irodori.core.cleanings import CLEANINGS, Wanted
from irodori.core.colour import decode_srgb, encode_8_bit
from irodori.core.pixels.flatness import has_blocks, is_lossy
from irodori.core.pixels.segments import find_segments


@dataclass(frozen=True, eq=False)
class Cleaned:
    """What cleaning leaves.

    Attributes
    ----------
    image
        (H, W, 3) float32, linear: what was taken away is filled from the surfaces beside it; of a photographed page the
        page alone. The same array when there was nothing to do.
    removed
        One sentence for each kind of thing that was taken away, or that was asked for and not found.
    textured
        (H, W, 3) uint8 sRGB, what it was with its textures or hatching; None when it has none.
    lossy
        Whether lossy compression has left its noise beside edges.
    """

    image: np.ndarray
    removed: tuple[str, ...] = ()
    textured: np.ndarray | None = None
    lossy: bool = False


def clean(image: np.ndarray, kind: Kind, wanted: Wanted, done: Collection[str] = ()) -> Cleaned:
    """Clean a picture (H, W, 3) float32, linear, by what it shows; some cleanings may be `done` before."""
    done = set(done)
    if kind == "sketch":
        image, removed = clean_paper(image, wanted, done)
        cleaned = Cleaned(image, removed)
    elif kind == "line":
        cleaned = _clean_drawing(image, wanted, done)
    else:
        cleaned = _clean_colours(image, wanted, done, finished=kind == "finished")
    missed = [CLEANINGS[name] for name in CLEANINGS if wanted.must(name) and name not in done]
    said = (f"Found nothing of what was to be removed: {', '.join(missed)}",) if missed else ()
    return Cleaned(cleaned.image, (*cleaned.removed, *said), cleaned.textured, cleaned.lossy)


def _clean_colours(image: np.ndarray, wanted: Wanted, done: set[str], *, finished: bool) -> Cleaned:
    given = encode_8_bit(image)
    lossy = is_lossy(given)
    noisy = wanted.does("noise", lossy)
    # Grain passes for compression noise, and smoothing that would hide it.
    packed = noisy and not finished and has_blocks(given)
    calm = _without_noise(given) if packed else given
    textured = wanted.must("textures") or (wanted.may("textures") and (finished or is_textured(calm)))
    shown, removed = given, []
    if wanted.must("noise") or (noisy and not textured):
        shown = calm if packed else _without_noise(given)
        removed.append("Smoothed compression noise")
        done.add("noise")
    covered = shown
    shown, said = _without_overlays(shown, wanted, done, lossy=lossy, textured=textured)
    removed += said
    if wanted.does("shadows", not textured):
        shown, taken = without_shadows(shown, (shown != covered).any(axis=2), sure=wanted.must("shadows"))
        if taken.any():
            removed.append(f"Took out the shadows that the viewport casts ({taken.sum()} px)")
            done.add("shadows")
    before = None
    if textured:
        before, shown = shown, smooth_textures(shown)
        removed.insert(0, "Smoothed the materials' textures")
        done.add("textures")
    return Cleaned(_changed(image, given, shown), tuple(removed), before, lossy)


def _clean_drawing(image: np.ndarray, wanted: Wanted, done: set[str]) -> Cleaned:
    given = encode_8_bit(image)
    shown, said = _without_overlays(given, wanted, done, drawing=True)
    before = None
    if wanted.may("hatching"):
        plain, hatch = without_hatching(shown, find_segments(shown), sure=wanted.must("hatching"))
        if hatch.any():
            before, shown = shown, plain
            said.append("Took the hatching for what surfaces are made of, not for borders")
            done.add("hatching")
    return Cleaned(_changed(image, given, shown), tuple(said), before)


def _without_overlays(
    encoded: np.ndarray,
    wanted: Wanted,
    done: set[str],
    *,
    lossy: bool = False,
    textured: bool = False,
    drawing: bool = False,
) -> tuple[np.ndarray, list[str]]:
    """An 8-bit picture (H, W, 3) without what lies over the model, and a sentence for each kind of thing."""
    overlays = find_signal_lines(encoded, VIVID_LOSSY if lossy else VIVID, wanted)
    # A drawing has outlined white shapes and things apart of its own.
    if wanted.does("pointer", not drawing):
        overlays += find_pointer(encoded, sure=wanted.must("pointer"))
    encoded = redraw(fill(encoded, overlays), encoded, overlays)
    # Textures and drawings have straight lines of their own, which no grid is to be found among.
    if wanted.does("grid", not textured and not drawing):
        encoded, grid = without_grid(encoded, sure=wanted.must("grid"))
        overlays += [Overlay(CLEANINGS["grid"], "grid", grid)] if grid.any() else []
    if wanted.does("widget", not drawing):
        widgets = find_widgets(encoded, sure=wanted.must("widget"))
        encoded, overlays = fill(encoded, widgets), overlays + widgets
    masks: dict[str, np.ndarray] = {}
    for overlay in overlays:
        done.add(overlay.cleaning)
        masks[overlay.what] = masks.get(overlay.what, False) | overlay.mask
    return encoded, [f"Removed {what} ({mask.sum()} px)" for what, mask in masks.items()]


def _changed(image: np.ndarray, given: np.ndarray, shown: np.ndarray) -> np.ndarray:
    """The linear picture with what differs between two 8-bit ones taken from the second; the same array if nothing does."""
    changed = (given != shown).any(axis=2)
    if not changed.any():
        return image
    return np.where(changed[..., None], decode_srgb(shown.astype(np.float32) / 255), image).astype(np.float32)


def _without_noise(encoded: np.ndarray) -> np.ndarray:
    """Flat areas flat again after lossy compression; edges stay where they are."""
    import cv2

    return cv2.pyrMeanShiftFiltering(cv2.bilateralFilter(encoded, 5, 12.0, 2.0), 4, 16, maxLevel=0)
