"""Wet colour: washes that dry darker at their edges, settle in the paper's tooth and run into each other in the sky."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import luminance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.paper import tooth


def cloudy(size: tuple[int, int], cells: int, seed: int) -> np.ndarray:
    """Soft noise, (H, W) float32, mean 0 and spread 1, whose cells are a `cells`th of the picture's width."""
    import cv2

    width, height = size
    rng = np.random.default_rng(seed)
    out = np.zeros((height, width), np.float32)
    for k in range(3):
        across = max(int(cells * 2**k), 2)
        down = max(int(across * height / width), 2)
        small = rng.standard_normal((down + 3, across + 3)).astype(np.float32)
        out += cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC) * 0.6**k
    return out / max(float(out.std()), 1e-6)


def edge_distance(region: np.ndarray) -> np.ndarray:
    """px of each pixel to the nearest border between areas (H, W) int, float32."""
    import cv2

    inner = np.ones(region.shape, np.uint8)
    down, right = region[1:] != region[:-1], region[:, 1:] != region[:, :-1]
    inner[1:][down] = inner[:-1][down] = 0
    inner[:, 1:][right] = inner[:, :-1][right] = 0
    return cv2.distanceTransform(inner, cv2.DIST_L2, 3)


def washed(
    buffers: Buffers, colours: np.ndarray, paper: np.ndarray, areas: np.ndarray, *, edges: float = 0.35, settling: float = 0.22,
    running: float = 0.18, thin: float = 0.0, seed: int = 0,
) -> np.ndarray:  # fmt: skip
    """Colours (H, W, 3) encoded as pigment on `paper` (3,), each of `areas` (H, W) int a wash of its own.

    Density is what a glaze takes from the paper (Beer and Lambert): it grows at the edges of a wash by `edges`, with the tooth by
    `settling` and in clouds by `running`; what lies above `thin` in lightness is left to the paper.
    """
    scale = buffers.scale
    ratio = np.clip(colours / np.maximum(paper, 1e-3), 0.02, 1.0)
    density = -np.log(ratio)
    light = luminance(ratio)
    if thin > 0:
        density *= np.clip((thin - light) / 0.10, 0, 1)[..., None]
    away = edge_distance(areas)
    # Even over the first px, or edges would seem to lie where the pigment is densest.
    rim = np.exp(-((away / (3.4 * scale)) ** 4)) - 0.28 * np.exp(-((away / (9.0 * scale)) ** 2))
    flow = running * cloudy(buffers.size, 7, seed + 1) * 0.6
    height = tooth(buffers.size, scale, coarse=1.5, seed=2)
    # Heavy pigment settles in the valleys, and most in middle tones.
    settled = settling * (1 - 2 * height) * np.exp(-((light - 0.45) ** 2) / 0.12)
    factor = np.clip(1 + edges * rim + flow + settled, 0.15, 2.2)
    return np.clip(paper * np.exp(-density * factor[..., None]), 0, 1).astype(np.float32)
