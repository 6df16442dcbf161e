"""Cars, boats and bicycles, plain enough to stay in the background."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import face_normals
from irodori.core.geometry.shapes import box, ellipsoid, loft, swept, tube
from irodori.entourage.catalogue import Part, painted
from irodori.finishes import find_finish

CAR_PAINTS = ("#8d9297", "#3a4148", "#d9d7d0", "#5d3a34", "#37505f")
HULLS = ("#e7e2d6", "#2f4a5c", "#6c4a32", "#a03f33")


def build_car(seed: int) -> list[Part]:
    """A small car of 4.0 m that faces north."""
    paint = CAR_PAINTS[np.random.default_rng(seed).integers(len(CAR_PAINTS))]
    # Along the car: y, half width, underside, top of the body.
    stations = np.array([
        (-2.0, 0.62, 0.42, 0.72), (-1.96, 0.78, 0.32, 0.86), (-1.7, 0.86, 0.24, 0.95), (-0.9, 0.88, 0.2, 0.96), (0.5, 0.88, 0.2, 0.93),
        (1.1, 0.87, 0.2, 0.86), (1.7, 0.84, 0.24, 0.74), (1.93, 0.76, 0.32, 0.66), (2.0, 0.62, 0.4, 0.58),
    ])  # fmt: skip
    body = loft([_section(y, w, low, top, 5.0) for y, w, low, top in stations])
    body = np.concatenate([body, _cap(_section(*stations[0], 5.0))[:, ::-1], _cap(_section(*stations[-1], 5.0))])
    cabin = np.array([(-1.62, 0.7, 0.9, 0.98), (-1.35, 0.7, 0.9, 1.32), (-0.9, 0.68, 0.9, 1.46), (-0.1, 0.68, 0.9, 1.48), (0.35, 0.68, 0.88, 1.42), (1.12, 0.66, 0.84, 0.9)])  # fmt: skip
    top = loft([_section(y, w, low, high, 4.0) for y, w, low, high in cabin])
    middle = top.mean(axis=1)
    normal = face_normals(top)
    up = np.abs(normal[:, 2]) / (np.linalg.norm(normal, axis=1) + 1e-9)
    roof = (up > 0.8) & (middle[:, 2] > 1.38)
    tyres, discs = [], []
    for x in (-0.76, 0.76):
        for y in (-1.25, 1.27):
            tyres.append(_wheel(x, y, 0.31, 0.2))
            discs.append(_wheel(x + np.sign(x) * 0.012, y, 0.2, 0.2))
    dark = painted("gloss paint", "#15191c", 0.9)
    lights = np.concatenate([ellipsoid((x, 1.9, 0.62), (0.13, 0.07, 0.06), 6) for x in (-0.58, 0.58)])
    tails = np.concatenate([ellipsoid((x, -1.93, 0.76), (0.09, 0.05, 0.09), 6) for x in (-0.64, 0.64)])
    return [
        Part(body, painted("gloss paint", paint, 0.8), "vehicle"), Part(top[roof], painted("gloss paint", paint, 0.8), "vehicle"),
        Part(top[~roof], dark, "vehicle"), Part(np.concatenate(tyres), painted("wool felt", "#1c1c1d"), "vehicle"),
        Part(np.concatenate(discs), find_finish("natural anodised"), "vehicle"),
        Part(lights, painted("gloss paint", "#d4d6d2", 0.9), "vehicle"), Part(tails, painted("gloss paint", "#7a1c18", 0.8), "vehicle"),
    ]  # fmt: skip


def _section(y, half, low, high, power) -> np.ndarray:
    """A rounded cross-section (superellipse, Lamé 1818), (24, 3)."""
    turn = np.arange(24) * 2 * np.pi / 24
    c, s = np.cos(turn), np.sin(turn)
    x = half * np.sign(c) * np.abs(c) ** (2 / power)
    z = (low + high) / 2 + (high - low) / 2 * np.sign(s) * np.abs(s) ** (2 / power)
    return np.column_stack([x, np.full(24, y), z])


def _cap(ring: np.ndarray) -> np.ndarray:
    middle = np.broadcast_to(ring.mean(axis=0), ring.shape)
    return np.stack([middle, ring, np.roll(ring, -1, axis=0)], axis=1)


def _wheel(x: float, y: float, radius: float, width: float) -> np.ndarray:
    turn = np.arange(28) * 2 * np.pi / 28
    rings = [
        np.column_stack([np.full(28, x + side), y + r * np.cos(turn), 0.31 + r * np.sin(turn)])
        for side, r in ((-width / 2, radius * 0.01), (-width / 2, radius * 0.94), (-width * 0.4, radius), (width * 0.4, radius), (width / 2, radius * 0.94), (width / 2, radius * 0.01))
    ]  # fmt: skip
    return loft(rings)


def _hull(length: float, beam: float, depth: float, draught: float, inner: float = 0.0) -> np.ndarray:
    """Open skin of a hull, bow north, waterline at z = 0; `inner` m smaller for its inside, (n, k, 3) rings."""
    rings = []
    for f in np.linspace(0, 1, 15):
        # Fuller aft, fine at the bow.
        half = beam / 2 * min(1.0, 1.28 * (1 - f**2.6)) * (0.78 + 0.22 * np.sin(np.pi * min(f * 1.2, 1)))
        half = max(half * (1 if f < 0.985 else 0.35) - inner, 0.01)
        sheer = depth - draught + 0.16 * depth * (2 * f - 0.7) ** 2
        keel = -draught * (1 - f**5) + inner + f**8 * sheer * 0.8
        turn = np.linspace(0, np.pi, 13)
        x = -half * np.cos(turn)
        z = sheer - (sheer - keel) * np.sin(turn) ** 0.8
        rings.append(np.column_stack([x, np.full(13, (f - 0.5) * (length - 2 * inner)), z]))
    return np.array(rings)


def build_boat(seed: int) -> list[Part]:
    """An open rowing boat of 4.2 m with thwarts and oars, afloat at z = 0."""
    colour = HULLS[np.random.default_rng(seed).integers(len(HULLS))]
    outer, inner = _hull(4.2, 1.45, 0.62, 0.17), _hull(4.2, 1.45, 0.62, 0.17, 0.025)
    transom = _cap(outer[0])
    gunwale = np.concatenate(
        [swept((outer[:, k] + inner[:, k]) / 2 + [0, 0, 0.008], np.full(15, 0.026), 8) for k in (0, -1)]
    )
    wood = [gunwale, loft(inner, closed=False)]
    wood += [box((-w, y, 0.2), (w, y + 0.24, 0.235)) for y, w in ((-1.45, 0.48), (-0.35, 0.6), (0.7, 0.42))]
    for side in (-1, 1):
        wood.append(tube((side * 0.2, -1.5, 0.27), (side * 0.16, 0.85, 0.27), 0.02, 8))
        wood.append(box((side * 0.16 - 0.06, 0.8, 0.262), (side * 0.16 + 0.06, 1.35, 0.278)))
    return [
        Part(np.concatenate([loft(outer, closed=False), transom]), painted("gloss paint", colour, 0.55), "vehicle"),
        Part(np.concatenate(wood), find_finish("oiled oak"), "vehicle"),
    ]


def build_sailing_boat(seed: int) -> list[Part]:
    """A keelboat of 7 m, sails furled, afloat at z = 0."""
    colour = HULLS[np.random.default_rng(seed).integers(2)]
    hull = _hull(7.0, 2.3, 1.25, 0.35)
    deck = np.stack([hull[:, 0] - [0, 0, 0.02], hull[:, -1] - [0, 0, 0.02]], axis=1)
    cabin = loft(
        [
            _section(y, w, 0.75, top, 4.0)
            for y, w, top in ((-0.6, 0.62, 1.32), (0.6, 0.6, 1.3), (1.5, 0.4, 1.1), (1.75, 0.2, 0.95))
        ]
    )
    metal = [tube((0, 0.7, 0.9), (0, 0.7, 9.0), 0.05, 10), tube((0, 0.68, 1.75), (0, -2.5, 1.7), 0.04, 8)]
    metal += [
        tube((0, 0.7, 8.9), p, 0.006, 4) for p in ((0, 3.4, 1.1), (0, -3.4, 1.0), (-1.0, 0.4, 0.95), (1.0, 0.4, 0.95))
    ]
    sail = swept([(0, 0.6, 1.86), (0, -0.9, 1.9), (0, -2.4, 1.82)], [0.11, 0.13, 0.07], 10)
    return [
        Part(np.concatenate([loft(hull, closed=False), _cap(hull[0])]), painted("gloss paint", colour, 0.7), "vehicle"),
        Part(loft(deck, closed=False), find_finish("oak decking").changed(age=0.2), "vehicle"),
        Part(cabin, painted("gloss paint", "#e4e1d8", 0.6), "vehicle"),
        Part(np.concatenate(metal), find_finish("natural anodised"), "vehicle"),
        Part(sail, painted("linen", "#d9d2c2"), "vehicle"),
    ]


def build_bicycle(seed: int) -> list[Part]:
    """A bicycle that faces north."""
    colour = CAR_PAINTS[np.random.default_rng(seed).integers(len(CAR_PAINTS))]
    rear, front, crank, seat, head = (np.array(p, float) for p in ((0, -0.52, 0.34), (0, 0.53, 0.34), (0, -0.08, 0.29), (0, -0.24, 0.82), (0, 0.36, 0.84)))  # fmt: skip
    frame = [
        tube(*pair, 0.016, 8)
        for pair in ((crank, seat), (crank, head), (seat, head), (seat, rear), (crank, rear), (head, front))
    ]
    bars = [
        tube(head, head + [0, 0.02, 0.2], 0.013, 8),
        tube(head + [-0.28, -0.1, 0.2], head + [0, 0.03, 0.2], 0.012, 8),
    ]
    bars += [
        tube(head + [0.28, -0.1, 0.2], head + [0, 0.03, 0.2], 0.012, 8),
        tube(seat, seat + [0, -0.02, 0.12], 0.014, 8),
    ]
    saddle = ellipsoid(seat + [0, 0.0, 0.14], (0.07, 0.13, 0.035), 8)
    tyres, spokes = [], []
    for hub in (rear, front):
        turn = np.linspace(0, 2 * np.pi, 41)
        rim = np.column_stack([np.zeros(41), hub[1] + 0.33 * np.cos(turn), hub[2] + 0.33 * np.sin(turn)])
        tyres.append(swept(rim, np.full(41, 0.016), 6))
        spokes += [tube(hub, rim[i], 0.0015, 3) for i in range(0, 40, 2)]
    return [
        Part(np.concatenate(frame), painted("gloss paint", colour, 0.6), "vehicle"),
        Part(np.concatenate([*bars, *spokes]), find_finish("natural anodised"), "vehicle"),
        Part(np.concatenate([*tyres, saddle]), painted("wool felt", "#1c1c1d"), "vehicle"),
    ]
