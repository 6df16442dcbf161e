"""What floats over a viewport without belonging to the model: the mouse pointer, an orientation widget in a corner."""

from __future__ import annotations

import numpy as np

from irodori.capture.cleaning.overlay import Overlay
from irodori.core.colour import largest_channel, least_channel

ARROW = np.array([(0, 0), (0, 16), (3.7, 12.6), (6.1, 18.2), (8.4, 17.2), (6.0, 11.7), (11, 11.7)])
HEAD = ARROW[[0, 1, 2, 5, 6]]
"""The pointer's outline, px, as window systems draw it: an arrow to the upper left, with and without its tail, which may be
too thin to hang together with the head."""

POINTER_HEIGHT = (12, 64)
PALE, DARK = 165, 70
"""8-bit values from which the arrow is white, and up to which it is black."""

RESEMBLES, RESEMBLES_WANTED, BESIDE = 0.93, 0.85, 18
"""Share of the arrow and of what is seen that lies in the other or as near as an eighteenth of its height."""

OUTLINED = 0.85
"""Share of what lies right beside the arrow that is within a pixel of its outline's tone."""

RIM = 3
"""px of outline and soft edge round the arrow."""

CORNER = 0.2
"""Share of the picture's width and height from a corner within which a widget lies."""

WIDGET = (18, 200)
"""px a side of a widget, at a width of 1280."""

BACKDROP = 0.03
"""Share of the picture that the plain background round a widget takes at least."""

UPPER = 0.3
"""Share of the picture's upper border that this background takes at least."""

TOLERANCE = 4
"""8-bit steps by which neighbours of a plain or graded background differ at most."""


def find_pointer(encoded: np.ndarray, *, sure: bool = False) -> list[Overlay]:
    """The mouse pointer over a viewport (H, W, 3) uint8 sRGB: the white or black patch most like an arrow, with the opposite
    tone all round it. Where a user is `sure` of one it may be less like one."""
    import cv2

    best, place = RESEMBLES_WANTED if sure else RESEMBLES, None
    white, black = least_channel(encoded) >= PALE, largest_channel(encoded) <= DARK
    for own, other in ((white, black), (black, white)):
        _, parts, stats, _ = cv2.connectedComponentsWithStats(own.astype(np.uint8), connectivity=4)
        x, y, w, h, area = stats.T
        like = (
            (h >= POINTER_HEIGHT[0])
            & (h <= POINTER_HEIGHT[1])
            & (np.abs(w - 0.68 * h) < 0.2 * h)
            & (area > 0.25 * w * h)
        )
        like[0] = False
        for k in np.flatnonzero(like):
            box = slice(max(y[k] - RIM, 0), y[k] + h[k] + RIM), slice(max(x[k] - RIM, 0), x[k] + w[k] + RIM)
            patch = parts[box] == k
            # A thin outline is only here and there in its full tone.
            rim = (cv2.dilate(patch.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & ~patch
            outlined = cv2.dilate(other[box].astype(np.uint8), np.ones((3, 3), np.uint8))[rim].mean()
            for shape in (ARROW, HEAD):
                score = _resembles(patch, shape)
                if score > best and outlined > OUTLINED:
                    best, place = score, (np.array([w[k], h[k]]) / shape.max(axis=0), np.array([x[k], y[k]]))
    if place is None:
        return []
    mask = np.zeros(white.shape, np.uint8)
    cv2.fillPoly(mask, [np.rint(ARROW * place[0] + place[1]).astype(np.int32)], 1)
    mask = cv2.dilate(mask, np.ones((2 * RIM + 1,) * 2, np.uint8)) > 0
    return [Overlay("the mouse pointer", "pointer", mask)]


def _resembles(patch: np.ndarray, outline: np.ndarray) -> float:
    """Share of a `patch` (h, w) and of a shape with an `outline` (N, 2) that lies in or right beside the other."""
    import cv2

    ys, xs = np.nonzero(patch)
    patch = patch[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    shape = np.zeros(patch.shape, np.uint8)
    scale = (np.array(patch.shape[::-1]) - 1) / outline.max(axis=0)
    cv2.fillPoly(shape, [np.rint(outline * scale).astype(np.int32)], 1)
    beside = np.ones((2 * max(round(len(patch) / BESIDE), 1) + 1,) * 2, np.uint8)
    met = (patch & (cv2.dilate(shape, beside) > 0)).sum() + (shape & cv2.dilate(patch.astype(np.uint8), beside)).sum()
    return float(met / (patch.sum() + shape.sum()))


def find_widgets(encoded: np.ndarray, *, sure: bool = False) -> list[Overlay]:
    """What stands alone in a corner of a viewport (H, W, 3) uint8 sRGB, on the plain background that reaches the picture's
    upper border. Where a user is `sure` of a widget it may be larger."""
    import cv2

    width = encoded.shape[1]
    done = np.zeros(encoded.shape[:2], bool)
    found = done.copy()
    for x in (0, width // 2, width - 1):
        if done[0, x]:
            continue
        plain = _backdrop(encoded, x)
        done |= plain
        if plain.mean() >= BACKDROP and (sure or plain[0].mean() >= UPPER):
            found |= _alone_in_corners(plain, 2.0 if sure else 1.0)
    if not found.any():
        return []
    return [
        Overlay("an orientation widget", "widget", cv2.dilate(found.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)
    ]


def _backdrop(encoded: np.ndarray, x: int) -> np.ndarray:
    """The plain or graded area (H, W) bool that begins at a pixel of the upper border."""
    import cv2

    height, width = encoded.shape[:2]
    filled = np.zeros((height + 2, width + 2), np.uint8)
    steps = (TOLERANCE,) * 3
    cv2.floodFill(np.ascontiguousarray(encoded), filled, (x, 0), 0, steps, steps, 4 | cv2.FLOODFILL_MASK_ONLY)
    return filled[1:-1, 1:-1] > 0


def _alone_in_corners(plain: np.ndarray, slack: float) -> np.ndarray:
    """What stands alone in a corner (H, W) bool with `plain` background all round it; nothing where more such things stand
    elsewhere on it: windows in a wall do."""
    import cv2

    height, width = plain.shape
    unit = max(width / 1280, 0.5)
    gap = max(int(4 * unit), 2)
    near = cv2.dilate((~plain).astype(np.uint8), np.ones((2 * gap + 1,) * 2, np.uint8))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(near, connectivity=8)
    x, y, w, h = stats[:, :4].T
    longer, shorter = np.maximum(w, h) - 2 * gap, np.minimum(w, h) - 2 * gap
    free = (x > 0) & (y > 0) & (x + w < width) & (y + h < height)
    free &= (longer > WIDGET[0] * unit) & (longer < WIDGET[1] * unit * slack) & (shorter > 0.4 * longer)
    free[0] = False
    reach = CORNER * slack
    aside = (x + w < reach * width) | (x > (1 - reach) * width)
    aside &= (y + h < reach * height) | (y > (1 - reach) * height)
    if (free & ~aside).sum() > 1:
        return np.zeros_like(plain)
    return (free & aside)[parts] & ~plain
