"""Drawing captures from a model: plain shaded or line, as a 3D program's window shows it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numba import njit

from irodori.core.colour import encode_srgb
from irodori.core.structure import Structure

Style = Literal["shaded", "line"]
BACKGROUND = np.array([226, 231, 236], np.float32)
LINE_COLOUR = np.array([38, 40, 44], np.float32)
_KEY_LIGHT = np.array([-0.45, -0.62, 0.64])


def draw_viewport(structure: Structure, samples: np.ndarray, *, style: Style = "shaded") -> np.ndarray:
    """Draw a capture.

    Parameters
    ----------
    structure
        An exact structure.
    samples
        Surface ids at several samples a pixel, from `trace_view(keep_samples=True)`.
    style
        "shaded": flat colours under a fixed light, thin dark edges; "line": edges on white.

    Returns
    -------
    (H, W, 3) float32, sRGB values 0 … 255.
    """
    width, height = structure.size
    grid = samples.shape[0] // height
    lines = _edge_cover(samples, grid, structure)
    if style == "line":
        paper = np.full((height, width, 3), 255.0, np.float32)
        return _ink(paper, lines, np.array([20.0, 20.0, 20.0], np.float32), 1.0)
    fragments = structure.fragments
    colours = _flat_colours(structure)
    picture = fragments.resolve(colours, structure.size)
    return np.rint(_ink(picture, lines, LINE_COLOUR, 0.78))


def _flat_colours(structure: Structure) -> np.ndarray:
    fragments = structure.fragments
    table = structure.surfaces
    top = int(fragments.region.max()) + 1
    base = np.zeros((top, 3), np.float32)
    base[table["id"].to_numpy()] = encode_srgb(np.array(table["colour"].tolist()).reshape(-1, 3))
    light = fragments.normal @ (_KEY_LIGHT / np.linalg.norm(_KEY_LIGHT)).astype(np.float32)
    shade = np.float32(0.70) + np.float32(0.30) * np.clip(light, -0.6, 1.0)
    colours = base[fragments.region] * shade[:, None] * np.float32(255)
    colours[fragments.region == 0] = BACKGROUND
    return colours


def _edge_cover(samples: np.ndarray, grid: int, structure: Structure) -> np.ndarray:
    """Share of each pixel under a line about 1.2 px wide along the borders between surfaces, 0 … 1."""
    import cv2

    soft = np.zeros(int(samples.max()) + 1, bool)
    soft[structure.of_role("planting")] = True
    mark = np.zeros(samples.shape, np.uint8)
    _mark_borders(samples, grid, soft, _planting_is_behind(structure, soft), mark)
    # Two samples either side of the border are marked already; grow to about 1.2 px across.
    disc = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)
    mark = cv2.dilate(mark, disc)
    height, width = samples.shape[0] // grid, samples.shape[1] // grid
    return cv2.resize(mark.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA)


@njit(cache=True)
def _mark_borders(samples, grid, soft, behind, mark):
    """Mark both samples (Y, X) at each border. Leaves have no outline, but what stands before them has."""
    height, width = samples.shape
    for y in range(height):
        for x in range(width):
            a = samples[y, x]
            for dy, dx in ((0, 1), (1, 0)):
                ny, nx = y + dy, x + dx
                if ny == height or nx == width or samples[ny, nx] == a:
                    continue
                b = samples[ny, nx]
                both = (soft[a] or a == 0) and (soft[b] or b == 0)
                if (soft[a] or soft[b]) and (both or not behind[ny // grid, nx // grid]):
                    continue
                mark[y, x] = 1
                mark[ny, nx] = 1


def _planting_is_behind(structure: Structure, soft: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool near which the nearest planting lies behind the nearest of everything else."""
    import cv2

    fragments = structure.fragments
    width, height = structure.size
    leafy = soft[fragments.region]
    nearest = np.full((2, height * width), np.float32(1e6))
    for layer, mine in zip(nearest, (leafy, ~leafy)):
        np.minimum.at(layer, fragments.pixel[mine], np.minimum(fragments.depth[mine], np.float32(1e6)))
    plants, solids = (cv2.erode(layer.reshape(height, width), np.ones((3, 3), np.uint8)) for layer in nearest)
    return solids < plants


def _ink(picture: np.ndarray, cover: np.ndarray, colour: np.ndarray, strength: float) -> np.ndarray:
    alpha = (cover * np.float32(strength))[..., None]
    return picture * (1 - alpha) + colour * alpha
