"""Spruces: whorls of drooping branches with sprays of needles."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import unit_rows
from irodori.core.geometry.shapes import swept
from irodori.entourage.catalogue import Kind, Part, foliage, painted, toned


def grow_conifer(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A spruce in its catalogue size; `share` as in `grow_tree`."""
    rng = np.random.default_rng(seed)
    height = kind.height
    wood = [swept([[0, 0, 0], [0, 0, height * 0.5], [0, 0, height]], [height * 0.016, height * 0.01, 0.01], 8)]
    gap = 0.26 / np.sqrt(max(share, 0.4))
    sprays, tones = [], []
    z = height * kind.clear
    while z < height * 0.985:
        t = (z - height * kind.clear) / (height * (1 - kind.clear))
        reach = kind.spread / 2 * (1 - t) ** 0.85 * rng.uniform(0.85, 1.1) + 0.12
        count = int(rng.integers(6, 9))
        turn = rng.uniform(0, 2 * np.pi)
        for k in range(count):
            angle = turn + 2 * np.pi * k / count + rng.normal(0, 0.16)
            long = reach * rng.uniform(0.72, 1.08)
            out = np.array([np.cos(angle), np.sin(angle), 0])
            f = np.linspace(0, 1, 6)
            droop = long * (0.32 * (1 - t) + 0.02)
            curve = np.array([0, 0, z]) + f[:, None] * out * long
            # Branches sink under their weight and rise again at the tip.
            curve[:, 2] += -droop * np.sin(f * np.pi * 0.62) + 0.16 * long * f**2
            if share > 0.25 and long > 0.5:
                wood.append(swept(curve[[0, 3, 5]], [0.012 + 0.009 * long, 0.012, 0.004], 4))
            sprays.append(_sprays(curve, out, long, kind.leaf, share, rng))
            tones.append(np.full(len(sprays[-1]), rng.uniform() < 0.35))
        z += gap * rng.uniform(0.8, 1.2) * (0.55 + 0.45 * (1 - t))
    needles, light = np.concatenate(sprays), np.concatenate(tones)
    colour = kind.colour(season)
    parts = [Part(np.concatenate(wood), painted("bark", kind.bark), "planting")]
    for mask, tone in ((~light, 1.0), (light, 1.2)):
        parts.append(Part(needles[mask], foliage(toned(colour, tone)), "planting"))
    return parts


def _sprays(curve, out, long, size, share, rng) -> np.ndarray:
    """Flat fans of needles to both sides of a branch and hanging from it."""
    count = max(int(long * 52 * np.sqrt(share)), 8)
    size = size * (0.75 / max(share, 0.1) ** 0.2)
    f = rng.uniform(0.08, 1.0, count)
    place = np.column_stack([np.interp(f, np.linspace(0, 1, 6), curve[:, k]) for k in range(3)])
    side = np.array([-out[1], out[0], 0])
    sign = rng.choice([-1.0, 1.0], count)[:, None]
    way = unit_rows(
        out * 0.75
        + sign * side * rng.uniform(0.3, 1.0, (count, 1))
        + [0, 0, -0.28]
        + 0.22 * rng.normal(size=(count, 3))
    )
    length = size * (0.7 + 0.6 * (1 - f))[:, None] * rng.uniform(0.7, 1.3, (count, 1))
    flat = unit_rows(np.cross(way, [0, 0, 1.0]) + 0.5 * rng.normal(size=(count, 3)))
    fans = []
    for spread in (-0.5, 0.0, 0.5):
        tip = place + unit_rows(way + flat * spread) * length * (1 - 0.25 * abs(spread))
        root = flat * length * (0.1 / max(share, 0.1) ** 0.15)
        fans.append(np.stack([place - root, place + root, tip], axis=1))
    return np.concatenate(fans)
