"""Smoothing of rough reflections, whose few rays a pixel leave grain.

Only surfaces whose own roughness spreads the mirror image are touched, and never across a border.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.engine.rays import for_each_tile, split_tiles

SHARPEST = np.float32(0.05)
"""Microfacet alpha below which a mirror image is kept as traced."""


@njit(cache=True, nogil=True)
def _smooth_rows(source, target, region, normal, rough, stride, noise, top, bottom):
    height, width, channels = source.shape
    total = np.zeros(channels, np.float32)
    for y in range(top, bottom):
        for x in range(width):
            alpha = rough[y, x]
            for k in range(channels):
                target[y, x, k] = source[y, x, k]
            if alpha < SHARPEST:
                continue
            here = region[y, x]
            own = np.float32(1e-6)
            for k in range(channels):
                own += source[y, x, k]
                total[k] = np.float32(0)
            weights = np.float32(0)
            # A sharper image tolerates less contrast.
            sigma = noise * np.float32(2.0) * min(alpha * np.float32(9.0), np.float32(1.0))
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    ny, nx = y + dy * stride, x + dx * stride
                    if ny < 0 or nx < 0 or ny >= height or nx >= width or region[ny, nx] != here:
                        continue
                    if rough[ny, nx] < SHARPEST:
                        continue
                    dot = np.float32(0)
                    for k in range(3):
                        dot += normal[y, x, k] * normal[ny, nx, k]
                    if dot < np.float32(0.97):
                        continue
                    value = np.float32(1e-6)
                    for k in range(channels):
                        value += source[ny, nx, k]
                    contrast = np.float32(np.log(value / own))
                    weight = np.float32(1 + (dx == 0)) * np.float32(1 + (dy == 0))
                    weight *= np.float32(np.exp(-contrast * contrast / (sigma * sigma)))
                    weights += weight
                    for k in range(channels):
                        total[k] += weight * source[ny, nx, k]
            for k in range(channels):
                target[y, x, k] = total[k] / weights


def smooth_reflections(
    layers: np.ndarray, channels: slice, fragments: Fragments, size: tuple[int, int], rough: np.ndarray, *,
    passes: int, noise: float,
) -> None:  # fmt: skip
    """Smooth the reflection `channels` of `layers` (N, C) in place, on each pixel's largest fragment.

    `rough` (N,) is the microfacet alpha, 0 where nothing is to be smoothed; `noise` the relative noise expected.
    """
    first = fragments.first()
    width, height = size
    alpha = rough[first].reshape(height, width)
    if passes == 0 or not (alpha >= SHARPEST).any():
        return
    current = layers[first, channels].astype(np.float32).reshape(height, width, -1)
    region = fragments.region[first].reshape(height, width)
    normal = fragments.normal[first].reshape(height, width, 3)
    for level in range(passes):
        out = np.empty_like(current)
        sigma = np.float32(noise * 0.6**level)

        def work(span, source=current, target=out, stride=1 << level, sigma=sigma) -> None:
            _smooth_rows(source, target, region, normal, alpha, stride, sigma, *span)

        for_each_tile(split_tiles(height, max(height // 16, 8)), work, stage="Denoising")
        current = out
    changed = np.flatnonzero((alpha >= SHARPEST).ravel())
    layers[first[changed], channels] = current.reshape(len(first), -1)[changed]
