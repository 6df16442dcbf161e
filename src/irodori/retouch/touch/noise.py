"""Noise of a picture, measured and taken away."""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from scipy.signal import convolve2d

SIDE, STEP = 8, 3
"""px of the blocks whose frequencies are weighed, and from one to the next."""

WEAK = 2.7
"""Times the noise below which a frequency is taken for noise: Donoho and Johnstone, Biometrika 81(3), 1994, for blocks that overlap."""

CALM = 0.15
"""Share of the picture's blocks, the calmest, that tell of its noise: the rest is texture."""

CLIPPED = 0.006
"""Distance from black and white within which noise is cut off."""


def noise_level(encoded: np.ndarray) -> float:
    """Standard deviation of the noise of a picture (H, W, 3) float32 encoded, 0 … 1, as its calmest places show it; each colour's noise, evenly.

    The mask is that of Immerkær, Fast noise variance estimation, CVIU 64(2), 1996, blind to slopes.
    """
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
    grey = encoded.mean(axis=2)
    rough = np.abs(convolve2d(grey, mask, mode="valid"))
    sound = (grey[1:-1, 1:-1] > CLIPPED) & (grey[1:-1, 1:-1] < 1 - CLIPPED)
    high, wide = (n // SIDE * SIDE for n in rough.shape)
    blocks = (rough * sound)[:high, :wide].reshape(high // SIDE, SIDE, -1, SIDE).mean(axis=(1, 3)).ravel()
    full = sound[:high, :wide].reshape(high // SIDE, SIDE, -1, SIDE).all(axis=(1, 3)).ravel()
    if not full.any():
        return 0.0
    calm = np.sort(blocks[full])
    # The mean of a normal deviate's size is √(2/π) of its spread; of three colours' mean, that is 1/√3 of one's.
    return float(np.median(calm[: max(int(CALM * len(calm)), 1)]) * np.sqrt(np.pi / 2) * np.sqrt(3))


def denoised(encoded: np.ndarray, sigma: float) -> np.ndarray:
    """A picture (H, W, 3) float32 without noise of the spread `sigma`: in overlapping blocks, frequencies that noise explains are left out.

    Yaroslavsky, Egiazarian and Astola, Transform domain image restoration methods, SPIE 4304, 2001.
    """
    basis = np.sqrt(2 / SIDE) * np.cos(np.pi * (np.arange(SIDE) + 0.5) * np.arange(SIDE)[:, None] / SIDE)
    basis[0] /= np.sqrt(2)
    # Grey and two differences of colour, each as noisy.
    turn = np.array([[1, 1, 1], [1, 0, -1], [1, -2, 1]], np.float32)
    turn /= np.linalg.norm(turn, axis=1, keepdims=True)
    planes = np.ascontiguousarray(np.einsum("ij,hwj->ihw", turn, encoded), np.float32)
    clean = np.stack([_weighed(plane, basis.astype(np.float32), np.float32(WEAK * sigma)) for plane in planes])
    return np.clip(np.einsum("ij,ihw->hwj", turn, clean), 0, 1).astype(np.float32)


@njit(parallel=True, cache=True)
def _weighed(plane, basis, weak):
    height, width = plane.shape
    rows = np.append(np.arange(0, height - SIDE, STEP), height - SIDE)
    columns = np.append(np.arange(0, width - SIDE, STEP), width - SIDE)
    # Each row of blocks adds to a band of its own, so that threads never meet.
    total, weight = np.zeros((len(rows), SIDE, width), np.float32), np.zeros((len(rows), SIDE, width), np.float32)
    for r in prange(len(rows)):
        block, half = np.empty((SIDE, SIDE), np.float32), np.empty((SIDE, SIDE), np.float32)
        for x in columns:
            y = rows[r]
            for i in range(SIDE):
                for j in range(SIDE):
                    s = np.float32(0)
                    for k in range(SIDE):
                        s += basis[i, k] * plane[y + k, x + j]
                    half[i, j] = s
            kept = 1
            for i in range(SIDE):
                for j in range(SIDE):
                    s = np.float32(0)
                    for k in range(SIDE):
                        s += half[i, k] * basis[j, k]
                    if abs(s) < weak and i + j > 0:
                        s = np.float32(0)
                    elif i + j > 0:
                        kept += 1
                    block[i, j] = s
            for i in range(SIDE):
                for j in range(SIDE):
                    s = np.float32(0)
                    for k in range(SIDE):
                        s += block[i, k] * basis[k, j]
                    half[i, j] = s
            share = np.float32(1) / np.float32(kept)
            for i in range(SIDE):
                for j in range(SIDE):
                    s = np.float32(0)
                    for k in range(SIDE):
                        s += basis[k, i] * half[k, j]
                    total[r, i, x + j] += share * s
                    weight[r, i, x + j] += share
    out, sums = np.zeros((height, width), np.float32), np.zeros((height, width), np.float32)
    for r in range(len(rows)):
        out[rows[r] : rows[r] + SIDE] += total[r]
        sums[rows[r] : rows[r] + SIDE] += weight[r]
    return out / sums
