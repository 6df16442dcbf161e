"""Leaves, needles, blades and petals as triangles."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import unit_rows
from irodori.entourage.catalogue import Part, foliage, toned


def across(vectors: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A unit vector at right angles to each of `vectors` (N, 3), turned by chance."""
    return unit_rows(np.cross(vectors, rng.normal(size=vectors.shape)))


def lay_leaves(at: np.ndarray, outward: np.ndarray, size: np.ndarray, shape: str, rng) -> np.ndarray:
    """Leaves at places `at` (N, 3) that face about `outward` (N, 3) and the sky; `size` (N,) is their length, m.

    "broad" leaves are two triangles folded along the middle, "narrow" ones hang, a "tuft" is a star of needles.
    Returns (T, 3, 3).
    """
    size = size[:, None]
    if shape == "tuft":
        spikes = []
        for _ in range(7):
            way = unit_rows(outward * 0.8 + rng.normal(size=at.shape) * 0.75 + [0, 0, 0.45])
            side = across(way, rng) * size * 0.05
            spikes.append(np.stack([at - side, at + side, at + way * size], axis=1))
        return np.concatenate(spikes)
    if shape == "narrow":
        way = unit_rows(np.array([0, 0, -1.0]) + 0.55 * rng.normal(size=at.shape))
        width = 0.19
    else:
        facing = unit_rows(outward * 0.5 + [0, 0, 0.7] + 0.75 * rng.normal(size=at.shape))
        way = across(facing, rng)
        width = 0.42
    side = across(way, rng) if shape == "narrow" else np.cross(way, facing)
    fold = np.cross(way, side) * size * 0.12
    tail, tip = at - way * size * 0.5, at + way * size * 0.5
    left, right = at + side * size * width + fold, at - side * size * width + fold
    return np.concatenate([np.stack([tail, left, tip], axis=1), np.stack([tail, tip, right], axis=1)])


def two_tones(at, outward, size, shape: str, rng, other: np.ndarray, colour: str, tone: float) -> list[Part]:
    """Leaves as `lay_leaves` has them in two parts: those in `other` (N,) bool lighter by `tone`."""
    return [
        Part(lay_leaves(at[mask], outward[mask], size[mask], shape, rng), foliage(toned(colour, factor)), "planting")
        for mask, factor in ((~other, 1.0), (other, tone))
    ]


def lay_petals(at: np.ndarray, size: np.ndarray, rng) -> np.ndarray:
    """Small flowers that face the sky: two crossed triangles each, (T, 3, 3)."""
    out = []
    for _ in range(2):
        facing = unit_rows(np.array([0, 0, 1.0]) + 0.5 * rng.normal(size=at.shape))
        a = across(facing, rng) * size[:, None] * 0.6
        b = np.cross(facing, a)
        out.append(np.stack([at + a, at - 0.5 * a + 0.87 * b, at - 0.5 * a - 0.87 * b], axis=1))
    return np.concatenate(out)


def blades(root: np.ndarray, lean: np.ndarray, height: np.ndarray, width: np.ndarray, arch: float) -> np.ndarray:
    """Blades of grass from `root` (N, 3), leaning by `lean` (N, 2) m at the tip; `arch` 0 (straight) … 1 (bent over)."""
    way = np.column_stack([lean, np.zeros(len(lean))])
    side = unit_rows(np.column_stack([-lean[:, 1], lean[:, 0], np.zeros(len(lean))]) + 1e-6) * width[:, None]
    rise = np.column_stack([np.zeros((len(root), 2)), height])
    lower = root + way * 0.12 + rise * 0.45
    upper = root + way * 0.5 + rise * (0.8 + 0.08 * arch)
    tip = root + way + rise * (1 - 0.45 * arch)
    return np.concatenate([
        np.stack([root - side, root + side, lower + side], axis=1),
        np.stack([root - side, lower + side, lower - side], axis=1),
        np.stack([lower - side, lower + side, upper], axis=1),
        np.stack([upper - side * 0.5, upper + side * 0.5, tip], axis=1),
        np.stack([lower - side * 0.6, upper + side * 0.5, upper - side * 0.5], axis=1),
    ])  # fmt: skip
