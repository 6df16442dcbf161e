"""Masks as text, for recipes."""

from __future__ import annotations

import base64
import binascii
import zlib

import numpy as np

from irodori.core.errors import RecipeError

BLOCK = 4
"""Pixels along the side of a block that is masked as a whole, where that is enough: JPEG leaves little room for the recipe."""


def mask_text(mask: np.ndarray, block: int = BLOCK) -> str:
    """A mask (H, W) bool as text; a block of so many pixels a side is masked when any of its pixels is."""
    height, width = mask.shape
    padded = np.pad(mask, ((0, -height % block), (0, -width % block)))
    blocks = padded.reshape(padded.shape[0] // block, block, -1, block).any(axis=(1, 3))
    packed = zlib.compress(np.packbits(blocks, axis=1).tobytes(), 9)
    size = f"{width}x{height}" + ("" if block == BLOCK else f"/{block}")
    return f"{size} {base64.b85encode(packed).decode()}"


def mask_from_text(text: str) -> np.ndarray:
    """The mask that `mask_text` wrote, (H, W) bool. Raises RecipeError when the text is damaged."""
    try:
        size, data = text.split(" ", 1)
        size, _, side = size.partition("/")
        width, height = map(int, size.split("x"))
        block = int(side or BLOCK)
        packed = np.frombuffer(zlib.decompress(base64.b85decode(data)), np.uint8)
        blocks = np.unpackbits(packed.reshape(-(-height // block), -1), axis=1).astype(bool)
        return blocks.repeat(block, axis=0).repeat(block, axis=1)[:height, :width]
    except (ValueError, zlib.error, binascii.Error):
        raise RecipeError("A mask in the recipe is damaged") from None
