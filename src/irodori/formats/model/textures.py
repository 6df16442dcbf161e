"""Textures of model files, decoded."""

from __future__ import annotations

import io

import numpy as np

LARGEST = 4096
"""px of a texture's longer side; larger ones are made smaller."""

MOST = 16384
"""px of a side from which a file is taken for damaged."""


def decoded_texture(content: bytes) -> np.ndarray | None:
    """A picture file's pixels, (H, W, 4) uint8; None when it is damaged."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(content)) as image:
            return texture_of(image)
    except Exception:  # decoders raise whatever they like
        return None


def texture_of(image) -> np.ndarray | None:
    """A Pillow picture's pixels, (H, W, 4) uint8; None when it is too large to be true."""
    if max(image.size) > MOST:
        return None
    if image.mode in ("I;16", "I"):
        image = image.point(lambda value: value / 257).convert("L")
    if max(image.size) > LARGEST:
        image = image.convert("RGBA")
        image.thumbnail((LARGEST, LARGEST))
    return np.asarray(image.convert("RGBA"), np.uint8)
