"""Masks as text, for recipes: which pixels additions cover."""

from __future__ import annotations

import base64
import binascii
import zlib

import numpy as np

from irodori.core.errors import RecipeError

BLOCK = 4
"""Pixels along the side of a block that is masked as a whole: JPEG leaves little room for the recipe."""


def mask_text(mask: np.ndarray) -> str:
    """A mask (H, W) bool as text, in blocks."""
    height, width = mask.shape
    padded = np.pad(mask, ((0, -height % BLOCK), (0, -width % BLOCK)))
    blocks = padded.reshape(padded.shape[0] // BLOCK, BLOCK, -1, BLOCK).any(axis=(1, 3))
    packed = zlib.compress(np.packbits(blocks, axis=1).tobytes(), 9)
    return f"{width}x{height} {base64.b85encode(packed).decode()}"


def mask_from_text(text: str) -> np.ndarray:
    """The mask that `mask_text` wrote, (H, W) bool. Raises RecipeError when the text is damaged."""
    try:
        size, data = text.split(" ", 1)
        width, height = map(int, size.split("x"))
        packed = np.frombuffer(zlib.decompress(base64.b85decode(data)), np.uint8)
        blocks = np.unpackbits(packed.reshape(-(-height // BLOCK), -1), axis=1).astype(bool)
        return blocks.repeat(BLOCK, axis=0).repeat(BLOCK, axis=1)[:height, :width]
    except (ValueError, zlib.error, binascii.Error):
        raise RecipeError("The mask of additions in the recipe is damaged") from None
