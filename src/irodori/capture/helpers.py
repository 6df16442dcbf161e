"""Helpers that a 3D program paints over the model in signal colours: axis marks, selection outlines and handles."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.cleanings import Wanted
from irodori.core.colour import largest_channel, least_channel, mix_of
from irodori.core.ink import drawn_edges, ink_colour
from irodori.core.nearest import filled_from_nearest

VIVID, VIVID_LOSSY = 90, 64
"""Spread of 8-bit channels from which a thin line is a helper's signal colour, not a building's; compression pales it."""

AXIS_HUES = (0, 120, 220)
"""Degrees: red, green and blue, as every 3D program marks x, y and z."""

SIGNAL = 140
"""Spread of 8-bit channels of the squares by which a selection is dragged; brick and timber stay under it."""

RIM = 0.2
"""Share of what lies some px beside a line that is as vivid and of its hue from which it is a surface's edge."""

SHORTEST, GAP, TWICE, HIDDEN = 14, 120, 0.6, 0.85
"""px of a straight piece of an outline and of a gap in it, the share of a piece by which it repeats another, and the share
of it over which a helper lay."""

UNEVEN, UNEVEN_LINE, LONG_LINE = 30, 60, 80
"""8-bit steps by which the pixels of one helper differ at most on average, and of a straight line longer than so many px."""

AXES, OUTLINE, HANDLES = "axis marks", "a selection outline", "selection handles"
CLEANING = {AXES: "axes", OUTLINE: "outline", HANDLES: "outline"}

HANDLE = (5, 14)
"""px a side of the squares by which a selection is dragged, at a width of 1280."""

FEWEST_HANDLES = 6

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
    if not overlays:
        return encoded
    taken = np.logical_or.reduce([overlay.mask for overlay in overlays])
    return filled_from_nearest(encoded, taken)


def redraw(encoded: np.ndarray, given: np.ndarray, overlays: list[Overlay]) -> np.ndarray:
    """A filled 8-bit picture (H, W, 3) with the edges that selection outlines lay over, in the line that `given` draws edges
    with, where it draws any; also where an axis lay over both."""
    import cv2

    none = np.zeros(encoded.shape[:2], bool)
    outline, axis = (
        np.logical_or.reduce([none, *(o.mask for o in overlays if o.what == what)]) for what in (OUTLINE, AXES)
    )
    if not outline.any() or not (drawn := drawn_edges(given)).any():
        return encoded
    hidden = (outline | axis).astype(np.uint8)
    deep = cv2.distanceTransform(outline.astype(np.uint8), cv2.DIST_L2, 5)
    crest = (deep >= cv2.dilate(deep, np.ones((3, 3), np.uint8)) - 0.2) & (deep > 0.9)
    found = cv2.HoughLinesP(crest.astype(np.uint8) * 255, 1, np.pi / 720, 12, minLineLength=SHORTEST, maxLineGap=GAP)
    pieces = np.zeros((0, 4), int) if found is None else found.reshape(-1, 4)
    length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    out, done = encoded.copy(), np.zeros(hidden.shape, np.uint8)
    line = [int(v) for v in ink_colour(given, drawn)]
    for x0, y0, x1, y1 in pieces[np.argsort(-length, kind="stable")]:
        start, end = (int(x0), int(y0)), (int(x1), int(y1))
        (left, right), (above, below) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        box, corner = np.s_[above : below + 1, left : right + 1], np.array([left, above])
        own = np.zeros(done[box].shape, np.uint8)
        cv2.line(own, *((int(x), int(y)) for x, y in (start - corner, end - corner)), 1, 1)
        if done[box][own > 0].mean() > TWICE or hidden[box][own > 0].mean() < HIDDEN:
            continue
        cv2.line(done, start, end, 1, 5)
        cv2.line(out, start, end, line, 1, cv2.LINE_AA)
    return np.where(hidden[..., None] > 0, out, encoded)


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
    signal = pure & (chroma > SIGNAL)
    squares, known = _find_squares(signal, hue)
    handles = _alike_squares(known)
    base = cv2.medianBlur(encoded, 9)
    under = base.astype(np.int16)
    away = largest_channel(np.abs(signed - under))
    grips = cv2.dilate((squares > 0).astype(np.uint8), np.ones((5, 5), np.uint8))
    claimed = (grips > 0) & handles[squares]
    vivid = pure & (away > 30) & ~claimed
    found: list[Overlay] = []
    ys, xs = np.nonzero(vivid)
    for centre in range(0, 360, 20):
        own = (_hues_apart(hue[ys, xs], centre) <= 16) & ~claimed[ys, xs]
        if not own.any():
            continue
        near = np.zeros(vivid.shape, bool)
        near[ys[own], xs[own]] = True
        # An outline hangs together over its handles.
        joined = cv2.dilate(near.astype(np.uint8), np.ones((5, 5), np.uint8)) | grips
        count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
        for part in range(1, count):
            x, y, w, h, _ = stats[part]
            own = (labels[y : y + h, x : x + w] == part) & near[y : y + h, x : x + w]
            if not own.any():
                continue
            cut = x == 0, x + w == pure.shape[1], y == 0, y + h == pure.shape[0]
            what = _helper(own, signed[y : y + h, x : x + w], centre, wanted, cut)
            if not what and _is_held(labels[y : y + h, x : x + w] == part, own, grips[y : y + h, x : x + w]):
                what = OUTLINE
            if what == AXES and _is_rim(labels, part, pure, hue, centre, (x, y, w, h)):
                continue
            if what and wanted.may(CLEANING[what]):
                mask = np.zeros(near.shape, bool)
                mask[y : y + h, x : x + w] = own
                claimed |= mask
                middle = float(x + w / 2), float(y + h / 2)
                found.append(Overlay(what, CLEANING[what], mask, centre, middle, float(np.hypot(w, h))))
    lines = {o: _line_through(o.mask) for o in found if o.what == AXES}
    axes = [o for o in lines if wanted.must("axes") or _is_axis(o, found)]
    ways = [(o.hue, lines[o]) for o in axes]
    ys, xs = np.nonzero((away > 14) & (chroma > 34) & (chroma > 0.3 * brightest))
    out = []
    for overlay in found:
        if overlay.what == AXES and overlay not in axes and not _continues(overlay, ways):
            continue
        # Its paler pieces, where it crosses what is nearly its own colour, and the rim that anti-aliasing gave it.
        alike = _hues_apart(hue[ys, xs], overlay.hue) <= (22 if overlay.what == AXES else 14)
        if overlay.what == AXES:
            alike &= _beside(lines[overlay], xs, ys)
        pale = np.zeros(vivid.shape, bool)
        pale[ys, xs] = alike
        mask = _reached(overlay.mask, pale)
        if overlay.what != AXES:
            mask = overlay.mask | _bridging(mask & ~overlay.mask, overlay.mask)
        rim = (cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (away > 8)
        rim[rim] = (chroma[rim] > 16) | _mixed(signed[rim], under[rim], np.median(signed[mask], axis=0))
        out.append(replace(overlay, mask=mask | rim))
    handles |= _squares_on([o for o in out if o.what == OUTLINE], squares, known)
    if wanted.may("outline") and handles.any():
        mask = cv2.dilate(handles[squares].astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        out.append(Overlay(HANDLES, CLEANING[HANDLES], mask))
    return out


def _find_squares(signal: np.ndarray, hue: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Small filled squares in a signal colour: their numbers over the picture, 0 elsewhere, and (S, 2) side and hue of each
    number, side 0 where it is none."""
    import cv2

    unit = max(signal.shape[1] / 1280, 1.0)
    side = int(HANDLE[0] * unit)
    # Opening leaves squares of the lines that join them.
    solid = cv2.morphologyEx(signal.astype(np.uint8), cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(solid, connectivity=8)
    w, h, area = (stats[:, k] for k in (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT, cv2.CC_STAT_AREA))
    square = (np.maximum(w, h) <= HANDLE[1] * unit) & (np.abs(w - h) <= 2) & (area > 0.8 * w * h)
    square[0] = False
    known = np.zeros((len(square), 2))
    for k in np.flatnonzero(square):
        box = np.s_[stats[k, 1] : stats[k, 1] + h[k], stats[k, 0] : stats[k, 0] + w[k]]
        known[k] = w[k], np.median(hue[box][parts[box] == k])
    return np.where(square[parts], parts, 0), known


def _alike_squares(known: np.ndarray) -> np.ndarray:
    """Which squares (S,) are several of one size and hue."""
    side, hue = known.T
    out = np.zeros(len(known), bool)
    for own in np.unique(hue[side > 0]):
        alike = (side > 0) & (_hues_apart(hue, own) <= 8)
        alike &= np.abs(side - np.median(side[alike])) <= 2
        out |= alike if alike.sum() >= FEWEST_HANDLES else False
    return out


def _squares_on(outlines: list[Overlay], squares: np.ndarray, known: np.ndarray) -> np.ndarray:
    """Which squares (S,) sit on an outline of their colour."""
    import cv2

    out = np.zeros(len(known), bool)
    for outline in outlines:
        near = cv2.dilate(outline.mask.astype(np.uint8), np.ones((11, 11), np.uint8)) > 0
        touched = np.isin(np.arange(len(known)), squares[near])
        out |= touched & (known[:, 0] > 0) & (_hues_apart(known[:, 1], outline.hue) <= 20)
    return out


def _hues_apart(hue, other: int):
    """Degrees between hues, 0 … 180."""
    return abs((hue - other + 180) % 360 - 180)


def _mixed(colours: np.ndarray, under: np.ndarray, line: np.ndarray) -> np.ndarray:
    """Which `colours` (N, 3) are a mix of what lies `under` a line, (N, 3), and of the line's own (3,)."""
    share, aside = mix_of(colours, under, line)
    return (share > 0.06) & (aside < 6 + 0.25 * np.abs(colours - under).max(axis=1))


def _line_through(mask: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The straight line through a mark: a point on it (2,) px, and the direction across it (2,)."""
    ys, xs = np.nonzero(mask)
    across = np.linalg.eigh(np.cov(np.stack([xs, ys]).astype(float)))[1][:, 0]
    return np.array([xs.mean(), ys.mean()]), across


def _beside(line: tuple[np.ndarray, np.ndarray], x, y):
    """Whether a place lies within a few px of a straight line."""
    middle, across = line
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


def _continues(mark: Overlay, ways: list[tuple[int, tuple]]) -> bool:
    """Whether a piece lies on the straight line through an axis of its colour, beyond what hides that."""
    return any(_hues_apart(hue, mark.hue) <= 20 and _beside(line, *mark.middle) for hue, line in ways)


def _helper(own: np.ndarray, colours: np.ndarray, hue: int, wanted: Wanted, cut: tuple[bool, ...]) -> str:
    """What a vivid component (h, w) is: axis marks, a selection outline, or (empty) part of the building.

    `cut` tells whether the picture ends on its left and right, above and below.
    """
    h, w = own.shape
    reach, area = float(np.hypot(w, h)), int(own.sum())
    if area < 12:
        return ""
    drawn = colours[own]
    core = drawn[np.ptp(drawn, axis=1) >= np.median(np.ptp(drawn, axis=1))]
    ys, xs = np.nonzero(own)
    width = float(np.sqrt(max(np.linalg.eigvalsh(np.cov(np.stack([xs, ys]).astype(float)))[0], 0.0)))
    straight = width < 1.6 and area < 5 * reach
    # Leaves and lettering vary; a helper is drawn in one colour, though a long line falls differently on its pixels.
    varied = np.abs(core - np.median(core, axis=0)).mean()
    if varied > (UNEVEN_LINE if straight and reach > LONG_LINE else UNEVEN):
        return ""
    is_axis = min(_hues_apart(hue, c) for c in AXIS_HUES) <= 22
    if is_axis and straight and reach > 12:
        return AXES
    sure = wanted.must("outline")
    if not _is_thin(own) or min(w, h) <= (8 if sure else 24):
        return ""
    inside = _between(own, cut).sum()
    if area < 8 * (w + h) and inside > (0.15 if sure else 0.4) * w * h:
        return OUTLINE
    return ""


def _is_rim(
    labels: np.ndarray, part: int, pure: np.ndarray, hue: np.ndarray, centre: int, box: tuple[int, ...]
) -> bool:
    """Whether a line, a `part` of `labels` (H, W), is only the edge of a surface in its own vivid colour, which goes on
    beside it."""
    import cv2

    x, y, w, h = box
    near = np.s_[max(y - 6, 0) : y + h + 6, max(x - 6, 0) : x + w + 6]
    own = labels[near] == part
    ring = (cv2.dilate(own.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0) & ~own
    alike = pure[near] & (_hues_apart(hue[near], centre) <= 20)
    return bool(ring.any() and alike[ring].mean() > RIM)


def _is_held(whole: np.ndarray, own: np.ndarray, grips: np.ndarray) -> bool:
    """Whether a thin vivid component (h, w), `own` with what joins it, has two handles at least."""
    import cv2

    held = cv2.connectedComponents((whole & (grips > 0)).astype(np.uint8), connectivity=8)[0] - 1
    return held >= 2 and _is_thin(own)


def _is_thin(own: np.ndarray) -> bool:
    """Whether hardly any of a component (h, w) is five px wide."""
    from scipy import ndimage

    return bool(ndimage.binary_erosion(own, np.ones((5, 5))).sum() < 0.05 * own.sum())


def _between(own: np.ndarray, cut: tuple[bool, ...]) -> np.ndarray:
    """Pixels (h, w) with some of `own`, or a border of the picture that has `cut` it, to their left and right, above and
    below: what an outline with gaps goes round."""
    left, right, above, below = cut
    views = ((own, 1, left), (own[:, ::-1], 1, right), (own, 0, above), (own[::-1], 0, below))
    # A cut outline is still more than a line: it meets the border in two places, or goes round on the other sides.
    seen = [np.maximum.accumulate(view, axis=axis) | beyond for view, axis, beyond in views]
    return seen[0] & seen[1][:, ::-1] & seen[2] & seen[3][::-1]
