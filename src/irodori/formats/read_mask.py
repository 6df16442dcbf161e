"""Masks: the part of a picture in which something may change, painted in any program."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from irodori.core.colour import encode_srgb, luminance
from irodori.core.errors import CaptureError
from irodori.formats.read_image import read_image

HALF = 0.5
"""From this cover, or this tone of grey, on a pixel lies in the mask."""


def read_mask(source: str | Path | np.ndarray | Any, size: tuple[int, int]) -> np.ndarray:
    """A mask as (H, W) bool.

    Parameters
    ----------
    source
        A picture's file, a Pillow image or an array: white, or where the rest is transparent what is opaque, lies in the mask.
        Arrays are bool, uint8, or float 0 … 1, (H, W) or (H, W, 3 or 4).
    size
        (width, height) of the picture it belongs to.

    Raises
    ------
    CaptureError
        When it cannot be read or has another size.
    """
    cover = mask_cover(source)
    if cover.shape != (size[1], size[0]):
        raise CaptureError(
            f"The mask is {cover.shape[1]} × {cover.shape[0]} pixels, the picture {size[0]} × {size[1]}: they must be the same"
        )
    return cover >= HALF


def mask_cover(source: str | Path | np.ndarray | Any) -> np.ndarray:
    """How far each pixel lies in a mask, (H, W) float32, 0 … 1; `source` as for `read_mask`. Raises CaptureError."""
    if isinstance(source, str | Path):
        loaded = read_image(source)
        grey, alpha = encode_srgb(luminance(loaded.rgb)), loaded.alpha
    else:
        array = np.asarray(source)
        if array.ndim not in (2, 3) or (array.ndim == 3 and array.shape[2] not in (1, 2, 3, 4)):
            raise CaptureError(f"A mask has shape (H, W) or (H, W, 3), not {array.shape}")
        scale = 255.0 if array.dtype == np.uint8 else 1.0
        values = np.atleast_3d(array).astype(np.float32) / np.float32(scale)
        alpha = values[..., -1] if values.shape[2] in (2, 4) else None
        grey = values[..., : 3 if values.shape[2] > 2 else 1].mean(axis=2)
    see_through = alpha is not None and alpha.min() < HALF <= alpha.max()
    return np.ascontiguousarray(alpha if see_through else grey, np.float32)
