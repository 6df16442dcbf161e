"""Smoothing of rough reflections, whose few rays a pixel leave grain.

Only surfaces whose own roughness spreads the mirror image are touched, and never across a border.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.core.pixels.borders import within_regions
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.image.specks import hold_specks

SHARPEST = np.float32(0.003)
"""Microfacet alpha below which a mirror image is kept as traced."""

RIPPLED = np.float32(0.012)
"""Microfacet alpha from which a mirror image has no detail of one pixel."""

BAND = 512
"""Rows smoothed at once."""

CHANNELS = 9
"""Of reflections: sun, sky and lamps; a number known when compiled makes the loops fast."""


@njit(cache=True, nogil=True)
def _tones(values, rough, black, tone, top, bottom):
    """Logarithm of each rough pixel's light, summed over channels, over what is black."""
    for y in range(top, bottom):
        for x in range(tone.shape[1]):
            if rough[y, x] < SHARPEST:
                continue
            total = black
            for k in range(CHANNELS):
                total += values[y, x, k]
            tone[y, x] = np.log(total)


@njit(cache=True, nogil=True)
def _smooth_rows(source, tone, target, region, normal, rough, broad, stride, noise, top, bottom):
    height, width = region.shape
    total = np.zeros(CHANNELS, np.float32)
    for y in range(top, bottom):
        for x in range(width):
            alpha = rough[y, x]
            if alpha < SHARPEST:
                continue
            if stride > 2 and alpha < broad:
                for k in range(CHANNELS):
                    target[y, x, k] = source[y, x, k]
                continue
            here, own = region[y, x], tone[y, x]
            for k in range(CHANNELS):
                total[k] = np.float32(0)
            weights = np.float32(0)
            # A sharper image tolerates less contrast.
            sigma = noise * np.float32(2.0) * min(np.float32(0.15) + alpha * np.float32(20.0), np.float32(1.0))
            narrow = np.float32(0.5) / (sigma * sigma)
            for dy in range(-1, 2):
                ny = y + dy * stride
                if ny < 0 or ny >= height:
                    continue
                for dx in range(-1, 2):
                    nx = x + dx * stride
                    if nx < 0 or nx >= width or region[ny, nx] != here or rough[ny, nx] < SHARPEST:
                        continue
                    dot = np.float32(0)
                    for k in range(3):
                        dot += normal[y, x, k] * normal[ny, nx, k]
                    if dot < np.float32(0.97):
                        continue
                    contrast = tone[ny, nx] - own
                    # Nearly a Gaussian, without the exponential.
                    fall = np.float32(1) / (np.float32(1) + contrast * contrast * narrow)
                    weight = np.float32((1 + (dx == 0)) * (1 + (dy == 0))) * fall * fall
                    weights += weight
                    for k in range(CHANNELS):
                        total[k] += weight * source[ny, nx, k]
            share = np.float32(1) / weights
            for k in range(CHANNELS):
                target[y, x, k] = total[k] * share


@njit(cache=True, nogil=True)
def _gather(layers, regions, normals, first, alpha, channel, out, region, normal, begin, end):
    """Light, surface and normal of the rough pixels; the others keep region 0 and are never asked for."""
    for i in range(begin, end):
        if alpha[i] < SHARPEST:
            continue
        j = first[i]
        region[i] = regions[j]
        for k in range(3):
            normal[i, k] = normals[j, k]
        for k in range(out.shape[1]):
            out[i, k] = layers[j, channel + k]


@njit(cache=True, nogil=True)
def _scatter(layers, first, channel, values, changed, begin, end):
    for j in range(begin, end):
        i = changed[j]
        for k in range(values.shape[1]):
            layers[first[i], channel + k] = values[i, k]


def smooth_reflections(
    layers: np.ndarray, channels: slice, fragments: Fragments, size: tuple[int, int], rough: np.ndarray, *,
    passes: int, noise: float, black: float, broad: float,
) -> None:  # fmt: skip
    """Smooth the reflection `channels` of `layers` (N, C) in place, on each pixel's largest fragment.

    `rough` (N,) is the microfacet alpha, 0 where nothing is to be smoothed; `noise` the relative noise expected,
    `black` the light, summed over channels, below which differences do not show; `broad` the alpha from which a mirror
    image is so wide that far pixels may be averaged.
    """
    first = fragments.first()
    width, height = size
    alpha = rough[first].reshape(height, width)
    if passes == 0 or not (alpha >= SHARPEST).any():
        return
    first = first.reshape(height, width)
    halo = 1 << passes
    waiting = None
    for top in range(0, height, BAND):
        bottom = min(top + BAND, height)
        reach = slice(max(top - halo, 0), min(bottom + halo, height))
        smooth = _smooth_band(
            layers, channels, fragments, first[reach], alpha[reach], passes, noise, np.float32(black), np.float32(broad)
        )
        # The next band looks back at this one as it was.
        if waiting is not None:
            _write_band(layers, channels, *waiting)
        inner = slice(top - reach.start, bottom - reach.start)
        waiting = (first[top:bottom], alpha[top:bottom], smooth[inner])
    _write_band(layers, channels, *waiting)


def _smooth_band(layers, channels, fragments, first, alpha, passes, noise, black, broad) -> np.ndarray:
    """Smoothed channels of some rows, (h, w, C)."""
    import cv2

    height, width = first.shape
    flat = first.ravel()
    current = np.empty((height, width, channels.stop - channels.start), np.float32)
    values, region = current.reshape(len(flat), -1), np.zeros(len(flat), np.int32)
    normal = np.empty((len(flat), 3), np.float32)

    def gather(span: tuple[int, int]) -> None:
        _gather(
            layers, fragments.region, fragments.normal, flat, alpha.ravel(), channels.start, values, region, normal, *span
        )  # fmt: skip

    for_each_tile(split_tiles(len(flat), 1 << 16), gather)
    region, normal = region.reshape(height, width), normal.reshape(height, width, 3)
    rows = split_tiles(height, max(height // 16, 8))
    tone, held = (np.zeros((height, width), np.float32) for _ in range(2))
    source, target = current, np.empty_like(current)
    # In the midst of ripples tones are told by their median: where few rays out of many meet what is bright, grain is denser than specks.
    rippled = within_regions(region, 5) & (alpha >= RIPPLED)
    for level in range(passes):
        sigma = np.float32(noise * 0.75**level)
        for_each_tile(rows, lambda span, source=source: _tones(source, alpha, black, tone, *span))
        if not level:
            for_each_tile(rows, lambda span: hold_specks(tone, region, 8, 3, held, *span))
        guide = tone if level else held
        guide = np.where(rippled, cv2.medianBlur(guide, 5), guide)

        def work(span, source=source, target=target, guide=guide, stride=1 << level, sigma=sigma) -> None:
            _smooth_rows(source, guide, target, region, normal, alpha, broad, stride, sigma, *span)

        for_each_tile(rows, work)
        source, target = target, source
    return source


def _write_band(layers, channels, first, alpha, smooth) -> None:
    flat, changed = first.ravel(), np.flatnonzero((alpha >= SHARPEST).ravel())
    values = smooth.reshape(len(flat), -1)
    for_each_tile(
        split_tiles(len(changed), 1 << 16), lambda span: _scatter(layers, flat, channels.start, values, changed, *span)
    )
