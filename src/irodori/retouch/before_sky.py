"""What stands before the sky of a picture and is in no structure: trees and wires, mostly."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import luminance

AROUND = 20.0
"""px over which the sky about a thing is told."""

BEGINS, SOLID = 0.3, 1.1
"""How much darker than the sky (log) what stands before it begins, and is all of that."""

SILHOUETTE, GREEN = 1.6, 1.03
"""Darkness of what is seen against the light, whatever its colour; green over blue from which it is leaves."""

FEWEST = 25
"""Pixels below which there is nothing."""


def before_sky(encoded: np.ndarray, there: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far each pixel of the sky `there` (H, W) bool is of something before it, (H, W) float32 0 … 1, and the colour of the sky about it, (H, W, 3).

    Its darkness tells, near where it is green or nearly black; clouds are neither. `encoded` (H, W, 3) float32.
    """
    nothing = np.zeros(there.shape, np.float32)
    if there.sum() < FEWEST:
        return nothing, encoded
    grey = luminance(encoded) + np.float32(1e-3)
    bright = np.where(there, np.minimum(grey / np.median(grey[there]), 1) ** 4, 0).astype(np.float32)
    weight = cv2.GaussianBlur(bright, (0, 0), AROUND)
    sky = cv2.GaussianBlur(encoded * bright[..., None], (0, 0), AROUND) / np.maximum(weight, 1e-4)[..., None]
    darker = np.log((luminance(sky) + 1e-3) / grey)
    thing = there & (weight > 1e-3) & (darker > BEGINS)
    thing &= (encoded[..., 1] > GREEN * encoded[..., 2]) | (darker > SILHOUETTE)
    near = cv2.dilate(thing.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if thing.sum() < FEWEST:
        return nothing, sky
    return (np.clip((darker - BEGINS) / (SOLID - BEGINS), 0, 1) * (near & there)).astype(np.float32), sky
