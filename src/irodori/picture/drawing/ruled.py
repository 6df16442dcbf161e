"""Strokes in the picture itself, as a hand draws what has no plane: sky, water, foliage and grass."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import chance
from irodori.picture.drawing.paths import Paths, with_room


def ruled(
    cover: np.ndarray, angle: float, spacing: float, pen: float, kind: int, *, seed: int = 0, wave: float = 0.0,
    longest: float = 1e9,
) -> Paths:  # fmt: skip
    """Lines at an `angle` (radians, clockwise from level), `spacing` px apart, that cover the share `cover` (H, W) of the paper.

    Where a line would be finer than a third of the `pen` it is broken up instead. `wave` px is how far it swings, `longest` px after
    what a hand lifts the pen.
    """
    points, width, starts = _ruled(
        np.ascontiguousarray(cover, np.float32), np.float32(angle), np.float32(spacing), np.float32(pen), seed, np.float32(wave),
        np.float32(longest),
    )  # fmt: skip
    count = len(starts) - 1
    return Paths(points, width, starts, np.full(count, kind, np.int8), np.zeros(count, np.int32))


@njit(cache=True, nogil=True)
def _ruled(cover, angle, spacing, pen, seed, wave, longest):
    height, wide = cover.shape
    dx, dy = np.float32(np.cos(angle)), np.float32(np.sin(angle))
    nx, ny = -dy, dx
    # The lines' distances from the picture's middle, so that it matters little how large it is.
    cx, cy = np.float32(wide // 2), np.float32(height // 2)
    reach = np.float32(np.sqrt(cx * cx + cy * cy))
    count = int(reach / spacing) + 1
    points, width = np.empty((4096, 2), np.float32), np.empty(4096, np.float32)
    starts = [0]
    filled = 0
    step = min(max(pen, np.float32(1.0)), np.float32(2.0))
    for k in range(-count, count + 1):
        off = (k + np.float32(0.5) + (chance(k + 100000, seed, 1) - np.float32(0.5)) * np.float32(0.5)) * spacing
        running, since = False, np.float32(0)
        steps = int(2 * reach / step)
        phase = chance(k + 100000, seed, 2) * np.float32(6.28)
        stop = longest * (np.float32(0.5) + chance(k + 100000, seed, 3))
        for j in range(steps + 1):
            along = np.float32(j) * step - reach
            swing = wave * np.float32(np.sin(along / (np.float32(9) * max(spacing, np.float32(1))) + phase))
            x, y = cx + dx * along + nx * (off + swing), cy + dy * along + ny * (off + swing)
            px, py = int(x), int(y)
            w = np.float32(0)
            if 0 <= x and 0 <= y and px < wide and py < height:
                c = cover[py, px]
                w = min(c * spacing, pen * np.float32(1.6))
                least = pen * np.float32(0.34)
                if w < least:
                    # Fine lines are broken: pieces as long as it takes.
                    piece = int(along / (np.float32(11) * spacing)) + 100000
                    w = least if chance(k + 100000, piece, seed) < w / least else np.float32(0)
            if running and since > stop:
                w = np.float32(0)
                stop = longest * (np.float32(0.5) + chance(k + 100000, j, seed))
            drawn = w > np.float32(0.05)
            points, width = with_room(points, width, filled)
            if drawn:
                if not running:
                    running, since = True, np.float32(0)
                since += step
                points[filled, 0], points[filled, 1], width[filled] = x, y, w
                filled += 1
            if running and (not drawn or j == steps):
                if filled - starts[-1] < 3:
                    filled = starts[-1]
                else:
                    starts.append(filled)
                running = False
    if filled > starts[-1]:
        filled = starts[-1]
    return points[:filled].copy(), width[:filled].copy(), np.array(starts, dtype=np.int64)


def filled(cover: np.ndarray, kind: int) -> Paths:
    """Solid ink: a level line for each row of pixels, as wide as `cover` (H, W), 0 … 1, says."""
    points, width, starts = _filled(np.ascontiguousarray(cover, np.float32))
    count = len(starts) - 1
    return Paths(points, width, starts, np.full(count, kind, np.int8), np.zeros(count, np.int32))


@njit(cache=True, nogil=True)
def _filled(cover):
    height, wide = cover.shape
    points, width = np.empty((4096, 2), np.float32), np.empty(4096, np.float32)
    starts = [0]
    count = 0
    for y in range(height):
        x = 0
        while x < wide:
            if cover[y, x] < np.float32(0.02):
                x += 1
                continue
            first = x
            while x < wide and cover[y, x] >= np.float32(0.02):
                x += 1
            for j in range(first, x + 2):
                points, width = with_room(points, width, count)
                points[count, 0] = min(max(np.float32(j) - np.float32(0.5), np.float32(first)), np.float32(x))
                points[count, 1] = np.float32(y) + np.float32(0.5)
                width[count] = cover[y, min(max(j - 1, first), x - 1)]
                count += 1
            starts.append(count)
    return points[:count].copy(), width[:count].copy(), np.array(starts, dtype=np.int64)


def ticks(cover: np.ndarray, scale: np.ndarray, pen: float, kind: int, *, seed: int = 0) -> Paths:
    """Short strokes upwards, as grass is drawn: `scale` (H, W) px is how tall, 0 nowhere; more of them where `cover` is more."""
    points, width, starts = _ticks(
        np.ascontiguousarray(cover, np.float32), np.ascontiguousarray(scale, np.float32), np.float32(pen), seed
    )
    count = len(starts) - 1
    return Paths(points, width, starts, np.full(count, kind, np.int8), np.zeros(count, np.int32))


@njit(cache=True, nogil=True)
def _ticks(cover, scale, pen, seed):
    height, wide = cover.shape
    points, width = [], []
    starts = [0]
    cell = max(int(3 * pen), 2)
    for cy in range(height // cell):
        for cx in range(wide // cell):
            x = (cx + chance(cx, cy, seed)) * cell
            y = (cy + chance(cx, cy, seed + 1)) * cell
            px, py = min(int(x), wide - 1), min(int(y), height - 1)
            tall = scale[py, px]
            if tall <= 0:
                continue
            # So many that their ink is the share wanted.
            share = cover[py, px] * cell * cell / max(pen * np.float32(0.7) * tall, np.float32(0.5))
            if chance(cx, cy, seed + 2) > share:
                continue
            lean = (chance(cx, cy, seed + 3) - np.float32(0.5)) * np.float32(0.9)
            high = tall * (np.float32(0.6) + np.float32(0.8) * chance(cx, cy, seed + 4))
            for j in range(3):
                t = np.float32(j) / np.float32(2)
                points.append((x + lean * high * t * t, y - high * t))
                width.append(pen * (np.float32(1) - np.float32(0.6) * t))
            starts.append(len(points))
    out, wides = np.empty((len(points), 2), np.float32), np.empty(len(points), np.float32)
    for i in range(len(points)):
        out[i, 0], out[i, 1] = points[i]
        wides[i] = width[i]
    return out, wides, np.array(starts, dtype=np.int64)


def scallops(mask: np.ndarray, size: np.ndarray, pen: float, kind: int, *, least: float, seed: int = 0) -> Paths:
    """The outline of masses of leaves, `mask` (H, W) 0 … 1, as a row of small bows; `size` (H, W) px how wide these are.

    Outlines around less than `least` px² are left out.
    """
    import cv2

    inside = (mask > 0.5).astype(np.uint8)
    found, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    points, width, starts = [], [], [0]
    for number, outline in enumerate(found):
        if cv2.contourArea(outline) < least:
            continue
        path = outline[:, 0].astype(np.float32) + 0.5
        drawn, wide = _bows(path, np.ascontiguousarray(size, np.float32), np.float32(pen), seed + number)
        if len(drawn) > 4:
            points.append(drawn)
            width.append(wide)
            starts.append(starts[-1] + len(drawn))
    if not points:
        return Paths.none()
    count = len(points)
    return Paths(
        np.concatenate(points), np.concatenate(width), np.array(starts), np.full(count, kind, np.int8), np.zeros(count, np.int32)
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _bows(path, size, pen, seed):
    """Bows along a closed outline that bulge outwards, now and then left out."""
    count = len(path)
    height, wide = size.shape
    out = np.empty((6 * count + 16, 2), np.float32)
    width = np.empty(6 * count + 16, np.float32)
    filled, i, bow = 0, 0, 0
    while i < count:
        x0, y0 = path[i]
        length = size[min(int(y0), height - 1), min(int(x0), wide - 1)]
        length *= np.float32(0.6) + np.float32(0.9) * chance(bow, seed, 3)
        j = min(i + max(int(length), 3), count - 1)
        x1, y1 = path[j]
        dx, dy = x1 - x0, y1 - y0
        # Outlines run with the mass on their right: outwards is to the left.
        bulge = np.float32(0.38) + np.float32(0.25) * chance(bow, seed, 4)
        nx, ny = dy * bulge, -dx * bulge
        gap = chance(bow, seed, 5) < np.float32(0.12)
        for k in range(5):
            t = np.float32(k) / np.float32(4)
            up = np.float32(4) * t * (np.float32(1) - t)
            if filled >= len(out):
                break
            out[filled, 0], out[filled, 1] = x0 + dx * t + nx * up, y0 + dy * t + ny * up
            width[filled] = np.float32(0) if gap else pen * (np.float32(0.7) + np.float32(0.6) * up)
            filled += 1
        bow += 1
        if j <= i:
            break
        i = j
        if j == count - 1:
            break
    return out[:filled].copy(), width[:filled].copy()
