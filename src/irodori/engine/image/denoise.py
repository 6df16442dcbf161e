"""Denoising of lighting only: an edge-avoiding wavelet guided by exact geometry.

H. Dammertz et al., "Edge-avoiding à-trous wavelet transform for fast global illumination filtering",
High Performance Graphics 2010. Albedo and edges are never filtered: light is divided by albedo beforehand.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.image.specks import hold_specks

WINDOW, SPARSE, ENOUGH = 8, 4, 6
"""Steps to each side in which the noise is measured, at every which point, and how many are needed to tell."""

ALIKE, LEAST, MOST = 5.0, 0.02, 7.0
"""Tones are alike up to so many standard deviations of their noise, but at least as much, and at most up to so many of
those expected: what varies more is no noise."""


@njit(cache=True, nogil=True)
def _tones(light, tone, begin, end):
    """Logarithm of each point's light, summed over channels."""
    for c in range(begin, end):
        total = np.float32(1e-6)
        for k in range(light.shape[1]):
            total += light[c, k]
        tone[c] = np.log(total)


@njit(cache=True, nogil=True)
def _departures(tone, region, rows, columns, stride, out, top, bottom):
    """How far each point's tone is from the mean of those on both its sides, −1 where its surface ends there."""
    for y in range(top, bottom):
        for x in range(columns):
            c = y * columns + x
            out[c] = np.float32(-1)
            if region[c] == 0:
                continue
            total, count = np.float32(0), 0
            if stride <= x < columns - stride and region[c - stride] == region[c] == region[c + stride]:
                total += tone[c - stride] + tone[c + stride]
                count += 2
            below = stride * columns
            if stride <= y < rows - stride and region[c - below] == region[c] == region[c + below]:
                total += tone[c - below] + tone[c + below]
                count += 2
            if count > 0:
                # What it is expected to be if all tones vary by one unit, each on its own.
                share = np.float32(np.sqrt(count / (count + 1.0)))
                out[c] = abs(tone[c] - total / np.float32(count)) * share


@njit(cache=True, nogil=True)
def _variations(departure, region, rows, columns, expected, out, top, bottom):
    """Standard deviation of the tones around each point, on its own surface; `expected` where too little of it shows."""
    for y in range(top, bottom):
        for x in range(columns):
            c = y * columns + x
            total, count = np.float32(0), np.float32(0)
            for ny in range(max(y - WINDOW, 0), min(y + WINDOW + 1, rows), SPARSE):
                for nx in range(max(x - WINDOW, 0), min(x + WINDOW + 1, columns), SPARSE):
                    o = ny * columns + nx
                    if region[o] == region[c] and departure[o] >= 0:
                        total += departure[o]
                        count += np.float32(1)
            # Of a normal distribution the standard deviation is 1.25 mean departures.
            out[c] = np.float32(1.25) * total / count if count >= ENOUGH else expected


@njit(cache=True, nogil=True)
def _filter_rows(
    light, tone, variation, out, position, normal, region, depth, loose, rows, columns, stride, scale, most, top, bottom
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
            sigma = max(min(np.float32(ALIKE) * variation[c], most), np.float32(LEAST))
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
        Expected relative noise of the input. What there is, is measured all over; contrasts well above it are kept.
    """
    rows, columns = grid
    count = rows * columns
    current = np.ascontiguousarray(light[:count])
    tone, held, departure, variation = (np.empty(count, np.float32) for _ in range(4))
    for level in range(passes):
        out = np.zeros_like(current)
        # Where nothing tells: each level has averaged some noise away.
        expected = np.float32(noise * 0.55**level)
        guide = tone if level else held

        def measure(span: tuple[int, int], stride=1 << level) -> None:
            _departures(tone, region, rows, columns, stride, departure, *span)

        def hold(span: tuple[int, int]) -> None:
            hold_specks(tone.reshape(grid), region.reshape(grid), ENOUGH, 2, held.reshape(grid), *span)

        def vary(span: tuple[int, int], expected=expected) -> None:
            _variations(departure, region, rows, columns, expected, variation, *span)

        def work(
            span: tuple[int, int], source=current, target=out, guide=guide, stride=1 << level, expected=expected
        ) -> None:
            _filter_rows(
                source, guide, variation, target, position, normal, region, depth, loose, rows, columns, stride,
                np.float32(scale), np.float32(MOST * expected), *span,
            )  # fmt: skip

        bands = split_tiles(rows, max(rows // 8, 8))
        for_each_tile(split_tiles(count, 1 << 15), lambda span, source=current: _tones(source, tone, *span))
        for step in (measure, vary, work) if level else (measure, vary, hold, work):
            for_each_tile(bands, step, stage="Denoising")
        current = out
    return current
