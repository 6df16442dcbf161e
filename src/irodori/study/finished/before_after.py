"""A strip of a finished picture before and after it was touched up."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.picture.finished import FinishedPicture
from irodori.study.contact_sheet import FOOT, INK, MARGIN, PAPER, contact_sheet

WIDE = 1280
"""px of the strip."""


def before_and_after(picture: FinishedPicture) -> np.ndarray:
    """Before, after, and a line for each thing that was done, (h, w, 3) uint8."""
    before = np.rint(picture.layers[0][1][..., :3] * 255).astype(np.uint8)
    sheet = contact_sheet([("before", before), ("after", picture.developed)], width=WIDE, columns=2)
    lines = picture.recipe.steps[-1].done or ("nothing was wanting",)
    foot = np.full((FOOT * len(lines) + MARGIN, WIDE, 3), PAPER, np.uint8)
    for number, line in enumerate(lines):
        place = (MARGIN, FOOT * number + 17)
        cv2.putText(foot, line, place, cv2.FONT_HERSHEY_SIMPLEX, 0.5, INK, 1, cv2.LINE_AA)
    return np.concatenate([sheet, foot])
