"""Families of scenes that differ as designers' work does, each with its own layout, proportions, colours and camera habits.

Learned from and tuned on; those of `families_apart` are kept apart as families, not by seed.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from parts import Part, TruthScene, box, chair, flat, gable, person, room, side_window, tree, turned, window

from irodori.core.camera import Camera
from irodori.core.geometry import shapes

Rng = np.random.Generator
Made = tuple[list[Part], Camera]

SIZES = ((1280, 800), (1024, 768), (1440, 720), (1600, 900), (900, 1100), (1100, 1100))
"""Windows that people work in, px."""

SCHEMES = ("materials", "white", "grey", "pastel", "bold")
"""What people colour a model like: by material, not at all, or as they please."""

FAMILIES: dict[str, Callable[[Rng], Made]] = {}


def family(make: Callable[[Rng], Made]) -> Callable[[Rng], Made]:
    FAMILIES[make.__name__] = make
    return make


def scene_of(families: dict[str, Callable[[Rng], Made]], name: str) -> TruthScene:
    """The scene called "family-number"."""
    kind, number = name.rsplit("-", 1)
    rng = np.random.default_rng([int(number), *kind.encode()])
    parts, camera = families[kind](rng)
    return TruthScene(name, coloured(rng, parts), camera, kind)


def coloured(rng: Rng, parts: list[Part]) -> list[Part]:
    """Parts in one of the `SCHEMES`; what has one name has one colour."""
    scheme = SCHEMES[int(rng.choice(5, p=(0.55, 0.12, 0.08, 0.13, 0.12)))]
    told: dict[tuple, tuple] = {}
    out = []
    for part in parts:
        key = (part.name, part.role, part.colour)
        if key not in told:
            own = np.array(part.colour, float)
            plain = part.role in ("glazing", "water", "lawn", "planting")
            if scheme in ("white", "grey") and not plain:
                own = np.full(3, 238.0 if scheme == "white" else 190.0) + rng.uniform(-6, 6)
            elif scheme == "pastel":
                own = 0.45 * own + 0.55 * rng.uniform(200, 250, 3)
            elif scheme == "bold" and not plain:
                own = own.mean() + 1.8 * (own - own.mean()) + rng.uniform(-30, 30, 3)
            told[key] = tuple(int(v) for v in np.clip(own + rng.uniform(-9, 9, 3), 12, 250))
        out.append(part._replace(colour=told[key]))
    return out


def size_of(rng: Rng) -> tuple[int, int]:
    return SIZES[int(rng.integers(len(SIZES)))]


def look(rng: Rng, at, to, field=(58.0, 74.0), shift=0.0) -> Camera:
    """A camera in a window of some size; `field` across, degrees, is drawn from a range; a lens that is shifted up is held level, as
    such lenses are."""
    centre = (0.5, 0.5)
    if shift and rng.random() < 0.5:
        centre, to = (0.5, 0.5 + rng.uniform(0, shift)), (to[0], to[1], at[2])
    size = size_of(rng)
    wide = rng.uniform(*field) * (0.72 if size[0] < size[1] else 1.0)
    return Camera.look(at, to, size=size, field=wide, centre=centre)


def land(role="ground", reach=60.0, colour=None, z=0.0) -> Part:
    return flat(role, role, colour or role, -reach, reach, -reach, reach, z)


def some(rng: Rng, *what):
    return what[int(rng.integers(len(what)))]


def front(rng: Rng, x0: float, x1: float, y: float, storeys: int, high=3.0, sill=0.9, door=True) -> list[Part]:
    """Windows in a front that faces −y, a door in the first storey."""
    bays = max(int((x1 - x0) / rng.uniform(1.8, 2.8)), 2)
    at = np.linspace(x0, x1, bays + 1)
    wide = rng.uniform(0.42, 0.66) * (at[1] - at[0])
    chosen = int(rng.integers(bays))
    parts: list[Part] = []
    for storey in range(storeys):
        for n, middle in enumerate((at[:-1] + at[1:]) / 2):
            z = storey * high
            if door and storey == 0 and n == chosen:
                parts.append(box("door", "door", "door", (middle - 0.5, y - 0.06, 0.02), (middle + 0.5, y, 2.15)))
            else:
                parts += window(
                    middle - wide / 2, middle + wide / 2, z + sill, z + high - 0.45, y, bars=int(rng.integers(0, 2))
                )
    return parts


def car(x: float, y: float, turn: float, colour="lamp") -> list[Part]:
    made = [
        box("car", "vehicle", "steel", (x - 2.1, y - 0.9, 0.25), (x + 2.1, y + 0.9, 0.85)),
        box("car", "vehicle", "steel", (x - 1.2, y - 0.8, 0.85), (x + 1.3, y + 0.8, 1.45)),
    ]
    return [turned(p, turn, (x, y)) for p in made]


@family
def street_row(rng: Rng) -> Made:
    """Narrow houses along both sides of a street between kerbs, from the pavement."""
    half, parts = rng.uniform(3, 5.5), [land("paving", 70, "slate")]
    for side in (-1, 1):
        parts.append(
            box(
                "pavement",
                "paving",
                "paving",
                (-50, min(side * half, side * (half + 2.5)), 0),
                (50, max(side * half, side * (half + 2.5)), 0.14),
            )
        )
        x = -45.0
        while x < 45:
            wide, storeys = rng.uniform(5, 8), int(rng.integers(2, 5))
            own = [
                *gable(
                    x,
                    x + wide,
                    half + 2.5,
                    half + 11.5,
                    0,
                    storeys * 2.9,
                    wall=some(rng, "wall", "brick", "timber"),
                    roof=some(rng, "roof", "slate"),
                )
            ]
            own += front(rng, x + 0.4, x + wide - 0.4, half + 2.5, storeys, 2.9)
            parts += own if side > 0 else [turned(p, 180) for p in own]
            x += wide
    for _ in range(int(rng.integers(0, 3))):
        parts += car(rng.uniform(-8, 20), some(rng, -1, 1) * (half - 1.2), 0)
    y = rng.uniform(-half - 1.5, half - 1)
    return parts, look(
        rng, (-22, y, rng.uniform(1.55, 1.75)), (0, y + rng.uniform(-3, 3), rng.uniform(1.6, 4)), (58, 82), 0.12
    )


@family
def tower_air(rng: Rng) -> Made:
    """A tower among low blocks, from the air; there is a sky above its horizon or none."""
    parts, wide, deep = [land("ground", 400)], rng.uniform(14, 24), rng.uniform(14, 22)
    storeys = int(rng.integers(10, 24))
    for n in range(storeys):
        parts.append(
            box(
                "pane", "glazing", "glazing", (-wide / 2, -deep / 2, n * 3.4 + 0.5), (wide / 2, deep / 2, n * 3.4 + 3.4)
            )
        )
        parts.append(
            box(
                "slab",
                "slab",
                "slab",
                (-wide / 2 - 0.4, -deep / 2 - 0.4, n * 3.4),
                (wide / 2 + 0.4, deep / 2 + 0.4, n * 3.4 + 0.5),
            )
        )
    parts.append(
        box(
            "tower roof",
            "roof",
            "slab",
            (-wide / 2, -deep / 2, storeys * 3.4),
            (wide / 2, deep / 2, storeys * 3.4 + 0.8),
        )
    )
    for _ in range(14):
        x, y, w, d, h = *rng.uniform(-90, 90, 2), rng.uniform(10, 22), rng.uniform(10, 22), rng.uniform(6, 18)
        if (abs(x) + w < wide and abs(y) + d < deep) or np.hypot(x, y) < 34:
            continue
        parts.append(box("block", "context", "wall", (x - w / 2, y - d / 2, 0), (x + w / 2, y + d / 2, h)))
    angle, far = rng.uniform(0, 2 * np.pi), rng.uniform(70, 120)
    up = rng.uniform(35, 80)
    return parts, look(rng, (far * np.cos(angle), far * np.sin(angle), up), (0, 0, rng.uniform(12, 30)), (40, 60))


@family
def perimeter_block(rng: Rng) -> Made:
    """Houses round a court with trees, from above."""
    a, d, h = rng.uniform(22, 34), rng.uniform(9, 12), rng.uniform(12, 19)
    parts = [land("paving", 150), flat("court", "lawn", "lawn", -a + d, a - d, -a + d, a - d, 0.05)]
    for x0, x1, y0, y1 in (
        (-a, a, -a, -a + d),
        (-a, a, a - d, a),
        (-a, -a + d, -a + d, a - d),
        (a - d, a, -a + d, a - d),
    ):
        parts += [
            box("walls", "wall", "wall", (x0, y0, 0), (x1, y1, h)),
            box("flat roof", "roof", "slate", (x0, y0, h), (x1, y1, h + 0.5)),
        ]
    for n in range(4):
        parts += [turned(p, 90 * n) for p in front(rng, -a + 1, a - 1, -a, int(h // 3), 3.0)]
    for _ in range(6):
        parts += tree(*rng.uniform(-a + d + 2, a - d - 2, 2), rng.uniform(6, 10), rng.uniform(2, 3))
    angle = rng.uniform(0.2, 1.3)
    return parts, look(rng, (95 * np.cos(angle), -95 * np.sin(angle), rng.uniform(38, 75)), (0, 0, 4), (42, 58))


@family
def court_within(rng: Rng) -> Made:
    """In a paved court closed on three sides, at eye level."""
    a, h = rng.uniform(9, 15), rng.uniform(6, 10)
    parts = [land("paving", 60)]
    storeys = int(h // 3)
    for turn in (0, 90, -90):
        own = [box("walls", "wall", "wall", (-a, a, 0), (a, a + 8, h)), *front(rng, -a + 0.8, a - 0.8, a, storeys, 3.0)]
        parts += [turned(p, turn) for p in own]
    for _ in range(int(rng.integers(0, 4))):
        parts += tree(*rng.uniform(-a + 3, a - 3, 2), rng.uniform(4, 7), rng.uniform(1.2, 2))
    parts += [
        box("bench", "furniture", "timber", (x, y, 0), (x + 2, y + 0.5, 0.45))
        for x, y in rng.uniform(-a + 2, a - 4, (3, 2))
    ]
    return parts, look(
        rng, (rng.uniform(-4, 4), -a + 1, 1.65), (rng.uniform(-3, 3), a, rng.uniform(1.6, 3.5)), (66, 92)
    )


@family
def campus_air(rng: Rng) -> Made:
    """Long buildings on lawns with paths, from high up; the picture is wider than the model."""
    parts = [land("lawn", 220)]
    for _ in range(int(rng.integers(4, 7))):
        x, y, w, d, h = *rng.uniform(-60, 60, 2), rng.uniform(24, 50), rng.uniform(11, 16), rng.uniform(7, 16)
        own = [
            box("walls", "wall", some(rng, "wall", "brick"), (x - w / 2, y - d / 2, 0), (x + w / 2, y + d / 2, h)),
            box(
                "flat roof",
                "roof",
                "slab",
                (x - w / 2 - 0.3, y - d / 2 - 0.3, h),
                (x + w / 2 + 0.3, y + d / 2 + 0.3, h + 0.4),
            ),
        ]
        own += [
            p._replace(triangles=p.triangles + [x, y - d / 2, 0])
            for p in front(rng, -w / 2 + 1, w / 2 - 1, 0, int(h // 3.5), 3.5)
        ]
        parts += [turned(p, float(some(rng, 0, 0, 90)), (x, y)) for p in own]
    parts += [flat("path", "paving", "paving", -200, 200, y, y + 4, 0.05) for y in rng.uniform(-50, 50, 2)]
    for _ in range(12):
        parts += tree(*rng.uniform(-70, 70, 2), rng.uniform(7, 12), rng.uniform(2.5, 4))
    return parts, look(rng, (rng.uniform(-50, 50), -120, rng.uniform(45, 90)), (0, 0, 0), (50, 66))


@family
def angled_house(rng: Rng) -> Made:
    """A house of two wings on a lawn, from the garden."""
    w, d, h = rng.uniform(9, 14), rng.uniform(6, 8), rng.uniform(2.8, 5.8)
    parts = [land("lawn", 70), *gable(-w, 0, 0, d, 0, h, wall=some(rng, "wall", "timber", "brick"))]
    storeys = 2 if h > 5 else 1
    parts += front(rng, -w + 0.7, -0.7, 0, storeys, h / storeys)
    wing = [*gable(-d / 2 - 6, -d / 2, -3, 3, 0, h * 0.85, wall="timber")]
    parts += [turned(p, 90, (0, 0)) for p in wing]
    parts += [flat("terrace", "paving", "paving", -w, -4, -5, 0, 0.06)]
    for _ in range(int(rng.integers(1, 5))):
        parts += tree(*rng.uniform((-22, 10), (20, 26)), rng.uniform(5, 9), rng.uniform(1.6, 3))
    return parts, look(
        rng, (rng.uniform(-16, -4), rng.uniform(-24, -16), rng.uniform(1.5, 3)), (-w / 3, 0, h / 2), (46, 66), 0.08
    )


@family
def balcony_block(rng: Rng) -> Made:
    """Flats with balconies behind balustrades and a stair outside, from below."""
    w, n = rng.uniform(14, 22), int(rng.integers(3, 7))
    parts = [
        land(some(rng, "paving", "lawn"), 80),
        box("walls", "wall", some(rng, "wall", "brick"), (-w / 2, 0, 0), (w / 2, 12, n * 3.0 + 0.5)),
    ]
    parts += front(rng, -w / 2 + 0.6, w / 2 - 0.6, 0, n, 3.0, 0.3)
    for storey in range(1, n):
        for x in np.arange(-w / 2 + 1, w / 2 - 3, rng.uniform(3.5, 5)):
            z = storey * 3.0
            parts += [
                box("balcony", "slab", "slab", (x, -1.6, z - 0.2), (x + 2.8, 0, z)),
                box("balustrade", "railing", "steel", (x, -1.6, z), (x + 2.8, -1.55, z + 1.05)),
            ]
    for k in range(12):
        parts.append(
            box(
                "step",
                "stair",
                "stair",
                (w / 2 + 0.2, -3 + 0.28 * k, 0.17 * k),
                (w / 2 + 1.6, -3 + 0.28 * (k + 1), 0.17 * (k + 1)),
            )
        )
    return parts, look(
        rng, (rng.uniform(-w, w), rng.uniform(-24, -14), 1.6), (0, 0, rng.uniform(2, n * 1.6)), (56, 74), 0.16
    )


@family
def shopfronts(rng: Rng) -> Made:
    """Shops with large panes, signs and awnings, square on or nearly so."""
    parts, x = (
        [
            land("paving", 70),
            box("walls", "wall", some(rng, "brick", "wall"), (-16, 0, 3.4), (16, 9, rng.uniform(7, 12))),
        ],
        -16.0,
    )
    while x < 15:
        wide = min(rng.uniform(4, 6.5), 16 - x)
        parts += [
            box("pier", "wall", "wall", (x, -0.05, 0), (x + 0.4, 9, 3.4)),
            *window(x + 0.4, x + wide - 1.4, 0.4, 2.9, 0.1, bars=int(rng.integers(0, 3))),
        ]
        parts += [
            box("door", "door", "door", (x + wide - 1.35, 0.02, 0.02), (x + wide - 0.3, 0.12, 2.4)),
            box("sign", "sign", some(rng, "sign", "sofa"), (x + 0.5, -0.12, 2.95), (x + wide - 0.4, 0, 3.35)),
        ]
        parts += [
            box("plinth", "wall", "slab", (x + 0.4, 0, 0), (x + wide - 1.4, 0.2, 0.4)),
            box("fascia", "wall", "timber", (x + 0.4, 0.02, 2.9), (x + wide, 0.2, 3.4)),
        ]
        x += wide
    parts.append(box("end", "wall", "wall", (15.6, -0.05, 0), (16, 9, 3.4)))
    parts.append(box("back", "wall", "slate", (-15.6, 4, 0), (15.6, 4.2, 3.4)))
    parts += [p._replace(triangles=p.triangles + [0, 0, 3.6]) for p in front(rng, -15, 15, 0, 1, 3.0, door=False)]
    for _ in range(int(rng.integers(0, 4))):
        parts += person(*rng.uniform((-8, -4), (8, -1)))
    return parts, look(
        rng, (rng.uniform(-5, 5), rng.uniform(-13, -9), 1.6), (rng.uniform(-2, 2), 0, 2.2), (60, 80), 0.1
    )


@family
def arcade(rng: Rng) -> Made:
    """Under an arcade along its columns: a roof overhead, a square beside."""
    n, s, h = int(rng.integers(6, 11)), rng.uniform(3, 4.5), rng.uniform(3.2, 5)
    parts = [
        land("paving", 90),
        box("wall", "wall", "wall", (-1, 4, 0), (n * s, 5, h + 4)),
        box("arcade roof", "slab", "slab", (-1, -0.4, h), (n * s, 5, h + 0.5)),
        box("upper wall", "wall", "wall", (-1, -0.4, h + 0.5), (n * s, 5, h + 4)),
    ]
    for k in range(n):
        if rng.random() < 0.5 or k:
            parts.append(
                Part("column", "column", (206, 202, 196), shapes.cylinder(k * s, 0, 0, h, 0.28, sides=18), True)
            )
        parts += (
            window(k * s + 0.6, k * s + 2.4, 0.3, 2.6, 4, bars=0)
            if k % 2
            else [box("door", "door", "door", (k * s + 0.8, 3.94, 0), (k * s + 1.9, 4, 2.3))]
        )
    parts += [
        box("house", "context", "brick", (5 + 14 * k, -34, 0), (16 + 14 * k, -26, rng.uniform(7, 13))) for k in range(3)
    ]
    return parts, look(
        rng, (-0.5, rng.uniform(1.4, 2.8), 1.6), (12, rng.uniform(0.6, 2.4), rng.uniform(1.6, 2.2)), (62, 84)
    )


@family
def shed(rng: Rng) -> Made:
    """A large shed with gates and a yard with lorries."""
    w, h = rng.uniform(24, 40), rng.uniform(6, 10)
    parts = [land("paving", 120, "slab"), *gable(-w / 2, w / 2, 0, 22, 0, h, wall="steel", roof="slate", over=0.3)]
    for x in np.arange(-w / 2 + 2, w / 2 - 5, 6.5):
        parts.append(box("gate", "door", some(rng, "sofa", "door"), (x, -0.1, 0), (x + 4, 0, 4.4)))
    parts += (
        [p for x in np.arange(-w / 2 + 2, w / 2 - 5, 6.5) for p in window(x, x + 4, 4.9, h - 0.3, 0, bars=2)]
        if h > 6.5
        else []
    )
    parts += [
        box("lorry", "vehicle", "sign", (-6, -12, 0.6), (2, -9.5, 3.6)),
        box("lorry", "vehicle", "steel", (2.2, -12, 0.6), (4.4, -9.5, 3.0)),
    ]
    return parts, look(rng, (rng.uniform(-26, 26), rng.uniform(-38, -24), rng.uniform(1.6, 8)), (0, 4, h / 2), (50, 72))


@family
def bridge(rng: Rng) -> Made:
    """A footbridge over water between quays."""
    a, z = rng.uniform(9, 16), rng.uniform(1.6, 3)
    parts = [land("water", 160, z=-z)]
    for side in (-1, 1):
        x0, x1 = sorted((side * a, side * 80))
        parts.append(box("quay", "paving", "paving", (x0, -60, -z - 1), (x1, 60, 0)))
        for k in range(4):
            y = -30 + 17 * k
            parts += [
                box(
                    "house",
                    "context",
                    "brick",
                    (side * (a + 14) - 5, y, 0),
                    (side * (a + 14) + 5, y + 11, rng.uniform(6, 12)),
                )
            ]
    parts.append(box("deck", "slab", "timber", (-a - 1, -1.6, 0.05), (a + 1, 1.6, 0.4)))
    for y in (-1.6, 1.5):
        parts.append(box("rail", "railing", "steel", (-a - 1, y, 1.3), (a + 1, y + 0.1, 1.4)))
        parts += [
            box("post", "railing", "steel", (x, y, 0.4), (x + 0.1, y + 0.1, 1.4)) for x in np.arange(-a - 1, a + 1, 1.6)
        ]
    return parts, look(
        rng, (rng.uniform(-a + 2, a - 2), rng.uniform(-40, -22), rng.uniform(0.6, 5)), (0, 0, 0.5), (50, 72)
    )


@family
def pool_terrace(rng: Rng) -> Made:
    """A pool in a terrace before a low glazed house."""
    w = rng.uniform(12, 18)
    parts = [
        land("lawn", 70),
        box("pool edge", "paving", "paving", (-9, -14, -0.02), (9, 0, 0.08)),
        flat("pool", "water", "water", -6, 6, -11, -6, 0.09),
    ]
    parts += [
        box("floor slab", "slab", "slab", (-w / 2, 0, 0), (w / 2, 9, 0.2)),
        box("flat roof", "roof", "slab", (-w / 2 - 1, -2, 3), (w / 2 + 1, 10, 3.35)),
        box("back wall", "wall", "wall", (-w / 2, 6, 0.2), (w / 2, 9, 3)),
    ]
    for x in np.linspace(-w / 2, w / 2 - 2, int(w // 2)):
        parts += window(x, x + w / int(w // 2), 0.22, 2.98, 0.6, bars=0)
    parts += [
        Part("column", "column", (206, 202, 196), shapes.cylinder(x, -1.7, 0, 3, 0.12, sides=14), True)
        for x in (-w / 2, 0, w / 2)
    ]
    for _ in range(4):
        parts += tree(*rng.uniform((-24, 12), (24, 24)), rng.uniform(5, 8), rng.uniform(1.6, 2.6))
    parts += [box("lounger", "furniture", "counter", (x, -5.2, 0.25), (x + 0.7, -3.2, 0.4)) for x in (-4, -2.5, 3)]
    return parts, look(rng, (rng.uniform(-14, 14), rng.uniform(-24, -17), rng.uniform(1.4, 4)), (0, 0, 1.2), (50, 70))


@family
def park(rng: Rng) -> Made:
    """Lawns, a path, trees and benches, a small pavilion behind."""
    parts = [land("lawn", 90)]
    bend = rng.uniform(-0.25, 0.25)
    parts.append(turned(flat("path", "paving", "ground", -1.6, 1.6, -60, 60, 0.03), np.degrees(bend)))
    parts += [box("bench", "furniture", "timber", (2.4, y, 0), (2.9, y + 1.8, 0.45)) for y in (-4, 2, 9)]
    for _ in range(int(rng.integers(8, 16))):
        x = some(rng, -1, 1) * rng.uniform(4, 26)
        parts += tree(x, rng.uniform(-6, 34), rng.uniform(5, 12), rng.uniform(1.6, 3.6))
    parts += [*gable(-14, -7, 18, 24, 0, 3, wall="timber"), *front(rng, -13.6, -7.4, 18, 1)]
    return parts, look(rng, (rng.uniform(-1, 1), -13, 1.65), (rng.uniform(-3, 3), 10, rng.uniform(1.4, 2.4)), (52, 74))


@family
def hillside(rng: Rng) -> Made:
    """A house on terraces up a slope, seen from the foot."""
    parts: list[Part] = []
    steps = int(rng.integers(3, 5))
    for n in range(steps):
        parts.append(
            box(
                "terrace",
                "lawn",
                "lawn",
                (-60, 8.0 * n, -2),
                (60, 8.0 * (n + 1) + (60 if n == steps - 1 else 0), 1.6 * n),
            )
        )
        if n:
            parts.append(box("retaining wall", "wall", "slab", (-60, 8.0 * n - 0.35, 0), (60, 8.0 * n, 1.6 * n + 0.35)))
    parts.append(land("paving", 90, z=-0.01))
    z, y = 1.6 * (steps - 1), 8.0 * (steps - 1) + 3
    house = [
        *gable(-6, 6, y, y + 8, z, z + 4.5, wall=some(rng, "wall", "timber")),
        *[p._replace(triangles=p.triangles + [0, 0, z]) for p in front(rng, -5.4, 5.4, y, 1, 4.2)],
    ]
    parts += house
    for _ in range(5):
        parts += [
            p._replace(triangles=p.triangles + [0, 0, z])
            for p in tree(some(rng, -1, 1) * rng.uniform(9, 26), y + rng.uniform(2, 14), rng.uniform(5, 9), 2.2)
        ]
    return parts, look(rng, (rng.uniform(-14, 14), -12, 1.6), (0, y, rng.uniform(2, z + 1)), (54, 72))


@family
def living(rng: Rng) -> Made:
    """A living room, two walls in sight, a large window."""
    w, d, h = rng.uniform(4.2, 7), rng.uniform(4, 6.5), rng.uniform(2.45, 3.0)
    parts = [*room(-w / 2, w / 2, 0, d, h), *window(-w / 4, w / 4 + 0.4, 0.3, h - 0.3, d - 0.01, bars=1)]
    parts += [
        box("sofa", "furniture", "sofa", (-1.2, 1.6, 0), (1.0, 2.5, 0.42)),
        box("sofa back", "furniture", "sofa", (-1.2, 1.6, 0.42), (1.0, 1.85, 0.8)),
        flat("rug", "fabric", "sofa", -1.5, 1.5, 2.2, 4.2, 0.012),
    ]
    parts += [
        box("table", "furniture", "table", (-0.6, 2.9, 0.35), (0.6, 3.6, 0.42)),
        box("shelf", "furniture", "timber", (w / 2 - 0.4, 1.5, 0), (w / 2 - 0.02, 3.4, 1.9)),
    ]
    if rng.random() < 0.6:
        parts += [
            Part("lamp", "lamp", (240, 226, 160), shapes.ball((0, 3.2, h - 0.7), 0.22, 12), True),
            Part("cord", "lamp", (64, 66, 72), shapes.cylinder(0, 3.2, h - 0.5, h, 0.012, sides=6)),
        ]
    parts += [box("picture", "other", "sign", (-w / 2 + 0.005, 1.6, 1.2), (-w / 2 + 0.03, 2.6, 1.9))]
    return parts, look(
        rng,
        (rng.uniform(-w / 3, w / 3), 0.15, rng.uniform(1.2, 1.6)),
        (rng.uniform(-1.2, 1.2), d, rng.uniform(0.9, 1.3)),
        (62, 88),
    )


@family
def kitchen_axis(rng: Rng) -> Made:
    """A kitchen along its axis, through a wide lens."""
    w, d, h = rng.uniform(2.6, 4), rng.uniform(3.6, 6), rng.uniform(2.4, 2.9)
    parts = [
        *room(-w / 2, w / 2, 0, d, h, floor=some(rng, "floor", "paving", "slate")),
        *window(-0.7, 0.7, 1.0, h - 0.4, d - 0.01, bars=1),
    ]
    for x0, x1 in ((-w / 2, -w / 2 + 0.6), (w / 2 - 0.6, w / 2)):
        parts += [
            box("unit", "furniture", "counter", (x0, 0.8, 0.1), (x1, d, 0.86)),
            box("worktop", "furniture", "table", (x0 - 0.01, 0.8, 0.86), (x1 + 0.01, d, 0.9)),
        ]
        inner = x1 if x0 < 0 else x0
        parts += [
            box("joint", "furniture", "frame", (inner - 0.004, y, 0.12), (inner + 0.004, y + 0.012, 0.85))
            for y in np.arange(1.4, d, 0.6)
        ]
    parts += [box("wall unit", "furniture", "counter", (-w / 2, 1.4, 1.45), (-w / 2 + 0.35, d - 0.4, 2.15))]
    return parts, look(
        rng, (rng.uniform(-0.3, 0.3), -0.6, 1.5), (rng.uniform(-0.05, 0.05), d, rng.uniform(1.2, 1.45)), (66, 90)
    )


@family
def bath(rng: Rng) -> Made:
    """A small bathroom, tiles and a tub."""
    w, d, h = rng.uniform(1.9, 3.2), rng.uniform(2.4, 3.6), rng.uniform(2.3, 2.8)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "slate", "paving"))]
    parts += [
        box("tub", "furniture", "counter", (-w / 2, d - 0.75, 0), (w / 2 - 0.2, d, 0.56)),
        box("basin", "furniture", "counter", (w / 2 - 0.5, 0.7, 0.72), (w / 2, 1.4, 0.86)),
        box("cabinet", "furniture", "timber", (w / 2 - 0.45, 0.75, 0.3), (w / 2, 1.35, 0.72)),
    ]
    parts += [
        box("mirror", "mirror", "glazing", (w / 2 - 0.03, 0.7, 1.1), (w / 2, 1.4, 1.9)),
        box("pan", "furniture", "counter", (-w / 2, 0.9, 0), (-w / 2 + 0.55, 1.3, 0.42)),
    ]
    if rng.random() < 0.7:
        parts += window(-0.4, 0.4, 1.3, 2.0, d - 0.01, bars=0)
    return parts, look(
        rng, (rng.uniform(-0.4, 0.4), -0.4, 1.5), (rng.uniform(-0.4, 0.4), d, rng.uniform(0.8, 1.3)), (68, 92)
    )


@family
def bedroom(rng: Rng) -> Made:
    """A bedroom, one corner in sight, no window or one at the side."""
    w, d, h = rng.uniform(3.2, 5), rng.uniform(3.2, 4.6), rng.uniform(2.4, 2.8)
    parts = [
        *room(-w / 2, w / 2, 0, d, h),
        box("bed", "furniture", "timber", (-0.9, d - 2.1, 0), (0.9, d, 0.3)),
        box("mattress", "furniture", "counter", (-0.88, d - 2.08, 0.3), (0.88, d - 0.05, 0.55)),
        box("head", "furniture", "timber", (-1, d - 0.08, 0.3), (1, d, 1.1)),
    ]
    parts += [
        box("wardrobe", "furniture", "counter", (w / 2 - 0.6, 0.6, 0), (w / 2, 2.4, h - 0.3)),
        box("night table", "furniture", "table", (-1.5, d - 0.5, 0), (-1.05, d - 0.02, 0.5)),
    ]
    if rng.random() < 0.7:
        parts += side_window(d - 2.4, d - 1.0, 0.9, 2.1, -w / 2 + 0.01, out=-1.0)
    return parts, look(
        rng, (rng.uniform(-w / 2 + 0.4, w / 2 - 0.8), 0.1, 1.5), (rng.uniform(-0.8, 0.8), d, 0.9), (64, 86)
    )


@family
def open_office(rng: Rng) -> Made:
    """Rows of desks under a low ceiling with strips of lamps, glazing along one side."""
    w, d, h = rng.uniform(8, 14), rng.uniform(12, 20), rng.uniform(2.7, 3.3)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "slate", "sofa", "floor"))]
    for y in np.arange(2, d - 1, 2.6):
        for x in np.arange(-w / 2 + 1.4, w / 2 - 2, 2.6):
            parts += [
                box("desk", "furniture", "counter", (x, y, 0.7), (x + 1.6, y + 0.8, 0.74)),
                box("screen", "furniture", "frame", (x + 0.5, y + 0.6, 0.86), (x + 1.1, y + 0.63, 1.2)),
                *chair(x + 0.8, y - 0.3, 180, "sofa"),
            ]
            parts += [
                box("leg", "furniture", "steel", (x + k, y + 0.05, 0), (x + k + 0.04, y + 0.75, 0.7))
                for k in (0.03, 1.53)
            ]
    parts += [
        box("strip", "lamp", "lamp", (x, 1, h - 0.06), (x + 0.2, d - 1, h - 0.01))
        for x in np.arange(-w / 2 + 2, w / 2 - 1, 2.6)
    ]
    for y in np.arange(0.5, d - 2, 2.2):
        parts += side_window(y, y + 2.0, 0.4, h - 0.3, w / 2 - 0.01, out=-1.0)
    return parts, look(
        rng, (rng.uniform(-w / 3, w / 3), 0.3, 1.6), (rng.uniform(-2, 2), d, rng.uniform(1.2, 1.5)), (62, 84)
    )


@family
def classroom(rng: Rng) -> Made:
    """Tables and chairs before a board, doors at the side."""
    w, d, h = rng.uniform(6.5, 9), rng.uniform(7, 10), rng.uniform(2.8, 3.5)
    parts = [
        *room(-w / 2, w / 2, 0, d, h),
        box("board", "other", some(rng, "door", "counter", "leaf"), (-1.8, d - 0.06, 0.9), (1.8, d - 0.01, 2.1)),
        box("door", "door", "door", (-w / 2 + 0.005, d - 2.2, 0), (-w / 2 + 0.05, d - 1.2, 2.1)),
    ]
    for y in np.arange(1.6, d - 2.4, 1.7):
        for x in np.arange(-w / 2 + 0.9, w / 2 - 1.2, 2.0):
            parts += [
                box("table", "furniture", "table", (x, y, 0.68), (x + 1.3, y + 0.55, 0.72)),
                *chair(x + 0.35, y - 0.35, 180),
                *chair(x + 0.95, y - 0.35, 180),
            ]
            parts += [
                box("leg", "furniture", "steel", (x + k, y + 0.03, 0), (x + k + 0.04, y + 0.5, 0.68))
                for k in (0.03, 1.23)
            ]
    for y in np.arange(0.8, d - 2, 2.4):
        parts += side_window(y, y + 1.9, 0.9, h - 0.5, w / 2 - 0.01, out=-1.0)
    return parts, look(
        rng, (rng.uniform(-w / 3, w / 3), 0.2, rng.uniform(1.5, 1.8)), (rng.uniform(-1, 1), d, 1.2), (64, 84)
    )


@family
def gallery_axis(rng: Rng) -> Made:
    """A white hall with pictures on its walls, seen along the axis."""
    w, d, h = rng.uniform(5, 9), rng.uniform(10, 18), rng.uniform(3.4, 5.5)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "floor", "slab", "slate"))]
    for y in np.arange(1.5, d - 2, rng.uniform(2.2, 3.4)):
        for side in (-1, 1):
            x0, x1 = sorted((side * (w / 2 - 0.005), side * (w / 2 - 0.05)))
            parts.append(
                box(
                    "painting",
                    "other",
                    some(rng, "sign", "sofa", "leaf", "lamp"),
                    (x0, y, 1.1),
                    (x1, y + rng.uniform(0.8, 1.8), 2.3),
                )
            )
    parts += [
        box("bench", "furniture", "timber", (-0.3, d / 2, 0), (0.3, d / 2 + 1.6, 0.45)),
        box("opening", "wall", "slate", (-0.9, d - 0.03, 0), (0.9, d - 0.005, 2.4)),
    ]
    if rng.random() < 0.5:
        parts.append(box("roof light", "glazing", "glazing", (-w / 4, 1, h - 0.05), (w / 4, d - 1, h - 0.005)))
    return parts, look(
        rng, (rng.uniform(-0.6, 0.6), -0.2, 1.6), (rng.uniform(-0.1, 0.1), d, rng.uniform(1.5, 1.8)), (56, 84)
    )


@family
def stairwell(rng: Rng) -> Made:
    """A stair up along a wall in a narrow hall."""
    w, d, h = rng.uniform(2.4, 3.6), rng.uniform(5, 7), rng.uniform(4.6, 5.8)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "paving", "slate", "floor"))]
    run, rise = 0.28, 0.175
    for k in range(14):
        parts.append(
            box(
                "step",
                "stair",
                some(rng, "stair", "stair", "timber") if k == 0 else "stair",
                (-w / 2, 1.0 + run * k, 0),
                (-w / 2 + 1.1, 1.0 + run * (k + 1), rise * (k + 1)),
            )
        )
    parts.append(box("landing", "slab", "slab", (-w / 2, 1.0 + run * 14, 2.25), (w / 2, d, 2.45)))
    parts += [
        box(
            "baluster",
            "railing",
            "frame",
            (-w / 2 + 1.06, 1.0 + run * k + 0.12, rise * (k + 1)),
            (-w / 2 + 1.09, 1.0 + run * k + 0.15, rise * (k + 1) + 0.95),
        )
        for k in range(14)
    ]
    parts += [box("door", "door", "door", (0.1, d - 0.06, 0), (1.0, d - 0.01, 2.05))]
    return parts, look(
        rng, (rng.uniform(-0.2, w / 2 - 0.4), -0.8, 1.6), (rng.uniform(-0.3, 0.3), d, rng.uniform(1.5, 2.2)), (66, 90)
    )


@family
def chair_alone(rng: Rng) -> Made:
    """A chair or a table alone on plain ground, through a long lens."""
    parts = [land("floor", 12, some(rng, "counter", "slab", "wall"))] if rng.random() < 0.6 else []
    if rng.random() < 0.5:
        parts += chair(0, 0, rng.uniform(0, 90), some(rng, "timber", "sofa", "sign"))
        top = 0.5
    else:
        top = 0.72
        parts += [box("table", "furniture", "table", (-0.7, -0.4, 0.7), (0.7, 0.4, 0.74))]
        parts += [
            box("leg", "furniture", "table", (x, y, 0), (x + 0.06, y + 0.06, 0.7))
            for x in (-0.68, 0.62)
            for y in (-0.38, 0.32)
        ]
    angle, far = rng.uniform(0, 2 * np.pi), rng.uniform(2.4, 4)
    return parts, look(
        rng, (far * np.cos(angle), far * np.sin(angle), rng.uniform(0.9, 1.9)), (0, 0, top * 0.7), (24, 38)
    )


@family
def facade(rng: Rng) -> Made:
    """A front square on in parallel projection."""
    w, n = rng.uniform(10, 20), int(rng.integers(2, 6))
    parts = [
        land("paving", 60),
        box("walls", "wall", some(rng, "wall", "brick", "timber"), (-w / 2, 0, 0), (w / 2, 9, n * 3.2)),
        *front(rng, -w / 2 + 0.6, w / 2 - 0.6, 0, n, 3.2),
    ]
    parts += (
        [box("eave", "roof", "slate", (-w / 2 - 0.4, -0.4, n * 3.2), (w / 2 + 0.4, 9.4, n * 3.2 + 0.4))]
        if rng.random() < 0.5
        else gable(-w / 2, w / 2, 0, 9, 0, n * 3.2)
    )
    size = size_of(rng)
    span = max(w * 1.25, n * 3.2 * 1.3 * size[0] / size[1])
    return parts, Camera.look((0, -30, n * 1.6), (0, 0, n * 1.6), size=size, span=span)


@family
def axon_house(rng: Rng) -> Made:
    """A house with its garden in axonometry, from above."""
    w, d, h = rng.uniform(7, 12), rng.uniform(6, 9), rng.uniform(3, 6)
    parts = [
        flat("garden", "lawn", "lawn", -12, 12, -12, 12, 0.0),
        *gable(-w / 2, w / 2, -d / 2, d / 2, 0, h),
        *front(rng, -w / 2 + 0.5, w / 2 - 0.5, -d / 2, 1 if h < 5 else 2, 2.7),
        flat("path", "paving", "paving", -1, 1, -12, -d / 2, 0.03),
    ]
    for _ in range(3):
        parts += tree(*rng.uniform(-11, 11, 2) * [1, some(rng, -1, 1)], rng.uniform(4, 6), 1.5)
    angle = np.radians(some(rng, 30, 45, 60) + some(rng, 0, 180))
    rise = np.radians(some(rng, 35.26, 45, 30))
    way = np.array([np.cos(angle) * np.cos(rise), -np.sin(angle) * np.cos(rise), np.sin(rise)])
    return parts, Camera.look(way * 60, (0, 0, 1.5), size=size_of(rng), span=rng.uniform(26, 40))


@family
def lobby(rng: Rng) -> Made:
    """A tall lobby with columns, a desk, a glazed front behind."""
    w, d, h = rng.uniform(9, 15), rng.uniform(9, 14), rng.uniform(4.5, 7)
    parts = [*room(-w / 2, w / 2, 0, d, h, floor=some(rng, "slab", "paving", "slate"))]
    for x in np.linspace(-w / 2 + 0.2, w / 2 - 2.2, max(int(w // 2.2), 3)):
        parts += window(x, x + 2.0, 0.1, h - 0.5, d - 0.01, bars=1)
    parts += [
        Part("column", "column", (206, 202, 196), shapes.cylinder(x, y, 0, h, 0.3, sides=20), True)
        for x in (-w / 4, w / 4)
        for y in (d / 3, 2 * d / 3)
    ]
    parts += [
        box("desk", "furniture", "timber", (-1.8, d / 2, 0), (1.2, d / 2 + 0.8, 1.1)),
        box("seat", "furniture", "sofa", (w / 2 - 2.6, 2, 0), (w / 2 - 0.8, 2.9, 0.45)),
    ]
    return parts, look(
        rng, (rng.uniform(-w / 3, w / 3), 0.2, 1.6), (rng.uniform(-1.5, 1.5), d, rng.uniform(1.6, 2.4)), (62, 86)
    )
