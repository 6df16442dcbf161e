"""Axis marks: straight lines in pure red, green or blue across a capture, whole from their vivid pieces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.capture.cleaning.overlay import GAIN, LEAST_GAIN, Overlay, tint_gain

HUES, APART = (0, 120, 220), 20
"""Degrees: red, green and blue, as every 3D program marks x, y and z, and how far from one of these a mark is at most."""

LONG, LEAVING, MET = 150, 40, 70
"""px from which a coloured line is an axis by itself, and one that leaves the picture; and px within which shorter ones of
two colours meet."""

BESIDE = 4.0
"""px to either side of an axis at which its pieces lie."""

REACH = 3
"""px to either side over which an axis is drawn."""

CROSSING, TURNS = 0.1, 1440
"""Sine of the angle between two axes that tell where they meet at least; and parts of a turn about that place in which the
third is looked for."""

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


def third_axis(axes: list[Overlay], signed: np.ndarray, under: np.ndarray) -> Overlay | None:
    """The axis that compression has paled, where two others tell from where it goes; None where it cannot be seen.

    `signed` is the picture (H, W, 3) int16 and `under` the same without thin lines.
    """
    channels = {channel for axis in axes if (channel := axis_channel(axis.hue)) is not None}
    if len(channels) != 2 or len(axes) != 2:
        return None
    (one, across), (other, beyond) = (_line_through(axis.mask) for axis in axes)
    if abs(across[0] * beyond[1] - across[1] * beyond[0]) < CROSSING:
        return None
    origin = np.linalg.solve([across, beyond], [one @ across, other @ beyond])
    hue = HUES[({0, 1, 2} - channels).pop()]
    y, x = np.nonzero(tint_gain(signed, under, _tint(hue)) > LEAST_GAIN)
    away = np.hypot(x - origin[0], y - origin[1])
    far = away > MET
    y, x, away = y[far], x[far], away[far]
    if not len(x):
        return None
    turn = np.arctan2(y - origin[1], x - origin[0])
    steps = np.round(turn * TURNS / (2 * np.pi)).astype(int) % TURNS
    best = int(np.bincount(steps, minlength=TURNS).argmax())
    own = np.abs((turn - best * 2 * np.pi / TURNS + np.pi) % (2 * np.pi) - np.pi) * away < REACH / 2
    if not own.any() or len(np.unique(away[own].astype(int))) < max(LONG, DENSE * np.ptp(away[own])):
        return None
    mask = np.zeros(signed.shape[:2], bool)
    mask[y[own], x[own]] = True
    return replace(axes[0], mask=mask, hue=hue, reach=float(np.ptp(away[own])))


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
    if not inside.any():
        # All along the picture's border.
        return axis.mask
    x, y = x[inside], y[inside]
    gain = tint_gain(signed[y, x], under[y, x], _tint(axis.hue))
    shows = (gain.max(axis=1) > GAIN).astype(np.float32)
    dense = np.convolve(shows, np.ones(WINDOW) / WINDOW, "same") > DENSE
    own = dense[:, None] & (gain > LEAST_GAIN)
    mask = axis.mask.copy()
    mask[y[own], x[own]] = True
    return mask


def _tint(hue: float) -> np.ndarray:
    """The tint (3,) of an axis."""
    tint = np.full(3, -0.5)
    tint[axis_channel(hue) or 0] = 1.0
    return tint


def _line_through(mask: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The straight line through a mark: a point on it (2,) px, and the direction across it (2,)."""
    ys, xs = np.nonzero(mask)
    across = np.linalg.eigh(np.cov(np.stack([xs, ys]).astype(float)))[1][:, 0]
    return np.array([xs.mean(), ys.mean()]), across


def _beside(line: tuple[np.ndarray, np.ndarray], x, y):
    """Whether a place lies within a few px of a straight line."""
    middle, across = line
    return np.abs((x - middle[0]) * across[0] + (y - middle[1]) * across[1]) < BESIDE
