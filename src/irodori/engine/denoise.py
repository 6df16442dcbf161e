"""Denoising of lighting only: an edge-avoiding wavelet guided by exact geometry.

H. Dammertz et al., "Edge-avoiding à-trous wavelet transform for fast global illumination filtering",
High Performance Graphics 2010. Albedo and edges are never filtered: light is divided by albedo beforehand.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.engine.rays import for_each_tile, split_tiles


@njit(cache=True, nogil=True)
def _tones(light, tone, begin, end):
    """Logarithm of each point's light, summed over channels."""
    for c in range(begin, end):
        total = np.float32(1e-6)
        for k in range(light.shape[1]):
            total += light[c, k]
        tone[c] = np.log(total)


@njit(cache=True, nogil=True)
def _filter_rows(
    light, tone, out, position, normal, region, depth, loose, rows, columns, stride, scale, sigma, top, bottom
):
    channels = light.shape[1]
    total = np.zeros(channels, np.float32)
    for y in range(top, bottom):
        for x in range(columns):
            c = y * columns + x
            here = region[c]
            if here == 0:
                continue
            for k in range(channels):
                total[k] = np.float32(0)
            weights = np.float32(0)
            tolerance = np.float32(0.03) + scale * depth[c] * np.float32(stride) * np.float32(0.5)
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    ny, nx = y + dy * stride, x + dx * stride
                    if ny < 0 or nx < 0 or ny >= rows or nx >= columns:
                        continue
                    o = ny * columns + nx
                    other = region[o]
                    if other == 0:
                        continue
                    kernel = np.float32(0.25) * np.float32(2 - abs(dx)) * np.float32(2 - abs(dy)) * np.float32(0.25)
                    if not (here == other and loose[here]):
                        dot = normal[c, 0] * normal[o, 0] + normal[c, 1] * normal[o, 1] + normal[c, 2] * normal[o, 2]
                        if dot < np.float32(0.9):
                            continue
                        gap = abs(
                            (position[o, 0] - position[c, 0]) * normal[c, 0]
                            + (position[o, 1] - position[c, 1]) * normal[c, 1]
                            + (position[o, 2] - position[c, 2]) * normal[c, 2]
                        )
                        if gap > tolerance:
                            continue
                        kernel *= (dot - np.float32(0.9)) * np.float32(10.0)
                    contrast = tone[o] - tone[c]
                    kernel *= np.float32(np.exp(-(contrast * contrast) / (sigma * sigma)))
                    weights += kernel
                    for k in range(channels):
                        total[k] += kernel * light[o, k]
            for k in range(channels):
                out[c, k] = total[k] / weights if weights > 0 else light[c, k]


def denoise_light(
    light: np.ndarray, position: np.ndarray, normal: np.ndarray, region: np.ndarray, depth: np.ndarray,
    loose: np.ndarray, grid: tuple[int, int], *, scale: float, passes: int, noise: float,
) -> np.ndarray:  # fmt: skip
    """Filter light on a grid of points.

    Parameters
    ----------
    light
        (R·C, K) float32, illuminance by source.
    position, normal, region, depth
        Of the grid's points.
    scale
        Width of a grid step at 1 m, m.
    passes
        Wavelet levels; the filter reaches about 2^passes steps.
    noise
        Expected relative noise of the input; contrasts well above it are kept.
    """
    rows, columns = grid
    count = rows * columns
    current = np.ascontiguousarray(light[:count])
    tone = np.empty(count, np.float32)
    for level in range(passes):
        out = np.zeros_like(current)
        # Each level has averaged some noise away, so what contrast is left counts for more.
        sigma = np.float32(max(noise * 7.0 * 0.55**level, 0.08))

        def work(span: tuple[int, int], source=current, target=out, stride=1 << level, sigma=sigma) -> None:
            _filter_rows(
                source, tone, target, position, normal, region, depth, loose, rows, columns, stride, np.float32(scale),
                sigma, *span,
            )  # fmt: skip

        for_each_tile(split_tiles(count, 1 << 15), lambda span, source=current: _tones(source, tone, *span))
        for_each_tile(split_tiles(rows, max(rows // 8, 8)), work, stage="Denoising")
        current = out
    return current
