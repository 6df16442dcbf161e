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
def lattice_point(index, key, purpose):
    """Point `index` of the R2 low-discrepancy sequence (Roberts 2018), shifted by the place in `key` and by `purpose`.

    The shifts of neighbouring places form a lattice themselves, so that the samples of any few of them together cover the
    square about as evenly as one place's own: what is averaged over a neighbourhood afterwards has far less noise than
    independent shifts would leave. The lattice was chosen among random ones by the wrap-around discrepancy (Hickernell,
    Math. Comp. 67, 1998) of 3×3, 5×5 and 9×9 places and of every second of them, like a chessboard's.
    Returns two float32 in [0, 1).
    """
    x, y = np.uint32(key) & np.uint32(0xFFFF), np.uint32(key) >> np.uint32(16)
    turn = hash_u32(np.uint32(purpose))
    # Up to an eighth at random, so that the lattice itself does not show.
    own = hash_u32(np.uint32(key) ^ turn)
    turn_a, turn_b = turn + (own >> np.uint32(3)), hash_u32(turn) + (hash_u32(own) >> np.uint32(3))
    # Integer arithmetic keeps the sequence exact for any index.
    a = np.uint32(index) * np.uint32(3242174889) + x * np.uint32(2769229070) + y * np.uint32(849762212) + turn_a
    b = np.uint32(index) * np.uint32(2447445414) + x * np.uint32(3451052481) + y * np.uint32(2773364640) + turn_b
    scale = np.float32(1.0 / 16777216.0)
    return (
        np.float32(np.uint32(a) >> np.uint32(8)) * scale,
        np.float32(np.uint32(b) >> np.uint32(8)) * scale,
    )


def place_keys(x: np.ndarray, y: np.ndarray, seed: int) -> np.ndarray:
    """Keys (N,) uint32 of places in a picture or grid for `lattice_point`; another `seed` shifts them all."""
    low = (x.astype(np.uint32) + np.uint32(7919 * seed & 0xFFFF)) & np.uint32(0xFFFF)
    return low | (y.astype(np.uint32) + np.uint32(40503 * seed & 0xFFFF)) << np.uint32(16)
