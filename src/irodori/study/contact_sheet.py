"""A sheet of pictures with a caption under each."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

MARGIN, FOOT = 10, 24
PAPER, INK = (250, 250, 248), (45, 45, 45)


def contact_sheet(pictures: Sequence[tuple[str, np.ndarray]], *, width: int = 1280, columns: int = 0) -> np.ndarray:
    """Lay out pictures (caption, (H, W, 3) uint8) of one size in rows of `columns`, or about as wide as high; (h, w, 3) uint8.

    Raises ValueError when there is none.
    """
    import cv2

    if not pictures:
        raise ValueError("there is no picture to lay out")
    high, wide = pictures[0][1].shape[:2]
    columns = columns or max(1, min(len(pictures), round(np.sqrt(len(pictures) * high / wide * 1.6))))
    cell = (width - MARGIN) // columns - MARGIN
    tall = max(1, round(cell * high / wide))
    rows = -(-len(pictures) // columns)
    sheet = np.full((rows * (tall + FOOT + MARGIN) + MARGIN, width, 3), PAPER, np.uint8)
    for index, (caption, picture) in enumerate(pictures):
        x = MARGIN + index % columns * (cell + MARGIN)
        y = MARGIN + index // columns * (tall + FOOT + MARGIN)
        way = cv2.INTER_AREA if cell < wide else cv2.INTER_CUBIC
        sheet[y : y + tall, x : x + cell] = cv2.resize(picture, (cell, tall), interpolation=way)
        place = (x, y + tall + 17)
        cv2.putText(sheet, caption, place, cv2.FONT_HERSHEY_SIMPLEX, 0.45, INK, 1, cv2.LINE_AA)
    return sheet
