"""What lay hidden in a picture, continued from what shows of the same surfaces around."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.retouch.own_look import OwnLook

RING = 3
"""px round a gap in which a patch is compared with what is there."""

SHIFTS = 240
"""Patches that are tried for a gap."""

FARTHEST = 6.0
"""Sizes of the gap within which patches are looked for."""

COVERED = 0.95
"""Share of the gap that a patch must fill."""


def continued(look: OwnLook, main: np.ndarray, gaps: np.ndarray, family: np.ndarray | None = None) -> OwnLook:
    """The look of a picture in which other surfaces show in the pixels `gaps` (H, W) bool: `main` (H, W) says which.

    Every surface goes on there with a piece of its own from nearby that fits the border, toned to meet it; where there is none, with a piece
    of its `family` (S,), a number that surfaces of one kind share; else with what is usual.
    """
    ratio = look.ratio.copy()
    usual = look.usual
    missing = int(main.max()) + 1 - len(usual)
    if missing > 0:
        shown = look.pure & ~gaps
        whole = look.ratio[shown].mean(axis=0) if shown.any() else np.zeros(3, np.float32)
        usual = np.concatenate([usual, np.tile(whole.astype(np.float32), (missing, 1))])
    count, pieces = cv2.connectedComponents(gaps.astype(np.uint8))
    for piece in range(1, count):
        rows, columns = np.nonzero(pieces == piece)
        orphans = np.zeros(len(rows), bool)
        for surface in np.unique(main[rows, columns]):
            own = main[rows, columns] == surface
            there = (look.main == surface) & ~gaps
            orphans[own] = not _fill(ratio, look, rows[own], columns[own], there, usual[surface])
        if family is None or not orphans.any():
            continue
        rows, columns = rows[orphans], columns[orphans]
        kind, kinds = family[main[rows, columns]], family[look.main]
        for one in np.unique(kind):
            own = kind == one
            tone = np.median(usual[np.unique(main[rows[own], columns[own]])], axis=0)
            _fill(ratio, look, rows[own], columns[own], (kinds == one) & ~gaps, tone)
    return OwnLook(ratio, np.where(gaps, main, look.main).astype(np.int32), look.pure | gaps, usual)


def _fill(
    ratio: np.ndarray, look: OwnLook, rows: np.ndarray, columns: np.ndarray, there: np.ndarray, usual: np.ndarray
) -> bool:  # fmt: skip
    """Fill pixels of one surface, which shows at `there` (H, W) bool, in place; whether there was a piece for them."""
    height, width = there.shape
    if not there.any():
        ratio[rows, columns] = usual
        return False
    source = there & look.pure
    gap = np.zeros(there.shape, np.uint8)
    gap[rows, columns] = 1
    side = 2 * RING + 1
    ring = (cv2.dilate(gap, np.ones((side, side), np.uint8)) > 0) & source
    shift = _shift(ratio, rows, columns, source, ring)
    patch = np.tile(usual, (len(rows), 1))
    fits = np.zeros(len(rows), bool)
    if shift is not None:
        y, x = rows + shift[0], columns + shift[1]
        inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
        fits[inside] = source[y[inside], x[inside]]
        patch[fits] = ratio[y[fits], x[fits]]
        if fits.any():
            patch[~fits] = patch[fits].mean(axis=0)
    if ring.any():
        # What the patch lacks at the border is spread over it smoothly.
        ry, rx = np.nonzero(ring)
        laid = np.tile(usual, (len(ry), 1))
        if shift is not None:
            y, x = np.clip(ry + shift[0], 0, height - 1), np.clip(rx + shift[1], 0, width - 1)
            good = source[y, x]
            laid[good] = ratio[y[good], x[good]]
            laid[~good] = ratio[ry[~good], rx[~good]]
        patch += spread(ratio[ry, rx] - laid, ry, rx, rows, columns)
    ratio[rows, columns] = patch
    return shift is not None


def _shift(
    ratio: np.ndarray, rows: np.ndarray, columns: np.ndarray, source: np.ndarray, ring: np.ndarray
) -> tuple[int, int] | None:  # fmt: skip
    """By how many pixels down and right the piece lies that fits best; None without any."""
    height, width = source.shape
    high, wide = np.ptp(rows) + 1, np.ptp(columns) + 1
    some = slice(None, None, max(1, len(rows) // 400))
    gy, gx = rows[some], columns[some]
    ry, rx = np.nonzero(ring)
    few = slice(None, None, max(1, len(ry) // 400))
    ry, rx = ry[few], rx[few]
    chance = np.random.default_rng(len(rows))
    reach = chance.uniform(1.0, FARTHEST, SHIFTS), chance.uniform(0, 2 * np.pi, SHIFTS)
    tries = np.rint(np.stack([reach[0] * np.sin(reach[1]) * high, reach[0] * np.cos(reach[1]) * wide], axis=1)).astype(int)
    straight = [(0, s * round(f * wide)) for f in (1.1, 1.5, 2, 3) for s in (1, -1)] + [(s * round(f * high), 0) for f in (1.1, 1.5, 2) for s in (1, -1)]
    best, chosen = np.inf, None
    for down, right in [*straight, *map(tuple, tries)]:
        y, x = gy + down, gx + right
        inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
        filled = np.zeros(len(y), bool)
        filled[inside] = source[y[inside], x[inside]]
        if filled.mean() < COVERED:
            continue
        y, x = ry + down, rx + right
        inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
        inside[inside] = source[y[inside], x[inside]]
        if len(ry) and inside.mean() < 0.5:
            continue
        apart = np.square(ratio[ry[inside], rx[inside]] - ratio[y[inside], x[inside]]).mean() if inside.any() else 0.0
        # Near pieces lie in the same perspective.
        apart += 1e-4 * (abs(down) / high + abs(right) / wide)
        if apart < best:
            best, chosen = apart, (int(down), int(right))
    return chosen


def spread(known: np.ndarray, ky: np.ndarray, kx: np.ndarray, rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
    """Values (K, 3) known at some pixels, spread smoothly to others."""
    top, left = min(ky.min(), rows.min()), min(kx.min(), columns.min())
    shape = max(ky.max(), rows.max()) - top + 1, max(kx.max(), columns.max()) - left + 1
    field, weight = np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32)
    field[ky - top, kx - left], weight[ky - top, kx - left] = known, 1.0
    out, sure = np.zeros_like(field), np.zeros(shape, np.float32)
    width = 2.0
    while width < 2 * max(shape):
        w = cv2.GaussianBlur(weight, (0, 0), width, borderType=cv2.BORDER_CONSTANT)
        v = cv2.GaussianBlur(field, (0, 0), width, borderType=cv2.BORDER_CONSTANT)
        share = (1 - sure) * np.minimum(w / 0.02, 1.0)
        out += (share / np.maximum(w, 1e-9))[..., None] * v
        sure += share
        width *= 2
    return (out / np.maximum(sure, 1e-9)[..., None])[rows - top, columns - left]
