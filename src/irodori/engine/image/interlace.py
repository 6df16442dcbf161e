"""Drafts shade every second pixel inside surfaces; borders are always shaded in full."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.fragments import Fragments
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.image.layers import BACKDROP


def shaded_fragments(fragments: Fragments, size: tuple[int, int], in_full: np.ndarray) -> np.ndarray:
    """Indices of the fragments to shade, ascending.

    Left out are those alone in their pixel whose four neighbours show the same surface, every second one as on a
    chequerboard. `in_full` (S,) bool by surface id: surfaces with a texture of their own, of which nothing is left out.
    """
    width, height = size
    first = np.append(fragments.first(), len(fragments))
    shaded = np.ones(len(fragments), np.bool_)
    _skip(first, fragments.region, in_full, width, height, shaded)
    return np.flatnonzero(shaded)


FILLED_FROM = 1
"""px to each side from which what is left out is filled."""


@njit(cache=True, nogil=True)
def _skip(first, region, in_full, width, height, shaded):
    for y in range(1, height - 1):
        for x in range(1 + y % 2, width - 1, 2):
            p = y * width + x
            i = first[p]
            own = region[i]
            if first[p + 1] - i > 1 or in_full[own]:
                continue
            if region[first[p - 1]] != own or region[first[p + 1]] != own:
                continue
            if region[first[p - width]] == own and region[first[p + width]] == own:
                shaded[i] = False


@njit(cache=True, nogil=True)
def add_rows(target, index, rows, column):
    """target[index, column:] += rows, without holding up other threads."""
    for j in range(len(index)):
        for k in range(rows.shape[1]):
            target[index[j], column + k] += rows[j, k]


@njit(cache=True, nogil=True)
def _fill(layers, rough, shaded, first, pixel, region, width, begin, end):
    channels = layers.shape[1]
    for i in range(begin, end):
        if shaded[i]:
            continue
        p = pixel[i]
        a, b, c, d = first[p - 1], first[p + 1], first[p - width], first[p + width]
        across, down = np.float32(0), np.float32(0)
        lowest = 0 if region[i] > 0 else BACKDROP
        for k in range(lowest, channels):
            across += abs(layers[a, k] - layers[b, k])
            down += abs(layers[c, k] - layers[d, k])
        if across > down:
            a, b = c, d
        for k in range(lowest, channels):
            layers[i, k] = np.float32(0.5) * (layers[a, k] + layers[b, k])
        rough[i] = np.float32(0.5) * (rough[a] + rough[b])


def fill_skipped(
    layers: np.ndarray, rough: np.ndarray, shaded: np.ndarray, fragments: Fragments, size: tuple[int, int]
) -> None:
    """Give the fragments not in `shaded` the mean of those two opposite neighbours that are more alike.

    Edges of shadows then stay whole. `layers` (N, C) and `rough` (N,) are filled in place.
    """
    done = np.zeros(len(layers), bool)
    done[shaded] = True
    first = fragments.first()

    def work(span: tuple[int, int]) -> None:
        _fill(layers, rough, done, first, fragments.pixel, fragments.region, size[0], *span)

    for_each_tile(split_tiles(len(layers), 1 << 16), work)
