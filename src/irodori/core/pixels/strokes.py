"""Strokes of pens and pencils on paper, apart from tones that are laid between them and from the paper's grain."""

from __future__ import annotations

import numpy as np

BROADEST = 15
"""px across a picture of 1280 that a stroke takes at most: broader dark areas are tone."""

FAINT = 0.12
"""Darkness from which a pixel belongs to a stroke."""

LARGEST = 1600
"""px of a picture's longer side up to which strokes are evened at full size."""

NEAR, PALEST = 15, 0.4
"""px about a stroke in which its own darkness is looked for, and the part of the usual one that it has at least."""

BESIDE, LESS = 2.5, 0.4
"""px to each side of a stroke at which its surroundings are looked at, and how much of either is taken off."""

GRAIN, STROKE, DIRECTIONS = 0.6, 13.0, 24
"""px across a pencil's stroke over which its grain is averaged, and px along it, in a picture 1280 wide; and how many
directions are tried."""


def in_proportion(size: float, shape: tuple[int, ...]) -> int:
    """An odd number of px that is to a picture (H, W) what `size` is to one of 1280 px."""
    return max(int(round(size * max(shape) / 1280)), 3) | 1


def lines_on_paper(evened: np.ndarray) -> tuple[np.ndarray, float, float]:
    """Strokes on evenly white paper (H, W, 3).

    Returns
    -------
    lines
        (H, W) float32: how much darker each pixel is than what surrounds it, of what that could be at most.
    tone
        Share of the picture on which tones are laid between the lines.
    level
        How dark strokes are, 0 … 1: pencils are paler than pens.
    """
    import cv2

    grey = evened.min(axis=2).astype(np.float32)
    size = in_proportion(BROADEST, grey.shape)
    around = cv2.morphologyEx(grey, cv2.MORPH_CLOSE, np.ones((size, size), np.uint8))
    # Laid tones are streaked and grainy: what they are like is their mean, not their lightest pixel.
    lines = np.clip((around - grey) / np.maximum(around, 0.1), 0, 1)
    drawn = lines[lines > FAINT]
    level = float(np.percentile(drawn, 75)) if drawn.size > 50 else 1.0
    tone = float((cv2.GaussianBlur(around, (0, 0), size / 4) < 1 - FAINT / 2).mean())
    return lines, tone, level


def even_strokes(lines: np.ndarray) -> np.ndarray:
    """Strokes (H, W) 0 … 1 as even and as dark as a pen's, without the paper's grain in them."""
    import cv2

    height, width = lines.shape
    scale = min(1.0, LARGEST / max(height, width))
    small = cv2.resize(lines, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else lines
    even = _along_strokes(small, STROKE * max(max(small.shape) / 1280, 1.0))
    # A pale stroke is measured by itself, not by dark ones elsewhere.
    full = _usual_darkness(even)
    near = cv2.GaussianBlur(cv2.dilate(even, np.ones((NEAR, NEAR), np.uint8)), (0, 0), NEAR / 2)
    even = even / np.clip(near, PALEST * full, full)
    if scale < 1:
        even = cv2.resize(even, (width, height), interpolation=cv2.INTER_CUBIC)
    # Half a stroke's length beyond its end half of it is left: there it shall end.
    return np.clip((even - 0.45) / 0.3, 0, 1)


def _usual_darkness(lines: np.ndarray) -> float:
    """How dark strokes usually are."""
    drawn = lines[lines > FAINT]
    return float(np.percentile(drawn, 60)) if drawn.size else 1.0


def _along_strokes(lines: np.ndarray, length: float) -> np.ndarray:
    """The strongest mean of `lines` (H, W) along any straight piece of so many px through each pixel, less what is beside."""
    import cv2

    lines = cv2.GaussianBlur(lines, (0, 0), GRAIN)
    reach = int(length / 2 + BESIDE) + 2
    step = np.arange(-(length / 2), length / 2 + 0.25, 0.25)
    best = np.zeros_like(lines)
    for angle in np.linspace(0, np.pi, DIRECTIONS, endpoint=False):
        kernel = np.zeros((2 * reach + 1,) * 2, np.float32)
        for aside, weight in ((0.0, 1.0), (BESIDE, -LESS), (-BESIDE, -LESS)):
            x = reach + step * np.cos(angle) - aside * np.sin(angle)
            y = reach + step * np.sin(angle) + aside * np.cos(angle)
            # Each sample is shared among the four pixels about it.
            left, top = np.floor(x).astype(int), np.floor(y).astype(int)
            for dx in (0, 1):
                for dy in (0, 1):
                    share = (1 - np.abs(x - left - dx)) * (1 - np.abs(y - top - dy))
                    np.add.at(kernel, (top + dy, left + dx), weight * share / len(step))
        best = np.maximum(best, cv2.filter2D(lines, -1, kernel, borderType=cv2.BORDER_REPLICATE))
    return best
