"""The small canvas on which a picture is glanced at."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

WIDE, HIGH = 288, 224
"""Size of the canvas, px."""

CELL = 4
"""Side of a cell of what is seen on it, px."""


@dataclass(frozen=True)
class Canvas:
    """A canvas for a picture of one `size` (width, height): the picture fills it one way and is centred the other way."""

    size: tuple[int, int]

    @property
    def factor(self) -> float:
        """Canvas pixels for one of the picture's."""
        return min(WIDE / self.size[0], HIGH / self.size[1])

    @property
    def corner(self) -> tuple[int, int]:
        """Left and top of the picture on it, px."""
        wide, high = self.inside
        return (WIDE - wide) // 2, (HIGH - high) // 2

    @property
    def inside(self) -> tuple[int, int]:
        """Width and height of the picture on it, px."""
        return max(1, round(self.size[0] * self.factor)), max(1, round(self.size[1] * self.factor))

    def shrink(self, image: np.ndarray) -> np.ndarray:
        """A picture (H, W, 3) uint8 as (high, wide, 4) uint8: its colours, and how far light and dark are apart around each pixel,
        so that thin lines show whatever the picture's size."""
        grey = image.min(axis=2), image.max(axis=2)
        reach = np.ones((max(2, int(np.ceil(1 / self.factor))),) * 2, np.uint8)
        apart = cv2.dilate(grey[1], reach) - cv2.erode(grey[0], reach)
        layers = np.dstack([image, apart])
        return cv2.resize(layers, self.inside, interpolation=cv2.INTER_AREA if self.factor < 1 else cv2.INTER_LINEAR)

    def lay(self, small: np.ndarray) -> np.ndarray:
        """What `shrink` gave as (7, HIGH, WIDE) float32 about zero, with where each pixel lies and whether it shows anything."""
        out = np.zeros((7, HIGH, WIDE), np.float32)
        (left, top), (wide, high) = self.corner, (small.shape[1], small.shape[0])
        out[:4, top : top + high, left : left + wide] = small.transpose(2, 0, 1) / 127.5 - 1
        out[4, top : top + high, left : left + wide] = 1
        out[5] = ((np.arange(HIGH) - HIGH / 2) / WIDE * 2)[:, None]
        out[6] = (np.arange(WIDE) - WIDE / 2) / WIDE * 2
        return out

    def cells(self, values: np.ndarray) -> np.ndarray:
        """Values (H, W, n) of the picture's pixels as means (HIGH / CELL, WIDE / CELL, n) over cells, 0 where there is no picture."""
        out = np.zeros((HIGH // CELL, WIDE // CELL, values.shape[2]), np.float32)
        scale = self.factor / CELL
        left, top = self.corner
        shift = np.array([[scale, 0, left / CELL + 0.5 * scale - 0.5], [0, scale, top / CELL + 0.5 * scale - 0.5]])
        step = max(1, int(1 / scale / 3))
        blurred = cv2.blur(values.astype(np.float32), (step, step)) if step > 1 else values.astype(np.float32)
        blurred = blurred.reshape(values.shape)
        for k in range(values.shape[2]):
            out[..., k] = cv2.warpAffine(blurred[..., k], shift, (out.shape[1], out.shape[0]), flags=cv2.INTER_LINEAR)
        return out

    def spread(self, cells: np.ndarray) -> np.ndarray:
        """What is seen in cells (h, w, n), for the picture's pixels, (H, W, n) float32."""
        scale = CELL / self.factor
        left, top = self.corner
        (width, height), (cx, cy) = self.size, (left / CELL, top / CELL)
        shift = np.array([[scale, 0, (0.5 - cx) * scale - 0.5], [0, scale, (0.5 - cy) * scale - 0.5]])
        layers = [
            cv2.warpAffine(
                np.ascontiguousarray(cells[..., k]),
                shift,
                (width, height),
                flags=cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            )
            for k in range(cells.shape[2])
        ]
        return np.stack(layers, axis=2)
