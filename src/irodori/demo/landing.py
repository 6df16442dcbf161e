"""Sazanami Landing, modelled in code. x east, y north, z up, metres; the lake lies to the south."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from irodori.core.geometry.shapes import ball, box, cylinder, extrude_along, prism, quad, sheet, tube
from irodori.core.model import ViewSpec
from irodori.demo.lettering import lettering
from irodori.demo.plants import birch, reeds

WATER = -0.9
PONTOON = -0.35

MATERIALS: dict[str, tuple[str, float]] = {
    # name: (sRGB colour as the modeller chose it, opacity)
    "larch boards": ("#c59a6a", 1.0),
    "charred boards": ("#5a5653", 1.0),
    "folded zinc": ("#8d9aa5", 1.0),
    "larch shingles": ("#9b8f80", 1.0),
    "clear glass": ("#9cc4d6", 0.35),
    "dark frame": ("#4a4d52", 1.0),
    "quay slabs": ("#b9b4aa", 1.0),
    "quay stone": ("#97928a", 1.0),
    "oak decking": ("#a98b64", 1.0),
    "galvanised steel": ("#a3a8ac", 1.0),
    "polished concrete": ("#bdbbb6", 1.0),
    "white plaster": ("#ebe8e1", 1.0),
    "ash panelling": ("#d8c29c", 1.0),
    "bench oak": ("#b48a58", 1.0),
    "warm lamp": ("#fff0cf", 1.0),
    "lake water": ("#7ba0b2", 1.0),
    "meadow grass": ("#8aa665", 1.0),
    "shore gravel": ("#b0a58f", 1.0),
    "birch bark": ("#d9d4c8", 1.0),
    "birch leaves": ("#86a94f", 1.0),
    "reed blades": ("#a5a75c", 1.0),
    "neighbour render": ("#dcd6c8", 1.0),
    "neighbour roof tiles": ("#a8664e", 1.0),
    "context hill": ("#93a786", 1.0),
    "sign red": ("#b2402f", 1.0),
    "sign white": ("#f4f1ea", 1.0),
    "boat green": ("#3f6f66", 1.0),
}


@dataclass
class Build:
    """Named parts as they are added: (name, material, triangles)."""

    parts: list[tuple[str, str, np.ndarray]] = field(default_factory=list)

    def add(self, name: str, material: str, *pieces: np.ndarray) -> None:
        self.parts.append((name, material, np.concatenate(pieces)))


def build_landing() -> list[tuple[str, str, np.ndarray]]:
    """All parts of the landing: (name, material, triangles (T, 3, 3) m)."""
    build = Build()
    _land(build)
    _quay(build)
    _pontoon(build)
    _hall_shell(build)
    _hall_front(build)
    _hall_inside(build)
    _kiosk(build)
    _boat_shed(build)
    _neighbours(build)
    _planting(build)
    return build.parts


def landing_views() -> tuple[ViewSpec, ...]:
    """Three exterior views, one of them portrait and one aerial, and one interior."""
    return (
        ViewSpec("landing", (19.0, -20.5, 2.1), (1.6, 7.0, 2.2), field=57.0),
        ViewSpec("aerial", (-34.0, -33.0, 27.0), (0.5, 5.5, 0.0), field=48.0),
        ViewSpec("gangway", (-6.6, -14.2, 1.25), (-1.4, 6.5, 2.3), field=46.0, aspect=0.75),
        ViewSpec("hall", (-8.2, 14.1, 1.65), (3.0, 6.0, 1.62), field=78.0),
    )


def _land(build: Build) -> None:
    far = 900.0
    build.add("lake", "lake water", quad((-far, -far, WATER), (far, -far, WATER), (far, 3, WATER), (-far, 3, WATER)))
    # The shore slopes into the lake on both sides of the quay.
    for name, x0, x1 in (("shore west", -far, -26.0), ("shore east", 24.0, far)):
        build.add(
            name, "shore gravel",
            quad((x0, -1.5, WATER - 0.5), (x1, -1.5, WATER - 0.5), (x1, 5.0, 0.0), (x0, 5.0, 0.0)),
        )  # fmt: skip
    build.add("meadow ground", "meadow grass",
              quad((-far, 5, -0.02), (-26, 5, -0.02), (-26, 60, -0.02), (-far, 60, -0.02)),
              quad((24, 5, -0.02), (far, 5, -0.02), (far, 60, -0.02), (24, 60, -0.02)),
              quad((-26, 17, -0.02), (24, 17, -0.02), (24, 60, -0.02), (-26, 60, -0.02)),
              quad((-far, 60, -0.02), (far, 60, -0.02), (far, 230, 6), (-far, 230, 6)))  # fmt: skip
    xs = np.linspace(-1500, 1100, 79)
    rng = np.random.default_rng(11)
    crest = 34 + 17 * np.sin(xs / 140.0 + 0.7) + 9 * np.sin(xs / 53.0) + rng.normal(0, 1.6, len(xs))
    hill = [
        quad((a, 200, -1), (b, 200, -1), (b, 360, h1), (a, 360, h0))
        for a, b, h0, h1 in zip(xs[:-1], xs[1:], crest[:-1], crest[1:])
    ]
    build.add("context hill", "context hill", *hill)


def _quay(build: Build) -> None:
    build.add("quay paving", "quay slabs", box((-26, -2.0, -0.25), (9, 17, 0.0)), box((12.5, -2.0, -0.25), (24, 17, 0.0)),
              box((9, 0.2, -0.25), (12.5, 17, 0.0)))  # fmt: skip
    build.add("quay wall", "quay stone", box((-26, -1.9, -3.0), (9, 3, -0.25)), box((12.5, -1.9, -3.0), (24, 3, -0.25)),
              box((9, 0.3, -3.0), (12.5, 3, -0.25)))  # fmt: skip
    build.add("quay steps", "quay stone",
              *[box((9, -2.0 + 0.36 * (5 - i), -3.0), (12.5, -2.0 + 0.36 * (6 - i) + 0.06, -0.17 * (i + 1)))
                for i in range(6)])  # fmt: skip
    for number, x in enumerate((-22.0, -13.5, 3.0, 7.5, 15.0, 21.0), 1):
        build.add(f"mooring bollard {number}", "dark frame", cylinder(x, -1.5, 0.0, 0.26, 0.09, 0.08, 14),
                  cylinder(x, -1.5, 0.26, 0.34, 0.13, 0.12, 14))  # fmt: skip
    for number, x in enumerate((-13.0, -2.4, 8.4, 19.0), 1):
        y = 1.0
        build.add(f"quay lamp column {number}", "dark frame", cylinder(x, y, 0.0, 3.6, 0.06, 0.045, 10),
                  box((x - 0.04, y - 0.7, 3.56), (x + 0.04, y + 0.05, 3.64)))  # fmt: skip
        build.add(f"quay lamp {number}", "warm lamp", box((x - 0.09, y - 0.72, 3.50), (x + 0.09, y - 0.25, 3.555)))
    for number, x in enumerate((-7.0, 1.0), 1):
        build.add(f"quay bench {number}", "bench oak", box((x - 1.1, 1.9, 0.40), (x + 1.1, 2.4, 0.47)),
                  box((x - 0.9, 2.0, 0), (x - 0.78, 2.3, 0.40)), box((x + 0.78, 2.0, 0), (x + 0.9, 2.3, 0.40)))  # fmt: skip


def _pontoon(build: Build) -> None:
    boards = [box((x, -15.0, PONTOON - 0.08), (x + 0.14, -11.6, PONTOON)) for x in np.arange(-17.0, 1.0, 0.15)]
    build.add("pontoon decking", "oak decking", *boards)
    build.add("pontoon edge frame", "galvanised steel", box((-17.05, -15.05, PONTOON - 0.4), (1.1, -14.98, PONTOON + 0.03)),
              box((-17.05, -11.62, PONTOON - 0.4), (1.1, -11.55, PONTOON + 0.03)),
              box((-17.12, -15.05, PONTOON - 0.4), (-17.05, -11.55, PONTOON + 0.03)),
              box((1.03, -15.05, PONTOON - 0.4), (1.1, -11.55, PONTOON + 0.03)))  # fmt: skip
    planks = []
    for i in range(60):
        t0, t1 = i / 60, (i + 0.93) / 60
        y0, y1 = -11.6 + 9.7 * t0, -11.6 + 9.7 * t1
        z0, z1 = PONTOON + (0.02 - PONTOON) * t0, PONTOON + (0.02 - PONTOON) * t1
        planks.append(extrude_along([(y0, z0 - 0.05), (y1, z1 - 0.05), (y1, z1), (y0, z0)], 0, -6.1, -4.3))
    build.add("gangway decking", "oak decking", *planks)
    rails = []
    for x in (-6.1, -4.3):
        rails.append(tube((x, -11.6, PONTOON + 1.0), (x, -1.9, 1.02), 0.028))
        rails.append(tube((x, -11.6, PONTOON + 0.5), (x, -1.9, 0.52), 0.018))
        for t in np.linspace(0, 1, 7):
            y, z = -11.6 + 9.7 * t, PONTOON + (0.02 - PONTOON) * t
            rails.append(tube((x, y, z - 0.1), (x, y, z + 1.0), 0.022, 6))
    build.add("gangway railing", "galvanised steel", *rails)
    for number, (x, y) in enumerate(((-16.4, -11.2), (-8.0, -11.2), (0.5, -11.2), (-16.4, -15.4), (0.5, -15.4)), 1):
        build.add(f"pontoon pile {number}", "charred boards", cylinder(x, y, -3.0, 1.1, 0.16, 0.16, 14))
    # A small moored boat: hull as a lofted prism, thwarts inside.
    outline = [(-14.9, -17.4), (-11.6, -17.5), (-10.4, -16.75), (-11.6, -16.0), (-14.9, -16.1)]
    inner = [(-14.75, -17.25), (-11.7, -17.33), (-10.75, -16.75), (-11.7, -16.17), (-14.75, -16.25)]
    n = len(outline)
    rim = [
        quad((*outline[i], -0.38), (*outline[(i + 1) % n], -0.38), (*inner[(i + 1) % n], -0.38), (*inner[i], -0.38))
        for i in range(n)
    ]
    sides = [
        quad((*outline[i], -1.2), (*outline[(i + 1) % n], -1.2), (*outline[(i + 1) % n], -0.38), (*outline[i], -0.38))
        for i in range(n)
    ]
    inside = [
        quad((*inner[(i + 1) % n], -0.8), (*inner[i], -0.8), (*inner[i], -0.38), (*inner[(i + 1) % n], -0.38))
        for i in range(n)
    ]
    build.add("boat hull", "boat green", *rim, *sides, *inside, prism(inner, -0.85, -0.8))
    build.add("boat seat bench", "bench oak", box((-14.2, -17.2, -0.55), (-13.8, -16.3, -0.5)),
              box((-12.6, -17.25, -0.55), (-12.2, -16.25, -0.5)))  # fmt: skip


_ROOF = [(2.6, 4.05), (4.0, 3.55), (9.6, 6.35), (16.2, 3.45)]


def _roof_height(y: float) -> float:
    ys, zs = zip(*_ROOF)
    return float(np.interp(y, ys, zs))


def _hall_shell(build: Build) -> None:
    build.add("hall roof", "folded zinc", sheet(_ROOF, 0, -10.4, 10.4, 0.07))
    build.add("hall ceiling", "ash panelling",
              sheet([(y, z - 0.075) for y, z in _ROOF], 0, -10.3, 10.3, 0.12))  # fmt: skip
    under = 0.2
    for side, x0, x1 in (("west", -9.0, -8.78), ("east", 8.78, 9.0)):
        gable = [
            (6.2, 0.0),
            (15.2, 0.0),
            (15.2, _roof_height(15.2) - under),
            (9.6, 6.35 - under),
            (6.2, _roof_height(6.2) - under),
        ]
        build.add(f"hall wall {side}", "larch boards", extrude_along(gable, 0, x0, x1))
    top = _roof_height(15.1) - under
    build.add("hall wall north", "larch boards", box((-8.78, 15.0, 0), (8.78, 15.2, 1.3)),
              box((-8.78, 15.0, 2.1), (8.78, 15.2, top)),
              *[box((x - 0.25, 15.0, 1.3), (x + 0.25, 15.2, 2.1)) for x in (-8.5, -4.5, 0.0, 4.5, 8.5)])  # fmt: skip
    build.add(
        "hall north window glass",
        "clear glass",
        quad((8.4, 15.1, 1.3), (-8.4, 15.1, 1.3), (-8.4, 15.1, 2.1), (8.4, 15.1, 2.1)),
    )
    build.add("hall floor", "polished concrete", box((-8.78, 6.1, -0.05), (8.78, 15.0, 0.04)))
    build.add("hall gutter", "dark frame", box((-10.4, 2.52, 3.93), (10.4, 2.62, 4.07)))
    for number, x in enumerate((-9.6, -4.8, 0.0, 4.8, 9.6), 1):
        build.add(f"hall canopy column {number}", "larch boards", box((x - 0.09, 3.9, 0.0), (x + 0.09, 4.1, 3.42)))
    # Sun-struck rafters carry the canopy from the glazing to the columns.
    rafters = [
        extrude_along(
            [(y0, _roof_height(y0) - 0.36), (y1, _roof_height(y1) - 0.36), (y1, _roof_height(y1) - 0.2), (y0, _roof_height(y0) - 0.2)],
            0, x - 0.05, x + 0.05,
        )
        for x in np.linspace(-9.6, 9.6, 13)
        for y0, y1 in ((2.95, 4.0), (4.0, 6.3))
    ]  # fmt: skip
    build.add("hall rafter beams", "larch boards", *rafters)


def _hall_front(build: Build) -> None:
    y, head = 6.2, _roof_height(6.2) - 0.2
    members, panes = [], []
    xs = np.linspace(-8.78, 8.78, 13)
    for x in xs:
        members.append(box((x - 0.04, y - 0.06, 0.0), (x + 0.04, y + 0.10, head)))
    members.append(box((-8.78, y - 0.05, 0.0), (8.78, y + 0.09, 0.12)))
    members.append(box((-8.78, y - 0.05, 2.35), (8.78, y + 0.09, 2.45)))
    members.append(box((-8.78, y - 0.05, head - 0.12), (8.78, y + 0.09, head)))
    build.add("hall front mullion frame", "dark frame", *members)
    for x0, x1 in zip(xs[:-1], xs[1:]):
        for z0, z1 in ((0.12, 2.35), (2.45, head - 0.12)):
            panes.append(quad((x0 + 0.04, y, z0), (x1 - 0.04, y, z0), (x1 - 0.04, y, z1), (x0 + 0.04, y, z1)))
    build.add("hall front glass", "clear glass", *panes)
    build.add(
        "hall door handle rail",
        "galvanised steel",
        *[tube((x, y - 0.14, 0.8), (x, y - 0.14, 1.5), 0.018, 6) for x in (-0.16, 0.16)],
    )
    build.add("hall sign panel", "sign white", box((3.7, y - 0.17, 2.62), (8.35, y - 0.10, 3.28)))
    build.add("hall sign lettering", "sign red", lettering("SAZANAMI", 4.25, y - 0.17, 2.75, 0.4, 0.03))


def _hall_inside(build: Build) -> None:
    build.add("hall counter", "ash panelling", box((4.2, 11.2, 0.04), (8.0, 11.9, 1.05)))
    build.add("hall counter top table", "dark frame", box((4.1, 11.1, 1.05), (8.1, 12.0, 1.10)))
    build.add("hall partition wall", "white plaster", box((3.4, 13.1, 0.04), (8.78, 13.25, 3.0)))
    build.add("hall timetable sign", "sign red", box((4.3, 13.02, 1.4), (6.1, 13.1, 2.5)))
    for number, (x, y) in enumerate(((-6.2, 8.4), (-2.2, 8.4), (-6.2, 11.6), (-2.2, 11.6)), 1):
        slats = [box((x - 1.1, y - 0.22 + 0.11 * i, 0.44), (x + 1.1, y - 0.14 + 0.11 * i, 0.49)) for i in range(4)]
        legs = [box((x + s * 0.9 - 0.05, y - 0.2, 0.04), (x + s * 0.9 + 0.05, y + 0.2, 0.44)) for s in (-1, 1)]
        build.add(f"hall bench {number}", "bench oak", *slats, *legs)
    for number, x in enumerate((-6.5, -3.25, 0.0, 3.25, 6.5), 1):
        ridge = _roof_height(9.6) - 0.2
        build.add(f"hall pendant cord {number} trim", "dark frame", tube((x, 9.6, 3.05), (x, 9.6, ridge), 0.012, 5))
        build.add(f"hall pendant lamp {number}", "warm lamp", ball((x, 9.6, 2.85), 0.2, 14))
    build.add("hall shelf rack", "dark frame", *[box((-8.7, 12.2, z), (-8.3, 14.6, z + 0.03)) for z in (0.5, 0.95, 1.4)],
              box((-8.7, 12.2, 0.04), (-8.3, 12.23, 1.43)), box((-8.7, 14.57, 0.04), (-8.3, 14.6, 1.43)))  # fmt: skip


def _kiosk(build: Build) -> None:
    x0, x1, y0, y1, h = 13.6, 17.0, 5.0, 8.0, 2.7
    t = 0.14
    build.add("kiosk wall", "white plaster", box((x0, y1 - t, 0), (x1, y1, h)), box((x0, y0, 0), (x0 + t, y1 - t, h)),
              box((x1 - t, y0, 0), (x1, y1 - t, h)), box((x0 + t, y0, 0), (x1 - t, y0 + t, 1.0)),
              box((x0 + t, y0, 2.2), (x1 - t, y0 + t, h)), box((x0 + t, y0, 1.0), (x0 + 0.5, y0 + t, 2.2)),
              box((x1 - 0.5, y0, 1.0), (x1 - t, y0 + t, 2.2)))  # fmt: skip
    build.add(
        "kiosk window glass",
        "clear glass",
        quad(
            (x0 + 0.5, y0 + 0.07, 1.0),
            (x1 - 0.5, y0 + 0.07, 1.0),
            (x1 - 0.5, y0 + 0.07, 2.2),
            (x0 + 0.5, y0 + 0.07, 2.2),
        ),
    )
    build.add("kiosk sill slab", "bench oak", box((x0 + 0.4, y0 - 0.28, 0.95), (x1 - 0.4, y0 + 0.02, 1.0)))
    build.add("kiosk floor", "polished concrete", box((x0, y0, 0), (x1, y1, 0.05)))
    build.add("kiosk roof", "folded zinc", box((x0 - 0.5, y0 - 0.9, h), (x1 + 0.5, y1 + 0.3, h + 0.18)))
    build.add("kiosk sign", "sign red", box((x0 + 0.3, y0 - 0.06, 2.28), (x1 - 0.3, y0, 2.6)))
    build.add(
        "kiosk lamp", "warm lamp", box(((x0 + x1) / 2 - 0.5, 6.4, h - 0.06), ((x0 + x1) / 2 + 0.5, 6.6, h - 0.005))
    )


def _boat_shed(build: Build) -> None:
    x0, x1, y0, y1, eave, ridge = -23.5, -15.5, 5.0, 15.0, 2.9, 5.9
    mid = (x0 + x1) / 2
    gable = [(x0, 0), (x1, 0), (x1, eave), (mid, ridge), (x0, eave)]
    build.add("boat shed wall", "charred boards", extrude_along(gable, 1, y0, y1))
    slope = [(x0 - 0.45, eave - 0.24), (mid, ridge + 0.14), (x1 + 0.45, eave - 0.24)]
    build.add("boat shed roof", "larch shingles", sheet(slope, 1, y0 - 0.5, y1 + 0.4, 0.12))
    build.add("boat shed door", "larch boards", box((mid - 1.9, y0 - 0.09, 0.05), (mid - 0.03, y0 - 0.02, 2.7)),
              box((mid + 0.03, y0 - 0.09, 0.05), (mid + 1.9, y0 - 0.02, 2.7)))  # fmt: skip
    build.add(
        "boat shed door rail frame", "galvanised steel", box((mid - 3.4, y0 - 0.12, 2.72), (mid + 3.4, y0 - 0.03, 2.82))
    )
    build.add(
        "boat shed window glass",
        "clear glass",
        quad((x1 + 0.02, 7.0, 1.0), (x1 + 0.02, 9.0, 1.0), (x1 + 0.02, 9.0, 2.1), (x1 + 0.02, 7.0, 2.1)),
    )
    build.add("boat shed window frame", "dark frame", box((x1, 6.92, 0.92), (x1 + 0.06, 9.08, 1.0)), box((x1, 6.92, 2.1), (x1 + 0.06, 9.08, 2.18)),
              box((x1, 6.92, 1.0), (x1 + 0.06, 7.0, 2.1)), box((x1, 9.0, 1.0), (x1 + 0.06, 9.08, 2.1)), box((x1, 7.96, 1.0), (x1 + 0.06, 8.04, 2.1)))  # fmt: skip


def _neighbours(build: Build) -> None:
    rng = np.random.default_rng(5)
    places = [(-44, 34, 9, 7), (-24, 40, 10, 8), (2, 38, 8, 7), (19, 44, 11, 8), (41, 33, 9, 8)]
    for number, (x, y, w, d) in enumerate(places, 1):
        eave, ridge = rng.uniform(3.2, 5.4), 0.0
        ridge = eave + rng.uniform(2.0, 2.8)
        low, high = x - w / 2, x + w / 2
        profile = [(y, 0), (y + d, 0), (y + d, eave), (y + d / 2, ridge), (y, eave)]
        build.add(f"neighbour {number} wall", "neighbour render", extrude_along(profile, 0, low, high))
        slope = [(y - 0.5, eave - 0.2), (y + d / 2, ridge + 0.25), (y + d + 0.5, eave - 0.2)]
        build.add(f"neighbour {number} roof", "neighbour roof tiles", sheet(slope, 0, low - 0.4, high + 0.4, 0.16))
        panes = []
        for storey in range(1 if eave < 4.4 else 2):
            for cx in np.linspace(low + 1.5, high - 1.5, 3):
                z = 0.9 + storey * 2.6
                panes.append(
                    quad(
                        (cx - 0.5, y - 0.03, z),
                        (cx + 0.5, y - 0.03, z),
                        (cx + 0.5, y - 0.03, z + 1.2),
                        (cx - 0.5, y - 0.03, z + 1.2),
                    )
                )
        build.add(f"neighbour {number} window glass", "clear glass", *panes)


def _planting(build: Build) -> None:
    spots = [(-11.8, 18.5, 8.5), (-3.5, 20.0, 9.5), (6.5, 19.0, 7.5), (12.5, 17.8, 9.0), (21.5, 12.5, 8.0),
             (26.5, 9.5, 6.5), (-28.5, 9.5, 8.5), (-31.5, 13.0, 7.0)]  # fmt: skip
    for number, (x, y, height) in enumerate(spots, 1):
        wood, leaves = birch(x, y, -0.05, height, 100 + number)
        build.add(f"birch {number} trunk", "birch bark", wood)
        build.add(f"birch {number} leaves", "birch leaves", leaves)
    build.add("reeds west", "reed blades", reeds((-44, -3.5, -27, 0.5), 900, WATER - 0.1, 21))
    build.add("reeds east", "reed blades", reeds((25, -3.5, 42, 0.5), 900, WATER - 0.1, 22))
