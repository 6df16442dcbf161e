"""How much of a finished picture was kept by what was done to it."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.retouch.enlarge.self_detail import shrunk


def kept_when_shrunk(before: np.ndarray, large: np.ndarray, times: int) -> dict[str, float]:
    """How far a picture `times` as large, (times·H, times·W, 3) encoded, shrunk again differs from the one before, (H, W, 3) linear: the mean and
    the 99th percentile over pixels of the mean over colours, of 255."""
    away = 255 * np.abs(shrunk(large, times) - encode_srgb(before)).mean(axis=2)
    return {"mean": float(away.mean()), "p99": float(np.percentile(away, 99))}
