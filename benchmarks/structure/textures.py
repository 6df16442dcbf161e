"""Patterns that viewports and drawings lay on surfaces: bricks, boards, tiles, slabs, leaves of grass."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import cv2
import numpy as np
from scipy import ndimage

from irodori.core.camera import Camera

if TYPE_CHECKING:
    from draw import Truth

FINE = 3
GRAIN = 0.035
"""How much a photographed material varies within one unit, as a share of its colour (standard deviation)."""

"""Samples of a pixel's side, so that patterns fade out with distance as a graphics card's do."""


class Pattern(NamedTuple):
    """`size` of one unit, m, along and up; every other row moved by `bond` of a unit; how strongly units and their
    `joint` (m wide) differ from the surface's own colour, as shares of it."""

    size: tuple[float, float]
    bond: float
    tint: float
    joint: float
    gap: float


PATTERNS = {
    "wall": Pattern((0.24, 0.08), 0.5, 0.10, 0.012, 0.16),
    "brick": Pattern((0.5, 0.25), 0.5, 0.12, 0.02, 0.20),
    "roof": Pattern((0.3, 0.34), 0.5, 0.09, 0.03, -0.30),
    "paving": Pattern((0.6, 0.6), 0.0, 0.06, 0.015, -0.25),
    "floor": Pattern((2.0, 0.14), 0.37, 0.11, 0.006, -0.30),
    "lawn": Pattern((0.05, 0.05), 0.0, 0.22, 0.0, 0.0),
}


def texture_factor(camera: Camera, fine: Truth) -> np.ndarray:
    """What to multiply a capture by, (H, W, 3) float32, so that its surfaces show their patterns.

    `fine` is the truth at `FINE` times the camera's size.
    """
    return cv2.resize(_pattern(fine), camera.size, interpolation=cv2.INTER_AREA)


def places(truth: Truth) -> np.ndarray:
    """Where each pixel's surface lies, (H, W, 3) m; at the camera where there is none."""
    height, width = truth.depth.shape
    ys, xs = np.mgrid[0:height, 0:width] + 0.5
    origin, way = (a.astype(np.float64).reshape(height, width, 3) for a in truth.camera.rays(xs.ravel(), ys.ravel()))
    return origin + way * np.where(np.isfinite(truth.depth), truth.depth, 0)[..., None]


def _across(truth: Truth) -> tuple[np.ndarray, np.ndarray]:
    """Metres along and up each pixel's surface, (H, W)."""
    place = places(truth)
    n = truth.normal
    flat = np.abs(n[..., 2]) > 0.95
    side = np.stack([-n[..., 1], n[..., 0], np.zeros(n.shape[:2])], axis=-1)
    side /= np.maximum(np.linalg.norm(side, axis=-1, keepdims=True), 1e-9)
    rise = np.cross(n, side)
    along = np.where(flat, place[..., 0], (place * side).sum(-1))
    up = np.where(flat, place[..., 1], (place * rise).sum(-1))
    return along, up


def _pattern(truth: Truth) -> np.ndarray:
    along, up = _across(truth)
    out = np.ones((*along.shape, 3), np.float32)
    for name, pattern in PATTERNS.items():
        if name not in truth.roles:
            continue
        own = truth.role == truth.roles.index(name)
        u, v = along[own], up[own]
        row = np.floor(v / pattern.size[1])
        u = u / pattern.size[0] + row * pattern.bond
        unit = np.floor(u)
        random = np.sin(unit * 127.1 + row * 311.7) * 43758.5453
        shade = 1 + pattern.tint * 2 * (random - np.floor(random) - 0.5)
        near = (np.abs(v / pattern.size[1] - row - 0.5) > 0.5 - pattern.joint / pattern.size[1] / 2) | (
            np.abs(u - unit - 0.5) > 0.5 - pattern.joint / pattern.size[0] / 2
        )
        out[own] = (np.where(near, 1 + pattern.gap, shade) * _grain(along[own], up[own]))[:, None]
    return out


HATCHES = {"wall": (None, 0.3), "roof": (None, 0.35), "paving": (0.8, 0.8), "floor": (None, 0.2), "facade": (0.2, None)}
"""Metres between hatching's lines, up and down a surface and along it; None where there are none."""

CLOSEST = 3.5
"""px between lines under which a program leaves hatching out."""


def hatching(camera: Camera, fine: Truth) -> np.ndarray:
    """How much ink, (H, W) float32 from 0 to 1, hatching of one pixel's width lays on each pixel."""
    along, up = _across(fine)
    ink = np.zeros(along.shape, np.float32)
    for name, spacing in HATCHES.items():
        if name not in fine.roles:
            continue
        own = fine.role == fine.roles.index(name)
        for place, step in zip((along, up), spacing):
            if step is None:
                continue
            turn = place / step
            slope = np.hypot(*np.gradient(turn)) * FINE  # lines a pixel
            same = own & (cv2.dilate(fine.surface.astype(np.float32), np.ones((3, 3))) == fine.surface)
            same &= cv2.erode(fine.surface.astype(np.float32), np.ones((3, 3))) == fine.surface
            away = np.abs(turn - np.round(turn)) / np.maximum(slope, 1e-9)
            ink[same & (away < 0.5) & (slope < 1 / CLOSEST)] = 1
    return cv2.resize(ink, camera.size, interpolation=cv2.INTER_AREA)


def _grain(u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Smooth noise of three sizes, 2 cm to 32 cm, about 1."""
    held = np.random.default_rng(3).normal(size=(256, 256)).astype(np.float32)
    held = ndimage.gaussian_filter(held, 1.0, mode="wrap")
    held /= held.std()
    total = np.zeros(len(u), np.float32)
    for size in (0.02, 0.08, 0.32):
        total += held[(v / size).astype(int) % 256, (u / size).astype(int) % 256]
    return 1 + GRAIN * total / np.sqrt(3)
