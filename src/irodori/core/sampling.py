"""Random numbers that depend only on pixel, sample and seed, never on thread order."""

from __future__ import annotations

from itertools import permutations

import numpy as np
from numba import njit


@njit(cache=True)
def hash_u32(x):
    """A well-mixed 32-bit hash (constants found by Chris Wellons' prospector, 2018, "lowbias32")."""
    x = np.uint32(x)
    x ^= x >> np.uint32(16)
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x ^= x >> np.uint32(15)
    x = np.uint32(x * np.uint32(0x846CA68B))
    x ^= x >> np.uint32(16)
    return x


@njit(cache=True)
def unit_float(x):
    """The hash of `x` as float32 in [0, 1)."""
    return np.float32(hash_u32(x) >> np.uint32(8)) * np.float32(1.0 / 16777216.0)


@njit(cache=True, nogil=True)
def chance(a, b, c):
    """A number 0 … 1 that depends on three others alone (SplitMix64: Steele, Lea and Flood, OOPSLA 2014)."""
    h = np.uint64(a) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(0xD1B54A32D192ED03)
    h = (h ^ (h >> np.uint64(30)) ^ np.uint64(b)) * np.uint64(0xBF58476D1CE4E5B9)
    h = (h ^ (h >> np.uint64(27)) ^ np.uint64(c)) * np.uint64(0x94D049BB133111EB)
    return np.float32((h ^ (h >> np.uint64(31))) >> np.uint64(40)) / np.float32(1 << 24)


TO_SUN, TO_LAMPS, OVER_HEMISPHERE, MIRRORED, THROUGH_GLASS, ASIDE_IN_CELLS, IN_PIXEL = range(1, 8)
"""What samples are for: each purpose has its own shift."""

LEVELS = 8
"""Blocks of 2 px, 4 px … 2^`LEVELS` px, in each of which the shifts of places are even."""

PERMUTED = np.array(list(permutations(range(4))), np.uint32)


@njit(cache=True)
def lattice_point(index, key, purpose):
    """Point `index` of the R2 low-discrepancy sequence (Roberts 2018), shifted by what `place_keys` gave and by `purpose`.

    Returns two float32 in [0, 1).
    """
    turn = hash_u32(np.uint32(purpose))
    # Integer arithmetic keeps the sequence exact for any index.
    a = np.uint32(index) * np.uint32(3242174889) + (np.uint32(key) << np.uint32(16)) + turn
    b = np.uint32(index) * np.uint32(2447445414) + (np.uint32(key) & np.uint32(0xFFFF0000)) + hash_u32(turn)
    scale = np.float32(1.0 / 16777216.0)
    return (
        np.float32(np.uint32(a) >> np.uint32(8)) * scale,
        np.float32(np.uint32(b) >> np.uint32(8)) * scale,
    )


def place_keys(x: np.ndarray, y: np.ndarray, seed: int) -> np.ndarray:
    """Keys (N,) uint32 of places in a picture or grid for `lattice_point`: the shifts of its two coordinates.

    Neighbours complement each other: the shifts of every block of places cover the square evenly, so that what is
    averaged over a neighbourhood afterwards has far less noise than independent shifts would leave, and no pattern shows.
    They follow a (0, 2)-sequence in Z-order, its digits shuffled (Ahmed and Wonka, "Screen-space blue-noise diffusion of
    Monte Carlo sampling error via hierarchical ordering of pixels", ACM TOG 39(6), 2020).
    """
    out = np.empty(len(x), np.uint32)
    _shifts(x.astype(np.uint32), y.astype(np.uint32), np.uint32(seed & 0xFFFFFFFF), PERMUTED, out)
    return out


@njit(cache=True, nogil=True)
def _shifts(xs, ys, seed, permuted, out):
    for i in range(len(xs)):
        x, y = xs[i], ys[i]
        block = hash_u32(hash_u32((x >> np.uint32(LEVELS)) ^ hash_u32(seed)) ^ (y >> np.uint32(LEVELS)))
        code = np.uint32(0)
        for level in range(LEVELS - 1, -1, -1):
            bit, one = np.uint32(level), np.uint32(1)
            digit = ((x >> bit) & one) | (((y >> bit) & one) << one)
            code = (code << np.uint32(2)) | permuted[block % np.uint32(24), digit]
            block = hash_u32(block + digit + one)
        # Its bits reversed, and the second dimension of Sobol's sequence.
        first, second, column = np.uint32(0), np.uint32(0), np.uint32(0x8000)
        for _ in range(2 * LEVELS):
            first = (first << np.uint32(1)) | (code & np.uint32(1))
            if code & np.uint32(1):
                second ^= column
            code >>= np.uint32(1)
            column ^= column >> np.uint32(1)
        out[i] = first | (second << np.uint32(16))
