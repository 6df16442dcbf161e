"""Removing what a 3D program paints over the model, ground grid, axis marks, selection outlines, and what lies on its
surfaces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.capture.hatching import without_hatching
from irodori.capture.textures import is_textured, smooth_textures
from irodori.core.colour import decode_srgb, encode_8_bit, largest_channel, least_channel
from irodori.core.flatness import has_blocks
from irodori.core.segments import find_segments

VIVID, VIVID_LOSSY = 90, 64
"""Spread of 8-bit channels from which a thin line is a helper's signal colour, not a building's; compression pales it."""

AXIS_HUES = (0, 120, 220)
"""Degrees: red, green and blue, as every 3D program marks x, y and z."""

LONGEST_GAP = 8
SHORTEST_LINE = 48
"""px of a straight line that can belong to a grid."""

FEWEST_LINES = 6
SPECK = 30
"""px up to which a paler piece beside an outline is its rim's."""


@dataclass(frozen=True, eq=False)
class _Overlay:
    what: str
    mask: np.ndarray
    hue: int = 0
    middle: tuple[float, float] = (0.0, 0.0)
    reach: float = 0.0


@dataclass(frozen=True, eq=False)
class Cleaned:
    """What cleaning leaves.

    Attributes
    ----------
    image
        (H, W, 3) float32, linear: the helpers' pixels filled from the surfaces beside them, textures smoothed; the same
        array when there was nothing to remove.
    removed
        One sentence for each kind of thing that was taken away.
    textured
        (H, W, 3) uint8 sRGB, what it was with its textures; None when it has none.
    """

    image: np.ndarray
    removed: tuple[str, ...] = ()
    textured: np.ndarray | None = None


def clean_capture(image: np.ndarray, *, lossy: bool = False, finished: bool = False) -> Cleaned:
    """Remove helpers, the noise of lossy compression and textures from a capture that shows colours.

    Parameters
    ----------
    image
        (H, W, 3) float32, linear.
    lossy
        Whether it was compressed lossily.
    finished
        Whether it is a rendering or a photo, whose surfaces always vary.
    """
    given = encode_8_bit(image)
    # Grain passes for compression noise, and smoothing that would hide it.
    packed = lossy and has_blocks(given)
    encoded = _without_noise(given) if packed and not finished else given
    if finished or is_textured(encoded):
        # A texture has straight lines of its own, which no grid is to be found among.
        shown, removed = _without_helpers(image, given, _find_signal_lines(given, VIVID_LOSSY if lossy else VIVID))
        textured = given if shown is image else encode_8_bit(shown)
        smooth = decode_srgb(smooth_textures(textured).astype(np.float32) / 255).astype(np.float32)
        return Cleaned(smooth, ("Smoothed the materials' textures", *removed), textured)
    if lossy:
        encoded = encoded if packed else _without_noise(given)
        image = decode_srgb(encoded.astype(np.float32) / 255).astype(np.float32)
    overlays = _find_signal_lines(encoded, VIVID_LOSSY if lossy else VIVID)
    taken = _all_of(overlays, encoded.shape[:2])
    grid = _find_grid(_fill(encoded, taken) if taken.any() else encoded)
    image, removed = _without_helpers(image, encoded, [*overlays, *([grid] if grid else [])])
    return Cleaned(image, (*(("Smoothed compression noise",) if lossy else ()), *removed))


def clean_drawing(image: np.ndarray) -> Cleaned:
    """Take the hatching off a line drawing (H, W, 3) float32, linear."""
    given = encode_8_bit(image)
    plain, hatch = without_hatching(given, find_segments(given))
    if not hatch.any():
        return Cleaned(image)
    said = "Took the hatching for what surfaces are made of, not for borders"
    return Cleaned(decode_srgb(plain.astype(np.float32) / 255).astype(np.float32), (said,), given)


def _all_of(overlays: list[_Overlay], shape: tuple[int, int]) -> np.ndarray:
    taken = np.zeros(shape, bool)
    for overlay in overlays:
        taken |= overlay.mask
    return taken


def _without_helpers(
    image: np.ndarray, encoded: np.ndarray, overlays: list[_Overlay]
) -> tuple[np.ndarray, tuple[str, ...]]:
    taken = _all_of(overlays, encoded.shape[:2])
    if not taken.any():
        return image, ()
    filled = _fill(encoded, taken)
    cleaned = np.where(taken[..., None], decode_srgb(filled.astype(np.float32) / 255), image).astype(np.float32)
    sentences: dict[str, int] = {}
    for overlay in overlays:
        sentences[overlay.what] = sentences.get(overlay.what, 0) + int(overlay.mask.sum())
    return cleaned, tuple(f"Removed {what} ({count} px)" for what, count in sentences.items())


def _without_noise(encoded: np.ndarray) -> np.ndarray:
    """Flat areas flat again after lossy compression; edges stay where they are."""
    import cv2

    return cv2.pyrMeanShiftFiltering(cv2.bilateralFilter(encoded, 5, 12.0, 2.0), 4, 16, maxLevel=0)


def _fill(encoded: np.ndarray, taken: np.ndarray) -> np.ndarray:
    """Each taken pixel gets the colour of the nearest one that is free."""
    from scipy import ndimage

    nearest = ndimage.distance_transform_edt(taken, return_distances=False, return_indices=True)
    return encoded[tuple(nearest)]


def _find_signal_lines(encoded: np.ndarray, spread: int) -> list[_Overlay]:
    """Thin lines in a pure signal colour, much more vivid than what they lie on."""
    import cv2

    base = cv2.medianBlur(encoded, 9)
    signed, under = encoded.astype(np.int16), base.astype(np.int16)
    brightest = largest_channel(signed)
    chroma = brightest - least_channel(signed)
    away = largest_channel(np.abs(signed - under))
    vivid = (chroma > spread) & (chroma > 0.45 * brightest) & (brightest > 120) & (away > 30)
    if not vivid.any():
        return []
    hue = cv2.cvtColor(encoded, cv2.COLOR_RGB2HSV)[..., 0].astype(np.int16) * 2
    found, claimed = [], np.zeros(vivid.shape, bool)
    for centre in range(0, 360, 20):
        near = vivid & ~claimed
        near[near] = _hues_apart(hue[near], centre) <= 16
        if not near.any():
            continue
        count, labels, stats, _ = cv2.connectedComponentsWithStats(
            cv2.dilate(near.astype(np.uint8), np.ones((5, 5), np.uint8)), connectivity=8
        )
        for part in range(1, count):
            x, y, w, h, _ = stats[part]
            own = (labels[y : y + h, x : x + w] == part) & near[y : y + h, x : x + w]
            what = _helper(own, signed[y : y + h, x : x + w], centre)
            if what:
                mask = np.zeros(near.shape, bool)
                mask[y : y + h, x : x + w] = own
                claimed |= mask
                found.append(_Overlay(what, mask, centre, (x + w / 2, y + h / 2), float(np.hypot(w, h))))
    out = []
    for overlay in found:
        if overlay.what == "axis marks" and not _is_axis(overlay, found):
            continue
        # Its paler pieces, where it crosses what is nearly its own colour, and the rim that anti-aliasing gave it.
        alike = _hues_apart(hue, overlay.hue) <= (22 if overlay.what == "axis marks" else 14)
        pale = alike & (away > 14) & (chroma > 34) & (chroma > 0.3 * brightest)
        if overlay.what == "axis marks":
            pale &= _along(overlay.mask)
        mask = _reached(overlay.mask, pale)
        if overlay.what != "axis marks":
            mask = overlay.mask | _bridging(mask & ~overlay.mask, overlay.mask)
        rim = (cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (away > 8)
        rim[rim] = (chroma[rim] > 16) | _mixed(signed[rim], under[rim], np.median(signed[mask], axis=0))
        out.append(_Overlay(overlay.what, mask | rim))
    return out


def _hues_apart(hue, other: int):
    """Degrees between hues, 0 … 180."""
    return abs((hue - other + 180) % 360 - 180)


def _mixed(colours: np.ndarray, under: np.ndarray, line: np.ndarray) -> np.ndarray:
    """Which `colours` (N, 3) are a mix of what lies `under` a line, (N, 3), and of the line's own (3,)."""
    towards = line - under
    moved = (colours - under).astype(np.float32)
    share = (moved * towards).sum(axis=1) / np.maximum((towards**2).sum(axis=1), 1)
    left = np.abs(moved - share[:, None] * towards).max(axis=1)
    return (share > 0.06) & (left < 6 + 0.25 * np.abs(moved).max(axis=1))


def _along(mask: np.ndarray) -> np.ndarray:
    """Pixels within a few of the straight line through a mark."""
    ys, xs = np.nonzero(mask)
    middle = np.array([xs.mean(), ys.mean()])
    across = np.linalg.eigh(np.cov(np.stack([xs, ys]).astype(float)))[1][:, 0]
    y, x = np.mgrid[0 : mask.shape[0], 0 : mask.shape[1]]
    return np.abs((x - middle[0]) * across[0] + (y - middle[1]) * across[1]) < 4.0


def _reached(seed: np.ndarray, allowed: np.ndarray) -> np.ndarray:
    """`seed` with the thin pieces of `allowed` that lie within a few pixels of each other from it on."""
    import cv2

    wide = cv2.morphologyEx(allowed.astype(np.uint8), cv2.MORPH_OPEN, np.ones((6, 6), np.uint8))
    thin = (allowed & (cv2.dilate(wide, np.ones((3, 3), np.uint8)) == 0)) | seed
    _, parts = cv2.connectedComponents(cv2.dilate(thin.astype(np.uint8), np.ones((9, 9), np.uint8)), connectivity=8)
    return thin & np.isin(parts, np.unique(parts[seed]))


def _bridging(pieces: np.ndarray, outline: np.ndarray) -> np.ndarray:
    """Of `pieces`, those that close a gap of the outline: they meet it in two places at least, or are a speck."""
    import cv2

    size = np.ones((9, 9), np.uint8)
    count, parts, stats, _ = cv2.connectedComponentsWithStats(cv2.dilate(pieces.astype(np.uint8), size), connectivity=8)
    kept = np.zeros_like(pieces)
    for part in range(1, count):
        x, y, w, h, _ = stats[part]
        box = slice(y, y + h), slice(x, x + w)
        near = parts[box] == part
        meets = cv2.connectedComponents((near & outline[box]).astype(np.uint8), connectivity=8)[0] - 1
        own = near & pieces[box]
        if meets >= 2 or own.sum() < SPECK:
            kept[box] |= own
    return kept


def _is_axis(mark: _Overlay, marks: list[_Overlay]) -> bool:
    """A lone coloured bar belongs to the building; an axis crosses the picture, or meets another one."""
    if mark.reach > 150:
        return True
    return any(
        o.what == mark.what and _hues_apart(o.hue, mark.hue) > 60 and np.hypot(*np.subtract(o.middle, mark.middle)) < 70
        for o in marks
    )


def _helper(own: np.ndarray, colours: np.ndarray, hue: int) -> str:
    """What a vivid component (h, w) is: axis marks, a selection outline, or (empty) part of the building."""
    from scipy import ndimage

    h, w = own.shape
    reach, area = float(np.hypot(w, h)), int(own.sum())
    drawn = colours[own]
    core = drawn[np.ptp(drawn, axis=1) >= np.median(np.ptp(drawn, axis=1))]
    if area < 12 or np.abs(core - np.median(core, axis=0)).mean() > 30:
        return ""  # leaves and lettering vary; a helper is drawn in one colour
    ys, xs = np.nonzero(own)
    width = float(np.sqrt(max(np.linalg.eigvalsh(np.cov(np.stack([xs, ys]).astype(float)))[0], 0.0)))
    is_axis = min(_hues_apart(hue, c) for c in AXIS_HUES) <= 22
    if is_axis and width < 1.6 and reach > 12 and area < 5 * reach:
        return "axis marks"
    thin = ndimage.binary_erosion(own, np.ones((5, 5))).sum() < 0.05 * area
    inside = _between(own).sum()
    if thin and min(w, h) > 24 and inside > 0.4 * w * h and area < 4 * 2 * (w + h):
        return "a selection outline"
    return ""


def _between(own: np.ndarray) -> np.ndarray:
    """Pixels (h, w) with some of `own` to their left and right, above and below: what an outline with gaps goes round."""
    seen = [
        np.maximum.accumulate(view, axis=axis) for view, axis in ((own, 1), (own[:, ::-1], 1), (own, 0), (own[::-1], 0))
    ]
    return seen[0] & seen[1][:, ::-1] & seen[2] & seen[3][::-1]


def _find_grid(encoded: np.ndarray) -> _Overlay | None:
    """Many long thin straight lines of a tone of their own, each lying on one surface."""
    import cv2

    base = cv2.medianBlur(encoded, 9).astype(np.int16)
    signed = encoded.astype(np.int16)
    away = largest_channel(np.abs(signed - base))
    grey = signed.mean(axis=2)
    height, width = grey.shape
    under = base.mean(axis=2)
    ink = np.percentile(grey, 1)
    # Drawn edges, and what their anti-aliasing touches, are not the grid's paler lines.
    drawn = (under - grey > 0.36 * (under - ink)) & (under > ink + 12)
    thin = (away > 7) & (cv2.dilate(drawn.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    segments = cv2.HoughLinesP(
        thin.astype(np.uint8) * 255, 1, np.pi / 720, 40, minLineLength=SHORTEST_LINE, maxLineGap=LONGEST_GAP
    )
    if segments is None:
        return None
    mask = np.zeros(thin.shape, np.uint8)
    kept, total = 0, 0.0
    for x0, y0, x1, y1 in segments.reshape(-1, 4):
        length = float(np.hypot(x1 - x0, y1 - y0))
        count = int(length)
        t = np.linspace(0, 1, count)
        x, y = x0 + t * (x1 - x0), y0 + t * (y1 - y0)
        nx, ny = -(y1 - y0) / length, (x1 - x0) / length
        sides = []
        for step in (-3.0, 3.0):
            px = np.clip(np.rint(x + step * nx).astype(int), 0, width - 1)
            py = np.clip(np.rint(y + step * ny).astype(int), 0, height - 1)
            sides.append(signed[py, px])
        xi, yi = np.clip(np.rint(x).astype(int), 0, width - 1), np.clip(np.rint(y).astype(int), 0, height - 1)
        own = base[yi, xi]
        same = (np.abs(sides[0] - sides[1]).max(axis=1) < 10) & (np.abs(sides[0] - own).max(axis=1) < 10)
        if same.mean() < 0.7:
            continue
        kept += 1
        total += length
        cv2.line(mask, (int(x0), int(y0)), (int(x1), int(y1)), 1, 3)
    if kept < FEWEST_LINES or total < 1.2 * max(width, height):
        return None
    return _Overlay("a ground grid", (mask > 0) & (away > 3))
