"""The colour a finish has from afar: what bounces off it."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.patterns import OUTPUTS, evaluate_finish


@njit(cache=True)
def mean_albedo(row, red, green, blue):
    """Mean albedo (3,) float32 over an area of many units."""
    total = np.zeros(3, np.float32)
    out = np.zeros(OUTPUTS, np.float32)
    for i in range(8):
        for j in range(8):
            u, v = np.float32(i * 0.377 + 0.1), np.float32(j * 0.291 + 0.1)
            evaluate_finish(
                row, red, green, blue, u, v, np.float32(0.05), np.float32(0.05), 7, np.float32(0), np.float32(0),
                np.float32(1), out,
            )  # fmt: skip
            for k in range(3):
                total[k] += out[k] / np.float32(64)
    return total
