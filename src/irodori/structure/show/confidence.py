"""Where to look first: a picture of how sure a reading is."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.pixels.borders import region_borders
from irodori.core.structure import Structure

NUMBERED = 12
SURE, UNSURE = np.array([206, 216, 222.0]), np.array([214, 84, 44.0])
PLAIN = 0.62
"""Confidence from which a surface is left pale."""


def first_to_check(structure: Structure, count: int = NUMBERED):
    """Rows of the surface table where a correction would change most, first one first: large and uncertain ones."""
    large = structure.surfaces.sort_values("area_px", ascending=False).head(4 * count)
    worth = large["area_px"].to_numpy(float) ** 0.5 * (1.05 - large["confidence"].to_numpy(float))
    return large.iloc[np.argsort(-worth, kind="stable")[:count]]


def inside(structure: Structure, region: int) -> tuple[int, int]:
    """The pixel x, y of a region that lies deepest in it."""
    import cv2

    mask = np.pad((structure.regions == region).astype(np.uint8), 1)
    _, _, _, at = cv2.minMaxLoc(cv2.distanceTransform(mask, cv2.DIST_L2, 3))
    return at[0] - 1, at[1] - 1


def draw_doubts(structure: Structure) -> np.ndarray:
    """Surfaces from pale (sure) to red (unsure), the first to look at numbered and listed, uint8 (H, W, 3)."""
    import cv2

    height, width = structure.regions.shape
    doubt = np.zeros(int(structure.regions.max()) + 1)
    for row in structure.surfaces.itertuples():
        if row.id < len(doubt):
            doubt[row.id] = np.clip((PLAIN - row.confidence) / PLAIN, 0, 1)
    base = np.full((height, width), 235.0)
    if structure.image is not None:
        base = encode_srgb(structure.image).mean(axis=2) * 255
    tint = SURE + doubt[structure.regions][..., None] * (UNSURE - SURE)
    canvas = np.clip(0.35 * base[..., None] + 0.65 * tint, 0, 255)
    canvas[region_borders(structure.regions)] *= 0.55
    canvas = np.ascontiguousarray(canvas.astype(np.uint8))
    unit = max(width, height) / 1280
    font, ink = cv2.FONT_HERSHEY_SIMPLEX, (20, 20, 20)
    lines = [f"Look here first (confidence {structure.confidence:.2f} in all)"]
    for number, row in enumerate(first_to_check(structure).itertuples(), 1):
        x, y = inside(structure, row.id)
        radius = int(12 * unit)
        cv2.circle(canvas, (x, y), radius, (255, 255, 255), -1, cv2.LINE_AA)
        cv2.circle(canvas, (x, y), radius, ink, 1, cv2.LINE_AA)
        size, _ = cv2.getTextSize(str(number), font, 0.45 * unit, 1)
        at = (x - size[0] // 2, y + size[1] // 2)
        cv2.putText(canvas, str(number), at, font, 0.45 * unit, ink, 1, cv2.LINE_AA)
        lines.append(f"{number:2d}  {row.role} {row.id} at {x},{y}: {row.confidence:.2f}")
    step = int(18 * unit)
    wide = max(cv2.getTextSize(line, font, 0.42 * unit, 1)[0][0] for line in lines) + int(16 * unit)
    canvas[: step * len(lines) + step // 2, :wide] = 255 - (255 - canvas[: step * len(lines) + step // 2, :wide]) // 6
    for index, line in enumerate(lines):
        cv2.putText(canvas, line, (int(8 * unit), step * (index + 1)), font, 0.42 * unit, ink, 1, cv2.LINE_AA)
    return canvas
