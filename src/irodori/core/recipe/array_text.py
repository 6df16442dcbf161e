"""Arrays of numbers as text, every bit of them, for recipes."""

from __future__ import annotations

import base64
import binascii
import zlib

import numpy as np

from irodori.core.errors import RecipeError


def array_text(values: np.ndarray) -> str:
    """An array as "dtype shape data".

    >>> array_from_text(array_text(np.float32([[0.5, 2.0]]))).tolist()
    [[0.5, 2.0]]
    """
    values = np.ascontiguousarray(values)
    shape = "x".join(map(str, values.shape)) or "-"
    return f"{values.dtype.str} {shape} {base64.b85encode(zlib.compress(values.tobytes(), 9)).decode()}"


def array_from_text(text: str) -> np.ndarray:
    """The array that `array_text` wrote. Raises RecipeError when the text is damaged."""
    try:
        kind, shape, data = text.split(" ")
        size = () if shape == "-" else tuple(map(int, shape.split("x")))
        return np.frombuffer(zlib.decompress(base64.b85decode(data)), np.dtype(kind)).reshape(size).copy()
    except (ValueError, TypeError, zlib.error, binascii.Error):
        raise RecipeError("A table of numbers in the recipe is damaged") from None
