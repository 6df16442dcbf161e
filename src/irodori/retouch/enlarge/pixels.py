"""A picture some times as large: sharp borders, continued textures, and shrunk again the very picture that it was."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.work.progress import Progress, report
from irodori.retouch.enlarge.borders import with_borders
from irodori.retouch.enlarge.self_detail import resized, shrunk, with_own_detail

STRIP = 256
"""Rows that are enlarged at a time."""

MARGIN = 24
"""Rows beside them that they are told from."""

ROUNDS = 4
"""Times that what is missing of the small picture is put back: Irani and Peleg, CVGIP 53(3), 1991."""


def enlarged_pixels(
    encoded: np.ndarray, times: int, fragments: Fragments | None = None, progress: Progress | None = None
) -> np.ndarray:
    """A picture `times` as large along each side.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1.
    times
        2 … 8.
    fragments
        The surfaces that it shows; their borders are drawn sharp where they explain its pixels.
    progress
        Told of "Enlarging".

    Returns
    -------
    (times·H, times·W, 3) float32, sRGB-encoded.
    """
    height, width = encoded.shape[:2]
    out = np.empty((height * times, width * times, 3), np.float32)
    for top in range(0, height, STRIP):
        report(progress, "Enlarging", top / height)
        bottom = min(top + STRIP, height)
        first, last = max(top - MARGIN, 0), min(bottom + MARGIN, height)
        part = None if fragments is None else _rows(fragments, width, first, last)
        strip = _strip(np.ascontiguousarray(encoded[first:last]), times, part)
        out[top * times : bottom * times] = strip[(top - first) * times : (bottom - first) * times]
    return out


def _strip(small: np.ndarray, times: int, fragments: Fragments | None) -> np.ndarray:
    large = _true_to(small, with_own_detail(small, times), times, ROUNDS)
    if fragments is not None:
        large = _true_to(small, with_borders(large, small, fragments, times), times, ROUNDS // 2)
    return np.clip(large, 0, 1)


def _true_to(small: np.ndarray, large: np.ndarray, times: int, rounds: int) -> np.ndarray:
    """`large` with what blocks of its pixels lack of the small picture's put back."""
    size = large.shape[1::-1]
    for _ in range(rounds):
        large = large + resized(small - shrunk(large, times), size, cv2.INTER_CUBIC)
    return large


def _rows(fragments: Fragments, width: int, first: int, last: int) -> Fragments:
    """The fragments of rows `first` … `last`, as of a picture of their own."""
    a, b = np.searchsorted(fragments.pixel, [first * width, last * width])
    columns = [getattr(fragments, name)[a:b] for name in fragments.__dataclass_fields__]
    columns[0] = columns[0] - np.int32(first * width)
    return Fragments(*columns)
