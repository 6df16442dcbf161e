"""Scenes with known structure, made by code: none of them is the demo.

Each is a list of parts and a camera. `TUNED` are those the reader was worked on with; `KEPT_APART` are not to be
looked at while working on it, only scored. (Most of the last of `TUNED` began apart; once looked at, or once
a change was made for their score, they no longer count.)
"""

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


def pavilion() -> TruthScene:
    parts = [ground("lawn"), box("terrace", "paving", "paving", (-7, -6, 0.0), (9, 8, 0.3))]
    parts += [box("wall", "wall", "brick", (-5, 0, 0.3), (1, 6, 3.3)), box("wall", "wall", "wall", (3.5, 1, 0.3), (7, 6, 3.3))]  # fmt: skip
    parts += [box("glass", "glazing", "glazing", (1, 0.4, 0.3), (3.5, 0.44, 3.3))]
    parts += [box("roof", "slab", "slab", (-6, -2.5, 3.3), (8, 7, 3.65))]
    for x in (-5.6, -1.2, 3.2, 7.4):
        parts.append(box("column", "column", "column", (x, -2.2, 0.3), (x + 0.22, -1.98, 3.3)))
    for i in range(2):
        parts.append(box("step", "stair", "stair", (-2, -6.4 - 0.35 * i, 0), (2, -6 - 0.35 * i, 0.2 - 0.1 * i)))
    parts += window(-4, -1.5, 1.1, 2.6, 0.0)
    return TruthScene("pavilion", parts, eye((-12, -14, 1.7), (0.5, 1.5, 2.2)), "flat roof on posts, two-point")


def gable_house() -> TruthScene:
    parts = [ground("lawn"), flat("drive", "paving", "paving", 4.2, 9.0, -14, 2.0, 0.01)]
    parts += gable(-5, 4, 0, 7, 0, 4.6)
    parts += [box("garage", "wall", "timber", (4, 2, 0), (9, 7.0, 2.7)), box("garage roof", "roof", "slate", (4, 1.7, 2.7), (9.3, 7.2, 2.9))]  # fmt: skip
    parts += [box("chimney", "wall", "brick", (-3, 3.9, 5.0), (-2.2, 4.7, 8.6))]
    for x in (-4.2, -1.4, 1.6):
        parts += window(x, x + 1.5, 2.9, 4.1, 0.0)
    parts += window(-4.2, -2.4, 0.9, 2.1, 0.0) + window(1.2, 3.2, 0.9, 2.1, 0.0, bars=2)
    parts += [box("door", "door", "door", (-1.2, -0.05, 0.05), (-0.2, 0.0, 2.1)), box("garage door", "door", "door", (4.9, 1.94, 0), (8.0, 2.0, 2.2))]  # fmt: skip
    return TruthScene(
        "gable house", parts, eye((13, -15, 6.5), (0.5, 2, 2.4), 50), "pitched roof from above, three-point"
    )


def street() -> TruthScene:
    parts = [ground("paving"), flat("road", "paving", "slate", -60, 60, -9, -4.0, 0.01)]
    x = -16.0
    for width, height, colour in ((6, 6.2, "brick"), (7, 8.4, "wall"), (5.5, 5.4, "timber"), (6.5, 7.0, "brick")):
        parts.append(box("house", "wall", colour, (x, 0, 0), (x + width, 9, height)))
        parts.append(box("cornice", "slab", "slab", (x, -0.3, height), (x + width, 9, height + 0.3)))
        for storey in range(int(height // 2.8)):
            for wx in (x + 0.9, x + width - 2.3):
                parts += window(wx, wx + 1.4, 1.0 + 2.8 * storey, 2.3 + 2.8 * storey, 0.0)
        parts.append(box("door", "door", "door", (x + width / 2 - 0.5, -0.04, 0), (x + width / 2 + 0.5, 0, 2.2)))
        x += width
    wing = [box("wing", "wall", "wall", (0, 0, 0), (10, 6, 4.2)), box("wing roof", "roof", "slate", (-0.3, -0.4, 4.2), (10.3, 6.4, 4.45))]  # fmt: skip
    for wx in (0.8, 3.4, 6.0):
        wing += window(wx, wx + 1.8, 0.8, 3.2, 0.0)
    parts += [turned(p._replace(triangles=p.triangles + np.array([10.0, -1.0, 0])), -32, (10, -1)) for p in wing]
    return TruthScene("street", parts, eye((-13, -15, 1.65), (2, -1, 2.9), 68), "row of houses, wing turned by 32°")


def kitchen() -> TruthScene:
    parts = room(-2.4, 2.4, -0.5, 5.0, 2.6)
    parts += [box("cupboards", "furniture", "counter", (-2.4, 1.0, 0.0), (-1.8, 5.0, 0.9)), box("worktop", "furniture", "slate", (-2.4, 0.95, 0.9), (-1.75, 5.0, 0.94))]  # fmt: skip
    parts += [box("wall cupboards", "furniture", "counter", (-2.4, 1.4, 1.5), (-2.05, 4.0, 2.3))]
    parts += [box("island", "furniture", "timber", (0.1, 2.2, 0.0), (1.3, 3.6, 0.9)), box("island top", "furniture", "counter", (0.0, 2.1, 0.9), (1.4, 3.7, 0.95))]  # fmt: skip
    parts += [box("fridge", "furniture", "steel", (1.7, 4.2, 0.0), (2.4, 5.0, 2.0))]
    parts += window(-0.9, 0.9, 1.0, 2.2, 5.0) + [box("door", "door", "door", (2.36, 1.4, 0), (2.4, 2.3, 2.1))]
    parts += [Part("lamp", "lamp", PALETTE["lamp"], shapes.cylinder(0.7, 2.9, 1.75, 1.95, 0.2, 0.07, 32), True)]
    return TruthScene("kitchen", parts, eye((0.1, -0.3, 1.5), (0.1, 5, 1.5), 74), "one-point interior with furniture")


def living_room() -> TruthScene:
    parts = room(-3, 3, -3, 3, 2.7)
    parts += window(-2.2, 0.4, 0.4, 2.3, 3.0, bars=2) + [flat("rug", "fabric", "sign", -1.6, 1.2, -0.6, 1.6, 0.01)]
    parts += [box("sofa", "furniture", "sofa", (-2.9, -0.4, 0), (-2.0, 1.8, 0.42)), box("sofa back", "furniture", "sofa", (-3.0, -0.4, 0.42), (-2.75, 1.8, 0.8))]  # fmt: skip
    parts += [box("table", "furniture", "table", (-0.9, 0.2, 0.36), (0.3, 0.9, 0.4))]
    for x in (-0.86, 0.2):
        for y in (0.24, 0.8):
            parts.append(box("leg", "furniture", "table", (x, y, 0), (x + 0.06, y + 0.06, 0.36)))
    parts += [box("shelf", "furniture", "timber", (2.6, 0.4, 0), (3.0, 2.4, 2.0)), box("door", "door", "door", (1.4, 2.95, 0), (2.3, 3.0, 2.1))]  # fmt: skip
    parts += chair(0.9, -0.4, 25.0)
    return TruthScene("living room", parts, eye((1.8, -2.7, 1.5), (-0.7, 1.5, 1.15), 70), "two-point interior")


def tower() -> TruthScene:
    parts = [ground("paving"), box("podium", "wall", "slate", (-8, -2, 0), (10, 14, 5))]
    parts += [box("tower", "wall", "wall", (-4, 1, 5), (6, 11, 34)), box("crown", "slab", "slab", (-4.4, 0.6, 34), (6.4, 11.4, 35))]  # fmt: skip
    for storey in range(8):
        z = 6.2 + 3.4 * storey
        for x in (-3.2, -0.4, 2.4):
            parts += window(x, x + 2.2, z, z + 2.0, 1.0)
        parts += side_window(2.0, 9.8, z, z + 2.0, -4.0, -1.0)
    parts += [box("canopy", "slab", "slab", (-3, -4.5, 3.4), (4, -2, 3.7))]
    for x in (-2.8, 3.6):
        parts.append(box("post", "column", "steel", (x, -4.3, 0), (x + 0.2, -4.1, 3.4)))
    return TruthScene("tower", parts, eye((-17, -26, 1.7), (0.5, 4, 14.5), 58), "looking up, three-point")


def courtyard() -> TruthScene:
    parts = [ground("lawn", 90), flat("court", "paving", "paving", -8, 8, -6, 8, 0.02)]
    for x0, x1, y0, y1, h in ((-14, -8, -6, 14, 6.5), (8, 14, -6, 14, 6.5), (-8, 8, 8, 14, 6.5)):
        parts.append(box("wing", "wall", "wall", (x0, y0, 0), (x1, y1, h)))
        parts.append(box("wing roof", "roof", "slate", (x0, y0, h), (x1, y1, h + 0.25)))
    parts += gable(-22, -16, -16, -9, 0, 3.5, "brick") + [box("shed", "wall", "timber", (2, -18, 0), (7, -14, 3.0))]
    for x in (-6.5, -2.5, 1.5, 5.0):
        parts += window(x, x + 1.6, 1.0, 2.6, 8.0) + window(x, x + 1.6, 4.0, 5.6, 8.0)
    return TruthScene("courtyard", parts, eye((26, -34, 27), (-1, 0, 1), 48), "from the air")


def axonometric() -> TruthScene:
    parts = [
        flat("plot", "lawn", "lawn", -9, 9, -8, 9, 0.0),
        flat("path", "paving", "paving", -1.2, 1.2, -8, -1, 0.01),
    ]
    parts += gable(-5, 3, -1, 5, 0, 3.2, "wall") + [box("annex", "wall", "brick", (3, 0, 0), (7, 5, 2.6)), box("annex roof", "slab", "slab", (3, -0.3, 2.6), (7.3, 5.2, 2.8))]  # fmt: skip
    parts += window(-4.2, -2.2, 0.9, 2.2, -1.0) + [box("door", "door", "door", (-0.5, -1.05, 0), (0.5, -1.0, 2.1))]
    parts += window(3.8, 6.2, 0.8, 2.0, 0.0)
    camera = Camera.look((-20, -26, 22), (0, 0, 1), size=SIZE, span=30.0)
    return TruthScene("axonometric", parts, camera, "parallel projection")


def rotunda() -> TruthScene:
    parts = [
        ground("paving"),
        Part("plinth", "slab", PALETTE["slab"], shapes.cylinder(0, 0, 0, 0.5, 7.5, sides=72), True),
    ]
    parts += [Part("drum", "wall", PALETTE["wall"], shapes.cylinder(0, 0, 0.5, 6, 5.0, sides=72), True)]
    parts += [Part("ring", "slab", PALETTE["slab"], shapes.cylinder(0, 0, 6, 6.6, 7.2, sides=72), True)]
    dome = shapes.ellipsoid((0, 0, 6.6), (5, 5, 4), 24)
    parts += [Part("dome", "roof", PALETTE["slate"], dome[(dome[..., 2] >= 6.59).all(axis=1)], True)]
    for i in range(10):
        a = 2 * np.pi * i / 10
        parts.append(Part("column", "column", PALETTE["column"], shapes.cylinder(6.5 * np.cos(a), 6.5 * np.sin(a), 0.5, 6, 0.3, sides=32), True))  # fmt: skip
    parts += [box("house", "wall", "brick", (-24, 8, 0), (-12, 18, 7)), box("house", "wall", "timber", (12, 6, 0), (22, 16, 6))]  # fmt: skip
    return TruthScene("rotunda", parts, eye((-4, -19, 1.7), (0, 0, 4.4), 66), "curves: drum, dome, columns")


def shifted_house() -> TruthScene:
    parts = [ground("lawn"), flat("path", "paving", "paving", -1, 1, -16, 0, 0.01)]
    parts += gable(-6, 5, 0, 8, 0, 5.2, "brick", "slate")
    for x in (-5.2, -2.6, 1.4, 3.2):
        parts += window(x, x + 1.4, 3.4, 4.8, 0.0) + window(x, x + 1.4, 0.9, 2.4, 0.0)
    parts += [box("door", "door", "door", (-0.6, -0.05, 0), (0.5, 0.0, 2.2))]
    parts += tree(-9, 2, 7, 2.2) + tree(8.5, 4, 8, 2.4) + tree(7.6, -3, 5, 1.5) + person(2.0, -4)
    camera = eye((-11, -13, 1.65), (1, 3.4, 1.65), 64, (0.0, 0.2))
    return TruthScene("shifted house", parts, camera, "lens-shifted two-point with trees")


def colonnade() -> TruthScene:
    parts = [ground("paving"), box("base", "stair", "stair", (-12, -3, 0), (12, 6, 0.45)), box("hall", "wall", "wall", (-11, 0, 0.45), (11, 6, 6))]  # fmt: skip
    parts += [box("entablature", "slab", "slab", (-11.6, -2.6, 5.4), (11.6, 0, 6.4)), box("attic", "slab", "slab", (-11.6, 0, 6.0), (11.6, 6.2, 6.4))]  # fmt: skip
    for i in range(8):
        x = -10.6 + i * 3.0
        parts.append(
            Part("column", "column", PALETTE["column"], shapes.cylinder(x, -2.0, 0.45, 5.4, 0.36, 0.3, 32), True)
        )
    for i in range(7):
        x = -9.9 + i * 3.0
        parts += window(x, x + 1.6, 1.4, 4.4, 0.0, bars=0)
    parts += person(-4, -6) + person(1.2, -5)
    return TruthScene("colonnade", parts, eye((-14, -13, 1.7), (-1, 0, 2.4), 60, (-0.17, 0.08)), "columns in front of a façade, off-centre crop")  # fmt: skip


def vault() -> TruthScene:
    a = np.linspace(0, np.pi, 49)
    arc = np.stack([4 * np.cos(a), np.zeros(49), 3 + 3 * np.sin(a)], axis=1)
    skin = shapes.loft(np.stack([arc + (0, y, 0) for y in (-4.0, 12.0)]), closed=False)
    end = np.concatenate([[(-4, 12.0, 0), (4, 12.0, 0)], arc + (0, 12.0, 0)])
    fan = np.array([[end[0], end[i], end[i + 1]] for i in range(1, len(end) - 1)])
    parts = [
        flat("floor", "floor", "floor", -4, 4, -4, 12, 0.0),
        Part("vault", "ceiling", PALETTE["ceiling"], skin, True),
    ]
    for x in (-4.0, 4.0):
        parts.append(Part("wall", "wall", PALETTE["wall"], shapes.quad((x, -4, 0), (x, 12, 0), (x, 12, 3), (x, -4, 3))))
    parts += [Part("end", "wall", PALETTE["brick"], fan)] + window(-1.2, 1.2, 1.2, 4.0, 12.0)
    for y in (1.5, 4.0, 6.5):
        parts += [box("bench", "furniture", "timber", (-3, y, 0.4), (-0.8, y + 0.4, 0.46)), box("bench", "furniture", "timber", (0.8, y, 0.4), (3, y + 0.4, 0.46))]  # fmt: skip
        for x in (-2.8, -1.1, 1.0, 2.7):
            parts.append(box("leg", "furniture", "timber", (x, y + 0.05, 0), (x + 0.1, y + 0.35, 0.4)))
    return TruthScene("vault", parts, eye((1.6, -3.2, 1.6), (-0.4, 12, 2.2), 72), "barrel vault, interior")


def farm() -> TruthScene:
    parts = [ground("ground"), box("barn", "wall", "timber", (6, 4, 0), (16, 14, 4.0))]
    parts += gable(-8, 3, 2, 9, 0, 3.0, "wall") + [box("porch", "slab", "slab", (-4.4, -0.4, 2.4), (-0.6, 2, 2.6))]
    for x in (-4.3, -0.8):
        parts.append(box("post", "column", "timber", (x, -0.3, 0), (x + 0.14, -0.16, 2.4)))
    parts += [box("lean-to", "roof", "roof", (6 - 0.4, 3.6, 4.0), (16.4, 14.4, 4.25)), box("barn door", "door", "door", (9, 3.95, 0), (12.4, 4.0, 3.0))]  # fmt: skip
    parts += window(-7.2, -5.4, 0.9, 2.1, 2.0) + window(0.4, 2.2, 0.9, 2.1, 2.0) + [box("door", "door", "door", (-3, 1.95, 0), (-2, 2.0, 2.1))]  # fmt: skip
    parts += tree(-13, 8, 8, 2.6)
    return TruthScene("farm", parts, eye((-7, -15, 3.2), (2, 4, 1.6), 60, roll=4.0), "rolled camera")


def elevation() -> TruthScene:
    parts = [ground("ground", 80)] + gable(-6, 4, 0, 8, 0, 5.4, "wall", "slate")
    for x in (-5, -2.2, 1.8):
        parts += window(x, x + 1.4, 3.4, 4.8, 0.0)
    parts += window(-5, -3.0, 0.9, 2.3, 0.0) + [box("door", "door", "door", (-0.7, -0.06, 0), (0.4, 0, 2.1))]
    parts += [box("balcony", "slab", "slab", (-2.6, -1.2, 2.75), (1.4, 0, 2.95)), box("garage", "wall", "brick", (4, 1.5, 0), (9, 8, 2.7)), box("garage door", "door", "door", (5, 1.45, 0), (8, 1.5, 2.2))]  # fmt: skip
    camera = Camera.look((1, -30, 4.2), (1, 0, 4.2), size=SIZE, span=20.0)
    return TruthScene("elevation", parts, camera, "front elevation, parallel")


def plan() -> TruthScene:
    h, outer, inner = 1.2, 0.3, 0.12
    parts = [ground("lawn", 40), flat("floor", "floor", "floor", 0.3, 10.7, 0.3, 7.7, 0.02)]

    def wall(x0, y0, x1, y1):
        return box("wall", "wall", "wall", (x0, y0, 0), (x1, y1, h))

    runs = [(0, 0, 2, outer), (4, 0, 7.4, outer), (8.4, 0, 11, outer), (0, 7.7, 4.6, 8), (6.2, 7.7, 11, 8)]
    runs += [(0, outer, outer, 7.7), (10.7, outer, 11, 2.6), (10.7, 4.4, 11, 7.7)]
    runs += [
        (outer, 4, 3, 4 + inner),
        (3.9, 4, 6.2, 4 + inner),
        (6.2, outer, 6.2 + inner, 2.4),
        (6.2, 3.3, 6.2 + inner, 7.7),
    ]
    parts += [wall(*run) for run in runs]
    for x0, y0, x1, y1 in ((2, 0.1, 4, 0.2), (4.6, 7.8, 6.2, 7.9), (10.8, 2.6, 10.9, 4.4)):
        parts.append(box("pane", "glazing", "glazing", (x0, y0, 0), (x1, y1, 1.0)))
    parts += [box("bed", "furniture", "sofa", (7.2, 5.6, 0.02), (9.2, 7.4, 0.5)), box("table", "furniture", "table", (1.6, 1.4, 0.02), (3.4, 2.4, 0.74))]  # fmt: skip
    parts += [box("sofa", "furniture", "sofa", (4.6, 4.6, 0.02), (5.5, 6.8, 0.6)), flat("path", "paving", "paving", 7.4, 8.4, -6, 0, 0.01)]  # fmt: skip
    camera = Camera.look((5.5, 4, 30), (5.5, 4, 0), size=SIZE, span=18.0)
    return TruthScene("plan", parts, camera, "plan, cut at 1.2 m")


def office() -> TruthScene:
    parts = room(-5, 5, -2, 7, 3.0, floor="slate")
    for x in (-4.4, -1.6, 1.2):
        parts += window(x, x + 2.4, 0.9, 2.5, 7.0, bars=1)
    for y in (2.0, 4.4):
        for x in (-3.4, 0.6):
            parts.append(box("desk", "furniture", "table", (x, y, 0.7), (x + 1.8, y + 0.8, 0.74)))
            for dx in (0.04, 1.68):
                parts.append(box("leg", "furniture", "steel", (x + dx, y + 0.05, 0), (x + dx + 0.08, y + 0.75, 0.7)))
            parts += chair(x + 0.9, y - 0.35, 180.0, "sofa")
    parts += [box("column", "column", "column", (2.9, 3.0, 0), (3.3, 3.4, 3.0)), box("cabinet", "furniture", "counter", (4.5, 0.5, 0), (5.0, 4.5, 1.1))]  # fmt: skip
    return TruthScene(
        "office", parts, eye((3.2, -1.6, 1.6), (-1.2, 5, 1.3), 72, (0.1, -0.06)), "interior, off-centre crop"
    )


def silo_barn() -> TruthScene:
    parts = [ground("ground"), flat("yard", "paving", "paving", -6, 9, -9, 1, 0.01)]
    parts += gable(-7, 6, 2, 11, 0, 4.2, "timber", "slate") + [
        box("barn door", "door", "door", (-2, 1.94, 0), (1.2, 2.0, 3.1))
    ]
    parts += [Part("silo", "wall", PALETTE["steel"], shapes.cylinder(9.5, 5, 0, 9, 2.1, sides=64), True), Part("cap", "roof", PALETTE["slate"], shapes.cylinder(9.5, 5, 9, 10.4, 2.1, 0.05, 64), True)]  # fmt: skip
    parts += (
        [box("trough", "furniture", "steel", (3.2, -2.4, 0), (5.6, -1.6, 0.6))]
        + window(-5.8, -4.0, 1.2, 2.2, 2.0)
        + tree(-11, 6, 6, 2.0)
    )
    return TruthScene("silo barn", parts, eye((-9, -13, 1.7), (1.5, 3, 2.6), 64), "barn, silo, tree")


def attic() -> TruthScene:
    slopes = [
        shapes.quad((-3, -2, 1.0), (-3, 7, 1.0), (0, 7, 3.4), (0, -2, 3.4)),
        shapes.quad((3, 7, 1.0), (3, -2, 1.0), (0, -2, 3.4), (0, 7, 3.4)),
    ]
    parts = [flat("floor", "floor", "floor", -3, 3, -2, 7, 0.0)]
    parts += [Part("slope", "ceiling", PALETTE["ceiling"], slope) for slope in slopes]
    for x in (-3.0, 3.0):
        parts.append(
            Part("knee wall", "wall", PALETTE["wall"], shapes.quad((x, -2, 0), (x, 7, 0), (x, 7, 1.0), (x, -2, 1.0)))
        )
    end = np.array([(-3, 7, 0), (3, 7, 0), (3, 7, 1.0), (0, 7, 3.4), (-3, 7, 1.0)], float)
    parts.append(Part("end", "wall", PALETTE["brick"], end[[[0, 1, 2], [0, 2, 3], [0, 3, 4]]]))
    parts += window(-0.8, 0.8, 0.9, 2.2, 7.0) + [box("bed", "furniture", "sofa", (-2.2, 2.6, 0), (-0.6, 4.7, 0.5)), box("chest", "furniture", "timber", (1.4, 4.6, 0), (2.6, 5.2, 0.8))]  # fmt: skip
    return TruthScene("attic", parts, eye((0.9, -1.6, 1.45), (-0.3, 6, 1.3), 70), "sloping ceilings, interior")


def terrace_steps() -> TruthScene:
    parts = [ground("lawn"), box("plinth", "wall", "slab", (-8, 0, 0), (8, 9, 1.2)), box("house", "wall", "wall", (-7, 2.5, 1.2), (7, 9, 4.4)), box("roof", "slab", "slab", (-7.6, 1.9, 4.4), (7.6, 9.2, 4.75))]  # fmt: skip
    for i in range(6):
        parts.append(box("step", "stair", "stair", (-1.6, -0.35 * (6 - i), 0), (1.6, -0.35 * (5 - i), 0.2 * (i + 1))))
    for x in (-6.0, -3.2, 2.0, 4.6):
        parts += window(x, x + 1.8, 1.7, 3.7, 2.5)
    for x in np.arange(-7.6, 7.7, 1.9):
        if abs(x) > 1.8:
            parts.append(box("post", "railing", "frame", (x, 0.1, 1.2), (x + 0.06, 0.16, 2.2)))
    parts += [box("rail", "railing", "frame", (-7.6, 0.1, 2.2), (-1.85, 0.16, 2.27)), box("rail", "railing", "frame", (1.9, 0.1, 2.2), (7.66, 0.16, 2.27))]  # fmt: skip
    return TruthScene(
        "terrace steps", parts, eye((10, -11, 2.2), (-0.5, 2.5, 2.1), 58), "steps and railing, three-point"
    )


def campus() -> TruthScene:
    parts = [ground("lawn", 120), flat("street", "paving", "slate", -70, 70, -14, -8, 0.02)]
    for x, y, w, d, h, turn in (
        (-18, 4, 14, 9, 9, 0),
        (4, 6, 12, 10, 6, 0),
        (22, 2, 10, 16, 12, 38),
        (-10, -26, 16, 8, 5, 0),
    ):
        block = [
            box("block", "wall", "wall", (x, y, 0), (x + w, y + d, h)),
            box("top", "roof", "slab", (x, y, h), (x + w, y + d, h + 0.3)),
        ]
        parts += [turned(p, turn, (x, y)) for p in block]
    return TruthScene(
        "campus", parts, eye((-34, -52, 34), (2, 0, 2), 46, (0.05, -0.04)), "from the air, cropped, one block turned"
    )


def isometric_office() -> TruthScene:
    parts = [flat("floor", "floor", "floor", -5, 5, -4, 4, 0.0)]
    parts += [
        box("back wall", "wall", "wall", (-5, 4, 0), (5, 4.2, 2.8)),
        box("side wall", "wall", "wall", (5, -4, 0), (5.2, 4.2, 2.8)),
    ]
    for x in (-3.6, 0.4):
        parts += [box("desk", "furniture", "table", (x, 0, 0.7), (x + 2, 1, 0.76)), box("leg", "furniture", "steel", (x + 0.1, 0.1, 0), (x + 0.2, 0.9, 0.7)), box("leg", "furniture", "steel", (x + 1.8, 0.1, 0), (x + 1.9, 0.9, 0.7))]  # fmt: skip
    parts += [
        box("shelf", "furniture", "timber", (-4.6, 3.4, 0), (-2, 4, 2.0)),
        box("sofa", "furniture", "sofa", (3.6, -3, 0), (4.8, -0.6, 0.5)),
    ]
    camera = Camera.look((-16, -20, 17), (0, 0, 0.8), size=SIZE, span=16.0)
    return TruthScene("isometric office", parts, camera, "parallel projection of a room cut open")


def boat_sheds() -> TruthScene:
    parts = [ground("lawn"), flat("lake", "water", "water", -60, 60, -60, -7.0, 0.01), box("quay", "paving", "paving", (-16, -7, 0.0), (18, 0, 0.5))]  # fmt: skip
    for i, (x, colour, roof) in enumerate(
        ((-12.0, "timber", "slate"), (-3.0, "brick", "roof"), (6.0, "wall", "slate"))
    ):
        shed = gable(x, x + 7.5, 0, 9, 0.5, 3.9 + 0.4 * i, colour, roof)
        shed += [box("gate", "door", "door", (x + 0.8, -0.06, 0.5), (x + 3.4, 0.0, 3.0))]
        shed += window(x + 4.6, x + 6.6, 1.4, 2.7, 0.0)
        parts += shed
    parts += [box("jetty", "slab", "timber", (1.0, -16, 0.35), (2.8, -7, 0.5)), box("bench", "furniture", "timber", (-8, -3.2, 0.9), (-6, -2.7, 0.98))]  # fmt: skip
    for x in (-7.8, -6.4):
        parts.append(box("leg", "furniture", "timber", (x, -3.1, 0.5), (x + 0.1, -2.8, 0.9)))
    parts += tree(16.5, 3, 7, 2.2)
    return TruthScene("boat sheds", parts, eye((-15, -17, 2.1), (0.5, 0, 2.4), 60), "three gables, quay and water")


def loft() -> TruthScene:
    parts = room(-4, 4, -3, 6, 4.2, floor="slate")
    parts += [box("gallery", "slab", "slab", (-4, 3.2, 2.3), (1.6, 6, 2.5))]
    for x in (-1.4, 1.3):
        parts.append(box("column", "column", "steel", (x, 3.25, 0), (x + 0.16, 3.41, 2.3)))
    parts += window(2.0, 3.6, 0.9, 3.4, 6.0) + [box("door", "door", "door", (3.95, 1.0, 0), (4.0, 1.95, 2.1))]
    parts += [box("table", "furniture", "table", (0.2, 0.6, 0.7), (2.2, 1.5, 0.75)), box("shelf", "furniture", "timber", (-4.0, -0.5, 0), (-3.6, 2.0, 1.9))]  # fmt: skip
    for x in (0.3, 2.0):
        for y in (0.65, 1.37):
            parts.append(box("leg", "furniture", "table", (x, y, 0), (x + 0.08, y + 0.08, 0.7)))
    parts += chair(0.8, 0.1) + chair(-1.6, 1.2, 40.0, "sofa")
    return TruthScene("loft", parts, eye((2.6, -2.6, 1.55), (-1.0, 4, 1.7), 74), "interior with a gallery")


def chapel() -> TruthScene:
    parts = [ground("lawn"), flat("path", "paving", "paving", -14, -7.2, -0.9, 0.9, 0.01)]
    parts += gable(-4, 9, -3.5, 3.5, 0, 4.2, "wall", "slate")
    parts += [box("tower", "wall", "brick", (-7, -1.6, 0), (-4, 1.6, 9.5)), box("portal", "door", "door", (-7.05, -0.7, 0), (-7.0, 0.7, 2.5))]  # fmt: skip
    parts.append(pyramid("spire", "roof", -7.3, -3.7, -1.9, 1.9, 9.5, (-5.5, 0, 13.0)))
    for x in (-2.6, 0.2, 3.0, 5.8):
        parts += window(x, x + 0.9, 1.4, 3.4, -3.5, bars=0)
    parts += [box("wall", "wall", "slab", (-16, -8.4, 0), (12, -8.0, 1.0))] + person(-9.5, -2.0)
    return TruthScene("chapel", parts, eye((-15, -14.5, 2.6), (-1.5, -1, 4.2), 62), "tower with a spire, nave")


def station() -> TruthScene:
    parts = [ground("ground"), box("platform", "paving", "paving", (-20, -2, 0), (20, 6, 0.9)), flat("track", "paving", "slate", -60, 60, -7, -3.2, 0.02)]  # fmt: skip
    parts += [box("canopy", "roof", "slab", (-11, -1.2, 4.3), (9, 4.4, 4.55)), box("waiting room", "wall", "brick", (-6, 2.6, 0.9), (2, 5.6, 3.9))]  # fmt: skip
    for x in (-10.0, -5.0, 0.0, 5.0, 8.4):
        parts.append(Part("column", "column", PALETTE["steel"], shapes.cylinder(x, -0.4, 0.9, 4.3, 0.12, sides=24), True))  # fmt: skip
    parts += window(-5.2, -3.4, 1.7, 3.2, 2.6) + window(-0.4, 1.4, 1.7, 3.2, 2.6)
    parts += [box("door", "door", "door", (-2.6, 2.54, 0.9), (-1.5, 2.6, 3.0)), box("bench", "furniture", "timber", (4.0, 1.6, 1.3), (6.4, 2.1, 1.37))]  # fmt: skip
    for x in (4.1, 6.2):
        parts.append(box("leg", "furniture", "timber", (x, 1.65, 0.9), (x + 0.1, 2.05, 1.3)))
    parts += tree(14, 10, 7, 2.4) + tree(-17, 12, 6, 2.0)
    return TruthScene("station", parts, eye((10, -12, 2.5), (-2.5, 1, 2.4), 60), "platform, canopy on round columns")


def market() -> TruthScene:
    """Stalls under pitched roofs before a two-storey house, beside a hedge."""
    parts = [ground("paving"), flat("green", "lawn", "lawn", 7.5, 60, -60, 60, 0.03)]
    parts += [box("house", "wall", "wall", (-9, 8, 0), (5, 15, 6.6)), box("roof", "roof", "slate", (-9.3, 7.7, 6.6), (5.3, 15.3, 6.9))]  # fmt: skip
    for x in (-7.6, -4.2, -0.8, 2.4):
        parts += window(x, x + 1.3, 4.1, 5.7, 8.0)
    parts += [box("door", "door", "door", (-3.2, 7.94, 0), (-2.0, 8.0, 2.15)), *window(0.2, 3.4, 0.9, 2.5, 8.0, bars=2)]  # fmt: skip
    for x in (-8.0, -2.6, 2.8):
        for y in (0.0, 2.6):
            for dx in (0.0, 3.2):
                parts.append(box("post", "column", "timber", (x + dx, y, 0), (x + dx + 0.14, y + 0.14, 2.5)))
        parts += open_pitch("awning", x - 0.3, x + 1.67, x + 3.64, -0.4, 3.1, 2.5, 3.5)
        parts += [box("counter", "furniture", "timber", (x + 0.3, 0.1, 0.0), (x + 3.0, 0.8, 0.95))]
    parts += [box("hedge", "planting", "leaf", (7.8, -3, 0.03), (8.9, 9, 1.3)), *tree(13, 6, 7.5, 2.6)]
    return TruthScene("market", parts, eye((-6.5, -11.5, 1.65), (1.2, 3, 2.3), 62), "stalls, awnings, a hedge")


def showroom() -> TruthScene:
    """A shop with glass on two sides and things standing behind it."""
    parts = [ground("paving"), flat("road", "paving", "slate", -60, 60, -16, -6.5, 0.02), box("floor", "floor", "floor", (-7, 0, 0), (7, 9, 0.15))]  # fmt: skip
    parts += [box("back", "wall", "wall", (-7, 8.7, 0.15), (7, 9, 3.6)), box("side", "wall", "brick", (6.7, 0, 0.15), (7, 8.7, 3.6))]  # fmt: skip
    parts += [box("plinth", "wall", "slab", (-7, 0, 0.15), (4.2, 0.25, 0.55)), box("core", "wall", "timber", (1.5, 5.5, 0.15), (6.7, 8.7, 3.6))]  # fmt: skip
    parts += [box("roof", "slab", "slab", (-7.9, -1.1, 3.6), (7.4, 9.3, 4.1)), box("sign", "sign", "sign", (-2.4, -1.16, 3.66), (2.0, -1.1, 4.04))]  # fmt: skip
    for x in (-7.0, -4.2, -1.4, 1.4, 4.1):
        parts.append(box("mullion", "frame", "frame", (x, 0.05, 0.55), (x + 0.1, 0.2, 3.6)))
    for x in (-6.9, -4.1, -1.3, 1.5):
        parts.append(box("pane", "glazing", "glazing", (x, 0.11, 0.55), (x + 2.65, 0.13, 3.6)))
    for y in (3.0, 6.0):
        parts.append(box("mullion", "frame", "frame", (-6.95, y, 0.15), (-6.8, y + 0.1, 3.6)))
    parts.append(box("pane", "glazing", "glazing", (-6.89, 0.25, 0.15), (-6.87, 8.7, 3.6)))
    parts += [box("door", "door", "door", (4.3, 0.02, 0.15), (5.4, 0.1, 2.5)), box("pier", "wall", "brick", (5.4, 0, 0.15), (6.7, 0.3, 3.6)), box("over door", "wall", "brick", (4.2, 0, 2.5), (5.4, 0.3, 3.6))]  # fmt: skip
    parts += [box("counter", "furniture", "counter", (-0.5, 3.4, 0.15), (2.4, 4.2, 1.15)), box("table", "furniture", "table", (-5.6, 2.0, 0.15), (-3.4, 3.2, 0.95))]  # fmt: skip
    parts += [box("shelf", "furniture", "timber", (-6.0, 8.2, 0.15), (-1.5, 8.7, 2.2)), *person(-2.2, 4.6)]
    parts += tree(-11.5, -3.5, 6, 1.8) + person(8.5, -3.0)
    return TruthScene("showroom", parts, eye((-13.5, -12.5, 1.7), (-0.5, 2, 2.0), 60), "glass on two sides")


def stair_hall() -> TruthScene:
    """An entrance hall with a straight flight and a gallery: nothing was tuned on it."""
    parts = room(-3.5, 3.5, -1, 8, 5.4, floor="paving")
    for i in range(14):
        parts.append(box("step", "stair", "stair", (-3.5, 2.0 + 0.28 * i, 0.2 * i), (-2.2, 2.28 + 0.28 * i, 0.2 * (i + 1))))  # fmt: skip
    parts += [box("gallery", "slab", "slab", (-3.5, 5.92, 2.6), (3.5, 8, 2.8)), box("upper wall", "wall", "timber", (-3.5, 7.9, 2.8), (3.5, 8, 5.4))]  # fmt: skip
    for x in (-0.6, 2.2):
        parts.append(Part("column", "column", PALETTE["column"], shapes.cylinder(x, 6.1, 0, 2.6, 0.16, sides=32), True))  # fmt: skip
    for x in np.arange(-2.0, 3.5, 0.7):
        parts.append(box("baluster", "railing", "frame", (x, 5.96, 2.8), (x + 0.04, 6.0, 3.75)))
    parts += [box("rail", "railing", "frame", (-2.2, 5.94, 3.75), (3.5, 6.02, 3.82)), box("desk", "furniture", "table", (0.6, 3.2, 0), (2.6, 4.0, 1.05))]  # fmt: skip
    parts += [box("door", "door", "door", (0.2, 7.95, 0), (1.6, 8.0, 2.2)), box("upper door", "door", "door", (-1.4, 7.84, 2.8), (-0.4, 7.9, 4.95))]  # fmt: skip
    parts += side_window(1.2, 3.0, 1.0, 4.2, 3.5, -1.0) + [box("bench", "furniture", "sofa", (2.7, 5.0, 0), (3.5, 7.0, 0.45))]  # fmt: skip
    parts += [Part("lamp", "lamp", PALETTE["lamp"], shapes.ball((0.8, 3.4, 3.6), 0.3, 12), True)] + person(-0.9, 4.6)
    return TruthScene(
        "stair hall", parts, eye((1.6, -0.6, 1.6), (-0.7, 6, 2.1), 76), "interior with a flight of stairs"
    )


def terrace_row() -> TruthScene:
    """Houses with bays and dormers seen from a first floor."""
    parts = [ground("ground"), flat("path", "paving", "paving", -60, 60, -6.5, -3.5, 0.02)]
    for i, (x, colour) in enumerate(((-12.0, "brick"), (-5.5, "wall"), (1.0, "brick"), (7.5, "timber"))):
        parts += gable(x, x + 6.5, 0, 8, 0, 5.6 + 0.25 * (i % 2), colour, "slate" if i % 2 else "roof", over=0.3)
        bay = [(x + 0.9, 0.0), (x + 1.5, -1.0), (x + 2.7, -1.0), (x + 3.3, 0.0)]
        parts += [Part("bay", "wall", PALETTE[colour], shapes.prism(bay, 0, 2.9)), Part("bay roof", "roof", PALETTE["slab"], shapes.prism(bay, 2.9, 3.1))]  # fmt: skip
        parts += window(x + 1.6, x + 2.6, 0.9, 2.5, -1.0) + [box("door", "door", "door", (x + 4.4, -0.05, 0), (x + 5.4, 0, 2.15))]  # fmt: skip
        for wx in (x + 1.2, x + 4.3):
            parts += window(wx, wx + 1.1, 3.6, 5.0, 0.0)
        parts += [box("dormer", "wall", "counter", (x + 2.4, 1.0, 6.0), (x + 4.0, 3.4, 7.5)), box("dormer roof", "slab", "slab", (x + 2.2, 0.8, 7.5), (x + 4.2, 3.6, 7.7))]  # fmt: skip
        parts += window(x + 2.65, x + 3.75, 6.3, 7.3, 1.0, bars=0)
        parts.append(box("chimney", "wall", "brick", (x + 5.9, 3.5, 7.8), (x + 6.9, 4.5, 10.0)))
        parts.append(box("garden wall", "wall", "slab", (x + 6.4, -3.5, 0), (x + 6.6, 0, 1.1)))
    parts += [box("hedge", "planting", "leaf", (-5.4, -3.4, 0), (-1.4, -2.7, 1.0)), *tree(4.0, -8.5, 5, 1.5), *person(-8.0, -4.8)]  # fmt: skip
    return TruthScene("terrace row", parts, eye((-15, -15, 5.2), (-0.5, 0, 3.6), 64), "bays, dormers, garden walls")


def studio() -> TruthScene:
    parts = room(-5, 5, -3, 7, 3.4, wall="brick", floor="counter")
    for x in (-3.9, -1.3, 1.3):
        parts += window(x, x + 2.2, 1.0, 2.9, 7.0)
    parts += [box("locker", "furniture", "door", (-5.0, y, 0), (-4.5, y + 0.85, 1.9)) for y in (0.2, 1.1, 2.0, 2.9)]
    for x, y in ((-2.4, 1.0), (1.2, 2.6)):
        parts += [box("top", "furniture", "table", (x, y, 0.86), (x + 2.4, y + 1.1, 0.92)), box("base", "furniture", "steel", (x + 0.3, y + 0.2, 0), (x + 2.1, y + 0.9, 0.86))]  # fmt: skip
    parts += [box("beam", "ceiling", "timber", (-5, 2.2, 3.1), (5, 2.5, 3.4)), box("pillar", "column", "timber", (3.4, 2.22, 0), (3.66, 2.48, 3.1))]  # fmt: skip
    parts += [box("easel", "furniture", "sofa", (3.2, 5.2, 0.6), (4.4, 5.26, 2.0))] + person(-0.4, 4.4)
    return TruthScene("studio", parts, eye((3.2, -2.5, 1.6), (-1.2, 4, 1.35), 70), "interior with beam and benches")


def villa() -> TruthScene:
    parts = [ground("lawn"), box("terrace", "paving", "paving", (-9, -6, 0), (7, 0, 0.25)), flat("pool", "water", "water", -8, -2, -5, -2, 0.26)]  # fmt: skip
    parts += [box("lower", "wall", "wall", (-2, 0, 0.25), (9, 8, 3.3)), box("upper", "wall", "timber", (-7, -1.8, 3.3), (4, 7, 6.4))]  # fmt: skip
    parts += [box("edge", "slab", "slab", (-7.3, -2.1, 6.4), (4.3, 7.3, 6.7)), box("lower roof", "slab", "slab", (4, 0, 3.3), (9.2, 8.2, 3.5))]  # fmt: skip
    parts += [box("pier", "column", "column", (-6.6, -1.5, 0.25), (-6.2, -1.1, 3.3)), box("door", "door", "door", (5.4, -0.06, 0.25), (6.5, 0, 2.4))]  # fmt: skip
    parts += window(-1.4, 2.4, 0.5, 2.8, 0.0, bars=3) + window(-5.8, -2.2, 4.0, 5.8, -1.8, bars=2) + window(0.2, 2.8, 4.0, 5.8, -1.8)  # fmt: skip
    parts += tree(12, -1, 6.5, 2.0) + tree(-13, 5, 8, 2.6) + person(3.6, -3.0)
    return TruthScene("villa", parts, eye((-12, -15, 1.75), (0.5, 0, 3.0), 62), "cantilever, pool, trees")


def school() -> TruthScene:
    """Two storeys of classrooms, a hall across their end, a covered walk."""
    parts = [ground("lawn"), flat("yard", "paving", "paving", -22, 14, -14, 0, 0.02)]
    parts += [box("block", "wall", "brick", (-18, 0, 0), (6, 9, 6.8)), box("parapet", "slab", "slab", (-18.2, -0.2, 6.8), (6.2, 9.2, 7.2))]  # fmt: skip
    parts += [box("hall", "wall", "wall", (6, -5, 0), (16, 10, 5.2)), box("hall roof", "slab", "slab", (5.7, -5.3, 5.2), (16.3, 10.3, 5.55))]  # fmt: skip
    for x in (-16.6, -11.8, -7.0, -2.2):
        parts += window(x, x + 3.6, 0.9, 2.7, 0.0, bars=2) + window(x, x + 3.6, 4.2, 6.0, 0.0, bars=2)
    parts += [box("door", "door", "door", (2.6, -0.06, 0), (4.4, 0, 2.4)), *side_window(-3.6, -0.8, 1.0, 3.8, 6.0, -1.0)]  # fmt: skip
    parts += [box("walk roof", "roof", "steel", (-18, -3.2, 2.95), (6, -0.3, 3.1))]
    for x in np.arange(-17.6, 6.0, 3.35):
        parts.append(box("post", "column", "steel", (x, -3.0, 0), (x + 0.12, -2.88, 2.95)))
    parts += [box("letters", "sign", "sign", (8.5, -5.05, 3.6), (13.5, -5.0, 4.3)), box("bench", "furniture", "timber", (-9, -6.4, 0.4), (-6.6, -5.9, 0.46))]  # fmt: skip
    for x in (-8.9, -6.8):
        parts.append(box("leg", "furniture", "timber", (x, -6.3, 0), (x + 0.1, -6.0, 0.4)))
    parts += tree(-13, -9, 6.5, 2.0) + tree(-24, 6, 8, 2.6) + person(0.5, -7.0) + person(1.6, -7.6)
    return TruthScene("school", parts, eye((-19.5, -20, 1.7), (-1.5, -1, 3.0), 62), "long block, hall, covered walk")


def apartments() -> TruthScene:
    """Four storeys of flats with balconies beside a lower shop."""
    parts = [ground("paving"), flat("road", "paving", "slate", -60, 60, -17, -8, 0.02), box("block", "wall", "wall", (-6, 0, 0), (10, 11, 12.4))]  # fmt: skip
    parts += [box("top", "slab", "slab", (-6.3, -0.3, 12.4), (10.3, 11.3, 12.8)), box("plinth", "wall", "slate", (-6.1, -0.1, 0), (10.1, 0, 0.6))]  # fmt: skip
    for i in range(4):
        z = 3.1 * i
        for x in (-4.6, 1.0, 6.2):
            parts += window(x, x + 2.2, z + (0.8 if i == 0 else 0.3), z + 2.5, 0.0)
        if i:
            for x in (-5.0, 0.6):
                parts.append(box("balcony", "slab", "slab", (x, -1.5, z), (x + 3.2, 0, z + 0.2)))
                parts.append(box("rail", "railing", "frame", (x, -1.5, z + 1.15), (x + 3.2, -1.44, z + 1.2)))
                for bx in np.arange(x, x + 3.2, 0.39):
                    parts.append(box("baluster", "railing", "frame", (bx, -1.49, z + 0.2), (bx + 0.03, -1.45, z + 1.15)))  # fmt: skip
        for y in (2.0, 6.5):
            parts += side_window(y, y + 1.5, z + 0.9, z + 2.4, -6.0, -1.0)
    parts += [box("door", "door", "door", (4.2, -0.08, 0), (5.5, 0, 2.3)), box("shop", "wall", "brick", (10, 1.5, 0), (18, 9, 4.2)), box("shop roof", "slab", "slab", (10, 1.2, 4.2), (18.3, 9.3, 4.5))]  # fmt: skip
    parts += [*window(11, 16.8, 0.5, 2.9, 1.5, bars=3), box("sign", "sign", "sign", (11.5, 1.44, 3.2), (15.5, 1.5, 3.8))]  # fmt: skip
    parts += [box("hedge", "planting", "leaf", (-6, -3.2, 0), (-0.5, -2.5, 0.9)), *tree(14, -4, 6.5, 1.9), *tree(-11, -2, 7, 2.2), *person(7.0, -5.0)]  # fmt: skip
    return TruthScene("apartments", parts, eye((-14, -21, 1.7), (1.5, 0, 5.2), 66, shift=(0.0, 0.0)), "flats, balconies, a shop")  # fmt: skip


def veranda_house() -> TruthScene:
    """A gabled house with a lean-to veranda on posts, steps up to its deck and a fence."""
    parts = [ground("lawn"), flat("path", "paving", "paving", -0.9, 0.9, -20, -3.6, 0.02), *gable(-6, 6, 0, 7, 0, 3.6, "timber", "roof")]  # fmt: skip
    parts += [box("deck", "slab", "timber", (-5.6, -2.6, 0), (5.6, 0, 0.5)), box("step", "stair", "stair", (-0.9, -3.0, 0), (0.9, -2.6, 0.33)), box("step", "stair", "stair", (-0.9, -3.4, 0), (0.9, -3.0, 0.17))]  # fmt: skip
    slope = shapes.quad((-5.9, -2.9, 2.75), (5.9, -2.9, 2.75), (5.9, 0.0, 3.35), (-5.9, 0.0, 3.35))
    parts.append(Part("veranda roof", "roof", PALETTE["steel"], slope))
    parts.append(box("beam", "slab", "frame", (-5.6, -2.55, 2.6), (5.6, -2.4, 2.78)))
    for x in (-5.5, -2.9, -1.1, 1.0, 2.8, 5.36):
        parts.append(box("post", "column", "frame", (x, -2.54, 0.5), (x + 0.14, -2.4, 2.6)))
    parts += window(-4.6, -2.2, 1.2, 2.6, 0.0) + window(2.2, 4.6, 1.2, 2.6, 0.0) + [box("door", "door", "door", (-0.55, -0.06, 0.5), (0.55, 0, 2.6))]  # fmt: skip
    parts += [box("chimney", "wall", "brick", (3.0, 4.6, 4.5), (3.9, 5.5, 7.6)), *side_window(2.4, 4.4, 1.2, 2.6, -6.0, -1.0)]  # fmt: skip
    for x in np.arange(-12.0, -1.6, 1.3):
        parts.append(box("picket", "railing", "timber", (x, -8.0, 0), (x + 0.1, -7.9, 0.95)))
    parts += [box("fence rail", "railing", "timber", (-12, -7.98, 0.75), (-1.6, -7.92, 0.85)), *tree(9.5, 1, 6, 2.0), *person(2.2, -5.2)]  # fmt: skip
    return TruthScene("veranda house", parts, eye((9.5, -13.0, 1.7), (0.3, 0, 2.2), 62), "lean-to on posts, fence")


def bedroom() -> TruthScene:
    """A small room with a bed, a wardrobe and a window."""
    parts = room(-2.2, 2.2, -1.5, 3.6, 2.6)
    parts += [box("base", "furniture", "timber", (-2.1, 0.8, 0), (-0.1, 2.6, 0.3)), box("mattress", "furniture", "counter", (-2.05, 0.85, 0.3), (-0.15, 2.55, 0.55)), box("headboard", "furniture", "timber", (-2.2, 0.7, 0), (-2.1, 2.7, 1.1))]  # fmt: skip
    parts += [box("pillow", "furniture", "sofa", (-2.05, 1.0, 0.55), (-1.65, 1.6, 0.67)), box("pillow", "furniture", "sofa", (-2.05, 1.8, 0.55), (-1.65, 2.4, 0.67))]  # fmt: skip
    parts += [box("wardrobe", "furniture", "table", (1.6, 0.6, 0), (2.2, 2.6, 2.1)), box("rug", "floor", "sofa", (-0.05, 0.6, 0), (1.2, 2.5, 0.015))]  # fmt: skip
    parts += window(-1.0, 1.0, 0.9, 2.2, 3.6) + [box("night table", "furniture", "table", (-2.2, 2.8, 0), (-1.75, 3.25, 0.5)), box("door", "door", "door", (2.15, 2.75, 0), (2.2, 3.5, 2.05))]  # fmt: skip
    parts += [Part("lamp", "lamp", PALETTE["lamp"], shapes.cylinder(-1.97, 3.03, 0.5, 0.85, 0.12, 0.08, 20), True), Part("pendant", "lamp", PALETTE["lamp"], shapes.ball((0.0, 1.4, 2.1), 0.18, 12), True)]  # fmt: skip
    return TruthScene("bedroom", parts, eye((1.2, -1.3, 1.5), (-0.45, 2.6, 1.1), 74), "small furnished room")


def canteen() -> TruthScene:
    """A long room with columns, tables, a serving counter and a band of windows."""
    parts = room(-7, 7, -2, 10, 3.3, floor="paving")
    for x in (-6.6, -3.6, -0.6, 2.4):
        parts += window(x, x + 2.7, 1.0, 2.7, 10.0, bars=1)
    for x in (-2.5, 2.5):
        for y in (2.0, 6.5):
            parts.append(Part("column", "column", PALETTE["column"], shapes.cylinder(x, y, 0, 3.3, 0.22, sides=32), True))  # fmt: skip
    for x, y in ((-5.2, 2.4), (-5.2, 5.6), (-1.0, 3.6), (-0.8, 7.0)):
        parts.append(box("top", "furniture", "table", (x, y, 0.7), (x + 1.9, y + 0.85, 0.75)))
        for dx in (0.1, 1.72):
            parts.append(box("leg", "furniture", "frame", (x + dx, y + 0.1, 0), (x + dx + 0.08, y + 0.75, 0.7)))
        parts += chair(x + 0.5, y - 0.35, 180.0) + chair(x + 1.4, y + 1.2)
    parts += [box("counter", "furniture", "counter", (4.6, 2.5, 0), (5.3, 8.5, 1.0)), box("hood", "ceiling", "steel", (4.3, 2.3, 2.5), (5.6, 8.7, 3.3))]  # fmt: skip
    parts += [box("door", "door", "door", (6.95, 0.4, 0), (7.0, 1.5, 2.1)), *person(3.6, 4.6)]
    parts += [box("lamp", "lamp", "lamp", (x, y, 2.75), (x + 1.2, y + 0.15, 2.85)) for x in (-5.0, -1.0) for y in (3.2, 6.6)]  # fmt: skip
    return TruthScene("canteen", parts, eye((1.2, -1.6, 1.6), (-1.2, 6, 1.45), 72), "columns, tables, counter")


def clinic() -> TruthScene:
    """A low building round a corner with a canopy, a ramp and planting beds."""
    parts = [ground("lawn"), flat("forecourt", "paving", "paving", -24, 16, -15, 0.5, 0.02)]
    parts += [box("long wing", "wall", "counter", (-16, 0.5, 0), (4, 9, 3.9)), box("cross wing", "wall", "timber", (4, -6, 0), (13, 9, 4.6))]  # fmt: skip
    parts += [box("roof", "slab", "slab", (-16.3, 0.2, 3.9), (4, 9.3, 4.2)), box("roof", "slab", "slate", (3.7, -6.3, 4.6), (13.3, 9.3, 4.95))]  # fmt: skip
    for x in (-15.0, -11.6, -8.2, -0.6):
        parts += window(x, x + 2.2, 1.0, 2.8, 0.5, bars=1)
    parts += side_window(-4.6, -1.4, 0.8, 3.2, 4.0, -1.0) + window(6.0, 11.0, 0.9, 3.0, -6.0, bars=3)
    parts += [box("door", "door", "door", (-4.6, 0.44, 0.0), (-2.6, 0.5, 2.4)), box("canopy", "slab", "slab", (-6.4, -3.4, 3.0), (-0.9, 0.5, 3.25))]  # fmt: skip
    for x in (-6.2, -1.3):
        parts.append(box("post", "column", "frame", (x, -3.2, 0), (x + 0.16, -3.04, 3.0)))
    parts += [box("bed", "wall", "brick", (-15.5, -3.4, 0), (-8.0, -1.8, 0.6)), box("hedge", "planting", "leaf", (-15.3, -3.2, 0.6), (-8.2, -2.0, 1.3))]  # fmt: skip
    parts += [box("sign", "sign", "sign", (5.2, -6.06, 3.5), (9.4, -6.0, 4.1)), *tree(-19, 4, 7, 2.3), *person(-2.2, -5.6), *tree(15.5, -9, 5.5, 1.7)]  # fmt: skip
    return TruthScene("clinic", parts, eye((-15.5, -16.5, 1.65), (-1.0, -1, 2.0), 62), "low wings, canopy, planted bed")  # fmt: skip


def gallery() -> TruthScene:
    """A tall room with plinths, a bench, a partition and one great window."""
    parts = room(-5, 5, -2, 9, 4.4, floor="counter")
    parts += [box("partition", "wall", "brick", (-1.2, 5.6, 0), (5, 5.9, 3.2)), *window(-4.4, -1.8, 0.4, 3.8, 9.0, bars=2)]  # fmt: skip
    for x, y, h in ((-3.2, 3.0, 1.1), (-0.8, 3.6, 0.9), (2.6, 3.2, 1.2)):
        parts.append(box("plinth", "furniture", "slab", (x, y, 0), (x + 0.6, y + 0.6, h)))
    parts += [Part("ball", "furniture", PALETTE["steel"], shapes.ball((-0.5, 3.9, 1.15), 0.25, 12), True)]
    parts += [box("bench", "furniture", "table", (0.4, 1.2, 0.38), (2.6, 1.7, 0.46)), box("foot", "furniture", "frame", (0.6, 1.3, 0), (0.7, 1.6, 0.38)), box("foot", "furniture", "frame", (2.3, 1.3, 0), (2.4, 1.6, 0.38))]  # fmt: skip
    for x, colour in ((0.2, "sofa"), (2.6, "roof")):
        parts.append(box("picture", "furniture", colour, (x, 5.54, 1.1), (x + 1.6, 5.6, 2.3)))
    parts += [box("beam", "ceiling", "slab", (-5, y, 4.1), (5, y + 0.25, 4.4)) for y in (2.0, 5.0, 8.0)]
    parts += [box("door", "door", "door", (-5.0, 1.0, 0), (-4.95, 2.1, 2.3)), *person(-2.4, 5.2)]
    return TruthScene("gallery", parts, eye((2.8, -1.6, 1.6), (-0.9, 5, 1.8), 72), "tall room, partition, plinths")


def mill() -> TruthScene:
    """Two gabled houses on either side of a stream, joined by a glazed bridge."""
    parts = [ground("lawn"), flat("stream", "water", "water", -3, 3, -60, 60, 0.02), flat("lane", "paving", "paving", -14, -11.5, -60, 60, 0.03)]  # fmt: skip
    parts += gable(-10, -3.2, 0, 8, 0, 5.2, "brick", "slate") + gable(3.2, 11, -1, 7, 0, 4.4, "wall", "roof")
    parts += [box("bridge floor", "slab", "slab", (-3.2, 2.4, 2.5), (3.2, 5.0, 2.8)), box("bridge roof", "slab", "slab", (-3.2, 2.2, 5.0), (3.2, 5.2, 5.2))]  # fmt: skip
    parts += [box("pane", "glazing", "glazing", (-3.2, 2.44, 2.8), (3.2, 2.48, 5.0))]
    for x in (-1.65, -0.05, 1.55):
        parts.append(box("mullion", "frame", "frame", (x, 2.4, 2.8), (x + 0.1, 2.5, 5.0)))
    parts += window(-9.0, -7.6, 1.0, 2.5, 0.0) + window(-5.8, -4.4, 1.0, 2.5, 0.0) + window(4.4, 6.2, 1.0, 2.5, -1.0) + window(8.2, 10.0, 1.0, 2.5, -1.0)  # fmt: skip
    parts += [box("door", "door", "door", (-7.2, -0.06, 0), (-6.2, 0, 2.15)), box("wall", "wall", "slab", (-3.4, -9, 0), (-3.0, 0, 0.9)), box("wall", "wall", "slab", (3.0, -9, 0), (3.4, -1, 0.9))]  # fmt: skip
    parts += tree(14, 3, 7, 2.4) + tree(-16, 6, 6, 1.9) + person(-9.4, -3.0)
    return TruthScene("mill", parts, eye((-9.0, -16, 2.4), (1.0, 1, 3.0), 62), "gables, a stream, a glazed bridge")


def corner_block() -> TruthScene:
    """A corner house of four storeys with shops below, seen from above across the street."""
    parts = [ground("paving"), flat("road", "paving", "slate", -60, 60, -12, -4, 0.02), flat("side road", "paving", "slate", -18, -11, -4, 60, 0.02)]  # fmt: skip
    parts += [box("shops", "wall", "slate", (-8, 0, 0), (12, 10, 3.8)), box("flats", "wall", "brick", (-8, 0, 3.8), (12, 10, 13.2)), box("cornice", "slab", "slab", (-8.4, -0.4, 13.2), (12.4, 10.4, 13.7))]  # fmt: skip
    for x in (-7.2, -2.2, 2.8, 7.8):
        parts += window(x, x + 3.2, 0.5, 3.0, 0.0, bars=1)
        for z in (4.8, 7.9, 11.0):
            parts += window(x + 0.2, x + 1.4, z, z + 1.7, 0.0, bars=0) + window(x + 2.0, x + 3.2, z, z + 1.7, 0.0, bars=0)  # fmt: skip
    for y in (1.4, 4.4, 7.4):
        for z in (4.8, 7.9, 11.0):
            parts += side_window(y, y + 1.3, z, z + 1.7, -8.0, -1.0)
    parts += [box("awning", "roof", "sign", (-7.4, -1.6, 3.2), (-3.8, 0, 3.35)), box("next house", "wall", "wall", (12, 1, 0), (22, 10, 10.0))]  # fmt: skip
    parts += [box("penthouse", "wall", "counter", (-4, 3, 13.7), (7, 9, 16.2)), *tree(-10, -2, 6, 1.7), *tree(16, -2, 6, 1.8), *person(0.5, -2.0)]  # fmt: skip
    return TruthScene("corner block", parts, eye((-24, -24, 13.0), (0.5, 1, 6.0), 58), "flats over shops from above")


TUNED = (
    pavilion, gable_house, street, kitchen, living_room, tower, courtyard, axonometric,
    rotunda, shifted_house, colonnade, vault, farm, elevation, office, terrace_steps, attic,
    boat_sheds, loft, silo_barn, chapel, station, plan, studio, villa, isometric_office, market, showroom, terrace_row,
    campus, stair_hall, school, apartments, veranda_house, bedroom, canteen, clinic,
)  # fmt: skip
KEPT_APART = (gallery, mill, corner_block)
