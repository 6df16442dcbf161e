"""Random numbers that depend only on pixel, sample and seed, never on thread order."""

from __future__ import annotations

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


@njit(cache=True)
def lattice_point(index, key):
    """Point `index` of the R2 low-discrepancy sequence (Roberts 2018), shifted by the hash of `key`.

    Returns two float32 in [0, 1).
    """
    # Integer arithmetic keeps the sequence exact for any index.
    a = np.uint32(np.uint32(index) * np.uint32(3242174889)) + hash_u32(key)
    b = np.uint32(np.uint32(index) * np.uint32(2447445414)) + hash_u32(np.uint32(key) ^ np.uint32(0x9E3779B9))
    scale = np.float32(1.0 / 16777216.0)
    return (
        np.float32(np.uint32(a) >> np.uint32(8)) * scale,
        np.float32(np.uint32(b) >> np.uint32(8)) * scale,
    )
