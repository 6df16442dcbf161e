"""Block letters of the scenario's signs."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.shapes import box

_STROKES = {  # block letters on a 4 × 6 grid: x, y, width, height
    "S": [(0, 5, 4, 1), (0, 3, 1, 2), (0, 2.5, 4, 1), (3, 1, 1, 1.5), (0, 0, 4, 1)],
    "A": [(0, 0, 1, 6), (3, 0, 1, 6), (1, 5, 2, 1), (1, 2.5, 2, 1)],
    "Z": [(0, 5, 4, 1), (2.6, 3.6, 1, 1.4), (1.6, 2.3, 1, 1.4), (0.5, 1, 1, 1.4), (0, 0, 4, 1)],
    "N": [(0, 0, 1, 6), (3, 0, 1, 6), (1, 3.4, 1, 1.6), (2, 1.4, 1, 2.2)],
    "M": [(0, 0, 1, 6), (4, 0, 1, 6), (1, 3.8, 1, 1.6), (3, 3.8, 1, 1.6), (2, 2.6, 1, 1.6)],
    "I": [(0, 0, 1, 6)],
}


def lettering(text: str, x: float, y: float, z: float, height: float, depth: float) -> np.ndarray:
    """Raised block letters that face south (−y), from x eastwards, standing on z."""
    unit = height / 6
    boxes = []
    for letter in text:
        strokes = _STROKES[letter]
        for sx, sz, w, h in strokes:
            boxes.append(box((x + sx * unit, y - depth, z + sz * unit), (x + (sx + w) * unit, y, z + (sz + h) * unit)))
        x += (max(s[0] + s[2] for s in strokes) + 1.3) * unit
    return np.concatenate(boxes)
