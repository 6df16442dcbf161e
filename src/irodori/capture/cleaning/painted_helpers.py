"""Helpers that a 3D program paints over the model in signal colours: axis marks, selection outlines and handles."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.capture.cleaning.axis_marks import axis_channel, hues_apart, is_axis, join_pieces, third_axis, whole_axis
from irodori.capture.cleaning.overlay import (
    AXES,
    GAP,
    HANDLES,
    LEAST_GAIN,
    OUTLINE,
    SHORTEST_PIECE,
    Overlay,
    straight_pieces,
    tint_gain,
)
from irodori.core.cleanings import Wanted
from irodori.core.colour import largest_channel, least_channel, mix_of
from irodori.core.pixels.nearest import filled_from_nearest

VIVID, VIVID_LOSSY = 90, 64
"""Spread of 8-bit channels from which a thin line is a helper's signal colour, not a building's; compression pales it."""

SIGNAL = 140
"""Spread of 8-bit channels of the squares by which a selection is dragged; brick and timber stay under it."""

RIM = 0.2
"""Share of what lies some px beside a line that is as vivid and of its hue from which it is a surface's edge."""

MOST_ROUNDS = 5
"""How many times an outline is carried on."""

UNEVEN, UNEVEN_LINE, LONG_LINE = 30, 60, 80
"""8-bit steps by which the pixels of one helper differ at most on average, and of a straight line longer than so many px."""

CLEANING = {AXES: "axes", OUTLINE: "outline", HANDLES: "outline"}

HANDLE = (5, 14)
"""px a side of the squares by which a selection is dragged, at a width of 1280."""

FEWEST_HANDLES = 6

PIECE = 48
"""px at a width of 1280 of a line that may be a piece of an outline."""

LEAST = 12
"""px of a helper at least."""


def fill(encoded: np.ndarray, overlays: list[Overlay]) -> np.ndarray:
    """An 8-bit picture (H, W, 3) in which each pixel of `overlays` has the colour of the nearest one that is free."""
    if not overlays:
        return encoded
    taken = np.logical_or.reduce([overlay.mask for overlay in overlays])
    return filled_from_nearest(encoded, taken)


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
    # On a screen of fine pixels lines are wider.
    base = cv2.medianBlur(encoded, 8 * max(round(encoded.shape[1] / 1280), 1) + 1)
    under = base.astype(np.int16)
    away = largest_channel(np.abs(signed - under))
    grips = cv2.dilate((squares > 0).astype(np.uint8), np.ones((5, 5), np.uint8))
    claimed = (grips > 0) & handles[squares]
    vivid = pure & (away > 30) & ~claimed
    found: list[Overlay] = []
    ys, xs = np.nonzero(vivid)
    for centre in range(0, 360, 20):
        own = (hues_apart(hue[ys, xs], centre) <= 16) & ~claimed[ys, xs]
        if not own.any():
            continue
        near = np.zeros(vivid.shape, bool)
        near[ys[own], xs[own]] = True
        for what, mask in _helpers_among(near, grips, signed, hue, pure, wanted):
            if wanted.may(CLEANING[what]):
                claimed |= mask
                y, x = np.nonzero(mask)
                size = np.array([np.ptp(x) + 1, np.ptp(y) + 1])
                middle = float(x.min() + size[0] / 2), float(y.min() + size[1] / 2)
                tint = int(np.median(hue[mask]))
                found.append(Overlay(what, CLEANING[what], mask, tint, middle, float(np.hypot(*size))))
    marks = join_pieces([o for o in found if o.what == AXES])
    axes = [o for o in marks if wanted.must("axes") or is_axis(o, marks)]
    third = third_axis(axes, signed, under)
    axes += [third] if third else []
    out = []
    taken = cv2.dilate(handles[squares].astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    for overlay in [*axes, *(o for o in found if o.what != AXES)]:
        # Its paler pieces, where it crosses what is nearly its own colour, and the rim that anti-aliasing gave it.
        if overlay.what == AXES:
            mask = whole_axis(overlay, signed, under)
            taken |= cv2.dilate(mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        else:
            free = overlay.mask & ~taken
            mask = _whole_outline(free if free.any() else overlay.mask, signed, under, taken)
        rim = (cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (away > 8)
        rim[rim] = (chroma[rim] > 16) | _mixed(signed[rim], under[rim], np.median(signed[mask], axis=0))
        out.append(replace(overlay, mask=mask | rim))
    handles |= _squares_on([o for o in out if o.what == OUTLINE], squares, known)
    if wanted.may("outline") and handles.any():
        mask = cv2.dilate(handles[squares].astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        out.append(Overlay(HANDLES, CLEANING[HANDLES], mask))
    return out


def _helpers_among(
    near: np.ndarray, grips: np.ndarray, signed: np.ndarray, hue: np.ndarray, pure: np.ndarray, wanted: Wanted
) -> list[tuple[str, np.ndarray]]:
    """What helpers there are among vivid pixels `near` one hue, (H, W), and the pixels of each."""
    import cv2

    # An outline hangs together over its handles.
    joined = cv2.dilate(near.astype(np.uint8), np.ones((5, 5), np.uint8)) | grips
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    unit = max(near.shape[1] / 1280, 0.5)
    found: list[tuple[str, np.ndarray]] = []
    loose = np.zeros(near.shape, bool)
    for part in range(1, count):
        x, y, w, h, _ = stats[part]
        box = np.s_[y : y + h, x : x + w]
        whole = labels[box] == part
        own = whole & near[box]
        if not own.any():
            continue
        what = _helper(own, signed[box], hue[box], wanted, _cut(stats[part], pure.shape))
        if not what and _is_held(whole, own, grips[box]):
            what = OUTLINE
        if what == AXES and _is_rim(labels, part, pure, hue, int(np.median(hue[box][own])), (x, y, w, h)):
            continue
        if what:
            mask = np.zeros(near.shape, bool)
            mask[box] = own
            found.append((what, mask))
        elif np.hypot(w, h) > PIECE * unit and _is_line(own, signed[box]):
            loose[box] |= own
    # What stands before it parts an outline into lines.
    if loose.any():
        x, y, w, h = cv2.boundingRect(loose.astype(np.uint8))
        box = np.s_[y : y + h, x : x + w]
        held = _grips_on(loose[box], grips[box]) >= 2
        if any(what == OUTLINE for what, _ in found) or _goes_round(
            loose[box], _cut((x, y, w, h), pure.shape), wanted.must("outline"), sides=2 if held else 3
        ):
            found.append((OUTLINE, loose))
    return found


def _cut(box, shape: tuple[int, ...]) -> tuple[bool, ...]:
    """Whether the picture ends on the left and right of a box, above and below."""
    x, y, w, h = (int(v) for v in box[:4])
    return x == 0, x + w == shape[1], y == 0, y + h == shape[0]


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
        alike = (side > 0) & (hues_apart(hue, own) <= 8)
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
        out |= touched & (known[:, 0] > 0) & (hues_apart(known[:, 1], outline.hue) <= 20)
    return out


def _mixed(colours: np.ndarray, under: np.ndarray, line: np.ndarray) -> np.ndarray:
    """Which `colours` (N, 3) are a mix of what lies `under` a line, (N, 3), and of the line's own (3,)."""
    share, aside = mix_of(colours, under, line)
    return (share > 0.06) & (aside < 6 + 0.25 * np.abs(colours - under).max(axis=1))


def _whole_outline(outline: np.ndarray, signed: np.ndarray, under: np.ndarray, taken: np.ndarray) -> np.ndarray:
    """An outline's pixels (H, W), also where it goes on paler for what it lies on, but for those `taken` by axes and handles."""
    colour = np.median(signed[outline], axis=0)
    tint = (colour - colour.mean()) / np.ptp(colour)
    mask = outline.copy()
    for _ in range(MOST_ROUNDS):
        y, x = np.nonzero(_carried_on(mask) & ~mask & ~taken)
        gains = tint_gain(signed[y, x], under[y, x], tint) > LEAST_GAIN
        mask[y[gains], x[gains]] = True
        if gains.sum() < SHORTEST_PIECE:
            break
    return mask


def _carried_on(outline: np.ndarray) -> np.ndarray:
    """Where an outline's straight pieces (H, W) lie and would go on: timber and leaves beside it may have its hue."""
    import cv2

    shown = cv2.morphologyEx(outline.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    out = cv2.dilate(shown, np.ones((3, 3), np.uint8))
    for x0, y0, x1, y1 in straight_pieces(shown, 4):
        length = np.hypot(x1 - x0, y1 - y0)
        # A short piece tells its direction less well than a long one.
        more = min(GAP, 3 * length) * np.array([x1 - x0, y1 - y0]) / length
        start, end = np.rint([[x0, y0] - more, [x1, y1] + more]).astype(int)
        cv2.line(out, tuple(int(v) for v in start), tuple(int(v) for v in end), 1, 5)
    return out > 0


def _helper(own: np.ndarray, colours: np.ndarray, hue: np.ndarray, wanted: Wanted, cut: tuple[bool, ...]) -> str:
    """What a vivid component (h, w) is: axis marks, a selection outline, or (empty) part of the building.

    `cut` tells whether the picture ends on its left and right, above and below.
    """
    if own.sum() < LEAST or _varies(own, colours, straight := _is_straight(own)):
        return ""
    is_axis = axis_channel(np.median(hue[own])) is not None
    if is_axis and straight and np.hypot(*own.shape) > 12:
        return AXES
    return OUTLINE if _is_thin(own) and _goes_round(own, cut, wanted.must("outline")) else ""


def _is_line(own: np.ndarray, colours: np.ndarray) -> bool:
    """Whether a vivid component (h, w) is a thin line in one colour, as a piece of an outline is."""
    return bool(own.sum() >= LEAST and _is_thin(own) and not _varies(own, colours, _is_straight(own)))


def _is_straight(own: np.ndarray) -> bool:
    ys, xs = np.nonzero(own)
    if len(xs) < 2:
        return False
    width = float(np.sqrt(max(np.linalg.eigvalsh(np.cov(np.stack([xs, ys]).astype(float)))[0], 0.0)))
    return width < 1.6 and len(xs) < 5 * np.hypot(*own.shape)


def _varies(own: np.ndarray, colours: np.ndarray, straight: bool) -> bool:
    """Leaves and lettering vary; a helper is drawn in one colour, though a long line falls differently on its pixels."""
    drawn = colours[own]
    core = drawn[np.ptp(drawn, axis=1) >= np.median(np.ptp(drawn, axis=1))]
    varied = np.abs(core - np.median(core, axis=0)).mean()
    return bool(varied > (UNEVEN_LINE if straight and np.hypot(*own.shape) > LONG_LINE else UNEVEN))


def _goes_round(own: np.ndarray, cut: tuple[bool, ...], sure: bool, sides: int = 4) -> bool:
    """Whether thin lines (h, w) go round something, as an outline does: on so many `sides` at least."""
    h, w = own.shape
    if min(w, h) <= (8 if sure else 24):
        return False
    return bool(own.sum() < 8 * (w + h) and _between(own, cut, sides).sum() > (0.15 if sure else 0.4) * w * h)


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
    alike = pure[near] & (hues_apart(hue[near], centre) <= 20)
    return bool(ring.any() and alike[ring].mean() > RIM)


def _is_held(whole: np.ndarray, own: np.ndarray, grips: np.ndarray) -> bool:
    """Whether a thin vivid component (h, w), `own` with what joins it, has two handles at least."""
    return _grips_on(whole, grips) >= 2 and _is_thin(own)


def _grips_on(lines: np.ndarray, grips: np.ndarray) -> int:
    """How many squares (h, w) lines go through or end at."""
    import cv2

    return cv2.connectedComponents((lines & (grips > 0)).astype(np.uint8), connectivity=8)[0] - 1


def _is_thin(own: np.ndarray) -> bool:
    """Whether hardly any of a component (h, w) is five px wide."""
    from scipy import ndimage

    return bool(ndimage.binary_erosion(own, np.ones((5, 5))).sum() < 0.05 * own.sum())


def _between(own: np.ndarray, cut: tuple[bool, ...], sides: int) -> np.ndarray:
    """Pixels (h, w) with some of `own`, or a border of the picture that has `cut` it, on so many `sides`, of left and right,
    above and below: what an outline with gaps goes round."""
    left, right, above, below = cut
    views = ((own, 1, left), (own[:, ::-1], 1, right), (own, 0, above), (own[::-1], 0, below))
    # A cut outline is still more than a line: it meets the border in two places, or goes round on the other sides.
    seen = [np.maximum.accumulate(view, axis=axis) | beyond for view, axis, beyond in views]
    return np.sum([seen[0], seen[1][:, ::-1], seen[2], seen[3][::-1]], axis=0) >= sides
