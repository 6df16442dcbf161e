"""Margins and frame lines that a page or a window has put round a picture."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import largest_channel

SAME, WHOLE = 10, 0.99
"""8-bit steps up to which a colour is the margin's, compressed or not; and the share of a row from which all of it is."""

BEGINS = 0.95
"""Share of the first row within a margin that differs from it: a picture or its frame line begins everywhere at once."""

THICKEST, BROADEST, UNEVEN = 8, 0.13, 0.01
"""px of a frame line at most; and shares of the picture's size that a margin takes at most, and by which opposite ones differ."""


def within_frame(encoded: np.ndarray) -> tuple[slice, slice] | None:
    """Rows and columns of what lies within the margin and the frame line of an 8-bit picture (H, W, 3); None without.

    A margin is of one colour and as wide on opposite sides, and the picture begins all along it; a house that stands alone in
    a picture has more about it, or more on one side.
    """
    margin = encoded[0, 0].astype(np.int16)
    height, width = encoded.shape[:2]
    corners = encoded[[0, 0, -1, -1], [0, -1, 0, -1]].astype(np.int16)
    if np.abs(corners - margin).max() > SAME:
        return None
    box = _stripped(encoded, (0, height, 0, width), margin, height)
    if box is None:
        return None
    y0, y1, x0, x1 = box
    if not (_even(y0, height - y1, height) and _even(x0, width - x1, width)):
        return None
    line = encoded[y0, x0].astype(np.int16)
    framed = _stripped(encoded, box, line, THICKEST)
    if framed is not None and min(framed[0] - y0, y1 - framed[1], framed[2] - x0, x1 - framed[3]) > 0:
        y0, y1, x0, x1 = framed
    return slice(y0, y1), slice(x0, x1)


def _stripped(encoded: np.ndarray, box: tuple, colour: np.ndarray, most: int) -> tuple[int, int, int, int] | None:
    """A box (first row, end, first column, end) without its sides in one colour (3,), each of `most` px; None where it has no
    such side, or the picture does not begin all along one."""
    y0, y1, x0, x1 = box
    same = largest_channel(np.abs(encoded[y0:y1, x0:x1].astype(np.int16) - colour)) <= SAME
    top, foot = _run(same.mean(axis=1), most)
    if top + foot >= len(same):
        return None
    left, right = _run(same[top : len(same) - foot].mean(axis=0), most)
    within = ~same[top : len(same) - foot, left : same.shape[1] - right]
    if not (top or foot or left or right) or within.size == 0:
        return None
    for depth, row in ((top, within[0]), (foot, within[-1]), (left, within[:, 0]), (right, within[:, -1])):
        if depth and row.mean() < BEGINS:
            return None
    return y0 + top, y1 - foot, x0 + left, x1 - right


def _run(share: np.ndarray, most: int) -> tuple[int, int]:
    """How many rows at the beginning and at the end are all of one colour, by the `share` of each that is, `most` each."""
    other = np.flatnonzero(share < WHOLE)
    if not len(other):
        return len(share), 0
    return min(int(other[0]), most), min(len(share) - 1 - int(other[-1]), most)


def _even(one: int, other: int, size: int) -> bool:
    """Whether the margins on opposite sides of a picture of some `size`, px, are alike and slim."""
    return abs(one - other) <= UNEVEN * size and max(one, other) <= BROADEST * size
