"""People for scale: quiet figures in several poses and clothes.

Proportions follow the eight-head canon of figure drawing; all lengths below are shares of the body's height.
"""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.shapes import ellipsoid, loft, swept
from irodori.entourage.catalogue import Kind, Part, painted

TOPS = ("#3d4a57", "#8c8578", "#a8553f", "#58664f", "#c9c2b2", "#2f3440", "#b08a4a", "#6f5a6a")
BOTTOMS = ("#2e3238", "#5a5348", "#3a4656", "#8a8172", "#453a36")
SKINS = ("#c79a7d", "#8a5d43", "#d8b198", "#6b4633", "#b5835f")
HAIRS = ("#2a2320", "#5b432f", "#8a8580", "#3a2f28", "#a07f55")
SEAT = 0.45
"""Height of a seat, m."""

_TORSO = ((0.47, 0.088, 0.062), (0.53, 0.09, 0.064), (0.61, 0.076, 0.054), (0.70, 0.094, 0.064), (0.76, 0.106, 0.062),
          (0.795, 0.108, 0.05), (0.815, 0.09, 0.044), (0.832, 0.055, 0.04), (0.845, 0.032, 0.034))  # fmt: skip
_COAT = ((0.36, 0.102, 0.082), (0.45, 0.1, 0.078), (0.55, 0.094, 0.07), (0.62, 0.084, 0.062)) + _TORSO[3:]

# Shoulder … wrist of the left and right arm, hip … toe of the left and right leg; x right, y forward, z up.
_POSES = {
    "standing": (
        [(-0.1, 0, 0.785), (-0.135, -0.012, 0.635), (-0.125, 0.03, 0.49)],
        [(0.1, 0, 0.785), (0.14, -0.02, 0.635), (0.118, 0.05, 0.505)],
        [(-0.048, 0, 0.49), (-0.055, 0.008, 0.27), (-0.06, -0.01, 0.035), (-0.075, 0.075, 0.018)],
        [(0.048, 0, 0.49), (0.072, 0.025, 0.27), (0.085, 0.0, 0.035), (0.115, 0.08, 0.018)],
    ),
    "walking": (
        [(-0.1, 0, 0.785), (-0.13, 0.05, 0.64), (-0.118, 0.15, 0.52)],
        [(0.1, 0, 0.785), (0.13, -0.075, 0.645), (0.122, -0.09, 0.5)],
        [(-0.048, 0, 0.49), (-0.05, -0.035, 0.275), (-0.05, -0.165, 0.085), (-0.055, -0.125, 0.02)],
        [(0.048, 0, 0.49), (0.05, 0.085, 0.275), (0.05, 0.15, 0.045), (0.055, 0.225, 0.04)],
    ),
    "waving": (
        [(-0.1, 0, 0.785), (-0.135, -0.012, 0.635), (-0.125, 0.03, 0.49)],
        [(0.1, 0, 0.785), (0.205, 0.03, 0.84), (0.2, 0.06, 0.985)],
        [(-0.048, 0, 0.49), (-0.06, 0.01, 0.27), (-0.07, -0.01, 0.035), (-0.09, 0.07, 0.018)],
        [(0.048, 0, 0.49), (0.06, 0.015, 0.27), (0.07, 0.0, 0.035), (0.09, 0.08, 0.018)],
    ),
    "sitting": (
        [(-0.1, 0, 0.785), (-0.135, 0.02, 0.64), (-0.08, 0.15, 0.6)],
        [(0.1, 0, 0.785), (0.135, 0.03, 0.64), (0.07, 0.16, 0.595)],
        [(-0.05, 0.0, 0.505), (-0.07, 0.225, 0.53), (-0.065, 0.235, 0.225), (-0.075, 0.32, 0.205)],
        [(0.05, 0.0, 0.505), (0.068, 0.235, 0.53), (0.075, 0.215, 0.225), (0.085, 0.3, 0.205)],
    ),
}  # fmt: skip


def build_person(kind: Kind, seed: int) -> list[Part]:
    """A figure that looks north; what it wears depends on the seed."""
    rng = np.random.default_rng(seed)
    left, right, left_leg, right_leg = (np.array(limb) for limb in _POSES[kind.pose])
    coat = kind.pose != "sitting" and rng.uniform() < 0.4
    torso = np.array(_COAT if coat else _TORSO)
    torso[:, 1:] *= rng.uniform(0.93, 1.1)
    turn = np.arange(18) * 2 * np.pi / 18
    rings = [np.column_stack([np.cos(turn) * w, np.sin(turn) * d, np.full(18, z)]) for z, w, d in torso]
    top = [loft(rings)]
    for arm in (left, right):
        top.append(swept(arm, [0.029, 0.023, 0.018], 10))
        top.append(ellipsoid(arm[0], (0.03, 0.031, 0.03), 6))
        top.append(ellipsoid(arm[1], (0.0235, 0.0235, 0.0235), 6))
    bottom = [] if coat else [ellipsoid((0, 0, 0.485), (0.092, 0.066, 0.05), 7)]
    shoes = []
    for leg in (left_leg, right_leg):
        bottom.append(swept(leg[:3], [0.054, 0.039, 0.028], 12))
        bottom.append(ellipsoid(leg[1], (0.04, 0.04, 0.042), 6))
        heel, toe = leg[2], leg[3]
        shoes.append(swept([heel + [0, -0.012, 0.0], (heel + toe) / 2, toe], [0.029, 0.029, 0.02], 10))
        shoes.append(ellipsoid(toe, (0.022, 0.022, 0.016), 5))
        shoes.append(ellipsoid(heel + [0, -0.01, -0.005], (0.027, 0.027, 0.027), 5))
    skin = [
        ellipsoid((0, 0.012, 0.933), (0.043, 0.052, 0.064), 9),
        swept([(0, 0, 0.83), (0, 0.006, 0.9)], [0.031, 0.028], 10),
    ]
    for arm in (left, right):
        way = arm[2] - arm[1]
        skin.append(ellipsoid(arm[2] + 0.3 * way / np.linalg.norm(way) * 0.09, (0.016, 0.022, 0.026), 6))
    hair = [ellipsoid((0, -0.004, 0.948), (0.047, 0.055, 0.058), 9)]
    if rng.uniform() < 0.4:
        hair.append(ellipsoid((0, -0.032, 0.905), (0.042, 0.026, 0.06), 7))
    cloth = rng.integers(0, [len(TOPS), len(BOTTOMS), len(SKINS), len(HAIRS)])
    drop = 0.0
    if kind.pose == "sitting":
        drop = 0.505 - 0.052 - SEAT / kind.height
    out = []
    for pieces, finish, colour in (
        (top, "wool felt", TOPS[cloth[0]]), (bottom, "wool felt", BOTTOMS[cloth[1]]), (skin, "painted plaster", SKINS[cloth[2]]),
        (hair, "wool felt", HAIRS[cloth[3]]), (shoes, "tan leather", "#2b2522"),
    ):  # fmt: skip
        triangles = np.concatenate(pieces)
        triangles[..., 2] -= drop
        out.append(Part(triangles * kind.height, painted(finish, colour), "person"))
    return out
