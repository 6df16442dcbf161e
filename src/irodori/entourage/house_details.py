"""What a plain block lacks to be somebody's house: casings and a door, gutters, a chimney, the path to the door."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from irodori.core.geometry.shapes import box, extrude_along, quarter_turned, swept
from irodori.entourage.catalogue import Part, painted
from irodori.finishes import find_finish

DOOR = (0.96, 2.08)
"""Width and height of a door's leaf, m."""

STEP = 0.16
"""Height of the step before a door, m."""

SHUTTERS = ("#5d6c5c", "#74564a", "#51606e", "#8a8274")
DOORS = ("#3f5a4c", "#7a3b32", "#39536b", "#6a4a33")
"""Colours of shutters and doors, weathered by taste more than by weather."""

Opening = tuple[float, float, float, float]
"""Where a wall is open: left, right, bottom, top, m from the wall's middle (seen from inside) and from the ground."""


@dataclass(frozen=True, eq=False)
class Side:
    """One wall of a house: half its length, its distance from the middle, how far round it looks (quarter turns from the front,
    which looks north), its height up to the eaves, m, and its openings."""

    half: float
    away: float
    quarter: int
    tall: float
    openings: tuple[Opening, ...] = ()

    def placed(self, triangles: np.ndarray) -> np.ndarray:
        """From the wall's own frame (along it to the right seen from inside, out, up) to that of the house."""
        return quarter_turned(triangles, self.quarter)

    def outside(self, low, high) -> np.ndarray:
        """A box in the wall's frame, `y` from its face outwards."""
        (x0, y0, z0), (x1, y1, z1) = low, high
        return self.placed(box((x0, y0 + self.away, z0), (x1, y1 + self.away, z1)))

    def free(self, wide: float, low: float, high: float, margin: float = 0.45) -> list[tuple[float, float]]:
        """Places (from, to) along the wall, at least `wide`, that have no opening between two heights."""
        taken = sorted((a - 0.2, b + 0.2) for a, b, z0, z1 in self.openings if z0 < high and z1 > low)
        out, start = [], -self.half + margin
        for a, b in [*taken, (self.half - margin, self.half)]:
            if a - start >= wide:
                out.append((start, a))
            start = max(start, b)
        return out


@dataclass(frozen=True, eq=False)
class Shell:
    """A plain house about the middle of its foot, its ridge along x: its four sides, the front first, then clockwise from above;
    its roof's lowest edges along x, how far out they are (`reach`), their level (`drip`), from where to where they run (`verge`),
    and the ridge's height; None for a flat roof, which has no edges."""

    sides: tuple[Side, Side, Side, Side]
    ridge: float | None
    reach: float
    drip: float
    verge: float

    @property
    def tallest(self) -> float:
        """Height of what is built, m."""
        return self.sides[0].tall if self.ridge is None else self.ridge


def door_place(side: Side) -> float | None:
    """Where a wall without a door takes one: the middle of it, m along the wall. None where there is no place."""
    if side.tall < DOOR[1] + 0.25 or any(low < 0.35 for _, _, low, _ in side.openings):
        return None
    places = side.free(DOOR[0] + 0.3, 0.0, DOOR[1] + 0.2, 0.5)
    if not places:
        return None
    # The one nearest to the middle: where a hall and stairs would be.
    a, b = min(places, key=lambda place: abs(place[0] + place[1]))
    slack = (b - a) / 2 - DOOR[0] / 2 - 0.15
    return float(np.clip(0.0, (a + b) / 2 - slack, (a + b) / 2 + slack))


def build_details(shell: Shell, door: int | None, path: float, seed: int) -> list[Part]:
    """What is built onto a house, in its own frame.

    Parameters
    ----------
    door
        Which side gets a door, if any.
    path
        How far a path leads away from the door, m; 0 for none.
    """
    rng = np.random.default_rng(seed)
    shutters, leaf = str(rng.choice(SHUTTERS)), str(rng.choice(DOORS))
    has_shutters = rng.uniform() < 0.6
    white, stone, paint, metal, brick, gravel = [], [], [], [], [], []
    for side in shell.sides:
        for opening in side.openings:
            _casing(side, opening, white, stone, paint if has_shutters else None)
    parts = []
    if door is not None:
        side = shell.sides[door]
        middle = door_place(side)
        if middle is not None:
            parts += _door(side, middle, leaf, white, stone, metal)
            if path:
                gravel.append(side.outside((middle - 0.6, 0.45, -0.05), (middle + 0.6, path, 0.025)))
    if shell.ridge is not None:
        _roof(shell, metal, brick, stone, rng)
    made: tuple[tuple[list[np.ndarray], Callable], ...] = (
        (white, lambda: painted("gloss paint", "#e9e6de", 0.35)), (stone, lambda: find_finish("ashlar limestone")),
        (paint, lambda: painted("gloss paint", shutters, 0.3)), (metal, lambda: find_finish("galvanised steel")),
        (brick, lambda: find_finish("red brick, stretcher bond")), (gravel, lambda: find_finish("gravel")),
    )  # fmt: skip
    return [*parts, *(Part(np.concatenate(some), finish(), "context") for some, finish in made if some)]


def _casing(side: Side, opening: Opening, white: list, stone: list, paint: list | None) -> None:
    """A frame with a post and a rail about a pane, a sill under it, and shutters folded back where there is room."""
    left, right, low, high = opening
    wide, tall = right - left, high - low
    if min(wide, tall) < 0.35:
        return
    frame, out = 0.07, 0.035
    bars = [
        (left - 0.05, left + frame, low, high), (right - frame, right + 0.05, low, high),
        (left, right, low, low + frame), (left, right, high - frame, high + 0.05),
    ]  # fmt: skip
    posts = max(1, round(wide / 0.62)) if wide < 2.6 else max(1, round(wide / 1.1))
    bars += [(x - 0.025, x + 0.025, low, high) for x in np.linspace(left, right, posts + 1)[1:-1]]
    if tall > 1.0:
        bars.append((left, right, low + 0.66 * tall - 0.025, low + 0.66 * tall + 0.025))
    white += [side.outside((a, -0.02, z0), (b, out, z1)) for a, b, z0, z1 in bars]
    if low > 0.3:
        stone.append(side.outside((left - 0.12, -0.02, low - 0.07), (right + 0.12, 0.12, low)))
    half = wide / 2
    others = [o for o in side.openings if o is not opening]
    crowded = any(o[0] < right + half + 0.1 and o[1] > left - half - 0.1 for o in others)
    fits = left - half > -side.half + 0.1 and right + half < side.half - 0.1
    if paint is None or crowded or not fits or not 0.5 < wide < 1.9 or tall < 0.7:
        return
    for a in (left - half - 0.05, right + 0.05):
        paint.append(side.outside((a, 0.0, low - 0.02), (a + half, 0.03, high + 0.02)))
        # Slats stand out of the frame of a shutter.
        for z in np.arange(low + 0.08, high - 0.08, 0.075):
            paint.append(side.outside((a + 0.06, 0.03, z), (a + half - 0.06, 0.042, z + 0.045)))


def _door(side: Side, middle: float, colour: str, white: list, stone: list, metal: list) -> list[Part]:
    wide, tall = DOOR[0] / 2, STEP + DOOR[1]
    bars = [
        (middle - wide - 0.09, middle - wide, STEP, tall + 0.09), (middle + wide, middle + wide + 0.09, STEP, tall + 0.09),
        (middle - wide, middle + wide, tall, tall + 0.09),
    ]  # fmt: skip
    white += [side.outside((a, -0.02, z0), (b, 0.05, z1)) for a, b, z0, z1 in bars]
    leaf = [side.outside((middle - wide, -0.02, STEP), (middle + wide, 0.018, tall))]
    # Two panels below, a light above.
    for z0, z1 in ((STEP + 0.14, STEP + 0.55), (STEP + 0.65, STEP + 1.1)):
        leaf.append(side.outside((middle - wide + 0.14, 0.018, z0), (middle + wide - 0.14, 0.03, z1)))
    pane = side.outside((middle - wide + 0.16, 0.0, STEP + 1.24), (middle + wide - 0.16, 0.022, tall - 0.16))
    stone.append(side.outside((middle - wide - 0.3, -0.02, -0.1), (middle + wide + 0.3, 0.5, STEP)))
    metal.append(side.outside((middle + wide - 0.12, 0.018, STEP + 1.0), (middle + wide - 0.09, 0.075, STEP + 1.13)))
    # A small roof over it keeps the rain off.
    hood = [(0.0, tall + 0.34), (0.0, tall + 0.28), (0.72, tall + 0.16), (0.72, tall + 0.2)]
    over = extrude_along([(y + side.away, z) for y, z in hood][::-1], 0, middle - wide - 0.25, middle + wide + 0.25)
    return [
        Part(np.concatenate(leaf), painted("gloss paint", colour, 0.35), "context"),
        Part(pane, painted("gloss paint", "#20262b", 0.9), "context"),
        Part(side.placed(over), find_finish("standing seam zinc").only_unit(), "context"),
    ]


def _roof(shell: Shell, metal: list, brick: list, stone: list, rng) -> None:
    """Gutters along the eaves with a pipe at one end each, a chimney through the ridge."""
    turn = np.linspace(np.pi, 2 * np.pi, 7)
    outer = [(0.075 * np.cos(t), 0.07 * np.sin(t)) for t in turn]
    for sign in (1, -1):
        y, z = sign * (shell.reach + 0.07), shell.drip + 0.01
        for (y0, z0), (y1, z1) in zip(outer[:-1], outer[1:]):
            strip = [(y + y0, z + z0), (y + y0 * 0.9, z + z0 * 0.9), (y + y1 * 0.9, z + z1 * 0.9), (y + y1, z + z1)]
            metal.append(extrude_along(strip, 0, -shell.verge, shell.verge))
        corner = sign * (shell.sides[1].away - 0.16)
        wall = sign * (shell.sides[0].away + 0.06)
        knee = shell.drip - 0.12 - 0.9 * abs(y - wall)
        pipe = [(corner, y, z - 0.06), (corner, y, shell.drip - 0.14), (corner, wall, knee), (corner, wall, 0.05)]
        metal.append(swept(pipe, [0.042] * 4, 8))
    x = shell.verge * rng.choice([-1, 1]) * rng.uniform(0.3, 0.55)
    y = rng.choice([-1, 1]) * 0.12 * shell.reach
    top = shell.ridge + rng.uniform(0.7, 1.0)
    foot = shell.ridge - 0.4 * (shell.ridge - shell.drip)
    brick.append(box((x - 0.34, y - 0.27, foot), (x + 0.34, y + 0.27, top)))
    stone.append(box((x - 0.4, y - 0.33, top), (x + 0.4, y + 0.33, top + 0.07)))
    for dx in (-0.15, 0.15):
        brick.append(swept([(x + dx, y, top + 0.07), (x + dx, y, top + 0.36)], [0.1, 0.085], 10))
