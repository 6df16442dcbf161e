"""Lamps on posts: their light follows from the kind of lamp, like that of the model's own."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.shapes import box, cylinder, tube
from irodori.entourage.catalogue import Part
from irodori.entourage.loose_furniture import turned
from irodori.finishes import find_finish


def build_street_lamp() -> list[Part]:
    """A mast of 4.2 m with an arm towards north."""
    steel = [cylinder(0, 0, 0, 4.2, 0.06, 0.04, 14), tube((0, 0, 4.12), (0, 0.75, 4.16), 0.025, 8)]
    steel.append(box((-0.11, 0.42, 4.14), (0.11, 0.95, 4.2)))
    return [
        Part(np.concatenate(steel), find_finish("dark anodised"), "furniture"),
        Part(box((-0.09, 0.46, 4.115), (0.09, 0.91, 4.139)), find_finish("lamp"), "lamp", "street lamp"),
    ]


def build_bollard_light() -> list[Part]:
    """A bollard of 0.95 m with a ring of light under its cap."""
    steel = [
        cylinder(0, 0, 0, 0.76, 0.075, sides=20),
        cylinder(0, 0, 0.88, 0.95, 0.085, 0.07, 20),
        cylinder(0, 0, 0.76, 0.88, 0.02, sides=8),
    ]
    return [
        Part(np.concatenate(steel), find_finish("dark anodised"), "furniture"),
        Part(turned([(0.055, 0.77), (0.055, 0.87)], 20), find_finish("lamp"), "lamp", "bollard light"),
    ]


def build_floor_lamp() -> list[Part]:
    """A stand of 1.55 m with a round shade."""
    steel = [cylinder(0, 0, 0, 0.02, 0.14, sides=24), cylinder(0, 0, 0.02, 1.3, 0.012, sides=8)]
    shade = turned([(0.001, 1.22), (0.16, 1.22), (0.2, 1.3), (0.2, 1.45), (0.15, 1.54), (0.001, 1.55)], 28)
    return [
        Part(np.concatenate(steel), find_finish("black steel"), "furniture"),
        Part(shade, find_finish("lamp"), "lamp", "pendant"),
    ]
