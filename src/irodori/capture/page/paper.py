"""What paper brings: a page photographed askew, uneven light, the paper's own tone and grain."""

from __future__ import annotations

import numpy as np

from irodori.core.cleanings import Wanted
from irodori.core.colour import decode_srgb, encode_srgb
from irodori.core.pixels.strokes import BROADEST, even_strokes, in_proportion, lines_on_paper

PAGE_SHARE = (0.3, 0.97)
"""Share of the picture that a page lying on something else takes."""

WHITE, BLACK = 0.93, 0.08
"""Encoded values, against the paper's, that become white and black."""

PALE, TONED = 0.55, 0.012
"""Darkness below which strokes are pale, and the share of the picture that tones laid between them take at least."""

DARK, THICK, BARE, LINES, ROUGH = 0.4, 0.2, 0.65, 0.006, 0.6
"""Of drawings with colours: tone below which a pixel is dark; share of these that is no stroke, at most; shares of the picture
that are bare paper and strokes, at least; and 8-bit steps by which paper is rough."""


def clean_paper(image: np.ndarray, wanted: Wanted, done: set[str]) -> tuple[np.ndarray, tuple[str, ...]]:
    """Flatten a photographed page, make its paper evenly white and leave the lines alone on it.

    Parameters
    ----------
    image
        (H, W, 3) float32, linear.
    wanted
        Which of "page", "paper" and "tones" to do.
    done
        Gets the names of what was done.

    Returns
    -------
    image
        The page alone, (h, w, 3); of the same size where the picture is a scan.
    said
        One sentence for each thing done.
    """
    said = []
    encoded = encode_srgb(image).astype(np.float32)
    corners = find_page(encoded, sure=wanted.must("page")) if wanted.may("page") else None
    if corners is not None:
        encoded = _flattened(encoded, corners)
        said.append("Found the page in the photo and flattened it")
        done.add("page")
    if wanted.may("paper"):
        encoded, spread = _evened(encoded)
        done.add("paper")
        if spread > 0.02:
            said.append("Evened out the paper's tone and light")
    lines, tone, level = lines_on_paper(encoded)
    toned = wanted.does("tones", tone > TONED)
    pale = wanted.may("paper") and level < PALE
    if toned:
        said.append("Read the lines only: tones and colours laid between them are left to the finishes")
        done.add("tones")
    if pale:
        said.append("Deepened the drawing's pale strokes")
    if toned or pale:
        encoded = np.repeat(1 - even_strokes(lines)[..., None], 3, axis=2)
    if not done:
        return image, ()
    return decode_srgb(encoded).astype(np.float32), tuple(said)


def is_on_paper(encoded: np.ndarray) -> bool:
    """Whether a picture (H, W, 3), 0 … 1, is a drawing with colours laid on grainy paper, not a rendering or a photo.

    What is dark there is strokes, and most of it is bare paper.
    """
    import cv2

    evened, _ = _evened(encoded)
    lines, _, _ = lines_on_paper(evened)
    grey = evened.min(axis=2)
    dark = (grey < DARK).astype(np.uint8)
    size = in_proportion(0.6 * BROADEST, grey.shape)
    thick = cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((size, size), np.uint8)).sum() / max(int(dark.sum()), 1)
    bare = grey > 0.97
    tone = encoded.mean(axis=2)
    rough = np.abs(tone - cv2.GaussianBlur(tone, (0, 0), 1.5)) * 255
    grainy = bool(bare.any()) and float(rough[bare].mean()) > ROUGH
    return bool(grainy and bare.mean() > BARE and thick < THICK and (lines > 0.5).mean() > LINES)


def find_page(encoded: np.ndarray, *, sure: bool = False) -> np.ndarray | None:
    """Corners (4, 2) px of a light page on a darker ground, from the upper left clockwise; None when there is none.

    Where a user is `sure` of a page, it may be small, pale against the ground, or reach past the picture's border.
    """
    import cv2

    height, width = encoded.shape[:2]
    scale = 400.0 / max(height, width)
    small = cv2.resize(encoded, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    grey = np.rint(cv2.GaussianBlur(small.mean(axis=2), (0, 0), 2.0) * 255).astype(np.uint8)
    level, mask = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    if grey[mask > 0].mean() - grey[mask == 0].mean() < (20 if sure else 50):
        return None
    mask = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    outlines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    if not outlines:
        return None
    page = max(outlines, key=cv2.contourArea)
    share = cv2.contourArea(page) / grey.size
    corners = cv2.approxPolyDP(page, 0.02 * cv2.arcLength(page, True), True).reshape(-1, 2)
    if (
        len(corners) != 4
        or not PAGE_SHARE[0] * (0.4 if sure else 1) < share < PAGE_SHARE[1]
        or not cv2.isContourConvex(corners)
    ):
        return None
    rim = np.concatenate([grey[0], grey[-1], grey[:, 0], grey[:, -1]])
    if not sure and (rim > level).mean() > 0.5:  # most of the picture's own border is paper: a scan
        return None
    corners = corners / scale
    total, apart = corners.sum(axis=1), corners[:, 0] - corners[:, 1]
    return corners[[total.argmin(), apart.argmax(), total.argmax(), apart.argmin()]].astype(np.float32)


def _flattened(encoded: np.ndarray, corners: np.ndarray) -> np.ndarray:
    import cv2

    sides = np.linalg.norm(corners - np.roll(corners, -1, axis=0), axis=1)
    width, height = int(round(max(sides[0], sides[2]))), int(round(max(sides[1], sides[3])))
    margin = 0.012 * min(width, height)  # the page's own edge is no line of the drawing
    target = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    matrix = cv2.getPerspectiveTransform(
        corners, target + np.sign([[-1, -1], [1, -1], [1, 1], [-1, 1]]).astype(np.float32) * margin
    )
    flat = cv2.warpPerspective(encoded, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(flat, 0, 1)


def _evened(encoded: np.ndarray) -> tuple[np.ndarray, float]:
    """The drawing on even white, and how far the paper was from that."""
    import cv2

    height, width = encoded.shape[:2]
    scale = min(1.0, 320.0 / max(height, width))
    small = cv2.resize(encoded, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    reach = max(int(0.06 * max(small.shape[:2])) | 1, 3)
    # The paper is the lightest tone nearby; grain is averaged before, lines and fills are bridged.
    paper = cv2.morphologyEx(cv2.GaussianBlur(small, (0, 0), 1.5), cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    paper = cv2.GaussianBlur(paper, (0, 0), reach / 2)
    paper = np.maximum(cv2.resize(paper, (width, height), interpolation=cv2.INTER_CUBIC), 0.15)
    spread = float(np.abs(paper - 1).mean())
    return np.clip((encoded / paper - BLACK) / (WHITE - BLACK), 0, 1), spread
