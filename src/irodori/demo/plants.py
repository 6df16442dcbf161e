"""Birches and reeds of the scenario, as geometry."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.shapes import tube


def birch(x: float, y: float, z: float, height: float, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Trunk with limbs, and leaves, of a birch standing at (x, y, z)."""
    rng = np.random.default_rng(seed)
    base = np.array([x, y, z])
    top = base + [rng.normal(0, 0.35), rng.normal(0, 0.35), height]
    bend = (base + top) / 2 + [rng.normal(0, 0.2), rng.normal(0, 0.2), 0]
    wood = [tube(base, bend, 0.012 * height + 0.03, 7), tube(bend, top, 0.008 * height, 6)]
    leaves = []
    for _ in range(int(height * 6.0)):
        t = rng.uniform(0.28, 0.98)
        start = base + (bend - base) * min(2 * t, 1) + (top - bend) * max(2 * t - 1, 0)
        angle = rng.uniform(0, 2 * np.pi)
        reach = height * 0.30 * (1.12 - t) * rng.uniform(0.6, 1.1) + 0.3
        tip = start + [np.cos(angle) * reach, np.sin(angle) * reach, reach * rng.uniform(0.25, 0.8)]
        wood.append(tube(start, tip, 0.016, 4))
        for _ in range(45):
            f = rng.uniform(0.25, 1.08)
            at = start + (tip - start) * f + rng.normal(0, 0.26, 3) - [0, 0, rng.uniform(0, 0.35)]
            leaves.append(_leaf(at, rng.uniform(0.07, 0.14), rng))
    return np.concatenate(wood), np.concatenate(leaves)


def reeds(outline, count: int, z: float, seed: int) -> np.ndarray:
    """Reed blades scattered in the rectangle (x0, y0, x1, y1), rooted at z."""
    rng = np.random.default_rng(seed)
    x0, y0, x1, y1 = outline
    blades = []
    # Reeds grow in clumps.
    centres = np.column_stack([rng.uniform(x0, x1, count // 25 + 1), rng.uniform(y0, y1, count // 25 + 1)])
    for _ in range(count):
        cx, cy = centres[rng.integers(len(centres))] + rng.normal(0, 0.35, 2)
        tall = rng.uniform(0.9, 2.0)
        lean = rng.normal(0, 0.22, 2) * tall
        angle = rng.uniform(0, np.pi)
        side = np.array([np.cos(angle), np.sin(angle), 0]) * rng.uniform(0.012, 0.022)
        root = np.array([cx, cy, z])
        middle = root + [lean[0] * 0.35, lean[1] * 0.35, tall * 0.6]
        tip = root + [lean[0], lean[1], tall]
        blades.append([root - side, root + side, middle + side])
        blades.append([root - side, middle + side, middle - side])
        blades.append([middle - side, middle + side, tip])
    return np.array(blades)


def _leaf(at: np.ndarray, size: float, rng: np.random.Generator) -> np.ndarray:
    a = rng.normal(size=3)
    a /= np.linalg.norm(a)
    b = np.cross(a, rng.normal(size=3))
    b /= np.linalg.norm(b)
    tip, tail = at + a * size, at - a * size
    return np.array([[tail, at + b * size * 0.55, tip], [tail, tip, at - b * size * 0.55]])
