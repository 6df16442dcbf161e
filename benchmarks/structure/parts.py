"""Parts that scenes are put together from: walls, windows, roofs, rooms, trees, people."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry import shapes

SIZE = (1280, 800)


class Part(NamedTuple):
    name: str
    role: str
    colour: tuple[int, int, int]
    triangles: np.ndarray
    smooth: bool = False


@dataclass(frozen=True)
class TruthScene:
    name: str
    parts: list[Part]
    camera: Camera
    what: str


PALETTE = {
    "ground": (176, 168, 150), "lawn": (140, 172, 98), "paving": (190, 184, 174), "water": (120, 160, 196),
    "wall": (224, 214, 198), "brick": (182, 108, 84), "timber": (178, 136, 92), "roof": (132, 82, 70),
    "slate": (98, 104, 114), "slab": (188, 188, 186), "glazing": (150, 190, 206), "frame": (64, 66, 72),
    "door": (122, 74, 58), "column": (206, 202, 196), "trunk": (112, 88, 66), "leaf": (104, 144, 76),
    "sofa": (94, 112, 140), "table": (160, 116, 74), "floor": (186, 152, 112), "ceiling": (244, 243, 240),
    "lamp": (240, 226, 160), "steel": (150, 154, 160), "counter": (236, 234, 228), "stair": (196, 186, 172),
    "person": (160, 90, 80), "sign": (190, 60, 50),
}  # fmt: skip


def box(name, role, colour, low, high) -> Part:
    return Part(name, role, PALETTE[colour], shapes.box(low, high))


def turned(part: Part, degrees: float, about=(0.0, 0.0)) -> Part:
    a = np.radians(degrees)
    turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1.0]])
    pivot = np.array([*about, 0.0])
    return part._replace(triangles=(part.triangles - pivot) @ turn.T + pivot)


def ground(role="ground", reach=60.0, colour=None) -> Part:
    r = reach
    return Part(role, role, PALETTE[colour or role], shapes.quad((-r, -r, 0), (r, -r, 0), (r, r, 0), (-r, r, 0)))


def flat(name, role, colour, x0, x1, y0, y1, z) -> Part:
    return Part(name, role, PALETTE[colour], shapes.quad((x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)))


def window(x0, x1, z0, z1, y, out=-1.0, reveal=0.1, bars=1) -> list[Part]:
    """A window in a wall that faces −y (out = −1) or +y: frame round a pane, both a little proud of the wall."""
    f = 0.07
    y0, y1 = (y - 0.05, y) if out < 0 else (y, y + 0.05)
    parts = [
        box("frame", "frame", "frame", (x0, y0, z0), (x0 + f, y1, z1)),
        box("frame", "frame", "frame", (x1 - f, y0, z0), (x1, y1, z1)),
        box("frame", "frame", "frame", (x0 + f, y0, z0), (x1 - f, y1, z0 + f)),
        box("frame", "frame", "frame", (x0 + f, y0, z1 - f), (x1 - f, y1, z1)),
    ]
    for i in range(bars):
        x = x0 + (x1 - x0) * (i + 1) / (bars + 1)
        parts.append(box("frame", "frame", "frame", (x - 0.03, y0, z0 + f), (x + 0.03, y1, z1 - f)))
    yp = y - 0.012 if out < 0 else y + 0.012
    corners = [(x0 + f, yp, z0 + f), (x1 - f, yp, z0 + f), (x1 - f, yp, z1 - f), (x0 + f, yp, z1 - f)]
    parts.append(Part("pane", "glazing", PALETTE["glazing"], shapes.quad(*corners)))
    return parts


def side_window(y0, y1, z0, z1, x, out=1.0) -> list[Part]:
    """The same in a wall that faces ±x."""
    return [turned(p, 90.0) for p in window(y0, y1, z0, z1, -x, -1.0 if out > 0 else 1.0)]


def gable(x0, x1, y0, y1, z0, z1, wall="wall", roof="roof", over=0.35) -> list[Part]:
    """A house with its ridge along x."""
    middle, rise = (y0 + y1) / 2, (y1 - y0) / 2 * 0.75
    body = shapes.extrude_along([(y0, z0), (y1, z0), (y1, z1), (middle, z1 + rise), (y0, z1)], 0, x0, x1)
    slope = rise / ((y1 - y0) / 2)
    t = 0.18
    top = [(y0 - over, z1 - slope * over + t), (middle, z1 + rise + t), (y1 + over, z1 - slope * over + t)]
    ring = np.array(top + [(y, z - t) for y, z in reversed(top)])
    ends = [np.column_stack([np.full(6, x), ring]) for x in (x0 - over, x1 + over)]
    sides = [shapes.quad(ends[0][i], ends[1][i], ends[1][(i + 1) % 6], ends[0][(i + 1) % 6]) for i in range(6)]
    caps = [shapes.quad(*(end[k] for k in corners)) for end in ends for corners in ((0, 1, 4, 5), (1, 2, 3, 4))]
    skin = np.concatenate([*sides, *caps])
    return [
        Part("walls", "wall", PALETTE[wall], body),
        Part("roof", "roof", PALETTE[roof], skin),
    ]


def pyramid(name, colour, x0, x1, y0, y1, z, apex) -> Part:
    """A roof of four slopes that meet in one point."""
    rim = [(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)]
    sides = np.array([[rim[i], rim[(i + 1) % 4], apex] for i in range(4)])
    return Part(name, "roof", PALETTE[colour], np.concatenate([sides, shapes.quad(*rim[::-1])]))


def open_pitch(name, x0, middle, x1, y0, y1, eave, ridge) -> list[Part]:
    """Two slopes without walls, their ridge along y."""
    return [
        Part(name, "roof", PALETTE["roof"], shapes.quad((left, y0, z0), (right, y0, z1), (right, y1, z1), (left, y1, z0)))
        for left, right, z0, z1 in ((x0, middle, eave, ridge), (middle, x1, ridge, eave))
    ]  # fmt: skip


def tree(x, y, height=6.0, crown=2.0) -> list[Part]:
    return [
        Part("trunk", "planting", PALETTE["trunk"], shapes.cylinder(x, y, 0, height * 0.5, 0.16, sides=12), True),
        Part("crown", "planting", PALETTE["leaf"], shapes.ellipsoid((x, y, height * 0.68), (crown, crown, height * 0.32), 12), True),
    ]  # fmt: skip


def person(x, y, heading=0.0) -> list[Part]:
    return [
        Part("person", "person", PALETTE["person"], shapes.cylinder(x, y, 0, 1.45, 0.2, 0.17, 14), True),
        Part("person", "person", PALETTE["person"], shapes.ball((x, y, 1.6), 0.12, 8), True),
    ]


def chair(x, y, turn=0.0, colour="timber") -> list[Part]:
    s, h = 0.42, 0.45
    parts = [box("seat", "furniture", colour, (x - s / 2, y - s / 2, h - 0.04), (x + s / 2, y + s / 2, h))]
    for dx in (-1, 1):
        for dy in (-1, 1):
            cx, cy = x + dx * (s / 2 - 0.02), y + dy * (s / 2 - 0.02)
            top = 0.9 if dy > 0 else h - 0.04
            parts.append(box("leg", "furniture", colour, (cx - 0.02, cy - 0.02, 0), (cx + 0.02, cy + 0.02, top)))
    parts.append(box("back", "furniture", colour, (x - s / 2 + 0.04, y + s / 2 - 0.03, 0.62), (x + s / 2 - 0.04, y + s / 2 - 0.01, 0.88)))  # fmt: skip
    return [turned(p, turn, (x, y)) for p in parts]


def room(x0, x1, y0, y1, h, wall="wall", floor="floor") -> list[Part]:
    """A room seen from inside; each face a part."""
    return [
        flat("floor", "floor", floor, x0, x1, y0, y1, 0.0),
        Part("ceiling", "ceiling", PALETTE["ceiling"], shapes.quad((x0, y1, h), (x1, y1, h), (x1, y0, h), (x0, y0, h))),
        Part("wall", "wall", PALETTE[wall], shapes.quad((x0, y1, 0), (x1, y1, 0), (x1, y1, h), (x0, y1, h))),
        Part("wall", "wall", PALETTE[wall], shapes.quad((x0, y0, 0), (x0, y1, 0), (x0, y1, h), (x0, y0, h))),
        Part("wall", "wall", PALETTE[wall], shapes.quad((x1, y1, 0), (x1, y0, 0), (x1, y0, h), (x1, y1, h))),
    ]


def eye(at, to, field=62.0, shift=(0.0, 0.0), roll=0.0) -> Camera:
    up = (np.sin(np.radians(roll)), 0.0, np.cos(np.radians(roll)))
    return Camera.look(at, to, size=SIZE, field=field, centre=(0.5 + shift[0], 0.5 + shift[1]), up=up)
