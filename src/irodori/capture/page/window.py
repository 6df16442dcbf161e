"""The window of a program round a picture: its bars, buttons and panels."""

from __future__ import annotations

import itertools
from functools import cached_property

import numpy as np

from irodori.core.colour import largest_channel, least_channel

SAME = 7
"""8-bit steps from which two tones differ, compressed or not."""

EDGED, ANY_SIDE, LEAST_SIDE = 0.9, 0.75, 0.4
"""Shares of a viewport's sides along which tones differ across them, of all and of any of them: a tab may open into it; and share of
the picture's size that a side takes at least."""

AWAY = 3
"""px from a side at which the tones on either hand are compared: a line that parts two areas of one tone bounds no viewport."""

SIDES, LEAST = 14, 0.3
"""How many sides each way are tried at most, those with the longest edges; and share of the picture that a viewport takes."""

GREY, EVEN, PLAIN = 16, 3, 0.6
"""8-bit steps between the channels of a program's own greys, and between neighbours on its flat grounds; and the share of a bar
or a panel that both hold for."""

PAPER, SHEET = 251, 0.85
"""8-bit tone from which a ground is white, and the share of what lies round a picture from which that is a sheet of paper."""

MARK, CONTRAST = (3, 44), 28
"""px that the letters and symbols of a bar are tall or wide, and 8-bit steps that they stand out."""

MARKS, DENSE, USUAL = 12, 2.0, 1000
"""How many letters and symbols there are at least, in all and in 100 × 100 px; and px up to whose height a screen shows these
sizes: in taller ones they grow."""

SLIM, BAR, PANEL = 0.03, 0.25, 0.45
"""Shares of the picture's size: up to which a bar may be without letters or symbols, and that bars and panels take at most."""

MOST_AT_FOOT = 0.06
"""Share of the picture's height that a bar takes at most where there is one at the foot and nothing else."""

Box = tuple[int, int, int, int]


def within_window(encoded: np.ndarray, *, sure: bool = False) -> tuple[slice, slice] | None:
    """Rows and columns of the viewport in an 8-bit picture (H, W, 3) of a program's window; None without.

    A viewport is the rectangle that differs all along its sides from what lies round it: flat greys with letters and symbols on
    them. Where a user is `sure` of a window, these may be few, and lie on white.
    """
    height, width = encoded.shape[:2]
    tone = encoded.astype(np.int16)
    steps = [largest_channel(np.abs(np.diff(tone, axis=axis))) for axis in (0, 1)]
    down, across = (step > SAME for step in steps)
    rows = [0, *_edges(down.mean(axis=1)), height]
    columns = [0, *_edges(across.mean(axis=0)), width]
    if len(rows) + len(columns) == 4:
        return None
    ground = _Ground(tone, steps, sure)
    whole: Box = (0, height, 0, width)
    best = whole
    found = sorted(
        (
            (y0, y1, x0, x1)
            for (y0, y1), (x0, x1) in itertools.product(itertools.combinations(rows, 2), itertools.combinations(columns, 2))
            if (y1 - y0) * (x1 - x0) > LEAST * height * width
        ),
        key=lambda box: -(box[1] - box[0]) * (box[3] - box[2]),
    )  # fmt: skip
    marks = 0
    for box in found:
        if box != best and _lies_in(box, best) and _is_edged(box, tone, down, across):
            told = ground.is_interface(best, box)
            if told is not None:
                best, marks = box, marks + told
    y0, y1, x0, x1 = best
    # A broad panel at the foot alone is ground with a grid; bars go there, too.
    at_foot = (y0, x0, x1) == (0, 0, width) and height - y1 > MOST_AT_FOOT * height
    if best == whole or not marks or (at_foot and not sure):
        return None
    about = np.ones((height, width), bool)
    about[y0:y1, x0:x1] = False
    few = marks < max(MARKS, DENSE * about.sum() / (100 * ground.scale) ** 2)
    if not sure and (few or (tone[about].min(axis=1) >= PAPER).mean() > SHEET):
        return None
    return slice(y0, y1), slice(x0, x1)


def _edges(share: np.ndarray) -> list[int]:
    """Where rows or columns begin that differ from those before along some `share`: those with the longest edges."""
    own = np.flatnonzero(share > LEAST_SIDE)
    own = own[np.argsort(-share[own], kind="stable")][:SIDES]
    return sorted(int(at) + 1 for at in own)


def _lies_in(box: Box, other: Box) -> bool:
    return box[0] >= other[0] and box[1] <= other[1] and box[2] >= other[2] and box[3] <= other[3]


def _is_edged(box: Box, tone: np.ndarray, down: np.ndarray, across: np.ndarray) -> bool:
    """Whether tones differ across the sides of a box all along, also some px away from them, but for the picture's own border."""
    y0, y1, x0, x1 = box
    sides = [(at, slice(x0, x1), tone, down) for at in (y0, y1)]
    sides += [(at, slice(y0, y1), tone.transpose(1, 0, 2), across.T) for at in (x0, x1)]
    shares = []
    for at, along, lines, edges in sides:
        if at in (0, len(lines)):
            continue
        if not AWAY <= at <= len(lines) - AWAY:
            return False
        apart = largest_channel(np.abs(lines[at - AWAY, along] - lines[at + AWAY - 1, along])) > SAME
        shares.append(min(edges[at - 1, along].mean(), apart.mean()))
    return min(shares) > ANY_SIDE and float(np.mean(shares)) > EDGED


def _one_tone(rim: np.ndarray) -> bool:
    """Whether a rim (H, W, 3) a few px wide is a line of one tone."""
    return bool((largest_channel(np.abs(rim - np.median(rim, axis=(0, 1)))) <= 2 * SAME).mean() > EDGED)


class _Ground:
    """Where a picture (H, W, 3) int16, with the `steps` between its rows and its columns, is flat and grey, as bars and panels are,
    and what stands out small there."""

    def __init__(self, tone: np.ndarray, steps: list[np.ndarray], sure: bool):
        self.tone, self.steps, self.sure = tone, steps, sure
        self.scale = max(len(tone) / USUAL, 1.0)

    def is_interface(self, outer: Box, inner: Box) -> int | None:
        """How many letters and symbols lie between two boxes, or None where what lies there is no bar and no panel."""
        (y0, y1, x0, x1), (v0, v1, u0, u1) = outer, inner
        height, width = self.tone.shape[:2]
        strips = [((y0, v0, x0, x1), BAR * height, SLIM * height), ((v1, y1, x0, x1), BAR * height, SLIM * height)]
        strips += [((v0, v1, x0, u0), PANEL * width, SLIM * width), ((v0, v1, u1, x1), PANEL * width, SLIM * width)]
        count = 0
        for box, most, slim in strips:
            thick = min(box[1] - box[0], box[3] - box[2])
            if thick == 0 or (thick < AWAY and _one_tone(self.tone[box[0] : box[1], box[2] : box[3]])):
                continue
            if thick < AWAY or thick > most or self._share_plain(box) < PLAIN:
                return None
            marks = self._marks_in(box)
            if not marks and thick > slim and not self.sure:
                return None
            count += marks
        return count

    @cached_property
    def plain(self) -> np.ndarray:
        """How many pixels are flat and grey above and before each (H + 1, W + 1), for sums over boxes."""
        import cv2

        down, across = self.steps
        plain = largest_channel(self.tone) - least_channel(self.tone) <= GREY
        plain[:, 1:] &= across <= EVEN
        plain[1:] &= down <= EVEN
        return cv2.integral(plain.astype(np.uint8))

    def _share_plain(self, box: Box) -> float:
        y0, y1, x0, x1 = box
        corners = self.plain[[y1, y0, y1, y0], [x1, x1, x0, x0]]
        return float(corners @ [1, -1, -1, 1]) / ((y1 - y0) * (x1 - x0))

    def _marks_in(self, box: Box) -> int:
        """How many letters and symbols lie in a box as a whole."""
        y0, y1, x0, x1 = box
        left, top, right, foot = self.marks
        return int(((left >= x0) & (top >= y0) & (right <= x1) & (foot <= y1)).sum())

    @cached_property
    def marks(self) -> np.ndarray:
        """Left, top, right and lower ends (4, N), px, of the letters and symbols: what is small and stands out."""
        import cv2

        least, most = (size * self.scale for size in MARK)
        grey = self.tone.mean(axis=2).astype(np.uint8)
        out = cv2.absdiff(grey, cv2.medianBlur(grey, int(most) // 2 * 2 + 1)) > CONTRAST
        _, _, stats, _ = cv2.connectedComponentsWithStats(out.astype(np.uint8), connectivity=8)
        left, top, wide, tall = stats[1:, : cv2.CC_STAT_AREA].T
        own = (np.maximum(wide, tall) >= least) & (np.maximum(wide, tall) <= most)
        return np.stack([left, top, left + wide, top + tall])[:, own]
