"""A hole in a picture filled with pieces of what is around it.

Wexler, Shechtman and Irani, Space-time completion of video, IEEE PAMI 29(3), 2007; the nearest patches are found as by Barnes, Shechtman,
Finkelstein and Goldman, PatchMatch, ACM TOG 28(3), 2009.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from irodori.core.sampling import chance
from irodori.retouch.continued import spread

HALF = 3
"""px of a patch on either side of its middle."""

AROUND, LEAST_AROUND = 1.5, 60
"""Sizes of the hole, and px at least, round it that pieces are taken from."""

COARSEST = 6
"""px of the hole at the coarsest level."""

ROUNDS, SWEEPS = 8, 3
"""Times that a level is filled anew, and sweeps of the search before each."""

SURER = 1.3
"""How much surer a patch is for lying one pixel nearer to what is known: so that is gone on with, inward."""

FAR = 0.002
"""Cost of a piece for lying one hole's size away: near ones lie in the same light and perspective."""


def filled(picture: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """The picture (H, W, 3) float32 with `hole` (H, W) bool filled; unchanged elsewhere, and where there is too little around."""
    if not hole.any():
        return picture
    out = picture.copy()
    count, labels, stats, _ = cv2.connectedComponentsWithStats(hole.astype(np.uint8))
    for piece in range(1, count):
        left, top, wide, high = (int(v) for v in stats[piece, :4])
        margin = max(round(AROUND * max(wide, high)), LEAST_AROUND)
        rows = slice(max(top - margin, 0), min(top + high + margin, picture.shape[0]))
        columns = slice(max(left - margin, 0), min(left + wide + margin, picture.shape[1]))
        own = labels[rows, columns] == piece
        part = _filled_part(np.ascontiguousarray(out[rows, columns], np.float32), hole[rows, columns])
        out[rows, columns][own] = part[own]
        hole = hole & (labels != piece)
    return out


def _filled_part(picture: np.ndarray, hole: np.ndarray) -> np.ndarray:
    """One part with a hole, from the coarsest level to the finest."""
    depth = cv2.distanceTransform(np.pad(hole, 1).astype(np.uint8), cv2.DIST_L2, 3).max()
    levels = max(0, int(np.ceil(np.log2(max(2 * depth / COARSEST, 1)))))
    while levels and min(hole.shape) >> levels < 4 * (2 * HALF + 1):
        levels -= 1
    now: np.ndarray | None = None
    match: np.ndarray | None = None
    for level in range(levels, -1, -1):
        size = max(hole.shape[1] >> level, 1), max(hole.shape[0] >> level, 1)
        weight = cv2.resize((~hole).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        known = cv2.resize(picture * ~hole[..., None], size, interpolation=cv2.INTER_AREA)
        open_ = weight < 0.999
        shown = known / np.maximum(weight, 1e-6)[..., None]
        if now is None:
            shown = _smooth_start(shown, open_)
        else:
            finer = cv2.resize(now, size, interpolation=cv2.INTER_LINEAR)
            shown = np.where(open_[..., None], finer, shown)
        source = cv2.erode((~open_).astype(np.uint8), np.ones((2 * HALF + 1,) * 2, np.uint8), borderValue=0) > 0
        source[:HALF], source[-HALF:], source[:, :HALF], source[:, -HALF:] = False, False, False, False
        places = np.argwhere(source).astype(np.int32)
        if not len(places):
            now = shown
            continue
        target = cv2.dilate(open_.astype(np.uint8), np.ones((2 * HALF + 1,) * 2, np.uint8)) > 0
        if match is None:
            match = np.full((*open_.shape, 2), -1, np.int32)
        else:
            match = cv2.resize(match.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(np.int32) * 2
        now = np.ascontiguousarray(shown, np.float32)
        scale = np.float32(FAR / max(2 * depth / 2**level, 1.0))
        inward = cv2.distanceTransform(np.pad(open_, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
        trust = (SURER ** -np.minimum(inward, 40)).astype(np.float32)
        for turn in range(ROUNDS if level else max(ROUNDS // 2, 2)):
            _search(now, target, source, places, match, scale, turn + 100 * level)
            _vote(now, open_, target, match, trust, False)
    if match is not None and len(places):
        now = now + _lacking(now, hole, target, match, trust)
    return np.where(hole[..., None], now, picture)


def _lacking(now: np.ndarray, hole: np.ndarray, target: np.ndarray, match: np.ndarray, trust: np.ndarray) -> np.ndarray:
    """What the pieces lack of the picture at the border of the hole, spread over it smoothly, (H, W, 3)."""
    said = now.copy()
    ring = (cv2.dilate(hole.astype(np.uint8), np.ones((2 * HALF - 1,) * 2, np.uint8)) > 0) & ~hole
    if not ring.any():
        return np.zeros_like(now)
    _vote(said, ring, target, match, trust, True)
    rows, columns = np.nonzero(hole)
    known = np.nonzero(ring)
    out = np.zeros_like(now)
    out[rows, columns] = spread((now - said)[known], *known, rows, columns)
    return out


def _smooth_start(shown: np.ndarray, open_: np.ndarray) -> np.ndarray:
    """The hole filled from its border, smoothly."""
    eight = np.clip(np.rint(shown * 255), 0, 255).astype(np.uint8)
    start = cv2.inpaint(eight, open_.astype(np.uint8), 5, cv2.INPAINT_TELEA).astype(np.float32) / 255
    return np.where(open_[..., None], start, shown)


@njit(cache=True, nogil=True)
def _apart(picture, y, x, v, u, best, scale):
    """How far the patch round (y, x) is from that round (v, u); gives up beyond `best`."""
    height, width, colours = picture.shape
    total = scale * np.float32(np.sqrt((y - v) ** 2 + (x - u) ** 2)) * (2 * HALF + 1) ** 2
    for j in range(-HALF, HALF + 1):
        yy = min(max(y + j, 0), height - 1)
        for i in range(-HALF, HALF + 1):
            xx = min(max(x + i, 0), width - 1)
            for k in range(colours):
                d = picture[yy, xx, k] - picture[v + j, u + i, k]
                total += d * d
        if total >= best:
            return total
    return total


@njit(cache=True, nogil=True)
def _search(picture, target, source, places, match, scale, turn):
    height, width = target.shape
    cost = np.full((height, width), np.float32(1e9))
    for y in range(height):
        for x in range(width):
            if not target[y, x]:
                continue
            v, u = match[y, x, 0], match[y, x, 1]
            if not (0 <= v < height and 0 <= u < width and source[v, u]):
                pick = places[min(int(chance(y * width + x, turn, 1) * len(places)), len(places) - 1)]
                v, u = pick[0], pick[1]
                match[y, x, 0], match[y, x, 1] = v, u
            cost[y, x] = _apart(picture, y, x, v, u, np.float32(1e9), scale)
    for sweep in range(SWEEPS):
        step = 1 if sweep % 2 == 0 else -1
        for a in range(height):
            y = a if step == 1 else height - 1 - a
            for b in range(width):
                x = b if step == 1 else width - 1 - b
                if not target[y, x]:
                    continue
                best = cost[y, x]
                for side in range(2):
                    py, px = (y - step, x) if side else (y, x - step)
                    if 0 <= py < height and 0 <= px < width and target[py, px]:
                        v, u = match[py, px, 0] + y - py, match[py, px, 1] + x - px
                        if 0 <= v < height and 0 <= u < width and source[v, u]:
                            d = _apart(picture, y, x, v, u, best, scale)
                            if d < best:
                                best, match[y, x, 0], match[y, x, 1] = d, v, u
                reach, number = max(height, width), 0
                while reach >= 1:
                    number += 2
                    key = sweep + 8 * turn
                    v = match[y, x, 0] + int(np.rint((2 * chance(y * width + x, key, number) - 1) * reach))
                    u = match[y, x, 1] + int(np.rint((2 * chance(y * width + x, key, number + 1) - 1) * reach))
                    if 0 <= v < height and 0 <= u < width and source[v, u]:
                        d = _apart(picture, y, x, v, u, best, scale)
                        if d < best:
                            best, match[y, x, 0], match[y, x, 1] = d, v, u
                    reach //= 2
                cost[y, x] = best


@njit(cache=True, nogil=True)
def _vote(picture, open_, target, match, trust, within):
    """Every pixel of the hole becomes the mean of what the patches over it say, those that fit best counting most."""
    height, width, colours = picture.shape
    costs = np.zeros((height, width), np.float32)
    count = 0
    for y in range(height):
        for x in range(width):
            if target[y, x]:
                costs[y, x] = _apart(picture, y, x, match[y, x, 0], match[y, x, 1], np.float32(1e9), np.float32(0))
                count += 1
    some = np.empty(count, np.float32)
    n = 0
    for y in range(height):
        for x in range(width):
            if target[y, x]:
                some[n] = costs[y, x]
                n += 1
    usual = max(np.sort(some)[3 * count // 4], np.float32(1e-4))
    out = picture.copy()
    for y in range(height):
        for x in range(width):
            if not open_[y, x]:
                continue
            total, weight = np.zeros(colours, np.float32), np.float32(0)
            for j in range(-HALF, HALF + 1):
                for i in range(-HALF, HALF + 1):
                    py, px = y + j, x + i
                    if not (0 <= py < height and 0 <= px < width and target[py, px]):
                        continue
                    # Asked of what is known, patches say what they are from, as inside the hole.
                    if within and trust[py, px] > 0.8:
                        continue
                    v, u = match[py, px, 0] - j, match[py, px, 1] - i
                    share = trust[py, px] * (np.float32(np.exp(-costs[py, px] / usual)) + np.float32(1e-6))
                    weight += share
                    for k in range(colours):
                        total[k] += share * picture[v, u, k]
            if weight > 0:
                for k in range(colours):
                    out[y, x, k] = total[k] / weight
    for y in range(height):
        for x in range(width):
            for k in range(colours):
                picture[y, x, k] = out[y, x, k]
