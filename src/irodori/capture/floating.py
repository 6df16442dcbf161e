"""What floats over a viewport without belonging to the model: the mouse pointer, an orientation widget in a corner."""

from __future__ import annotations

import numpy as np

from irodori.capture.helpers import Overlay
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
            (h >= POINTER_HEIGHT[0]) & (h <= POINTER_HEIGHT[1]) & (np.abs(w / h - 0.68) < 0.2) & (area > 0.25 * w * h)
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

    height, width = encoded.shape[:2]
    unit, slack = max(width / 1280, 0.5), 2.0 if sure else 1.0
    backdrop = np.zeros((height + 2, width + 2), np.uint8)
    source = np.ascontiguousarray(encoded)
    for x in (0, width // 2, width - 1):
        if not backdrop[1, x + 1]:
            cv2.floodFill(source, backdrop, (x, 0), 0, (TOLERANCE,) * 3, (TOLERANCE,) * 3, 4 | cv2.FLOODFILL_MASK_ONLY)
    plain = backdrop[1:-1, 1:-1] > 0
    if plain.mean() < BACKDROP:
        return []
    gap = max(int(4 * unit), 2)
    near = cv2.dilate((~plain).astype(np.uint8), np.ones((2 * gap + 1,) * 2, np.uint8))
    _, parts, stats, _ = cv2.connectedComponentsWithStats(near, connectivity=8)
    found = np.zeros(plain.shape, bool)
    for k in range(1, len(stats)):
        x, y, w, h = stats[k, :4]
        least, most = WIDGET[0] * unit, WIDGET[1] * unit * slack
        if not (least < max(w, h) - 2 * gap < most and min(w, h) - 2 * gap > 0.4 * max(w, h)):
            continue
        if x == 0 or y == 0 or x + w == width or y + h == height:
            continue
        reach = CORNER * slack
        aside = x + w < reach * width or x > (1 - reach) * width
        if aside and (y + h < reach * height or y > (1 - reach) * height):
            found |= (parts == k) & (cv2.dilate((~plain).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)
    return [Overlay("an orientation widget", "widget", found)] if found.any() else []
