"""People for scale: quiet figures of several ages in several poses, dressed by chance.

Proportions follow the eight-head canon of figure drawing, those of children Richer's tables (a head is a sixth of their height);
all lengths below are shares of the body's height.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from irodori.core.geometry.shapes import box, ellipsoid, loft, swept
from irodori.entourage.catalogue import Kind, Part, painted

TOPS = ("#3d4a57", "#8c8578", "#a8553f", "#58664f", "#c9c2b2", "#2f3440", "#b08a4a", "#6f5a6a", "#d9d6cd", "#7d8fa3")
BOTTOMS = ("#2e3238", "#5a5348", "#3a4656", "#8a8172", "#453a36", "#a39a87")
SHIRTS = ("#e4e0d6", "#c3ccd6", "#d8c9a8", "#9fb0a0", "#b86b52")
SKINS = ("#c79a7d", "#8a5d43", "#d8b198", "#6b4633", "#b5835f")
HAIRS = ("#2a2320", "#5b432f", "#3a2f28", "#a07f55", "#1d1a19")
GREY_HAIR = "#a5a19a"
BAGS = ("#5b4636", "#2c2d30", "#8a6b45", "#44503f")
SEAT = 0.45
"""Height of a seat, m."""

CHILD, OLD = 1.45, "old"
"""m under which someone is a child; and the word in a pose that says that someone is old."""

SIDES = 24

_TORSO = ((0.47, 0.088, 0.062), (0.53, 0.09, 0.064), (0.61, 0.076, 0.054), (0.70, 0.094, 0.064), (0.76, 0.106, 0.062),
          (0.795, 0.104, 0.05), (0.818, 0.08, 0.043), (0.834, 0.05, 0.038), (0.848, 0.03, 0.033))  # fmt: skip
_HEAD = ((0.868, 0.014, 0.014, 0.022), (0.876, 0.026, 0.03, 0.016), (0.892, 0.034, 0.042, 0.011), (0.912, 0.038, 0.047, 0.008),
         (0.935, 0.041, 0.05, 0.005), (0.958, 0.042, 0.051, 0.002), (0.978, 0.036, 0.045, 0.0), (0.992, 0.022, 0.03, 0.0),
         (0.998, 0.006, 0.01, 0.0))  # fmt: skip
"""Height, half width, half depth and forward push of rings."""

_STAND_LEFT = [(-0.048, 0, 0.49), (-0.055, 0.008, 0.27), (-0.06, -0.01, 0.035), (-0.075, 0.075, 0.018)]
_STAND_RIGHT = [(0.048, 0, 0.49), (0.072, 0.025, 0.27), (0.085, 0.0, 0.035), (0.115, 0.08, 0.018)]
_DOWN_LEFT = [(-0.098, 0, 0.785), (-0.133, -0.012, 0.635), (-0.125, 0.03, 0.49)]
_DOWN_RIGHT = [(0.098, 0, 0.785), (0.138, -0.02, 0.635), (0.118, 0.05, 0.505)]

# Shoulder … wrist of the left and right arm, hip … toe of the left and right leg; x right, y forward, z up.
_POSES = {
    "standing": (_DOWN_LEFT, _DOWN_RIGHT, _STAND_LEFT, _STAND_RIGHT),
    "talking": (
        [(-0.098, 0, 0.785), (-0.135, 0.0, 0.64), (-0.06, 0.12, 0.64)],
        [(0.098, 0, 0.785), (0.14, 0.02, 0.65), (0.105, 0.15, 0.7)],
        _STAND_LEFT, _STAND_RIGHT,
    ),
    "listening": (
        [(-0.098, 0, 0.785), (-0.15, -0.02, 0.655), (-0.085, 0.045, 0.56)],
        _DOWN_RIGHT, _STAND_LEFT, _STAND_RIGHT,
    ),
    "phoning": (
        _DOWN_LEFT, [(0.098, 0, 0.785), (0.15, 0.055, 0.69), (0.075, 0.05, 0.86)], _STAND_LEFT, _STAND_RIGHT,
    ),
    "walking": (
        [(-0.098, 0, 0.785), (-0.13, 0.05, 0.64), (-0.118, 0.15, 0.52)],
        [(0.098, 0, 0.785), (0.13, -0.075, 0.645), (0.122, -0.09, 0.5)],
        [(-0.048, 0, 0.49), (-0.05, -0.035, 0.275), (-0.05, -0.165, 0.085), (-0.055, -0.125, 0.02)],
        [(0.048, 0, 0.49), (0.05, 0.085, 0.275), (0.05, 0.15, 0.045), (0.055, 0.225, 0.04)],
    ),
    "strolling": (
        [(-0.098, 0, 0.785), (-0.132, -0.02, 0.64), (-0.125, -0.01, 0.495)],
        [(0.098, 0, 0.785), (0.132, 0.03, 0.64), (0.122, 0.085, 0.51)],
        [(-0.048, 0, 0.49), (-0.052, 0.05, 0.275), (-0.052, 0.075, 0.04), (-0.058, 0.155, 0.022)],
        [(0.048, 0, 0.49), (0.052, -0.005, 0.27), (0.055, -0.095, 0.055), (0.06, -0.03, 0.018)],
    ),
    "waving": (
        _DOWN_LEFT,
        [(0.098, 0, 0.785), (0.205, 0.03, 0.84), (0.2, 0.06, 0.985)],
        [(-0.048, 0, 0.49), (-0.06, 0.01, 0.27), (-0.07, -0.01, 0.035), (-0.09, 0.07, 0.018)],
        [(0.048, 0, 0.49), (0.06, 0.015, 0.27), (0.07, 0.0, 0.035), (0.09, 0.08, 0.018)],
    ),
    "sitting": (
        [(-0.098, 0, 0.785), (-0.135, 0.02, 0.64), (-0.08, 0.15, 0.6)],
        [(0.098, 0, 0.785), (0.135, 0.03, 0.64), (0.07, 0.16, 0.595)],
        [(-0.05, 0.0, 0.505), (-0.07, 0.225, 0.53), (-0.065, 0.235, 0.225), (-0.075, 0.32, 0.205)],
        [(0.05, 0.0, 0.505), (0.068, 0.235, 0.53), (0.075, 0.215, 0.225), (0.085, 0.3, 0.205)],
    ),
}  # fmt: skip
_POSES["old strolling"] = _POSES["strolling"]

WARDROBE = {"trousers": 0.38, "jacket": 0.28, "coat": 0.14, "skirt": 0.1, "dress": 0.1}
_SITTING = ("trousers", "jacket")


def build_person(kind: Kind, seed: int) -> list[Part]:
    """A figure that looks north; its build, hair and clothes depend on the seed."""
    rng = np.random.default_rng(seed)
    arms_and_legs = [np.array(limb) for limb in _POSES[kind.pose]]
    child, old = kind.height < CHILD, OLD in kind.pose
    plain = kind.pose == "sitting" or child
    worn = str(rng.choice(_SITTING) if plain else rng.choice(list(WARDROBE), p=list(WARDROBE.values())))
    pieces: dict[tuple[str, str], list[np.ndarray]] = {}

    def put(finish: str, colour: str, *triangles: np.ndarray) -> None:
        pieces.setdefault((finish, colour), []).extend(triangles)

    top, bottom = str(rng.choice(TOPS)), str(rng.choice(BOTTOMS))
    skin = str(rng.choice(SKINS))
    _dress_body(put, arms_and_legs, worn, (top, bottom, str(rng.choice(SHIRTS)), skin), rng)
    _head_and_hands(put, arms_and_legs[:2], skin, GREY_HAIR if old else str(rng.choice(HAIRS)), rng, child=child)
    if not child and kind.pose != "sitting" and rng.uniform() < 0.5:
        _bag(put, str(rng.choice(BAGS)), rng)
    drop = 0.505 - 0.052 - SEAT / kind.height if kind.pose == "sitting" else 0.0
    out = []
    for (finish, colour), shapes in pieces.items():
        triangles = np.concatenate(shapes)
        if old:  # bent a little forward from the hips up
            triangles[..., 1] += 0.5 * np.maximum(triangles[..., 2] - 0.5, 0) ** 2
        triangles[..., 2] -= drop
        out.append(Part(triangles * kind.height, painted(finish, colour), "person"))
    return out


Put = Callable[..., None]


def _dress_body(put: Put, limbs: list[np.ndarray], worn: str, colours: tuple[str, str, str, str], rng) -> None:
    """Torso, arms and legs in what is worn."""
    top, bottom, shirt, skin = colours
    left, right, left_leg, right_leg = limbs
    stout = rng.uniform(0.93, 1.12)
    torso = np.array(_TORSO) * [1, stout, stout]
    phase = rng.uniform(0, 6, 3)
    if worn == "coat":
        hem = np.array(
            [(0.3, 0.098, 0.088), (0.38, 0.1, 0.082), (0.46, 0.098, 0.074), (0.55, 0.09, 0.066), (0.62, 0.082, 0.06)]
        )
        put("wool felt", top, _cloth(np.concatenate([hem, torso[3:]]), 0.05, phase))
    elif worn == "dress":
        hem = np.array(
            [(0.27, 0.125, 0.115), (0.36, 0.112, 0.1), (0.46, 0.096, 0.078), (0.56, 0.078, 0.058), (0.62, 0.07, 0.052)]
        )
        put("wool felt", top, _cloth(np.concatenate([hem, torso[3:] * [1, 0.94, 0.96]]), 0.1, phase))
    else:
        body = torso.copy()
        body[0, 0] = 0.485
        put("wool felt", top if worn != "jacket" else shirt, _cloth(body * [1, 0.97, 0.97], 0.03, phase))
        if worn == "jacket":  # open in front, so that the shirt shows
            put(
                "wool felt",
                top,
                _cloth(np.concatenate([[(0.44, 0.1, 0.076)], body * [1, 1.05, 1.1]]), 0.04, phase, gap=0.42),
            )
        if worn == "skirt":
            hem = np.array(
                [
                    (0.27, 0.118, 0.108),
                    (0.35, 0.11, 0.095),
                    (0.44, 0.1, 0.078),
                    (0.53, 0.088, 0.064),
                    (0.56, 0.08, 0.058),
                ]
            )
            put("wool felt", bottom, _cloth(hem, 0.12, phase))
    for arm in (left, right):
        put("wool felt", top, _limb(arm, (0.03, 0.025, 0.019), 0.05, rng), ellipsoid(arm[0], (0.031, 0.032, 0.033), 7))
    legs = (
        ("painted plaster", skin)
        if worn == "dress"
        else ("wool felt", "#3a3536")
        if worn == "skirt"
        else ("wool felt", bottom)
    )
    slim = 0.72 if worn in ("dress", "skirt") else 1.0
    if slim == 1.0:
        put(*legs, ellipsoid((0, 0, 0.487), (0.09 * stout, 0.066 * stout, 0.052), 9))
    for leg in (left_leg, right_leg):
        put(*legs, _limb(leg[:3], np.array([0.055, 0.041, 0.031]) * slim, 0.06 if slim == 1 else 0.0, rng))
        heel, toe = leg[2], leg[3]
        put(
            "tan leather", "#2b2522", swept([heel + [0, -0.014, 0.0], (heel + toe) / 2, toe], [0.028, 0.026, 0.017], 10),
            ellipsoid(toe, (0.02, 0.022, 0.014), 5), ellipsoid(heel + [0, -0.01, -0.006], (0.025, 0.026, 0.027), 5),
        )  # fmt: skip


def _cloth(profile: np.ndarray, folds: float, phase: np.ndarray, gap: float = 0.0) -> np.ndarray:
    """A garment over rings (height, half width, half depth) with folds that grow towards its hem; `gap` radians stay open in
    front on each side."""
    fine = np.interp(np.linspace(0, 1, 3 * len(profile)), np.linspace(0, 1, len(profile)), np.arange(len(profile)))
    z, wide, deep = (np.interp(fine, np.arange(len(profile)), column) for column in profile.T)
    turn = np.pi / 2 + np.linspace(gap, 2 * np.pi - gap, SIDES, endpoint=gap > 0)
    down = np.clip((z.max() - z) / max(np.ptp(z), 1e-6), 0, 1)
    rings = []
    for height, w, d, share in zip(z, wide, deep, down):
        # Cloth that hangs falls in pleats; over the waist it creases across.
        pleat = np.sin(7 * turn + phase[0] + 2 * share) + 0.6 * np.sin(11 * turn + phase[1] - 3 * share)
        crease = np.sin(60 * height + 2 * np.sin(2 * turn + phase[2]))
        ripple = 1 + folds * (0.75 * share**1.5 * pleat + 0.22 * crease * (1 - share))
        rings.append(np.column_stack([np.cos(turn) * w * ripple, np.sin(turn) * d * ripple, np.full(SIDES, height)]))
    return loft(rings, closed=gap == 0)


def _limb(joints: np.ndarray, radii, folds: float, rng) -> np.ndarray:
    """A sleeve or trouser leg along joints (3, 3), bent softly, creased at the middle joint and the hem."""
    t = np.linspace(0, 2, 15)
    line = np.column_stack([np.interp(t, [0, 1, 2], joints[:, k]) for k in range(3)])
    soft = line.copy()
    soft[1:-1] = (line[:-2] + 2 * line[1:-1] + line[2:]) / 4
    radius = np.interp(t, [0, 1, 2], radii)
    crease = np.exp(-(((t - 1) / 0.25) ** 2)) + 0.8 * np.exp(-(((t - 1.9) / 0.2) ** 2))
    radius = radius * (1 + folds * (0.4 + 1.6 * crease) * rng.uniform(-1, 1, len(t)))
    return swept(soft, radius, 14)


def _head_and_hands(put: Put, arms: list[np.ndarray], skin: str, hair: str, rng, *, child: bool) -> None:
    """Head with face and hair, neck and hands; a child's head is larger."""
    large = 1.28 if child else 1.0
    foot = np.array([0, 0, 0.868])

    def grown(shape: np.ndarray) -> np.ndarray:
        return (shape - foot) * large + foot - [0, 0, 0.006 + 0.03 * (large - 1)]

    turn = np.arange(SIDES) * 2 * np.pi / SIDES
    rings = np.array([
        np.column_stack([np.cos(turn) * w, np.sin(turn) * d + push, np.full(SIDES, z)]) for z, w, d, push in _HEAD
    ])  # fmt: skip
    nose = [(0, 0.053, 0.94), (0, 0.061, 0.922), (0, 0.056, 0.915)]
    put(
        "painted plaster", skin, grown(loft(rings)), grown(swept(nose, [0.004, 0.0075, 0.006], 6)),
        *(grown(ellipsoid((side * 0.042, 0.0, 0.93), (0.006, 0.011, 0.016), 4)) for side in (-1, 1)),
        swept([(0, 0, 0.82), (0, 0.004, 0.85), (0, 0.007, 0.885)], [0.044, 0.034, 0.032], 12),
        *(ellipsoid(a[2] + 0.027 * (a[2] - a[1]) / np.linalg.norm(a[2] - a[1]), (0.014, 0.019, 0.025), 7) for a in arms),
    )  # fmt: skip
    # Eyes and brows are a shade; at the size of a figure no more is seen of them.
    put(
        "wool felt",
        "#3b2d28",
        *(grown(ellipsoid((side * 0.016, 0.049, 0.942), (0.006, 0.004, 0.0035), 4)) for side in (-1, 1)),
    )
    style = rng.uniform()
    if style < 0.12:  # a cap
        put(
            "wool felt",
            str(rng.choice(TOPS)),
            grown(_cap(0.95, 1.14)),
            grown(ellipsoid((0, 0.052, 0.957), (0.034, 0.034, 0.004), 6)),
        )
        return
    put("wool felt", hair, grown(_cap(0.925 if style < 0.7 else 0.91, 1.1)))
    if style > 0.7:  # long
        put("wool felt", hair, grown(loft(_ring_down(0.86 if style > 0.85 else 0.885))))
    elif style > 0.55:  # tied up
        put("wool felt", hair, grown(ellipsoid((0, -0.05, 0.965), (0.022, 0.022, 0.022), 6)))


def _cap(edge: float, out: float) -> np.ndarray:
    """Hair that lies on the head down to `edge` behind, and to the brow in front."""
    turn = np.arange(SIDES) * 2 * np.pi / SIDES
    front = np.clip(np.sin(turn), 0, 1) ** 1.5
    low = edge + (0.972 - edge) * front
    rings = []
    for t in np.linspace(0, 1, 9):
        z = low + (1.006 - low) * t
        at = [np.interp(z, [h[0] for h in _HEAD], [h[k] for h in _HEAD]) for k in (1, 2, 3)]
        thick = 1 + (out - 1) * np.sin(np.pi * min(t + 0.18, 1.0)) ** 0.5
        rings.append(np.column_stack([np.cos(turn) * at[0] * thick, np.sin(turn) * at[1] * thick + at[2], z]))
    return loft(rings)


def _ring_down(to: float) -> list[np.ndarray]:
    """Rings of long hair behind and beside the head, down to the height `to`."""
    turn = np.linspace(np.pi * 1.02, np.pi * 1.98, SIDES)
    inner = np.linspace(turn[-1], turn[0], SIDES)
    out = []
    for z in np.linspace(0.955, to, 6):
        wide, deep = 0.046 - 0.06 * (0.955 - z), 0.057 - 0.08 * (0.955 - z)
        outer = np.column_stack([np.cos(turn) * wide, np.sin(turn) * deep + 0.012, np.full(SIDES, z)])
        back = np.column_stack([np.cos(inner) * wide * 0.7, np.sin(inner) * deep * 0.6 + 0.012, np.full(SIDES, z)])
        out.append(np.concatenate([outer, back]))
    return out


def _bag(put: Put, colour: str, rng) -> None:
    """A bag over the shoulder or on the back."""
    if rng.uniform() < 0.5:
        side = rng.choice([-1.0, 1.0])
        put(
            "tan leather", colour, box((side * 0.14 - 0.022, -0.06, 0.46), (side * 0.14 + 0.022, 0.07, 0.55)),
            swept([(side * 0.14, 0.0, 0.55), (side * 0.115, 0.045, 0.7), (side * 0.05, 0.0, 0.835)], [0.006] * 3, 5),
        )  # fmt: skip
    else:
        put("wool felt", colour, ellipsoid((0, -0.1, 0.69), (0.075, 0.052, 0.1), 9))
