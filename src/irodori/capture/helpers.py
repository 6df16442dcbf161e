"""Helpers that a 3D program paints over the model: ground grid, axis marks, selection outlines and handles."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.cleanings import Wanted
from irodori.core.colour import largest_channel, least_channel

VIVID, VIVID_LOSSY = 90, 64
"""Spread of 8-bit channels from which a thin line is a helper's signal colour, not a building's; compression pales it."""

AXIS_HUES = (0, 120, 220)
"""Degrees: red, green and blue, as every 3D program marks x, y and z."""

LONGEST_GAP = 8
SHORTEST_LINE = 48
"""px of a straight line that can belong to a grid."""

FEWEST_LINES = 6
AXES, OUTLINE, HANDLES, GRID = "axis marks", "a selection outline", "selection handles", "a ground grid"
CLEANING = {AXES: "axes", OUTLINE: "outline", HANDLES: "outline", GRID: "grid"}

HANDLE = (5, 14)
"""px a side of the squares by which a selection is dragged, at a width of 1280."""

FEWEST_HANDLES = 4

SPECK = 30
"""px up to which a paler piece beside an outline is its rim's."""


@dataclass(frozen=True, eq=False)
class Overlay:
    """What lies over the model: `what` it is, the name of the `cleaning` that takes it away, its pixels (H, W) bool."""

    what: str
    cleaning: str
    mask: np.ndarray
    hue: int = 0
    middle: tuple[float, float] = (0.0, 0.0)
    reach: float = 0.0


def fill(encoded: np.ndarray, overlays: list[Overlay]) -> np.ndarray:
    """An 8-bit picture (H, W, 3) in which each pixel of `overlays` has the colour of the nearest one that is free."""
    from scipy import ndimage

    if not overlays:
        return encoded
    taken = np.logical_or.reduce([overlay.mask for overlay in overlays])
    nearest = ndimage.distance_transform_edt(taken, return_distances=False, return_indices=True)
    return encoded[tuple(nearest)]


def find_signal_lines(encoded: np.ndarray, spread: int, wanted: Wanted) -> list[Overlay]:
    """Thin lines in a pure signal colour, much more vivid than what they lie on, and the squares that sit on them."""
    import cv2

    signed = encoded.astype(np.int16)
    brightest = largest_channel(signed)
    chroma = brightest - least_channel(signed)
    pure = (chroma > spread) & (chroma > 0.45 * brightest) & (brightest > 120)
    if not pure.any():
        return []
    hue = cv2.cvtColor(encoded, cv2.COLOR_RGB2HSV)[..., 0].astype(np.int16) * 2
    handles = _find_handles(pure, hue, encoded.shape[1]) if wanted.may("outline") else []
    base = cv2.medianBlur(encoded, 9)
    under = base.astype(np.int16)
    away = largest_channel(np.abs(signed - under))
    claimed = np.logical_or.reduce([np.zeros(pure.shape, bool), *(overlay.mask for overlay in handles)])
    grips = claimed.astype(np.uint8)
    vivid = pure & (away > 30) & ~claimed
    found: list[Overlay] = []
    for centre in range(0, 360, 20):
        near = vivid & ~claimed
        near[near] = _hues_apart(hue[near], centre) <= 16
        if not near.any():
            continue
        # An outline hangs together over its handles.
        joined = cv2.dilate(near.astype(np.uint8), np.ones((5, 5), np.uint8)) | grips
        count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
        for part in range(1, count):
            x, y, w, h, _ = stats[part]
            own = (labels[y : y + h, x : x + w] == part) & near[y : y + h, x : x + w]
            if not own.any():
                continue
            what = _helper(own, signed[y : y + h, x : x + w], centre, wanted)
            if what and wanted.may(CLEANING[what]):
                mask = np.zeros(near.shape, bool)
                mask[y : y + h, x : x + w] = own
                claimed |= mask
                middle = float(x + w / 2), float(y + h / 2)
                found.append(Overlay(what, CLEANING[what], mask, centre, middle, float(np.hypot(w, h))))
    axes = [o for o in found if o.what == AXES and (wanted.must("axes") or _is_axis(o, found))]
    ways = [(o.hue, _along(o.mask)) for o in axes]
    out = []
    for overlay in found:
        if overlay.what == AXES and overlay not in axes and not _continues(overlay, ways):
            continue
        # Its paler pieces, where it crosses what is nearly its own colour, and the rim that anti-aliasing gave it.
        alike = _hues_apart(hue, overlay.hue) <= (22 if overlay.what == AXES else 14)
        pale = alike & (away > 14) & (chroma > 34) & (chroma > 0.3 * brightest)
        if overlay.what == AXES:
            pale &= _along(overlay.mask)
        mask = _reached(overlay.mask, pale)
        if overlay.what != AXES:
            mask = overlay.mask | _bridging(mask & ~overlay.mask, overlay.mask)
        rim = (cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (away > 8)
        rim[rim] = (chroma[rim] > 16) | _mixed(signed[rim], under[rim], np.median(signed[mask], axis=0))
        out.append(replace(overlay, mask=mask | rim))
    return out + handles


def _find_handles(pure: np.ndarray, hue: np.ndarray, width: int) -> list[Overlay]:
    """Small filled squares in one of the `pure` colours, several of one size."""
    import cv2

    unit = max(width / 1280, 1.0)
    side = int(HANDLE[0] * unit)
    # Opening leaves squares of the lines that join them.
    solid = cv2.morphologyEx(pure.astype(np.uint8), cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    w, h, area = (stats[:, k] for k in (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT, cv2.CC_STAT_AREA))
    square = (np.maximum(w, h) <= HANDLE[1] * unit) & (np.abs(w - h) <= 2) & (area > 0.8 * w * h)
    square[0] = False
    of_hue = np.array([np.median(hue[parts == k]) if square[k] else -1 for k in range(len(square))])
    out = []
    for own in np.unique(of_hue[square]):
        alike = square & (_hues_apart(of_hue, own) <= 8)
        if not alike.any():
            continue
        alike &= np.abs(w - np.median(w[alike])) <= 2
        if alike.sum() >= FEWEST_HANDLES:
            mask = cv2.dilate(alike[parts].astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            out.append(Overlay(HANDLES, CLEANING[HANDLES], mask))
            square &= ~alike
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


def _is_axis(mark: Overlay, marks: list[Overlay]) -> bool:
    """A lone coloured bar belongs to the building; an axis crosses the picture, or meets another one."""
    if mark.reach > 150:
        return True
    return any(
        o.what == mark.what and _hues_apart(o.hue, mark.hue) > 60 and np.hypot(*np.subtract(o.middle, mark.middle)) < 70
        for o in marks
    )


def _continues(mark: Overlay, ways: list[tuple[int, np.ndarray]]) -> bool:
    """Whether a piece lies on the straight line through an axis of its colour, beyond what hides that."""
    x, y = (int(v) for v in mark.middle)
    return any(_hues_apart(hue, mark.hue) <= 20 and near[y, x] for hue, near in ways)


def _helper(own: np.ndarray, colours: np.ndarray, hue: int, wanted: Wanted) -> str:
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
        return AXES
    thin = ndimage.binary_erosion(own, np.ones((5, 5))).sum() < 0.05 * area
    inside = _between(own).sum()
    sure = wanted.must("outline")
    if thin and min(w, h) > (8 if sure else 24) and inside > (0.15 if sure else 0.4) * w * h and area < 8 * (w + h):
        return OUTLINE
    return ""


def _between(own: np.ndarray) -> np.ndarray:
    """Pixels (h, w) with some of `own` to their left and right, above and below: what an outline with gaps goes round."""
    seen = [
        np.maximum.accumulate(view, axis=axis) for view, axis in ((own, 1), (own[:, ::-1], 1), (own, 0), (own[::-1], 0))
    ]
    return seen[0] & seen[1][:, ::-1] & seen[2] & seen[3][::-1]


def find_grid(encoded: np.ndarray, *, sure: bool = False) -> Overlay | None:
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
    if not kept or (not sure and (kept < FEWEST_LINES or total < 1.2 * max(width, height))):
        return None
    return Overlay(GRID, CLEANING[GRID], (mask > 0) & (away > 3))
