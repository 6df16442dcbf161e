"""Taking a viewport's ground grid off the surfaces it lies on."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import largest_channel
from irodori.core.pixels.flatness import local_span
from irodori.core.pixels.nearest import filled_from_nearest

LONGEST_GAP = 8
SHORTEST_LINE = 48
"""px of a straight line that can belong to a grid."""

SHORT_LINE, ALONG = 24, 1.0
"""px of one that runs within so many degrees of another."""

PIECE = 9
"""px of a piece of one that is carried on."""

FEWEST_LINES = 6

FEWEST_CROSSINGS, BEYOND = 2, 10.0
"""Crossings of a grid, and px by which its lines go on beyond each."""

CARRIES = 0.1
"""Share of the grid's lines that lie on a surface from which it is looked through for what is left of them."""

DARKEST, DARKER = 5, 8.0
"""Percentile of what its lines show that is the grid's own tone, and 8-bit steps by which drawn edges are darker."""

BUCKET, ONE, EVEN = 8, 3, 0.7
"""8-bit steps within which colours beside the lines are one surface's, steps within which they are one colour, and the share
of them that is; a graded surface's own shades cannot be told from a blend."""

FULL = 95
"""Percentile of the colours along lines from which pixels lie under a line wholly."""

BLEND = (0.06, 1.9)
"""How far a pixel has gone from the surface's colour towards what the lines mostly show, where these run too
close to be told apart; whole pixels of a line go farther."""

ASIDE = 6.0, 0.15
"""8-bit steps, and share of its way, by which such a pixel may lie beside that."""

PLAIN_SIDE, PLAIN_SPAN = 5, 2
"""px a side and 8-bit steps of areas that are plain: another surface, not a blend of lines."""


def without_grid(encoded: np.ndarray, *, sure: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """Take many long thin straight lines of a tone of their own, each lying on one surface, off a picture.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.
    sure
        Whether a user knows of a grid: then a single line is enough.

    Returns
    -------
    image
        (H, W, 3) uint8; the same array when there is no grid.
    taken
        (H, W) bool: where it was.
    """
    base, away, thin = _thin_lines(encoded)
    lines = _lines_on_surfaces(encoded, base, thin)
    if not lines or not (sure or _is_grid(lines, max(thin.shape))):
        return encoded, np.zeros_like(thin)
    mask = _drawn(lines, thin.shape) & (away > 3)
    out = filled_from_nearest(encoded, mask)
    taken = mask.copy()
    for surface, line in _carriers(encoded, base, lines):
        left = _blended(out, surface, line, mask)
        out = np.where(left[..., None], surface.astype(np.uint8), out)
        taken |= left
    x, y = (np.concatenate(along) for along in zip(*lines))
    tone = float(np.percentile(encoded[y, x].mean(axis=1), DARKEST))
    rest = _rest_of_grid(out, lines, tone)
    return (filled_from_nearest(out, rest) if rest.any() else out), taken | rest


def _rest_of_grid(encoded: np.ndarray, lines: list[tuple[np.ndarray, np.ndarray]], tone: float) -> np.ndarray:
    """What is left (H, W) bool of a grid whose `tone` is known from the `lines` found and taken away: lines on paler
    surfaces, short ones that run like others, and pieces beyond what hides a line's middle."""
    base, away, thin = _thin_lines(encoded, tone)
    turns = np.array([_turn(line) for line in lines])
    found = [
        line
        for line in _lines_on_surfaces(encoded, base, thin, SHORT_LINE)
        if len(line[0]) >= SHORTEST_LINE or (np.abs((turns - _turn(line) + 90) % 180 - 90) < ALONG).any()
    ]
    found += _carried_on(lines + found, encoded, base, thin)
    return _drawn(found, thin.shape) & (away > 3)


def _thin_lines(encoded: np.ndarray, tone: float | None = None) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The picture without its thin lines, (H, W, 3) int16; how far each pixel differs from that; which do, (H, W) bool.

    Drawn edges are left out: what is much darker than what it lies on, or than the grid's `tone` where that is known.
    """
    import cv2

    base = cv2.medianBlur(encoded, 9).astype(np.int16)
    signed = encoded.astype(np.int16)
    away = largest_channel(np.abs(signed - base))
    grey, under = signed.mean(axis=2), base.mean(axis=2)
    if tone is None:
        darker = grey[(away > 7) & (grey < under)]
        ink = min(np.percentile(grey, 1), np.percentile(darker, 1) if darker.size else 255.0)
        drawn = (under - grey > 0.36 * (under - ink)) & (under > ink + 12)
    else:
        drawn = (grey < tone - DARKER) & (under - grey > DARKER)
    # What their anti-aliasing touches is none of the grid's paler lines either.
    return base, away, (away > 7) & (cv2.dilate(drawn.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)


def _lines_on_surfaces(
    encoded: np.ndarray, base: np.ndarray, thin: np.ndarray, shortest: int = SHORTEST_LINE
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Pixels x (N,) and y (N,) along each straight line that has the same surface on both its sides."""
    import cv2

    segments = cv2.HoughLinesP(
        thin.astype(np.uint8) * 255, 1, np.pi / 720, min(shortest, 40), minLineLength=shortest, maxLineGap=LONGEST_GAP
    )
    ends = np.zeros((0, 2, 2)) if segments is None else segments.reshape(-1, 2, 2).astype(float)
    found = [
        (start + np.linspace(0, 1, int(np.hypot(*(end - start))))[:, None] * (end - start)).T for start, end in ends
    ]
    return [
        (np.rint(x).astype(int), np.rint(y).astype(int)) for x, y in found if _lies_on_one_surface(encoded, base, x, y)
    ]


def _lies_on_one_surface(encoded: np.ndarray, base: np.ndarray, x: np.ndarray, y: np.ndarray) -> bool:
    """Whether a straight line through px `x` and `y` (N,) has the same surface on both its sides."""
    height, width = encoded.shape[:2]
    step = np.array([x[-1] - x[0], y[-1] - y[0]], float)
    nx, ny = np.array([-step[1], step[0]]) / max(np.hypot(*step), 1.0)
    one, own, other = (
        picture[_nearest(y + aside * ny, height), _nearest(x + aside * nx, width)].astype(np.int16)
        for aside, picture in ((-3.0, encoded), (0.0, base), (3.0, encoded))
    )
    same = (np.abs(one - other).max(axis=1) < 10) & (np.abs(one - own).max(axis=1) < 10)
    return bool(same.mean() >= 0.7)


def _turn(line: tuple[np.ndarray, np.ndarray]) -> float:
    """Degrees by which a line is turned from the picture's foot."""
    x, y = line
    return float(np.degrees(np.arctan2(y[-1] - y[0], x[-1] - x[0])))


def _carried_on(
    lines: list[tuple[np.ndarray, np.ndarray]], encoded: np.ndarray, base: np.ndarray, thin: np.ndarray
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Further pieces of grid lines, too short to be found by themselves, beyond what hides a line's middle."""
    import cv2

    height, width = thin.shape
    near = cv2.dilate(thin.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    out = []
    for along in lines:
        start, end = (np.array([a[n] for a in along], float) for n in (0, -1))
        way = (end - start) / np.hypot(*(end - start))
        places = start + np.arange(-height - width, height + width)[:, None] * way
        x, y = np.rint(places[((places >= 0) & (places <= [width - 1, height - 1])).all(axis=1)]).astype(int).T
        dense = np.convolve(near[y, x], np.ones(PIECE) / PIECE, "same") > 0.99
        for run in np.split(np.arange(len(x)), np.flatnonzero(np.diff(dense)) + 1):
            if dense[run[0]] and len(run) > 1 and _lies_on_one_surface(encoded, base, x[run], y[run]):
                more = slice(max(run[0] - PIECE // 2, 0), run[-1] + PIECE // 2 + 1)
                out.append((x[more], y[more]))
    return out


def _is_grid(lines: list[tuple[np.ndarray, np.ndarray]], extent: int) -> bool:
    """Whether lines are many and long against the picture's `extent`, px, and cross each other."""
    total = sum(len(x) for x, _ in lines)
    return len(lines) >= FEWEST_LINES and total >= 1.2 * extent and _crossings(lines) >= FEWEST_CROSSINGS


def _crossings(lines: list[tuple[np.ndarray, np.ndarray]]) -> int:
    """In how many places two lines cross, both going on beyond: a grid's do, edges end where they meet."""
    start = np.array([(x[0], y[0]) for x, y in lines], float)
    way = np.array([(x[-1], y[-1]) for x, y in lines], float) - start
    length = np.maximum(np.hypot(*way.T), 1.0)
    turn = way[:, None, 0] * way[None, :, 1] - way[:, None, 1] * way[None, :, 0]
    slanted = np.abs(turn) > 0.1 * length[:, None] * length
    apart = start[None] - start[:, None]
    # Where line j meets line i, px along line i.
    along = (apart[..., 0] * way[None, :, 1] - apart[..., 1] * way[None, :, 0]) / np.where(slanted, turn, 1)
    along *= length[:, None]
    inside = slanted & (along > BEYOND) & (along < length[:, None] - BEYOND)
    return int((inside & inside.T).sum()) // 2


def _nearest(place: np.ndarray, size: int) -> np.ndarray:
    return np.clip(np.rint(place).astype(int), 0, size - 1)


def _drawn(lines: list[tuple[np.ndarray, np.ndarray]], shape: tuple[int, int]) -> np.ndarray:
    import cv2

    mask = np.zeros(shape, np.uint8)
    for x, y in lines:
        cv2.line(mask, (int(x[0]), int(y[0])), (int(x[-1]), int(y[-1])), 1, 3)
    return mask > 0


def _carriers(encoded: np.ndarray, base: np.ndarray, lines) -> list[tuple[np.ndarray, np.ndarray]]:
    """Colours (3,) of each surface that a good part of the lines lies on, and of the lines there."""
    x, y = (np.concatenate(along) for along in zip(*lines))
    under, on = base[y, x].astype(float), encoded[y, x].astype(float)
    _, bucket, count = np.unique(under // BUCKET, axis=0, return_inverse=True, return_counts=True)
    out = []
    for k in np.flatnonzero(count > CARRIES * len(x)):
        surface = np.median(under[bucket.ravel() == k], axis=0)
        off = np.abs(under - surface).max(axis=1)
        if (off < ONE).sum() < EVEN * (off < BUCKET).sum():
            continue
        apart = np.abs(on[bucket.ravel() == k] - surface).max(axis=1)
        strong = apart >= np.percentile(apart, FULL)
        out.append((surface, np.median(on[bucket.ravel() == k][strong], axis=0)))
    return out


def _blended(encoded: np.ndarray, surface: np.ndarray, line: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool whose colour is a blend of a `surface` and the grid's `line` (3,), and that hang together with
    the lines found (`mask`) over this surface: where the grid runs into the distance, it is no lines any more."""
    import cv2

    towards = (line - surface).astype(np.float32)
    moved = encoded.astype(np.float32) - surface.astype(np.float32)
    share = moved @ towards / max(float(towards @ towards), 1.0)
    aside = largest_channel(np.abs(moved - share[..., None] * towards))
    way = largest_channel(np.abs(moved))
    blend = (share > BLEND[0]) & (share < BLEND[1]) & (aside < ASIDE[0] + ASIDE[1] * way)
    blend &= (local_span(encoded, PLAIN_SIDE) > PLAIN_SPAN) | (share < 0.3)
    other = ~blend & (way > 10)
    blend &= cv2.dilate(other.astype(np.uint8), np.ones((5, 5), np.uint8)) == 0
    own = way < ASIDE[0]
    _, parts = cv2.connectedComponents(
        cv2.dilate((blend | mask | own).astype(np.uint8), np.ones((3, 3), np.uint8)), connectivity=8
    )
    return blend & np.isin(parts, np.unique(parts[mask]))
