"""Telling what a 3D program shows from what was rendered or photographed."""

from __future__ import annotations

import numpy as np


def is_drawn(encoded: np.ndarray) -> bool:
    """Whether an 8-bit picture (H, W, 3) is drawn in flat tones, as viewports and drawings are.

    There most neighbours are equal, and hardly any differ by a single step; renderings and photos are full of single
    steps. Lossy compression spreads them over flat areas too, but leaves those flat to a step.
    """
    signed = encoded.astype(np.int16)
    steps = [np.abs(np.diff(signed, axis=axis)).max(axis=2) for axis in (0, 1)]
    same = np.mean([(s == 0).mean() for s in steps])
    within = np.mean([(s <= 1).mean() for s in steps])
    return bool((same > 0.6 and within - same < 0.05) or within > 0.93)
