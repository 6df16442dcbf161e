"""Runs in a row of flags."""

from __future__ import annotations

import numpy as np


def runs_of(chosen: np.ndarray) -> list[tuple[int, int]]:
    """First and last places of the runs of true flags (N,).

    >>> runs_of(np.array([True, True, False, True]))
    [(0, 1), (3, 3)]
    """
    ends = np.flatnonzero(np.diff(np.concatenate([[0], chosen.astype(np.int8), [0]])))
    return list(zip(ends[::2].tolist(), (ends[1::2] - 1).tolist()))
