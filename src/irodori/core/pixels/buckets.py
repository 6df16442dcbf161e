"""Queues by level, for floods that take the lowest or the deepest first."""

from __future__ import annotations

from numba import njit


@njit(cache=True)
def append(first, last, after, level, item):
    """Put `item` at the end of the queue of a `level`.

    `first` and `last` (L,) are the ends of each level's queue, −1 for an empty one; `after` (N,) what comes after each item, −1 for nothing.
    """
    after[item] = -1
    if first[level] < 0:
        first[level] = item
    else:
        after[last[level]] = item
    last[level] = item
