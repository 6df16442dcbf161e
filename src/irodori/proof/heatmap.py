"""The one picture to look at: drift by colour, on the picture itself."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irodori.proof.changes import Change
from irodori.proof.edges import EdgePieces

LEGEND = ((0.0, "0"), (0.25, "0.25"), (0.5, "0.5"), (1.0, "1 px"))
LOST = (214, 30, 96)


def drift_colour(drift: np.ndarray) -> np.ndarray:
    """Colour of a drift (N,) px: deep teal at rest through sand to rust at 1 px and more; (N, 3) uint8."""
    stops = np.array([0.0, 0.25, 0.5, 1.0])
    colours = np.array([(18, 122, 120), (132, 178, 120), (236, 178, 74), (198, 66, 32)], float)
    value = np.clip(np.nan_to_num(np.abs(drift), nan=1.0), 0, 1)
    return np.stack([np.interp(value, stops, colours[:, c]) for c in range(3)], axis=-1).astype(np.uint8)


def draw_heatmap(
    picture: np.ndarray, pieces: EdgePieces, offset: np.ndarray, found: np.ndarray, changed: Sequence[Change]
) -> np.ndarray:
    """Draw the heat map over `picture` (H, W, 3; encoded 0 … 1)."""
    import cv2

    grey = picture @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    canvas = np.repeat((110 + 130 * grey[..., None]).clip(0, 255), 3, axis=2).astype(np.uint8)
    colour = drift_colour(offset)
    colour[~found] = LOST
    thick = max(1, round(max(picture.shape[:2]) / 900))
    along = np.stack([-pieces.normal[:, 1], pieces.normal[:, 0]], axis=1)
    reach = np.minimum(pieces.length, 20)[:, None] / 2
    ends = np.rint(np.concatenate([pieces.centre - along * reach, pieces.centre + along * reach], axis=1) * 16 - 8)
    for i in np.argsort(~found, kind="stable"):
        x0, y0, x1, y1 = ends[i].astype(int).tolist()
        cv2.line(canvas, (x0, y0), (x1, y1), colour[i].tolist(), thick, cv2.LINE_AA, 4)
    for change in changed:
        x0, y0, x1, y1 = change.box
        cv2.rectangle(canvas, (x0 - 6, y0 - 6), (x1 + 6, y1 + 6), LOST, thick + 1, cv2.LINE_AA)
    return _legend(canvas, thick)


def _legend(canvas: np.ndarray, thick: int) -> np.ndarray:
    import cv2

    height, width = canvas.shape[:2]
    if width < 320 or height < 120:
        return canvas
    scale = width / 1280
    bar = round(200 * scale), max(round(10 * scale), 4)
    x, y = round(24 * scale), height - round(40 * scale)
    canvas[y - round(34 * scale) : y + round(30 * scale), x - round(12 * scale) : x + bar[0] + round(110 * scale)] = 250
    ramp = drift_colour(np.linspace(0, 1, bar[0]))
    canvas[y : y + bar[1], x : x + bar[0]] = ramp[None]

    def write(text, px, py, colour=(40, 40, 40)):
        cv2.putText(
            canvas, text, (round(px), round(py)), cv2.FONT_HERSHEY_SIMPLEX, 0.42 * scale, colour, thick, cv2.LINE_AA
        )

    for value, text in LEGEND:
        write(text, x + value * bar[0] - 6 * scale, y + 24 * scale)
    write("edge drift", x, y - 8 * scale)
    write("lost", x + bar[0] + 50 * scale, y + 9 * scale, LOST)
    return canvas
