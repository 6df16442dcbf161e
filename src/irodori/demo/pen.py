"""Drawing by hand: wavering pen strokes on paper."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from irodori.core.pixels.runs import runs_of

OVER = 3
"""Pixels of ink a pixel of paper, each way."""

PAPER = np.array([246, 243, 235])
INK = np.array([38, 40, 52])


def pen_sketch(
    runs: Iterable[np.ndarray], size: tuple[int, int], *, seed: int = 5, curves: Iterable[np.ndarray] = ()
) -> np.ndarray:
    """A pen sketch on paper, (H, W, 3) uint8 sRGB.

    Straight `runs` (2, 2) px waver, miss their ends or pass them, with thick and thin strokes; `curves` (n, 2) px,
    crowns for example, are followed as they are. The paper is a little uneven.
    """
    rng = np.random.default_rng(seed)
    width, height = size
    ink = np.zeros((height * OVER, width * OVER), np.uint8)
    for a, b in runs:
        length = float(np.hypot(*(b - a)))
        if length < 3:
            continue
        way = (b - a) / length
        across = np.array([-way[1], way[0]])
        spare = rng.uniform(-3, 5, 2) * min(1.0, length / 40)
        a, b = a - way * spare[0], b + way * spare[1]
        n = max(int(length // 14), 2)
        t = np.linspace(0, 1, n)
        waver = np.convolve(rng.normal(0, 0.9, n + 4), np.ones(5) / 5, "valid") * min(1.0, length / 60) * 1.4
        bow = rng.normal(0, 0.5) * np.sin(np.pi * t) * min(1.5, length / 150)
        _stroke(ink, a + t[:, None] * (b - a) + (waver + bow)[:, None] * across, rng.uniform(1.0, 2.2))
    for curve in curves:
        _stroke(ink, curve, rng.uniform(0.9, 1.5))
    cover = cv2.resize(ink, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    y, x = np.mgrid[0:height, 0:width]
    paper = PAPER * (1 - 0.05 * (x / width)[..., None] - 0.03 * (y / height)[..., None])
    grain = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 1.0)[..., None] * 4
    return np.clip((paper + grain) * (1 - cover * 0.85) + INK * cover * 0.85, 0, 255).astype(np.uint8)


def visible_runs(edges: np.ndarray, camera, depth: np.ndarray) -> list[np.ndarray]:
    """Pieces of edges (E, 2, 3) m that a camera sees before `depth` (H, W) m, each (2, 2) px."""
    width, height = camera.size
    runs = []
    t = np.linspace(0, 1, 400)[:, None]
    for a, b in edges:
        place, far = camera.project(a + t * (b - a))
        x, y = place[:, 0], place[:, 1]
        inside = (x > 1) & (y > 1) & (x < width - 2) & (y < height - 2) & (far > 0.02)
        if not inside.any():
            continue
        xi, yi = np.clip(x, 1, width - 2).astype(int), np.clip(y, 1, height - 2).astype(int)
        before = np.stack([depth[yi + dy, xi + dx] for dy in (-1, 0, 1) for dx in (-1, 0, 1)]).max(0)
        seen = inside & (far < before * 1.004 + 0.01)
        runs += [place[[first, last]] for first, last in runs_of(seen) if last - first >= 3]
    return runs


def _stroke(ink: np.ndarray, path: np.ndarray, pen: float) -> None:
    points = np.rint(path * OVER * 16).astype(np.int32)
    cv2.polylines(ink, [points], False, 255, max(int(pen * OVER), 1), cv2.LINE_AA, 4)
