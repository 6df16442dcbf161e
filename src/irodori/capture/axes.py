"""Axis marks: straight lines in pure red, green or blue across a capture, whole from their vivid pieces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.capture.overlay import GAIN, LEAST_GAIN, Overlay, tint_gain

HUES, APART = (0, 120, 220), 20
"""Degrees: red, green and blue, as every 3D program marks x, y and z, and how far from one of these a mark is at most."""

LONG, LEAVING, MET = 150, 40, 70
"""px from which a coloured line is an axis by itself, and one that leaves the picture; and px within which shorter ones of
two colours meet."""

BESIDE = 4.0
"""px to either side of an axis at which its pieces lie."""

REACH = 3
"""px to either side over which an axis is drawn."""

WINDOW, DENSE = 31, 0.7
"""px along an axis, and the share of these that it shows in."""


def hues_apart(hue, other):
    """Degrees between hues, 0 … 180."""
    return abs((hue - other + 180) % 360 - 180)


def axis_channel(hue: float) -> int | None:
    """The channel, 0 red, 1 green or 2 blue, that a hue in degrees marks; None if it is no axis's."""
    apart = [hues_apart(hue, own) for own in HUES]
    return int(np.argmin(apart)) if min(apart) <= APART else None


def join_pieces(pieces: list[Overlay]) -> list[Overlay]:
    """Pieces of one hue on one straight line as one, from the longest on: the model hides what lies between them."""
    out: list[Overlay] = []
    left = sorted(pieces, key=lambda piece: -piece.reach)
    while left:
        longest, rest = left[0], []
        line, mask = _line_through(longest.mask), longest.mask.copy()
        for piece in left[1:]:
            y, x = np.nonzero(piece.mask)
            if hues_apart(piece.hue, longest.hue) <= APART and _beside(line, x, y).mean() > 0.9:
                mask |= piece.mask
            else:
                rest.append(piece)
        y, x = np.nonzero(mask)
        out.append(replace(longest, mask=mask, reach=float(np.hypot(np.ptp(x), np.ptp(y)))))
        left = rest
    return out


def is_axis(mark: Overlay, marks: list[Overlay]) -> bool:
    """A lone coloured bar belongs to the building; an axis is long, leaves the picture, or meets another one."""
    height, width = mark.mask.shape
    y, x = np.nonzero(mark.mask)
    leaves = mark.reach > LEAVING and (min(x.min(), y.min()) == 0 or x.max() == width - 1 or y.max() == height - 1)
    return (
        leaves
        or mark.reach > LONG
        or any(hues_apart(o.hue, mark.hue) > 60 and np.hypot(*np.subtract(o.middle, mark.middle)) < MET for o in marks)
    )


def whole_axis(axis: Overlay, signed: np.ndarray, under: np.ndarray) -> np.ndarray:
    """An axis's pixels (H, W), also where it is paler for what it lies on.

    `signed` is the picture (H, W, 3) int16 and `under` the same without thin lines; all along the straight line, the
    axis shows where it tints what it lies on.
    """
    height, width = axis.mask.shape
    middle, across = _line_through(axis.mask)
    way = np.array([-across[1], across[0]])
    t = np.arange(-int(np.hypot(width, height)), int(np.hypot(width, height)) + 1)
    aside = np.arange(-REACH, REACH + 1)
    place = middle + t[:, None, None] * way + aside[:, None] * across
    x, y = np.rint(place[..., 0]).astype(int), np.rint(place[..., 1]).astype(int)
    inside = ((x >= 0) & (x < width) & (y >= 0) & (y < height)).all(axis=1)
    x, y = x[inside], y[inside]
    tint = np.full(3, -0.5)
    tint[axis_channel(axis.hue) or 0] = 1.0
    gain = tint_gain(signed[y, x], under[y, x], tint)
    shows = (gain.max(axis=1) > GAIN).astype(np.float32)
    dense = np.convolve(shows, np.ones(WINDOW) / WINDOW, "same") > DENSE
    own = dense[:, None] & (gain > LEAST_GAIN)
    mask = axis.mask.copy()
    mask[y[own], x[own]] = True
    return mask


def _line_through(mask: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The straight line through a mark: a point on it (2,) px, and the direction across it (2,)."""
    ys, xs = np.nonzero(mask)
    across = np.linalg.eigh(np.cov(np.stack([xs, ys]).astype(float)))[1][:, 0]
    return np.array([xs.mean(), ys.mean()]), across


def _beside(line: tuple[np.ndarray, np.ndarray], x, y):
    """Whether a place lies within a few px of a straight line."""
    middle, across = line
    return np.abs((x - middle[0]) * across[0] + (y - middle[1]) * across[1]) < BESIDE
