"""Scenes put together by chance, as many as wanted: what the role reader learns from. None is one of `scenes`."""

from __future__ import annotations

import numpy as np
from parts import (
    PALETTE,
    SIZE,
    Part,
    TruthScene,
    box,
    chair,
    eye,
    flat,
    gable,
    ground,
    open_pitch,
    person,
    pyramid,
    room,
    side_window,
    tree,
    turned,
    window,
)

from irodori.core.camera import Camera
from irodori.core.geometry import shapes

TINTS = {
    "wall": [(224, 214, 198), (240, 238, 232), (205, 200, 190), (182, 108, 84), (150, 90, 70), (196, 140, 110), (178, 136, 92), (120, 90, 66), (205, 176, 136), (170, 170, 170), (120, 124, 130), (98, 104, 114), (70, 66, 64), (150, 160, 140), (210, 170, 100), (214, 180, 170)],
    "roof": [(132, 82, 70), (165, 92, 70), (98, 104, 114), (70, 74, 80), (150, 150, 150), (190, 188, 184), (90, 70, 60), (160, 168, 172), (190, 70, 55), (110, 112, 108)],
    "slab": [(188, 188, 186), (210, 208, 204), (160, 160, 158), (236, 234, 228), (98, 104, 114), (178, 136, 92), (120, 118, 116)],
    "glazing": [(150, 190, 206), (170, 200, 215), (120, 160, 190), (90, 120, 140), (160, 190, 185), (62, 82, 96), (190, 215, 225), (130, 152, 160), (200, 220, 222)],
    "frame": [(64, 66, 72), (40, 42, 46), (90, 92, 98), (235, 235, 232), (150, 110, 70), (120, 74, 58)],
    "door": [(122, 74, 58), (90, 60, 46), (60, 80, 90), (170, 60, 50), (200, 190, 170), (150, 110, 70), (70, 90, 80), (44, 46, 52), (230, 228, 222)],
    "column": [(206, 202, 196), (230, 228, 224), (150, 154, 160), (64, 66, 72), (178, 136, 92), (120, 122, 126)],
    "planting": [(104, 144, 76), (80, 120, 60), (130, 160, 90), (90, 130, 90), (120, 145, 66)],
    "furniture": [(94, 112, 140), (160, 116, 74), (178, 136, 92), (236, 234, 228), (98, 104, 114), (120, 60, 50), (60, 90, 90), (200, 180, 150), (150, 154, 160), (70, 60, 55), (188, 188, 186)],
    "floor": [(186, 152, 112), (150, 110, 80), (98, 104, 114), (190, 184, 174), (220, 216, 208), (120, 90, 66), (236, 234, 228), (160, 160, 158)],
    "ceiling": [(244, 243, 240), (232, 228, 220), (210, 208, 204), (200, 176, 140), (188, 188, 186)],
    "lawn": [(140, 172, 98), (120, 150, 80), (150, 170, 110), (104, 142, 90), (160, 175, 120)],
    "ground": [(176, 168, 150), (165, 145, 115), (190, 172, 145), (150, 135, 115), (172, 152, 130)],
    "paving": [(190, 184, 174), (170, 170, 168), (150, 148, 144), (98, 104, 114), (205, 202, 196), (120, 122, 126), (210, 206, 202)],
    "water": [(120, 160, 196), (90, 130, 160), (110, 150, 165), (80, 110, 140), (150, 180, 200)],
    "stair": [(196, 186, 172), (170, 170, 168), (178, 136, 92), (210, 208, 204), (150, 148, 144)],
    "railing": [(64, 66, 72), (150, 154, 160), (235, 235, 232), (150, 110, 70), (178, 136, 92)],
    "person": [(160, 90, 80), (70, 80, 110), (92, 90, 90), (190, 160, 120), (60, 60, 62), (140, 60, 60)],
    "sign": [(190, 60, 50), (40, 80, 140), (230, 180, 50), (60, 60, 62), (240, 240, 238), (30, 110, 90)],
    "lamp": [(240, 226, 160), (240, 240, 235), (60, 60, 62), (200, 160, 60)],
    "context": [(110, 140, 100), (90, 110, 90), (130, 150, 130), (150, 165, 170), (140, 130, 115)],
    "fabric": [(190, 60, 50), (94, 112, 140), (200, 190, 170), (120, 130, 100), (150, 120, 150), (90, 70, 60)],
    "vehicle": [(170, 44, 40), (50, 70, 110), (200, 200, 200), (60, 60, 62), (120, 130, 130)],
}  # fmt: skip
"""8-bit sRGB colours that things of a role are modelled in."""

JITTER = 7.0
"""8-bit steps by which a colour strays from those."""


def random_scene(seed: int) -> TruthScene:
    """A scene out of doors or a room: one `seed`, one scene."""
    rng = np.random.default_rng(seed)
    parts, camera = _indoors(rng) if rng.random() < 0.42 else _outdoors(rng)
    return TruthScene(f"random {seed}", random_colours(rng, parts), camera, "put together by chance")


def random_colours(rng: np.random.Generator, parts: list[Part]) -> list[Part]:
    """The parts in other colours: those that shared one still do."""
    new = {}
    for part in parts:
        key = part.role, part.colour
        if part.colour == PALETTE["trunk"]:
            new[key] = part.colour
        elif key not in new:
            tints = TINTS.get(part.role, TINTS["furniture"])
            base = np.array(tints[rng.integers(len(tints))], float)
            new[key] = tuple(
                int(c) for c in np.clip(base + rng.normal(0, JITTER) + rng.normal(0, JITTER / 3, 3), 12, 250)
            )
    return [part._replace(colour=new[part.role, part.colour]) for part in parts]


def _moved(parts: list[Part], x: float, y: float, z: float = 0.0, turn: float = 0.0) -> list[Part]:
    by = np.array([x, y, z])
    parts = [turned(p, turn) for p in parts] if turn else parts
    return [p._replace(triangles=p.triangles + by) for p in parts]


def _one(rng: np.random.Generator, *what):
    return what[rng.integers(len(what))]


def _range(rng: np.random.Generator, low: float, high: float) -> float:
    return float(rng.uniform(min(low, high), max(low, high)))


def _railing(rng, x0: float, x1: float, y: float, z: float, high: float = 1.0) -> list[Part]:
    """Posts and rails, or bars, along x."""
    step, thick = _one(rng, (1.4, 0.06), (0.7, 0.05), (0.16, 0.025))
    parts = [
        box("post", "railing", "frame", (x, y, z), (x + thick, y + thick, z + high))
        for x in np.arange(x0, x1 - thick / 2, step)
    ]
    heights = (high,) if rng.random() < 0.6 else (high, high * 0.55)
    return parts + [box("rail", "railing", "frame", (x0, y, z + h), (x1, y + 0.05, z + h + 0.06)) for h in heights]


def _steps(rng, x0: float, x1: float, y: float, z: float) -> list[Part]:
    """Steps down from a level `z` towards −y."""
    count = max(int(round(z / 0.17)), 1)
    rise, run = z / count, _range(rng, 0.28, 0.4)
    return [
        box("step", "stair", "stair", (x0, y - run * (i + 1), 0), (x1, y - run * i, z - rise * (i + 1)))
        for i in range(count - 1)
    ]


def _post(rng, x: float, y: float, z0: float, z1: float, thick: float, rounded: bool) -> Part:
    if rounded:
        return Part("column", "column", PALETTE["column"], shapes.cylinder(x, y, z0, z1, thick / 2, sides=24), True)
    return box("column", "column", "column", (x - thick / 2, y - thick / 2, z0), (x + thick / 2, y + thick / 2, z1))


def _glazed(rng, x0: float, x1: float, z0: float, z1: float, y: float) -> list[Part]:
    """A front of panes between mullions."""
    count = max(int((x1 - x0) / _range(rng, 0.9, 2.4)), 1)
    at = np.linspace(x0, x1, count + 1)
    parts = [box("mullion", "frame", "frame", (x - 0.04, y - 0.06, z0), (x + 0.04, y, z1)) for x in at]
    corners = [(x0, y - 0.015, z0), (x1, y - 0.015, z0), (x1, y - 0.015, z1), (x0, y - 0.015, z1)]
    parts.append(Part("pane", "glazing", PALETTE["glazing"], shapes.quad(*corners)))
    for z in (z1 - 0.06, *((z0 + _range(rng, 0.4, 0.7) * (z1 - z0),) if rng.random() < 0.4 else ())):
        parts.append(box("transom", "frame", "frame", (x0, y - 0.05, z), (x1, y, z + 0.06)))
    return parts


def _storey(rng, w: float, z: float, high: float, door: bool) -> list[Part]:
    """The front of one storey: windows in a row, a glazed front, or hardly anything; with a door at the ground."""
    parts, mode = [], _one(rng, "windows", "windows", "windows", "glazed", "band", "bare")
    free = [(0.6, w - 0.6)]
    if door:
        wide, tall = (_range(rng, 0.9, 1.3), _range(rng, 2.05, 2.4)) if rng.random() < 0.75 else (_range(rng, 2.2, 3.4), _range(rng, 2.2, 3.0))  # fmt: skip
        tall = min(tall, high - 0.2)
        x = _range(rng, 0.6, max(w - wide - 0.6, 0.7))
        parts.append(box("door", "door", "door", (x, -0.05, z), (x + wide, 0, z + tall)))
        free = [(0.6, x - 0.4), (x + wide + 0.4, w - 0.6)]
    for x0, x1 in free:
        if x1 - x0 < 0.9 or mode == "bare":
            continue
        if mode == "glazed":
            parts += _glazed(rng, x0, x1, z + _one(rng, 0.05, 0.4), z + high - _range(rng, 0.2, 0.6), 0.0)
            continue
        sill, head = z + _one(rng, 0.15, 0.8, 0.95), z + high - _range(rng, 0.35, 0.8)
        wide, gap = (_range(rng, 0.8, 2.2), _range(rng, 0.5, 1.8)) if mode == "windows" else (_range(rng, 1.6, 2.8), 0.08)  # fmt: skip
        count, bars = int((x1 - x0 + gap) / (wide + gap)), int(rng.integers(0, 3))
        off = (x1 - x0 - count * (wide + gap) + gap) / 2
        for i in range(count):
            left = x0 + off + i * (wide + gap)
            parts += window(left, left + wide, sill, max(head, sill + 0.6), 0.0, bars=bars)
    return parts


def _roof(rng, w: float, d: float, high: float, wall: str) -> list[Part]:
    """Walls and roof of a house whose front stands on y = 0."""
    kind = _one(rng, "slab", "slab", "parapet", "gable", "gable", "end", "shed", "thin", "hip")
    body = box("walls", "wall", wall, (0, 0, 0), (w, d, high))
    over, role = _range(rng, 0.0, 1.2), _one(rng, "slab", "roof")
    key = _one(rng, "roof", "slate", "slab")
    if kind == "slab":
        return [body, box("roof", role, key, (-over, -over, high), (w + over, d + over, high + _range(rng, 0.2, 0.5)))]
    if kind == "thin":
        return [body, box("roof", "roof", key, (-0.3, -0.3, high), (w + 0.3, d + 0.3, high + 0.2))]
    if kind == "parapet":
        rim = box("parapet", "wall", wall, (0, 0, high), (w, 0.3, high + 0.5))
        top = box("roof", "roof", key, (0.3, 0.3, high - 0.1), (w - 0.3, d - 0.3, high + 0.05))
        rest = [box("parapet", "wall", wall, a, b) for a, b in (((0, 0.3, high), (0.3, d, high + 0.5)), ((w - 0.3, 0.3, high), (w, d, high + 0.5)), ((0.3, d - 0.3, high), (w - 0.3, d, high + 0.5)))]  # fmt: skip
        return [body, rim, top, *rest]
    if kind == "gable":
        return gable(0, w, 0, d, 0, high, wall, key, over=_range(rng, 0.15, 0.6))
    if kind == "end":
        return [turned(p, 90.0) for p in gable(0, d, -w, 0, 0, high, wall, key, over=_range(rng, 0.15, 0.6))]
    if kind == "hip":
        apex = (w / 2, d / 2, high + min(w, d) * _range(rng, 0.3, 1.1))
        return [body, pyramid("roof", key, -0.3, w + 0.3, -0.3, d + 0.3, high, apex)]
    rise, t = d * _range(rng, 0.12, 0.4), 0.2
    body = Part("walls", "wall", PALETTE[wall], shapes.extrude_along([(0, 0), (d, 0), (d, high + rise), (0, high)], 0, 0, w))  # fmt: skip
    slope = rise / d
    skin = [(-0.4, high - 0.4 * slope), (d + 0.4, high + rise + 0.4 * slope)]
    skin += [(y, z + t) for y, z in reversed(skin)]
    return [body, Part("roof", "roof", PALETTE[key], shapes.extrude_along(skin, 0, -0.4, w + 0.4))]


def _house(rng, w: float, d: float) -> tuple[list[Part], float]:
    """A house over x 0…w, y 0…d, its front at y = 0, and its eaves' height."""
    wall = _one(rng, "wall", "brick", "timber", "slate", "counter")
    storeys, each = int(_one(rng, 1, 1, 1, 2, 2, 3, 4, 7)), _range(rng, 2.7, 3.6)
    high = storeys * each + 0.2
    parts = _roof(rng, w, d, high, wall)
    for n in range(storeys):
        parts += _storey(rng, w, n * each, each, door=n == 0 and rng.random() < 0.8)
    for side, out in ((0.0, -1.0), (w, 1.0)):
        if rng.random() < 0.1:
            glass = _glazed(rng, 0.5, d - 0.5, 0.05, each - 0.4, 0.0)
            parts += _moved(glass, side, 0.0 if out > 0 else d, turn=90.0 * out)
        elif rng.random() < 0.5 and d > 3:
            for n in range(storeys):
                for y in np.arange(1.0, d - 2.4, _range(rng, 2.4, 4.0)):
                    parts += side_window(y, y + 1.4, n * each + 0.9, n * each + 2.2, side, out)
    if storeys > 1 and rng.random() < 0.25:
        parts.append(box("band", "slab", "slab", (-0.15, -0.15, each - 0.15), (w + 0.15, 0, each + 0.1)))
    if storeys > 1 and rng.random() < 0.35:
        x = _range(rng, 0.3, w - 3)
        parts.append(box("balcony", "slab", "slab", (x, -1.3, each - 0.1), (x + 2.6, 0, each + 0.1)))
        parts += _railing(rng, x, x + 2.6, -1.28, each + 0.1)
    if rng.random() < 0.3:
        x, wide, deep, top = (
            _range(rng, -0.5, w - 3),
            _range(rng, 2.4, 6.0),
            _range(rng, 1.4, 3.6),
            _range(rng, 2.5, 3.2),
        )
        role = _one(rng, "slab", "roof")
        parts.append(box("canopy", role, "slab" if role == "slab" else "slate", (x, -deep, top), (x + wide, 0, top + 0.25)))  # fmt: skip
        thick, rounded = _range(rng, 0.1, 0.35), rng.random() < 0.4
        if rng.random() < 0.8:
            parts += [
                _post(rng, at, -deep + 0.25, 0, top, thick, rounded)
                for at in np.linspace(x + 0.3, x + wide - 0.3, max(int(wide // 2.4) + 1, 2))
            ]
    elif rng.random() < 0.2:
        deep, top = _range(rng, 1.8, 3.0), min(_range(rng, 2.8, 5.4), high)
        thick, rounded = _range(rng, 0.25, 0.7), rng.random() < 0.6
        parts += [_post(rng, at, -deep + 0.4, 0, top, thick, rounded) for at in np.linspace(0.3, w - 0.3, max(int(w / 3), 2))]  # fmt: skip
        parts.append(box("entablature", "slab", "slab", (-0.2, -deep, top), (w + 0.2, 0, top + _range(rng, 0.4, 1.0))))
    elif rng.random() < 0.25:
        deep, eave = _range(rng, 1.5, 2.6), _range(rng, 2.3, 2.6)
        skin = shapes.extrude_along([(-deep, eave), (0, eave + 0.7), (0, eave + 0.85), (-deep, eave + 0.15)], 0, 0.0, w)
        parts.append(Part("lean-to", "roof", PALETTE["roof"], skin))
        parts += [_post(rng, at, -deep + 0.2, 0, eave, 0.14, False) for at in np.linspace(0.2, w - 0.2, max(int(w / 2.4), 2))]  # fmt: skip
    if rng.random() < 0.15:
        x, deep, wide = _range(rng, 0.5, w - 3), _range(rng, 0.6, 1.1), _range(rng, 1.8, 2.8)
        bay = [(x, 0.0), (x + 0.5, -deep), (x + wide - 0.5, -deep), (x + wide, 0.0)]
        parts += [Part("bay", "wall", PALETTE[wall], shapes.prism(bay, 0, each - 0.2)), Part("bay roof", "roof", PALETTE["slab"], shapes.prism(bay, each - 0.2, each))]  # fmt: skip
        parts += _moved(window(x + 0.6, x + wide - 0.6, 0.9, each - 0.6, 0.0), 0.0, -deep)
    if rng.random() < 0.12:
        x = _range(rng, 0.5, w - 2)
        parts += _moved([box("dormer", "wall", wall, (0, 0, 0), (1.5, 2.5, 1.4)), box("dormer roof", "roof", "roof", (-0.1, -0.15, 1.4), (1.6, 2.5, 1.55)), *window(0.2, 1.3, 0.3, 1.2, 0.0)], x, d * 0.12, high)  # fmt: skip
    if rng.random() < 0.2 and high > 3.2:
        x = _range(rng, 0.5, max(w - 3, 0.6))
        parts.append(
            box("sign", "sign", "sign", (x, -0.1, high - 0.75), (x + _range(rng, 1.2, 2.6), -0.02, high - 0.25))
        )
    if rng.random() < 0.25:
        parts.append(box("chimney", "wall", "brick", (w * 0.3, d * 0.55, high * 0.8), (w * 0.3 + 0.8, d * 0.55 + 0.8, high + d * 0.4 + 0.8)))  # fmt: skip
    return parts, high


def _open_roof(rng) -> list[Part]:
    """A roof on posts with nothing but a counter or a bench under it: a stall, a shelter, a carport."""
    w, d, eave = _range(rng, 2.6, 7), _range(rng, 2.2, 5), _range(rng, 2.3, 3.4)
    thick, rounded = _range(rng, 0.1, 0.3), rng.random() < 0.3
    count = max(int(w // 2.6) + 1, 2)
    parts = [_post(rng, x, y, 0, eave, thick, rounded) for x in np.linspace(0.2, w - 0.2, count) for y in (0.2, d - 0.2)]  # fmt: skip
    if rng.random() < 0.5:
        parts.append(box("roof", "roof", "slate", (-0.3, -0.3, eave), (w + 0.3, d + 0.3, eave + _range(rng, 0.15, 0.35))))  # fmt: skip
    else:
        ridge = eave + _range(rng, 0.5, 1.3)
        parts += open_pitch("roof", -0.3, w / 2, w + 0.3, -0.3, d + 0.3, eave, ridge)
    if rng.random() < 0.7:
        parts.append(box("counter", "furniture", "timber", (0.4, 0.3, 0), (w - 0.4, 1.0, _range(rng, 0.45, 1.0))))
    return parts


def _tower(rng) -> list[Part]:
    w, high = _range(rng, 2.6, 4.5), _range(rng, 7, 13)
    apex, key = (w / 2, w / 2, high + _range(rng, 1.5, 4.5)), _one(rng, "roof", "slate")
    parts = [box("tower", "wall", _one(rng, "wall", "brick"), (0, 0, 0), (w, w, high))]
    parts.append(pyramid("spire", key, -0.2, w + 0.2, -0.2, w + 0.2, high, apex))
    if rng.random() < 0.6:
        parts.append(box("door", "door", "door", (w / 2 - 0.6, -0.05, 0), (w / 2 + 0.6, 0, 2.3)))
    return parts + (window(w / 2 - 0.4, w / 2 + 0.4, high - 2.5, high - 1.0, 0.0, bars=0) if rng.random() < 0.6 else [])


def _round_house(rng) -> list[Part]:
    """A silo or a drum, with a cone or a flat top."""
    radius, high = _range(rng, 1.6, 4.5), _range(rng, 3.5, 9.0)
    cap = _range(rng, 0.4, 2.0)
    parts = [Part("drum", "wall", PALETTE["steel"], shapes.cylinder(radius, radius, 0, high, radius, sides=56), True)]
    top = 0.05 if rng.random() < 0.5 else radius * 1.08
    parts.append(Part("cap", "roof", PALETTE["slate"], shapes.cylinder(radius, radius, high, high + cap, radius * 1.05, top, 56), True))  # fmt: skip
    return parts


def _waterside(rng, left: float, right: float, y: float) -> list[Part]:
    """A quay before water that begins at `y`, and what stands at it."""
    top, deep = _range(rng, 0.3, 1.2), 2.4
    if rng.random() < 0.5:
        parts = [box("quay", "paving", "paving", (left - 8, y, 0), (right + 8, y + deep, top))]
    else:
        under, over = top - _range(rng, 0.12, 0.25), _one(rng, 0.0, 0.1)
        parts = [
            box("quay", "wall", "slate", (left - 8, y + over, 0), (right + 8, y + deep, under)),
            box("quay top", "paving", "paving", (left - 8, y, under), (right + 8, y + deep, top)),
        ]
    if rng.random() < 0.6:
        x, long = _range(rng, left, right), _range(rng, 5, 14)
        if rng.random() < 0.5:
            parts.append(box("jetty", "paving", "timber", (x, y - long, top - 0.15), (x + 2.2, y, top)))
        else:
            board = _range(rng, 0.12, 0.3)
            parts += [
                box(
                    "board",
                    "paving",
                    "timber",
                    (x, y - long + at, top - 0.06),
                    (x + 2.2, y - long + at + board - 0.02, top),
                )
                for at in np.arange(0, long - board, board)
            ]
        for at in np.arange(y - long, y, 3.5):
            pile = shapes.cylinder(x + 2.4, at, 0, top + _range(rng, 0.5, 1.6), 0.14, sides=16)
            parts.append(Part("pile", "column", PALETTE["trunk"], pile, True))
        if rng.random() < 0.4:
            parts += _moved(_railing(rng, 0.0, long, 0.0, top), x, y, turn=-90.0)
    for x in np.arange(left - 6, right + 6, 4.0) if rng.random() < 0.4 else ():
        parts.append(Part("bollard", "railing", PALETTE["frame"], shapes.cylinder(x, y + 0.4, top, top + 0.5, 0.12, sides=16), True))  # fmt: skip
    return parts


def _leafy_tree(rng, x: float, y: float) -> list[Part]:
    """A trunk and single leaves."""
    high, crown = _range(rng, 3.5, 8.0), _range(rng, 1.0, 2.0)
    middle = np.array([x, y, high * 0.65]) + rng.normal(0, 1, (500, 3)) * (crown / 2, crown / 2, high * 0.14)
    leaves = middle[:, None] + rng.normal(0, 0.09, (500, 3, 3))
    trunk = shapes.cylinder(x, y, 0, high * 0.85, 0.11, 0.04, 10)
    return [Part("trunk", "planting", PALETTE["trunk"], trunk, True), Part("leaves", "planting", PALETTE["leaf"], leaves)]  # fmt: skip


def _lamp_post(rng, x: float, y: float) -> list[Part]:
    high = _range(rng, 3.0, 5.0)
    post = shapes.cylinder(x, y, 0, high, 0.06, 0.045, 12)
    return [Part("post", "lamp", PALETTE["frame"], post, True), box("arm", "lamp", "frame", (x, y - 0.1, high), (x + 0.8, y + 0.1, high + 0.08))]  # fmt: skip


def _site(rng, base: str, front: float, left: float, right: float) -> list[Part]:
    """What lies and stands before the houses."""
    parts = []
    if rng.random() < 0.65:
        y, wide = front - _range(rng, 3.0, 8.0), _range(rng, 2.5, 30)
        role, key = _one(rng, *[("paving", "slate"), ("paving", "paving"), ("water", "water")] * 3, ("lawn", "lawn"), ("ground", "ground"))  # fmt: skip
        if role == "water":
            wide += _range(rng, 0, 30)
            parts += _waterside(rng, left, right, y) if rng.random() < 0.6 else []
        if role != base:
            parts.append(flat("strip", role, key, -60, 60, y - wide, y, 0.012))
    if rng.random() < 0.5:
        x = _range(rng, left, right - 2)
        role, key = ("paving", "counter") if base != "paving" or rng.random() < 0.5 else ("lawn", "lawn")
        parts.append(flat("path", role, key, x, x + _range(rng, 1.2, 6), front - _range(rng, 4, 14), front, 0.02))
    if rng.random() < 0.3:
        x, y = _range(rng, left, right), front - _range(rng, 2.0, 6.0)
        parts.append(box("low wall", "wall", "slab", (x - 5, y, 0), (x + 4, y + 0.3, _range(rng, 0.4, 1.2))))
    if rng.random() < 0.3:
        x, y = _range(rng, left - 4, right - 4), front - _range(rng, 2.0, 6.0)
        parts += _railing(rng, x, x + _range(rng, 3, 10), y, 0.0)
    if rng.random() < 0.35:
        x, y, wide = _range(rng, left - 3, right), front - _range(rng, 1.0, 6.0), _range(rng, 2, 9)
        foot = 0.0
        if rng.random() < 0.4:
            foot = 0.5
            parts.append(box("bed", "wall", "brick", (x - 0.2, y - 0.2, 0), (x + wide + 0.2, y + 1.2, foot)))
        parts.append(box("hedge", "planting", "leaf", (x, y, foot), (x + wide, y + 0.9, foot + _range(rng, 0.6, 1.6))))
    for _ in range(int(rng.integers(0, 3))):
        x, y = _range(rng, left, right), front - _range(rng, 1.5, 6.0)
        bench = [box("bench", "furniture", "timber", (0, 0, 0.4), (1.9, 0.5, 0.47)), box("leg", "furniture", "timber", (0.1, 0.05, 0), (0.2, 0.45, 0.4)), box("leg", "furniture", "timber", (1.7, 0.05, 0), (1.8, 0.45, 0.4))]  # fmt: skip
        if rng.random() < 0.4:
            bench = [box("box", "furniture", "steel", (0, 0, 0), (_range(rng, 0.8, 2.4), 0.8, _range(rng, 0.5, 1.1)))]
        parts += _moved(bench, x, y, turn=_one(rng, 0.0, 0.0, 90.0, 30.0))
    for _ in range(int(rng.integers(0, 4))):
        parts += person(_range(rng, left - 1, right + 1), front - _range(rng, 1.0, 6.0))
    for _ in range(int(rng.integers(0, 4))):
        at = (_range(rng, left - 8, left - 2), _range(rng, right + 2, right + 8), _range(rng, left, right))[
            rng.integers(3)
        ]
        y = front + _range(rng, -5, 6) if not left < at < right else front - _range(rng, 4, 7)
        leafy = rng.random() < 0.3
        parts += _leafy_tree(rng, at, y) if leafy else tree(at, y, _range(rng, 3.5, 9.0), _range(rng, 1.1, 2.8))
    for x in np.linspace(left, right, 3) if rng.random() < 0.2 else ():
        parts += _lamp_post(rng, x, front - 2.0)
    if rng.random() < 0.12:
        hill = [(-150, 0)] + [(x, _range(rng, 6, 22)) for x in np.linspace(-150, 150, 9)] + [(150, 0)]
        corners = np.array([(x, 85.0, z) for x, z in hill])
        fan = np.array([[corners[i], corners[i + 1], (0, 85.0, 0)] for i in range(len(hill) - 1)])
        parts.append(Part("hill", "context", PALETTE["leaf"], fan))
    for _ in range(int(rng.integers(0, 3)) if rng.random() < 0.3 else 0):
        car = [box("body", "vehicle", "steel", (0, 0, 0.25), (4.2, 1.8, 0.85)), box("cabin", "vehicle", "steel", (0.9, 0.1, 0.85), (3.3, 1.7, 1.45))]  # fmt: skip
        parts += _moved(car, _range(rng, left, right), front - _range(rng, 4, 8), turn=_one(rng, 0.0, 90.0, 8.0))
    return parts


def _outdoors(rng) -> tuple[list[Part], Camera]:
    base = _one(rng, *["lawn", "paving"] * 4, "ground")
    parts, x, tops = [ground(base, 90.0)], 0.0, []
    raised = _range(rng, 0.2, 1.2) if rng.random() < 0.25 else 0.0
    for _ in range(int(_one(rng, 1, 1, 2, 2, 3, 4))):
        w, d = _range(rng, 4.5, 14) if rng.random() < 0.85 else _range(rng, 14, 30), _range(rng, 4, 11)
        if rng.random() < 0.2:
            house, top, w = _one(rng, (_round_house, 7.0, 6.0), (_open_roof, 3.5, 5.0), (_open_roof, 3.5, 5.0), (_tower, 12.0, 4.0))  # fmt: skip
            house = house(rng)
        else:
            house, top = _house(rng, w, d)
        tops.append(top)
        turn = _range(rng, -40, 40) if rng.random() < 0.15 else 0.0
        parts += _moved(house, x, _range(rng, -2, 2.5) if rng.random() < 0.5 else 0.0, raised, turn)
        x += w + (_range(rng, 0.5, 7) if rng.random() < 0.6 else 0.0)
    right = x
    front = -2.5
    if rng.random() < 0.3:
        # What stands behind, and across a court.
        for _ in range(int(rng.integers(1, 3))):
            house, _top = _house(rng, _range(rng, 5, 14), _range(rng, 5, 9))
            parts += _moved(house, _range(rng, -14, right), _range(rng, 13, 24), 0.0, _one(rng, 0.0, 0.0, 90.0, -90.0))
    if raised:
        deck = _range(rng, 2.5, 5)
        role = _one(rng, "paving", "paving", "wall", "slab")
        parts.append(box("terrace", role, "paving" if role == "paving" else "slab", (-1.5, -deck, 0), (right + 1.5, 10, raised)))  # fmt: skip
        front = -deck
        at = _range(rng, 0, max(right - 4, 1))
        parts += _steps(rng, at, at + _range(rng, 1.4, 4), front, raised)
        if rng.random() < 0.4:
            parts += _railing(rng, -1.4, at - 0.2, front + 0.1, raised)
    parts += _site(rng, base, front, 0.0, right)
    middle, top = right / 2, max(tops) + raised
    mode = rng.random()
    if mode < 0.08:
        across = max(right + 3, (top + 3) * 1.6)
        camera = Camera.look((middle, -40, top / 2), (middle, 0, top / 2), size=SIZE, span=across)
        return parts, camera
    turn = np.radians(_range(rng, -62, 62))
    reach = max(right, top * 2.0, 9)
    if mode < 0.2:
        away = 30 * np.array([np.sin(turn), -np.cos(turn), _range(rng, 0.6, 1.0)])
        at = np.array([middle, 2, 1.0])
        return parts, Camera.look(at + away, at, size=SIZE, span=reach * _range(rng, 1.3, 1.8))
    if mode < 0.4:
        far, high = reach * _range(rng, 0.9, 1.5), reach * _range(rng, 0.45, 1.1)
    else:
        far, high = reach * _range(rng, 0.6, 1.1), _one(rng, 1.6, 1.65, 1.7, 2.4, _range(rng, 2, 6))
    place = np.array([middle + far * np.sin(turn), front - 0.5 - far * np.cos(turn), high])
    look = (middle + _range(rng, -2, 2), 1.0, min(top * 0.45, high + far * 0.4) if high < 8 else 1.0)
    shift = (_range(rng, -0.12, 0.12), _range(rng, -0.06, 0.06)) if rng.random() < 0.15 else (0.0, 0.0)
    roll = _range(rng, -4, 4) if rng.random() < 0.08 else 0.0
    return parts, eye(tuple(place), look, _range(rng, 48, 70), shift, roll)


def _table(rng, x: float, y: float) -> list[Part]:
    w, d, h, t = _range(rng, 0.7, 2.4), _range(rng, 0.6, 1.1), _one(rng, 0.4, 0.74, 0.74, 0.9), 0.05
    parts = [box("top", "furniture", "table", (0, 0, h - t), (w, d, h))]
    if rng.random() < 0.7:
        parts += [box("leg", "furniture", "steel", (a, b, 0), (a + 0.06, b + 0.06, h - t)) for a in (0.05, w - 0.11) for b in (0.05, d - 0.11)]  # fmt: skip
    else:
        parts += [box("leg", "furniture", "table", (a, 0.05, 0), (a + 0.06, d - 0.05, h - t)) for a in (0.08, w - 0.14)]
    if h > 0.6:
        for at in np.arange(0.5, w - 0.2, 0.8):
            parts += chair(at, -0.3, 180.0 + _range(rng, -15, 15), _one(rng, "timber", "sofa"))
            if rng.random() < 0.6:
                parts += chair(at, d + 0.3, _range(rng, -15, 15), "timber")
    return _moved(parts, x, y, turn=_one(rng, 0.0, 0.0, 0.0, 90.0, 20.0))


def _furnish(rng, w: float, d: float, h: float) -> list[Part]:
    """Things on the floor and along the walls of a room x 0…w, y 0…d."""
    parts = []
    for _ in range(int(rng.integers(1, 5))):
        parts += _table(rng, _range(rng, 0.8, max(w - 2.6, 1)), _range(rng, 1.0, max(d - 2, 1.2)))
    if rng.random() < 0.5:
        y, deep = _range(rng, 0.8, d - 2.5), _range(rng, 0.35, 0.9)
        parts.append(box("sofa", "furniture", "sofa", (0.02, y, 0), (0.02 + deep, y + 2.0, 0.43)))
        parts.append(box("back", "furniture", "sofa", (0.0, y, 0.43), (0.22, y + 2.0, 0.82)))
    if rng.random() < 0.4:
        x = _range(rng, 0.3, w - 2.3)
        parts += [box("bed", "furniture", "timber", (x, d - 2.1, 0), (x + 1.7, d - 0.05, 0.3)), box("mattress", "furniture", "counter", (x + 0.05, d - 2.05, 0.3), (x + 1.65, d - 0.1, 0.52))]  # fmt: skip
        parts += [box("pillow", "furniture", "sofa", (x + a, d - 0.6, 0.52), (x + a + 0.6, d - 0.2, 0.64)) for a in (0.15, 0.95)]  # fmt: skip
    for side in (0.0, w):
        if rng.random() < 0.45:
            deep, long, tall = _range(rng, 0.35, 0.7), _range(rng, 0.8, 3.0), _one(rng, 0.75, 0.9, 1.1, 2.0, 2.2)
            y = _range(rng, 0.5, max(d - long - 0.3, 0.6))
            x0, x1 = (0.0, deep) if side == 0 else (w - deep, w)
            key = _one(rng, "timber", "counter", "table")
            parts.append(box("case", "furniture", key, (x0, y, 0), (x1, y + long, tall)))
            if tall < 1.0 and rng.random() < 0.5:
                parts.append(box("worktop", "furniture", "slate", (x0, y - 0.03, tall), (x1, y + long + 0.03, tall + 0.04)))  # fmt: skip
                if rng.random() < 0.5:
                    parts.append(box("wall case", "furniture", key, (x0 if side == 0 else w - 0.35, y, 1.5), (0.35 if side == 0 else w, y + long, 2.2)))  # fmt: skip
    if rng.random() < 0.35:
        x, y = _range(rng, 0.8, w - 2), _range(rng, 1.5, d - 1.5)
        parts.append(box("block", "furniture", _one(rng, "counter", "slab", "timber"), (x, y, 0), (x + _range(rng, 0.4, 2.2), y + _range(rng, 0.4, 1.0), _range(rng, 0.4, 1.2))))  # fmt: skip
    if rng.random() < 0.35:
        x, y = _range(rng, 0.6, w - 2.6), _range(rng, 0.8, d - 2.2)
        parts.append(flat("rug", "fabric", "sign", x, x + _range(rng, 1.2, 2.6), y, y + _range(rng, 1.0, 2.2), 0.012))
    for _ in range(int(rng.integers(0, 4)) if rng.random() < 0.6 else 0):
        x, y, z = _range(rng, 0.8, w - 0.8), _range(rng, 1.5, d - 0.8), _range(rng, 1.8, h - 0.3)
        shape = _one(rng, "ball", "shade", "tube")
        if shape == "ball":
            parts.append(
                Part("lamp", "lamp", PALETTE["lamp"], shapes.ball((x, y, z), _range(rng, 0.12, 0.3), 12), True)
            )
        elif shape == "shade":
            parts.append(
                Part("lamp", "lamp", PALETTE["lamp"], shapes.cylinder(x, y, z, z + 0.25, 0.22, 0.08, 28), True)
            )
        else:
            parts.append(box("lamp", "lamp", "lamp", (x, y, h - 0.5), (x + 1.2, y + 0.14, h - 0.4)))
    if rng.random() < 0.3:
        parts += person(_range(rng, 0.8, w - 0.8), _range(rng, 2.0, d - 0.6))
    if rng.random() < 0.35:
        x, long, tall = _range(rng, 0.1, w - 2), _range(rng, 0.6, 2.4), _one(rng, 0.9, 1.8, 2.1, 2.3)
        parts.append(box("case", "furniture", _one(rng, "timber", "counter", "steel"), (x, d - _range(rng, 0.35, 0.7), 0), (x + long, d, tall)))  # fmt: skip
    if rng.random() < 0.2:
        x, wide = _range(rng, 0.3, w - 2), _range(rng, 0.6, 1.8)
        parts.append(box("picture", "furniture", _one(rng, "sofa", "roof"), (x, d - 0.06, 1.0), (x + wide, d, _range(rng, 1.7, 2.3))))  # fmt: skip
    if rng.random() < 0.15:
        x, y, long = _range(rng, 0.5, w - 1.5), _range(rng, 1.5, max(d - 4, 1.6)), _range(rng, 2, 5)
        parts.append(box("counter", "furniture", "counter", (x, y, 0), (x + 0.7, y + long, _range(rng, 0.9, 1.15))))
    return parts


def _indoors(rng) -> tuple[list[Part], Camera]:
    w, d, h = _range(rng, 3.6, 11), _range(rng, 4, 12), _one(rng, 2.5, 2.6, 2.7, 3.0, 3.4, 4.4, 5.4)
    floor = _one(rng, "floor", "slate", "counter")
    open_top = rng.random() < 0.12
    if open_top:
        parts = [flat("floor", "floor", floor, 0, w, 0, d, 0.0), box("wall", "wall", "wall", (0, d, 0), (w, d + 0.2, h)), box("wall", "wall", "wall", (w, 0, 0), (w + 0.2, d + 0.2, h))]  # fmt: skip
    elif rng.random() < 0.12:
        knee, top = _range(rng, 0.8, 1.4), _range(rng, 2.8, 3.8)
        slopes = [shapes.quad((0, 0, knee), (0, d, knee), (w / 2, d, top), (w / 2, 0, top)), shapes.quad((w, d, knee), (w, 0, knee), (w / 2, 0, top), (w / 2, d, top))]  # fmt: skip
        end = np.array([(0, d, 0), (w, d, 0), (w, d, knee), (w / 2, d, top), (0, d, knee)], float)
        parts = [flat("floor", "floor", floor, 0, w, 0, d, 0.0), *(Part("slope", "ceiling", PALETTE["ceiling"], s) for s in slopes)]  # fmt: skip
        parts += [Part("knee", "wall", PALETTE["wall"], shapes.quad((x, 0, 0), (x, d, 0), (x, d, knee), (x, 0, knee))) for x in (0.0, w)]  # fmt: skip
        parts.append(Part("end", "wall", PALETTE["brick"], end[[[0, 1, 2], [0, 2, 3], [0, 3, 4]]]))
        h = knee + 1.0
    elif rng.random() < 0.1:
        a = np.linspace(0, np.pi, 33)
        arc = np.stack([w / 2 - w / 2 * np.cos(a), np.zeros(33), h + w * _range(rng, 0.2, 0.5) * np.sin(a)], axis=1)
        skin = shapes.loft(np.stack([arc[::-1] + (0, y, 0) for y in (0.0, d)]), closed=False)
        end = np.concatenate([[(0, d, 0), (w, d, 0)], arc[::-1] + (0, d, 0)])
        fan = np.array([[end[0], end[i], end[i + 1]] for i in range(1, len(end) - 1)])
        parts = [
            flat("floor", "floor", floor, 0, w, 0, d, 0.0),
            Part("vault", "ceiling", PALETTE["ceiling"], skin, True),
        ]
        parts += [Part("wall", "wall", PALETTE["wall"], shapes.quad((x, 0, 0), (x, d, 0), (x, d, h), (x, 0, h))) for x in (0.0, w)]  # fmt: skip
        parts.append(Part("end", "wall", PALETTE["brick"], fan))
    else:
        parts = room(0, w, 0, d, h, floor=floor)
        if rng.random() < 0.3:
            parts[2] = parts[2]._replace(colour=PALETTE[_one(rng, "brick", "timber")])
    mode = _one(rng, "windows", "windows", "glazed", "bare")
    if mode == "windows":
        sill, head, wide = _one(rng, 0.1, 0.5, 0.9), min(h - 0.3, _range(rng, 2.1, 3.8)), _range(rng, 1.0, 2.8)
        x, bars = _range(rng, 0.3, 1.4), int(rng.integers(0, 3))
        while x + wide < w - 0.3:
            parts += window(x, x + wide, sill, head, d, bars=bars)
            x += wide + _range(rng, 0.1, 1.5)
    elif mode == "glazed":
        parts += _glazed(rng, 0.2, w - 0.2, 0.05, min(h - 0.2, 3.2), d)
    for side, out in ((0.0, 1.0), (w, -1.0)):
        if rng.random() < 0.35 and h > 2.4:
            for y in np.arange(1.2, d - 2.2, _range(rng, 2.0, 3.4)):
                parts += side_window(y, y + _range(rng, 0.9, 1.8), 0.9, 2.2, side, out)
        elif rng.random() < 0.6 and h > 2.2:
            y, wide, thick = _range(rng, 0.8, d - 1.8), _range(rng, 0.8, 1.5), 0.05
            x = (side, side + thick) if side == 0 else (side - thick, side)
            parts.append(box("door", "door", "door", (x[0], y, 0), (x[1], y + wide, _range(rng, 2.0, 2.25))))
    if mode == "bare" and rng.random() < 0.6 and h > 2.3:
        x = _range(rng, 0.5, w - 1.6)
        parts.append(box("door", "door", "door", (x, d - 0.05, 0), (x + _range(rng, 0.8, 1.5), d, 2.1)))
    parts += _furnish(rng, w, d, h)
    if not open_top and h > 2.4:
        if rng.random() < 0.3:
            thick, rounded = _range(rng, 0.2, 0.5), rng.random() < 0.5
            for x in np.linspace(w * 0.3, w * 0.7, int(rng.integers(1, 3))):
                parts += [_post(rng, x, y, 0, h, thick, rounded) for y in np.arange(2.5, d - 0.8, 3.5)]
        if rng.random() < 0.2:
            parts += [box("beam", "ceiling", "slab", (0, y, h - 0.3), (w, y + 0.22, h)) for y in np.arange(1.5, d, 2.5)]
        if rng.random() < 0.2:
            x = _range(rng, 0.25, 0.5) * w
            parts.append(box("partition", "wall", "brick", (x, d * 0.7, 0), (w, d * 0.7 + 0.2, h if rng.random() < 0.5 else 2.3)))  # fmt: skip
    if h > 4 and rng.random() < 0.6 and not open_top:
        edge, level = d * _range(rng, 0.55, 0.8), 2.6
        parts.append(box("gallery", "slab", "slab", (0, edge, level), (w, d, level + 0.2)))
        parts += _railing(rng, 0.2, w - 0.1, edge + 0.05, level + 0.2)
        parts += [_post(rng, x, edge + 0.2, 0, level, 0.2, rng.random() < 0.5) for x in (w * 0.35, w * 0.75)]
        if rng.random() < 0.7:
            count, wide = 14, _range(rng, 0.9, 1.4)
            rise, run = (level + 0.2) / count, 0.28
            for i in range(count):
                y = edge - run * (count - i)
                parts.append(box("step", "stair", "stair", (0, y, rise * i), (wide, y + run, rise * (i + 1))))
    if open_top:
        at = np.array([w / 2, d / 2, 0.8])
        if rng.random() < 0.6:
            return parts, Camera.look(at + (-16, -_range(rng, 14, 22), _range(rng, 12, 20)), at, size=SIZE, span=1.7 * max(w, d))  # fmt: skip
        return parts, eye(tuple(at + (-0.9 * w, -1.1 * d, 0.9 * d)), tuple(at), 52)
    place = (_range(rng, 0.15, 0.85) * w, _range(rng, 0.2, 0.6), _range(rng, 1.3, 1.75) if h > 2.3 else 1.35)
    look = (_range(rng, 0.1, 0.9) * w, d, place[2] + _range(rng, -0.6, 0.5))
    if rng.random() < 0.15:
        look = (place[0], d, place[2])
    shift = (_range(rng, -0.1, 0.1), _range(rng, -0.06, 0.06)) if rng.random() < 0.15 else (0.0, 0.0)
    return parts, eye(place, look, _range(rng, 58, 76), shift)
