"""Families of scenes kept apart: scored, never looked at while working on the reader; once looked at they move to `families`."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from families import Made, Rng, car, front, land, look, size_of, some
from parts import Part, box, chair, flat, gable, person, pyramid, room, side_window, tree, turned, window

from irodori.core.camera import Camera
from irodori.core.geometry import shapes

APART: dict[str, Callable[[Rng], Made]] = {}


def family(make: Callable[[Rng], Made]) -> Callable[[Rng], Made]:
    APART[make.__name__] = make
    return make


@family
def platform(rng: Rng) -> Made:
    """A platform under a canopy on columns, tracks beside."""
    h, n = rng.uniform(3.2, 4.4), int(rng.integers(6, 10))
    parts = [
        land("ground", 120),
        box("platform", "paving", "paving", (-4, -10, 0), (3, 70, 1.0)),
        box("canopy roof", "roof", "slab", (-4.2, 0, h + 1), (3.4, n * 5, h + 1.3)),
    ]
    parts += [box("rail", "other", "steel", (x, -20, 0), (x + 0.08, 90, 0.16)) for x in (4.2, 5.7)]
    parts += [box("post", "column", "steel", (-0.7, 2 + 5 * k, 1), (-0.4, 2.3 + 5 * k, h + 1)) for k in range(n)]
    parts += [
        box("sign", "sign", "sofa", (-1.6, 12, 3.2), (0.4, 12.1, 3.6)),
        box("bench", "furniture", "timber", (-2, 6, 1), (-1.5, 8, 1.45)),
    ]
    parts += [
        p._replace(triangles=p.triangles + [0, 0, 1])
        for k in range(int(rng.integers(0, 4)))
        for p in person(rng.uniform(-3, 2), rng.uniform(4, 24))
    ]
    return parts, look(
        rng, (rng.uniform(-2.5, 1.5), -5, 2.65), (rng.uniform(-1, 3), 30, rng.uniform(2.4, 3.2)), (54, 78)
    )


@family
def waiting_room(rng: Rng) -> Made:
    """Seats in rows, a counter, a door, plain ceiling."""
    w, d, h = rng.uniform(4.5, 8), rng.uniform(5, 8), rng.uniform(2.5, 3.0)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "sofa", "slab", "floor"))]
    for y in (2.2, 3.8):
        for x in np.arange(-w / 2 + 0.7, w / 2 - 1.4, 0.62):
            parts += chair(x, y, 180 * int(rng.integers(2)), "sofa")
    parts += [
        box("counter", "furniture", "counter", (-1.4, d - 1.3, 0), (1.6, d - 0.7, 1.1)),
        box("door", "door", "timber", (w / 2 - 0.05, d - 2.6, 0), (w / 2 - 0.005, d - 1.7, 2.05)),
        box("notice", "other", "lamp", (-w / 2 + 0.01, 2, 1.2), (-w / 2 + 0.03, 3.2, 2.0)),
    ]
    return parts, look(rng, (rng.uniform(-w / 3, w / 3), 0.2, 1.6), (rng.uniform(-1, 1), d, 1.2), (60, 84))


@family
def lecture_hall(rng: Rng) -> Made:
    """Rising rows of benches, seen from the stage or the back."""
    w, rows = rng.uniform(9, 14), int(rng.integers(6, 10))
    d, h = rows * 1.0 + 4.5, rng.uniform(5, 7)
    parts = [*room(-w / 2, w / 2, 0, d, h)]
    for k in range(rows):
        y, z = 4 + k, 0.22 * k
        parts += [
            box("tier", "floor", "floor", (-w / 2, y, 0), (w / 2, d if k == rows - 1 else y + 1, z + 0.02)),
            box("bench", "furniture", "table", (-w / 2 + 1.2, y + 0.1, z + 0.68), (w / 2 - 1.2, y + 0.5, z + 0.74)),
            box("front", "furniture", "timber", (-w / 2 + 1.2, y + 0.1, z), (w / 2 - 1.2, y + 0.13, z + 0.68)),
        ]
    parts += [box("lectern", "furniture", "timber", (1.4, 1.8, 0), (2.0, 2.3, 1.15))]
    return parts, look(
        rng, (rng.uniform(-2, 2), 0.2, rng.uniform(1.5, 1.8)), (rng.uniform(-1, 1), d, rng.uniform(1.4, 2.4)), (62, 84)
    )


@family
def workshop(rng: Rng) -> Made:
    """A workshop with benches, racks and trusses under a pitched roof."""
    w, d, h = rng.uniform(8, 13), rng.uniform(10, 16), rng.uniform(3.6, 4.8)
    rise = rng.uniform(1.4, 2.4)
    parts = [
        flat("floor", "floor", "slab", -w / 2, w / 2, 0, d, 0.0),
        box("wall", "wall", "brick", (-w / 2 - 0.2, 0, 0), (-w / 2, d, h)),
        box("wall", "wall", "brick", (w / 2, 0, 0), (w / 2 + 0.2, d, h)),
    ]
    gable_end = [(-w / 2, 0), (w / 2, 0), (w / 2, h), (0, h + rise), (-w / 2, h)]
    parts.append(
        Part("end wall", "wall", (182, 108, 84), shapes.extrude_along([(x, z) for x, z in gable_end], 1, d, d + 0.2))
    )
    for side in (-1, 1):
        parts.append(
            Part(
                "slope",
                "ceiling",
                (178, 136, 92),
                shapes.quad((side * w / 2, 0, h), (0, 0, h + rise), (0, d, h + rise), (side * w / 2, d, h)),
            )
        )
    parts += [
        box("tie", "frame", "timber", (-w / 2, y, h - 0.1), (w / 2, y + 0.15, h + 0.1)) for y in np.arange(1.5, d, 2.5)
    ]
    parts += [
        box("bench", "furniture", "table", (-w / 2 + 0.2, y, 0.82), (-w / 2 + 1.0, y + 2.2, 0.9))
        for y in (1.5, 4.5, 7.5)
    ]
    parts += [box("rack", "furniture", "steel", (w / 2 - 0.6, 2, 0), (w / 2 - 0.05, d - 2, 2.2))]
    parts += window(-1.5, 1.5, 1.2, h - 0.4, d - 0.01, bars=2)
    return parts, look(
        rng, (rng.uniform(-w / 4, w / 4), 0.3, 1.65), (rng.uniform(-1, 1), d, rng.uniform(1.5, 2.2)), (62, 84)
    )


@family
def attic_room(rng: Rng) -> Made:
    """A room under slopes with knee walls and a roof window."""
    w, d, knee, rise = rng.uniform(4, 6), rng.uniform(4, 6), rng.uniform(0.7, 1.3), rng.uniform(1.6, 2.4)
    parts = [flat("floor", "floor", "floor", -w / 2, w / 2, 0, d, 0.0)]
    for side in (-1, 1):
        parts += [
            Part(
                "knee",
                "wall",
                (224, 214, 198),
                shapes.quad(
                    (side * w / 2, 0, 0), (side * w / 2, d, 0), (side * w / 2, d, knee), (side * w / 2, 0, knee)
                ),
            )
        ]
        parts += [
            Part(
                "slope",
                "ceiling",
                (244, 243, 240),
                shapes.quad((side * w / 2, 0, knee), (0, 0, knee + rise), (0, d, knee + rise), (side * w / 2, d, knee)),
            )
        ]
    parts.append(
        Part(
            "end wall",
            "wall",
            (224, 214, 198),
            shapes.extrude_along(
                [(-w / 2, 0), (w / 2, 0), (w / 2, knee), (0, knee + rise), (-w / 2, knee)], 1, d, d + 0.1
            ),
        )
    )
    parts += [
        *window(-0.6, 0.6, 0.9, 2.0, d - 0.01),
        box("bed", "furniture", "counter", (-w / 2 + 0.2, d - 2.3, 0), (-w / 2 + 1.3, d - 0.2, 0.5)),
        box("desk", "furniture", "table", (0.9, d - 0.8, 0.7), (w / 2 - 0.2, d - 0.1, 0.74)),
    ]
    return parts, look(rng, (rng.uniform(-0.8, 0.8), -0.3, 1.55), (rng.uniform(-0.6, 0.6), d, 1.1), (64, 86))


@family
def shop_interior(rng: Rng) -> Made:
    """Shelves and tables with goods, spots on the ceiling."""
    w, d, h = rng.uniform(6, 10), rng.uniform(7, 12), rng.uniform(3, 4)
    parts = [*room(-w / 2, w / 2, 0, d, h, wall=some(rng, "wall", "timber", "slate"), floor=some(rng, "slab", "floor"))]
    for side in (-1, 1):
        x0, x1 = sorted((side * w / 2, side * (w / 2 - 0.45)))
        for z in (0.3, 0.8, 1.3, 1.8):
            parts.append(box("shelf", "furniture", "timber", (x0, 1.2, z), (x1, d - 0.6, z + 0.04)))
            parts += [
                box(
                    "goods",
                    "other",
                    some(rng, "sign", "sofa", "leaf", "lamp"),
                    (min(x0, x1) + 0.06, y, z + 0.04),
                    (max(x0, x1) - 0.06, y + 0.3, z + rng.uniform(0.15, 0.38)),
                )
                for y in np.arange(1.4, d - 1, 0.7)
            ]
    parts += [box("table", "furniture", "table", (-1, y, 0), (1, y + 1.2, 0.85)) for y in (2.5, 5.0)]
    parts += [
        box("spot", "lamp", "frame", (x, y, h - 0.14), (x + 0.1, y + 0.1, h - 0.005))
        for x in (-1.5, 1.5)
        for y in np.arange(1.5, d, 1.8)
    ]
    return parts, look(rng, (rng.uniform(-1.5, 1.5), 0.1, 1.6), (rng.uniform(-0.8, 0.8), d, 1.3), (60, 84))


@family
def corridor(rng: Rng) -> Made:
    """A long corridor with doors on both sides, seen along it."""
    w, d, h = rng.uniform(1.8, 3.2), rng.uniform(14, 28), rng.uniform(2.4, 3.0)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "sofa", "slab", "floor"))]
    for y in np.arange(1.2, d - 1.5, rng.uniform(2.4, 3.6)):
        for side in (-1, 1):
            x0, x1 = sorted((side * (w / 2 - 0.004), side * (w / 2 - 0.05)))
            parts.append(
                box("door", "door", some(rng, "door", "timber") if y < 2 else "door", (x0, y, 0), (x1, y + 0.95, 2.1))
            )
    parts += [box("lamp", "lamp", "lamp", (-0.3, y, h - 0.05), (0.3, y + 1.2, h - 0.005)) for y in np.arange(1, d, 3.2)]
    parts += window(-0.7, 0.7, 0.2, 2.2, d - 0.01, bars=1)
    return parts, look(
        rng, (rng.uniform(-0.4, 0.4), -0.4, 1.6), (rng.uniform(-0.1, 0.1), d, rng.uniform(1.35, 1.6)), (56, 80)
    )


@family
def seat_steps(rng: Rng) -> Made:
    """Broad seat steps up to a hall, outside."""
    n, w = int(rng.integers(6, 12)), rng.uniform(16, 26)
    parts = [land("paving", 90)]
    for k in range(n):
        parts.append(
            box(
                "seat step",
                "stair",
                "stair",
                (-w / 2, 0.8 * k, 0),
                (w / 2, 0.8 * (k + 1) if k < n - 1 else 30, 0.42 * (k + 1)),
            )
        )
    z, y = 0.42 * n, 0.8 * n + 5
    parts += [
        box("hall", "wall", "wall", (-w / 2, y, z), (w / 2, y + 12, z + 6)),
        box("hall roof", "roof", "slab", (-w / 2 - 1.5, y - 2, z + 6), (w / 2 + 1.5, y + 13, z + 6.5)),
    ]
    parts += [p._replace(triangles=p.triangles + [0, y, z]) for p in front(rng, -w / 2 + 1, w / 2 - 1, 0, 1, 5.4, 0.1)]
    parts += [
        q
        for _ in range(3)
        for q in tree(
            some(rng, -1, 1) * rng.uniform(w / 2 + 3, w / 2 + 14), rng.uniform(-3, 12), rng.uniform(5, 9), 2.2
        )
    ]
    return parts, look(rng, (rng.uniform(-10, 10), rng.uniform(-16, -9), 1.6), (0, y, rng.uniform(2, z + 2)), (56, 76))


@family
def forecourt(rng: Rng) -> Made:
    """A flat canopy on posts over pumps and cars, a kiosk behind."""
    parts = [
        land("paving", 90, "slab"),
        box("canopy roof", "roof", "counter", (-8, -5, 4.6), (8, 5, 5.3)),
        box("kiosk", "wall", "wall", (-7, 10, 0), (7, 16, 3.4)),
        box("kiosk roof", "roof", "slate", (-7.4, 9.4, 3.4), (7.4, 16.4, 3.8)),
    ]
    parts += [box("post", "column", "steel", (x, y, 0), (x + 0.35, y + 0.35, 4.6)) for x in (-5, 4.6) for y in (-2, 2)]
    parts += [box("pump", "other", "sign", (x, -0.4, 0.2), (x + 0.8, 0.4, 1.8)) for x in (-4, 0, 4)]
    parts += [
        *front(rng, -6.5, 6.5, 10, 1, 3.4, 0.4),
        *car(rng.uniform(-5, 5), -3.4, 0),
        *car(6, 3.5, rng.uniform(-20, 20)),
    ]
    return parts, look(rng, (rng.uniform(-18, 18), rng.uniform(-24, -16), rng.uniform(1.5, 2.4)), (0, 2, 2.4), (50, 70))


@family
def farm_yard(rng: Rng) -> Made:
    """Barns round a yard with a silo."""
    parts = [
        land("ground", 90),
        *gable(-16, 4, 8, 18, 0, rng.uniform(3.4, 5), wall="timber"),
        *[turned(p, 90, (-16, 0)) for p in gable(-30, -14, -4, 4, 0, 3.4, wall="brick", roof="roof")],
    ]
    parts += [
        Part("silo", "wall", (150, 154, 160), shapes.cylinder(10, 14, 0, rng.uniform(8, 12), 2.4, sides=32), True)
    ]
    parts += [box("gate", "door", "door", (-9, 7.9, 0), (-5, 8, 3.2)), *car(3, 2, rng.uniform(0, 90))]
    parts += [q for _ in range(3) for q in tree(rng.uniform(12, 24), rng.uniform(-2, 20), rng.uniform(6, 10), 2.6)]
    return parts, look(rng, (rng.uniform(-4, 14), rng.uniform(-20, -12), rng.uniform(1.6, 3)), (-3, 8, 3), (54, 74))


@family
def monument_square(rng: Rng) -> Made:
    """A square with a column in its middle and houses far round it."""
    parts = [
        land("paving", 140),
        Part("shaft", "column", (206, 202, 196), shapes.cylinder(0, 0, 2.4, rng.uniform(9, 15), 0.7, sides=24), True),
    ]
    parts += [
        box("base", "stair", "stair", (-k, -k, 0.4 * n), (k, k, 0.4 * (n + 1)))
        for n, k in enumerate((4.0, 3.2, 2.4, 1.6))
    ] + [box("pedestal", "slab", "slab", (-1.2, -1.2, 1.6), (1.2, 1.2, 2.4))]
    for n in range(14):
        angle, far = np.radians(-20 + 17 * n), rng.uniform(38, 52)
        x, y = far * np.cos(angle), far * np.sin(angle)
        own = [*gable(-6, 6, 0, 10, 0, rng.uniform(8, 14), wall=some(rng, "wall", "brick"))]
        own += front(rng, -5.4, 5.4, 0, 3, 2.8)
        parts += [turned(p._replace(triangles=p.triangles + [x, y, 0]), np.degrees(angle) - 90, (x, y)) for p in own]
    return parts, look(
        rng, (rng.uniform(-8, 8), rng.uniform(-26, -16), 1.65), (0, 6, rng.uniform(2.5, 5)), (54, 74), 0.12
    )


@family
def tower_below(rng: Rng) -> Made:
    """A tower seen from its foot, looking up: three vanishing points, much sky."""
    n, w = int(rng.integers(8, 18)), rng.uniform(12, 18)
    parts = [
        land("paving", 120),
        box("walls", "wall", some(rng, "wall", "slate"), (-w / 2, 0, 0), (w / 2, w, n * 3.3)),
        *front(rng, -w / 2 + 0.6, w / 2 - 0.6, 0, n, 3.3, 0.6),
    ]
    parts += [turned(p, 90, (0, w / 2)) for p in front(rng, -w / 2 + 0.6, w / 2 - 0.6, 0, n, 3.3, 0.6)]
    parts += [box("block", "context", "brick", (w / 2 + 14, -6, 0), (w / 2 + 26, 14, rng.uniform(10, 16)))]
    return parts, look(
        rng, (rng.uniform(w * 0.7, w * 1.4), rng.uniform(-20, -12), 1.6), (0, w / 3, rng.uniform(10, 18)), (58, 80)
    )


@family
def vase_table(rng: Rng) -> Made:
    """A lamp and a vase on a low cupboard against a plain wall, or against nothing."""
    parts = [land("floor", 10, some(rng, "floor", "counter"))]
    if rng.random() < 0.6:
        parts.append(
            Part("wall", "wall", (224, 214, 198), shapes.quad((-9, 0.6, 0), (9, 0.6, 0), (9, 0.6, 6), (-9, 0.6, 6)))
        )
    parts += [
        box("cupboard", "furniture", "timber", (-0.8, 0, 0.1), (0.8, 0.5, 0.7)),
        Part("vase", "other", (190, 60, 50), shapes.ellipsoid((-0.4, 0.25, 0.88), (0.12, 0.12, 0.18), 14), True),
    ]
    parts += [
        Part("foot", "lamp", (64, 66, 72), shapes.cylinder(0.4, 0.25, 0.7, 1.1, 0.03, sides=14), True),
        Part("shade", "lamp", (240, 226, 160), shapes.cylinder(0.4, 0.25, 1.1, 1.36, 0.2, 0.13, 24), True),
    ]
    return parts, look(
        rng, (rng.uniform(-1.6, 1.6), rng.uniform(-4.4, -3), rng.uniform(0.9, 1.5)), (0, 0.3, 0.75), (26, 40)
    )


@family
def cut_model(rng: Rng) -> Made:
    """Rooms cut open from above, in perspective, on a plate."""
    parts = [
        box("plate", "slab", "slab", (-9, -7, -0.4), (9, 7, 0)),
        flat("floor", "floor", "floor", -8, 8, -6, 6, 0.01),
    ]
    walls = [
        ((-8, -6), (8, -5.75)),
        ((-8, 5.75), (8, 6)),
        ((-8, -5.75), (-7.75, 5.75)),
        ((7.75, -5.75), (8, 5.75)),
        ((-0.1, -5.75), (0.1, 2)),
        ((0.1, -0.1), (5.5, 0.1)),
        ((-7.75, 1.0), (-3, 1.2)),
    ]
    parts += [box("wall", "wall", "wall", (*a, 0), (*b, 2.4)) for a, b in walls]
    parts += [
        box("bed", "furniture", "counter", (4, 2, 0), (6, 4.2, 0.5)),
        box("sofa", "furniture", "sofa", (-6.5, -4.8, 0), (-4, -3.9, 0.7)),
        box("table", "furniture", "table", (2, -4, 0.7), (4, -2.8, 0.75)),
        *chair(2.5, -4.4, 180),
        *chair(3.4, -2.3, 0),
        box("unit", "furniture", "counter", (-7.7, 5.1, 0), (-3, 5.7, 0.9)),
    ]
    angle = rng.uniform(0.3, 1.2)
    return parts, look(rng, (22 * np.cos(angle), -22 * np.sin(angle), rng.uniform(17, 25)), (0, 0, 0), (40, 52))


@family
def roof_terrace(rng: Rng) -> Made:
    """A terrace on a roof with planters and a pergola, other roofs behind."""
    parts = [
        box("deck", "paving", "timber", (-8, -6, 10), (8, 8, 10.2)),
        box("walls", "wall", "wall", (-8, -6, 0), (8, 8, 10)),
        land("paving", 200),
    ]
    parts += [
        box("parapet", "wall", "slab", (-8, 7.8, 10.2), (8, 8, 11.2)),
        box("parapet", "wall", "slab", (7.8, -6, 10.2), (8, 8, 11.2)),
    ]
    parts += [box("planter", "furniture", "slate", (x, 6.9, 10.2), (x + 1.6, 7.6, 10.8)) for x in (-6, -2, 2)] + [
        Part("shrub", "planting", (104, 144, 76), shapes.ellipsoid((x + 0.8, 7.2, 11.1), (0.8, 0.35, 0.5), 10), True)
        for x in (-6, -2, 2)
    ]
    parts += [
        box("post", "column", "timber", (x, y, 10.2), (x + 0.15, y + 0.15, 12.7)) for x in (-5, 0) for y in (1, 5)
    ] + [box("beam", "frame", "timber", (-5.3, y, 12.7), (0.5, y + 0.12, 12.9)) for y in np.arange(0.8, 5.4, 0.6)]
    for k in range(8):
        x = -40 + 11 * k
        parts += gable(x, x + 9, 30, 40, 0, rng.uniform(6, 11), wall="brick")
    return parts, look(rng, (rng.uniform(-5, 5), -5, 11.8), (rng.uniform(-2, 2), 8, rng.uniform(11, 11.8)), (58, 80))


@family
def section_axon(rng: Rng) -> Made:
    """A small building on a plate in parallel projection, from above."""
    parts = [
        box("plate", "ground", "ground", (-11, -9, -0.5), (11, 9, 0)),
        box("walls", "wall", "wall", (-6, -4, 0), (5, 4, rng.uniform(3, 7))),
    ]
    top = float(parts[-1].triangles[..., 2].max())
    parts += (
        [pyramid("hipped roof", "roof", -6.5, 5.5, -4.5, 4.5, top, (-0.5, 0, top + rng.uniform(1.5, 3)))]
        if rng.random() < 0.5
        else [box("flat roof", "roof", "slate", (-6.3, -4.3, top), (5.3, 4.3, top + 0.4))]
    )
    parts += [
        *front(rng, -5.5, 4.5, -4, max(int(top // 3), 1), 3.0),
        *side_window(-2, 2, 0.9, 2.3, 5.0),
        *tree(8, 4, 4.5, 1.4),
        *tree(-9, -5, 4, 1.3),
        box("bench", "furniture", "timber", (6.4, -6, 0), (8.4, -5.5, 0.45)),
    ]
    angle, rise = np.radians(rng.uniform(20, 70)), np.radians(rng.uniform(25, 50))
    way = np.array([np.cos(angle) * np.cos(rise), -np.sin(angle) * np.cos(rise), np.sin(rise)])
    return parts, Camera.look(way * 60, (0, 0, 2), size=size_of(rng), span=rng.uniform(26, 36))
