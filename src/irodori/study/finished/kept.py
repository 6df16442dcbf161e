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


def changed_share(before: np.ndarray, after: np.ndarray) -> float:
    """Share of pixels that differ between a picture (H, W, 3) linear and one encoded, both rounded to 8 bits."""
    one, two = (np.rint(255 * values) for values in (encode_srgb(before), after))
    return float((one != two).any(axis=2).mean())
