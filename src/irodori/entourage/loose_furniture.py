"""Benches, café tables with cups, planters."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.shapes import box, cylinder, loft, tube
from irodori.entourage.catalogue import Part, painted
from irodori.finishes import find_finish


def build_bench() -> list[Part]:
    """A slatted bench of 1.8 m whose sitters look north."""
    slats = [box((-0.9, y, 0.43), (0.9, y + 0.075, 0.465)) for y in (-0.2, -0.105, -0.01, 0.085, 0.18)]
    slats += [
        box((-0.9, -0.285 - 0.02 * k, 0.55 + 0.1 * k), (0.9, -0.255 - 0.02 * k, 0.62 + 0.1 * k)) for k in range(3)
    ]
    steel = []
    for x in (-0.72, 0.72):
        steel += [
            box((x - 0.025, -0.21, 0.0), (x + 0.025, -0.17, 0.43)),
            box((x - 0.025, 0.2, 0.0), (x + 0.025, 0.24, 0.43)),
        ]
        steel += [
            box((x - 0.025, -0.21, 0.4), (x + 0.025, 0.24, 0.43)),
            tube((x, -0.2, 0.42), (x, -0.31, 0.84), 0.018, 8),
        ]
    return [
        Part(np.concatenate(slats), find_finish("oak decking").changed(age=0.3), "furniture"),
        Part(np.concatenate(steel), find_finish("black steel"), "furniture"),
    ]


def turned(profile, sides: int = 24) -> np.ndarray:
    """A turned body from a profile of (radius, height)."""
    turn = np.arange(sides) * 2 * np.pi / sides
    return loft([np.column_stack([r * np.cos(turn), r * np.sin(turn), np.full(sides, z)]) for r, z in profile])


def build_table() -> list[Part]:
    """A round table of 0.7 m, two chairs and two cups on saucers."""
    top = turned([(0.001, 0.715), (0.34, 0.715), (0.35, 0.722), (0.35, 0.738), (0.345, 0.742), (0.001, 0.742)], 40)
    foot = turned([(0.22, 0.0), (0.22, 0.014), (0.03, 0.025), (0.028, 0.715)], 24)
    cup = turned(
        [
            (0.001, 0.0),
            (0.07, 0.003),
            (0.074, 0.009),
            (0.02, 0.009),
            (0.024, 0.02),
            (0.037, 0.055),
            (0.04, 0.07),
            (0.036, 0.07),
            (0.02, 0.016),
            (0.001, 0.014),
        ],
        24,
    )
    cups = np.concatenate([cup + [0.14, 0.1, 0.742], cup + [-0.12, -0.13, 0.742]])
    coffee = np.concatenate(
        [turned([(0.001, 0.06), (0.035, 0.06)], 24) + [x, y, 0.742] for x, y in ((0.14, 0.1), (-0.12, -0.13))]
    )
    wood, steel = [], []
    for side in (-1, 1):
        y = side * 0.62
        wood.append(box((-0.2, y - 0.2, 0.44), (0.2, y + 0.2, 0.46)))
        back = y + side * 0.2
        wood.append(box((-0.2, min(back, back + side * 0.02), 0.68), (0.2, max(back, back + side * 0.02), 0.84)))
        for x in (-0.17, 0.17):
            steel.append(tube((x, y - side * 0.17, 0.0), (x, y - side * 0.17, 0.44), 0.011, 8))
            steel.append(tube((x, y + side * 0.19, 0.0), (x, y + side * 0.2, 0.84), 0.011, 8))
    return [
        Part(top, painted("polished granite", "#c9c5bc"), "furniture"),
        Part(np.concatenate([foot, *steel]), find_finish("black steel"), "furniture"),
        Part(np.concatenate(wood), find_finish("oiled oak"), "furniture"),
        Part(cups, painted("gloss paint", "#efece4", 0.8), "furniture"),
        Part(coffee, painted("gloss paint", "#2a1a10", 0.8), "furniture"),
    ]


def planter_tub() -> Part:
    """A square fibre-cement tub of 0.5 m."""
    walls = [box((-0.25, -0.25, 0), (0.25, -0.22, 0.45)), box((-0.25, 0.22, 0), (0.25, 0.25, 0.45))]
    walls += [
        box((-0.25, -0.22, 0), (-0.22, 0.22, 0.45)),
        box((0.22, -0.22, 0), (0.25, 0.22, 0.45)),
        box((-0.22, -0.22, 0), (0.22, 0.22, 0.4)),
    ]
    return Part(np.concatenate(walls), find_finish("polished concrete").changed(age=0.1), "furniture")


def trunk(height: float) -> Part:
    """A thin stem for a planter."""
    return Part(cylinder(0, 0, 0.38, height, 0.022, 0.016), painted("bark", "#6a5f52"), "planting")
