"""Scenes of no family at all: rooms, places and things whose plan, shape, contents, colours and view are each drawn from wide ranges.

What nobody would build is among them. Whoever learns from these learns what a ceiling is rather than what the ceiling of a kitchen
looks like.
"""

from __future__ import annotations

import numpy as np
from families import car, coloured, front, land, look, size_of, some
from parts import PALETTE, Part, TruthScene, box, chair, flat, person, pyramid, tree, turned, window
from random_scenes import _furnish, _glazed, _house, _moved, _railing, _site, _storey, random_colours

from irodori.core.camera import Camera
from irodori.core.geometry import shapes
from irodori.engine.rays.ray_scene import RayScene

Rng = np.random.Generator
Made = tuple[list[Part], Camera]

KINDS, OFTEN = ("room", "place", "thing"), (0.47, 0.43, 0.10)
"""What a wild scene may be, and how often, in this order, it is."""

NEAREST = {"room": 0.9, "place": 3.0, "thing": 0.4}
"""m that what is seen is away at least, but for a few rays."""

TRIES, RAYS, FEW_RAYS = 12, 9, 0.12
"""Views tried until one shows something, rays each way that tell, and the share of them that may end too near."""

MOST = {"room": 0.62, "place": 0.75, "thing": 0.9}
"""Share of the rays that end on one part, or on none, at most."""


def wild_scene(seed: int) -> TruthScene:
    """One `seed`, one scene."""
    rng = np.random.default_rng([seed, *b"wild"])
    kind = KINDS[int(rng.choice(3, p=OFTEN))]
    make = {"room": _room, "place": _place, "thing": _thing}[kind]
    for _ in range(TRIES):
        parts, camera = make(rng)
        if _shows(parts, camera, NEAREST[kind], MOST[kind]):
            break
    way = rng.random()
    if way < 0.45:
        parts = random_colours(rng, parts)
    elif way < 0.8:
        parts = coloured(rng, parts)
    else:
        parts = _as_layers(rng, parts)
    return TruthScene(f"wild {seed}", parts, camera, kind)


def _shows(parts: list[Part], camera: Camera, nearest: float, most: float) -> bool:
    """Whether a view shows more than the one thing before its eye."""
    step = np.array(camera.size) / RAYS
    pixels = (np.stack(np.meshgrid(np.arange(RAYS), np.arange(RAYS)), axis=-1).reshape(-1, 2) + 0.5) * step
    origins, ways = camera.rays(pixels[:, 0], pixels[:, 1])
    owner = np.repeat(np.arange(len(parts)), [len(part.triangles) for part in parts])
    first, triangle = RayScene(np.concatenate([part.triangles for part in parts]), "own").closest(origins, ways)
    hit = np.where(triangle >= 0, owner[triangle], -1)
    names = [parts[k].name + str(parts[k].colour) if k >= 0 else "" for k in hit]
    near = (first < nearest).mean() if camera.projection == "perspective" else 0.0
    return near < FEW_RAYS and max(map(names.count, set(names))) < most * len(names) and len(set(names)) > 2


def _as_layers(rng: Rng, parts: list[Part]) -> list[Part]:
    """Parts in any colour at all, one for each name: a model coloured by layer."""
    told: dict[str, tuple[int, int, int]] = {}
    grey = rng.uniform(0, 1)
    for part in parts:
        if part.name not in told:
            own = rng.uniform(30, 245, 3)
            told[part.name] = tuple(int(v) for v in own + grey * (own.mean() - own))
    return [part._replace(colour=told[part.name]) for part in parts]


def _plan(rng: Rng, wide: float, deep: float) -> np.ndarray:
    """A plan's outline (N, 2), anticlockwise."""
    w, d = wide / 2, deep / 2
    kind = some(rng, "box", "box", "box", "ell", "skew", "many", "cut", "bow")
    if kind == "ell":
        a, b = rng.uniform(-0.2, 0.6) * w, rng.uniform(-0.2, 0.6) * d
        return np.array([(-w, -d), (w, -d), (w, b), (a, b), (a, d), (-w, d)])
    if kind == "skew":
        return np.array([(-w, -d), (w, -d * rng.uniform(0.6, 1)), (w * rng.uniform(0.6, 1), d), (-w * rng.uniform(0.6, 1), d)])  # fmt: skip
    if kind == "many":
        angle = np.arange(int(rng.integers(5, 9))) * 2 * np.pi
        angle = angle / len(angle) + rng.uniform(0, np.pi)
        return np.stack([w * np.cos(angle), d * np.sin(angle)], axis=1)
    if kind == "cut":
        c = rng.uniform(0.15, 0.7) * min(w, d)
        return np.array([(-w, -d), (w, -d), (w, d - c), (w - c, d), (-w, d)])
    if kind == "bow":
        angle = np.linspace(0, np.pi, 9)
        bow = np.stack([w * np.cos(angle), d * 0.4 + 0.6 * d * np.sin(angle)], axis=1)
        return np.concatenate([[(-w, -d), (w, -d)], bow])
    return np.array([(-w, -d), (w, -d), (w, d), (-w, d)])


def _room(rng: Rng) -> Made:
    """A room of any plan and ceiling, from anywhere within."""
    large = rng.random() < 0.35
    w, d = (rng.uniform(9, 34), rng.uniform(9, 40)) if large else (rng.uniform(2.2, 8.5), rng.uniform(2.6, 9.5))
    h = rng.uniform(3.0, 12) if large else rng.uniform(2.2, 3.8)
    plan = _plan(rng, w, d)
    floor = some(rng, "floor", "floor", "slab", "slate", "paving", "counter")
    parts = [Part("floor", "floor", PALETTE[floor], shapes.prism(plan, -0.1, 0.0))]
    parts += _over(rng, plan, h)
    tall = max(h, max(float(p.triangles[..., 2].max()) for p in parts))
    for n, (a, b) in enumerate(zip(plan, np.roll(plan, -1, axis=0))):
        parts += _inner_wall(rng, a, b, h, tall, n)
    parts += _contents(rng, w, d, h, large)
    inner = rng.uniform(0.05, 0.42)
    angle = rng.uniform(0, 2 * np.pi)
    high = rng.uniform(1.1, 1.75) if rng.random() < 0.75 else rng.uniform(0.5, max(h - 0.4, 0.9))
    place = np.array([w * inner * np.cos(angle), d * inner * np.sin(angle), high])
    to = np.array([-w / 2 * np.cos(angle), -d / 2 * np.sin(angle), 0]) + [*rng.uniform(-0.3, 0.3, 2) * (w, d), 0]
    if rng.random() < 0.2:
        to = np.array([place[0], -d / 2 if place[1] > 0 else d / 2, 0.0])
    level = rng.random() < 0.45
    far = float(np.hypot(*(to - place)[:2]))
    to[2] = high if level else high + far * np.tan(np.radians(rng.normal(-3, 11)))
    return parts, look(rng, tuple(place), tuple(to), (46, 98), 0.12 if level else 0.0)


def _over(rng: Rng, plan: np.ndarray, h: float) -> list[Part]:
    """A ceiling over a plan: even, sloped, pitched, vaulted, stepped, under beams, with lights let in, of glass."""
    key = some(rng, "ceiling", "ceiling", "ceiling", "slab", "timber", "wall", "slate")
    (x0, y0), (x1, y1) = plan.min(axis=0), plan.max(axis=0)
    even = Part("ceiling", "ceiling", PALETTE[key], shapes.prism(plan, h, h + 0.1))
    kind = some(rng, "even", "even", "even", "beams", "beams", "grid", "shed", "pitch", "vault", "step", "rooflights", "glass", "trusses", "bare pipes")  # fmt: skip
    rise = rng.uniform(0.15, 0.6) * (x1 - x0) / 2
    if kind in ("shed", "pitch", "trusses"):
        middle = x0 if kind == "shed" else (x0 + x1) / 2
        sides = ((middle, x1),) if kind == "shed" else ((x0, middle), (middle, x1))
        made = []
        for a, b in sides:
            za, zb = (h + rise * (1 - abs(at - middle) / max(x1 - middle, 1e-6)) for at in (a, b))
            made.append(Part("ceiling", "ceiling", PALETTE[key], shapes.quad((a, y0, za), (b, y0, zb), (b, y1, zb), (a, y1, za))))  # fmt: skip
        if kind == "trusses":
            step = max(rng.uniform(2.2, 4.5), (y1 - y0) / 9)
            for y in np.arange(y0 + 0.5, y1, step):
                made.append(box("tie", "frame", some(rng, "timber", "steel", "frame"), (x0, y, h - 0.1), (x1, y + 0.15, h + 0.15)))  # fmt: skip
                made.append(box("post", "frame", "timber", (middle - 0.08, y, h), (middle + 0.08, y + 0.15, h + rise)))
        return made
    if kind == "vault":
        angle = np.linspace(0, np.pi, 25)
        arc = np.stack([(x0 + x1) / 2 + (x1 - x0) / 2 * np.cos(angle), np.zeros(25), h + rise * np.sin(angle)], axis=1)
        return [Part("ceiling", "ceiling", PALETTE[key], shapes.loft(np.stack([arc + (0, y, 0) for y in (y0, y1)]), closed=False), True)]  # fmt: skip
    if kind == "glass":
        made = [Part("glass roof", "glazing", PALETTE["glazing"], shapes.prism(plan, h, h + 0.05))]
        return made + [box("bar", "frame", "frame", (x, y0, h - 0.15), (x + 0.07, y1, h)) for x in np.linspace(x0, x1, 7)]  # fmt: skip
    made = [even]
    if kind in ("beams", "grid"):
        deep, thick = rng.uniform(0.12, 0.6), rng.uniform(0.08, 0.4)
        beam = some(rng, key, "timber", "slab")
        made += [box("beam", "ceiling", beam, (x0, y, h - deep), (x1, y + thick, h)) for y in np.arange(y0 + 0.5, y1, max(rng.uniform(0.7, 3), (y1 - y0) / 10))]  # fmt: skip
        if kind == "grid":
            made += [box("beam", "ceiling", beam, (x, y0, h - deep), (x + thick, y1, h)) for x in np.arange(x0 + 0.5, x1, max(rng.uniform(0.7, 3), (x1 - x0) / 10))]  # fmt: skip
    if kind == "step":
        made.append(box("drop", "ceiling", some(rng, key, "wall"), (x0, y0, h - rng.uniform(0.2, 0.5)), (x1, y0 + (y1 - y0) * rng.uniform(0.2, 0.6), h)))  # fmt: skip
    if kind == "rooflights":
        for x, y in rng.uniform(plan.min(axis=0) * 0.7, plan.max(axis=0) * 0.7, (int(rng.integers(1, 6)), 2)):
            made.append(box("rooflight", "glazing", "glazing", (x - 0.5, y - 0.7, h - 0.02), (x + 0.5, y + 0.7, h)))
    if kind == "bare pipes":
        made += [Part("pipe", "other", PALETTE["steel"], shapes.tube((x, y0, h - 0.5), (x, y1, h - 0.5), rng.uniform(0.06, 0.3), 12), True) for x in rng.uniform(x0, x1, 3)]  # fmt: skip
    lamps = some(rng, 0, 0, 4, 8, 12)
    if lamps:
        flush = rng.random() < 0.5
        for x, y in rng.uniform(plan.min(axis=0) * 0.8, plan.max(axis=0) * 0.8, (lamps, 2)):
            drop = 0.03 if flush else rng.uniform(0.3, h - 2.0 if h > 2.5 else 0.4)
            made.append(box("lamp", "lamp", some(rng, "lamp", "frame", "counter"), (x - 0.15, y - 0.15, h - drop - 0.05), (x + 0.15, y + 0.15, h - drop)))  # fmt: skip
            if not flush:
                made.append(box("cord", "lamp", "frame", (x - 0.012, y - 0.012, h - drop), (x + 0.012, y + 0.012, h)))
    return made


def _inner_wall(rng: Rng, a: np.ndarray, b: np.ndarray, h: float, tall: float, number: int) -> list[Part]:
    """A wall from a to b, its room to the left, and what is in it; drawn along x at y = 0 facing −y, then brought there."""
    long = float(np.hypot(*(b - a)))
    key = some(rng, "wall", "wall", "wall", "counter", "brick", "timber", "slab", "slate")
    parts = [Part(f"wall {number}" if rng.random() < 0.3 else "wall", "wall", PALETTE[key], shapes.quad((0, 0, 0), (long, 0, 0), (long, 0, tall), (0, 0, tall)))]  # fmt: skip
    what = some(rng, "bare", "bare", "windows", "windows", "glazed", "door", "door", "shelves", "panels", "curtain", "pictures", "dado", "storey")  # fmt: skip
    if long < 1.6:
        what = "bare"
    if what == "windows":
        sill, head, wide = some(rng, 0.05, 0.5, 0.9, 1.2), min(h - 0.2, rng.uniform(1.9, 4.5)), rng.uniform(0.6, 3.2)
        x = rng.uniform(0.2, 0.9)
        while x + wide < long - 0.2 and head > sill + 0.3:
            parts += window(x, x + wide, sill, head, 0.0, bars=int(rng.integers(0, 4)))
            x += wide + rng.uniform(0.08, 1.6)
    elif what == "glazed":
        parts += _glazed(rng, 0.1, long - 0.1, some(rng, 0.02, 0.4, 0.9), h - rng.uniform(0.02, 0.5), 0.0)
    elif what == "shelves":
        x0, x1, deep = *np.sort(rng.uniform(0, long, 2)), rng.uniform(0.2, 0.6)
        top = min(h, rng.uniform(0.8, 2.8))
        parts.append(box("cupboard", "furniture", some(rng, "timber", "counter", "sofa"), (x0, -deep, 0), (max(x1, x0 + 0.6), 0, top)))  # fmt: skip
        parts += [box("board", "furniture", "table", (x0, -deep - 0.02, z), (max(x1, x0 + 0.6), 0, z + 0.03)) for z in np.arange(0.4, top, 0.4)]  # fmt: skip
    elif what == "panels":
        step = rng.uniform(0.4, 1.2)
        parts += [box("batten", "wall", some(rng, key, "timber"), (x, -0.03, 0), (x + rng.uniform(0.02, 0.1), 0, h)) for x in np.arange(0.2, long, step)]  # fmt: skip
    elif what == "curtain":
        parts.append(box("curtain", "fabric", some(rng, "counter", "sofa", "sign", "wall"), (0.1, -0.12, 0.03), (long * rng.uniform(0.2, 0.9), -0.06, h - 0.1)))  # fmt: skip
    elif what == "pictures":
        for x in np.arange(0.6, long - 1.2, rng.uniform(1.2, 2.6)):
            z = rng.uniform(1.0, 1.4)
            parts.append(box("picture", "other", some(rng, "sign", "sofa", "slate", "counter"), (x, -0.03, z), (x + rng.uniform(0.4, 1.1), -0.005, z + rng.uniform(0.4, 1.2))))  # fmt: skip
    elif what == "dado":
        parts.append(box("dado", "wall", some(rng, "timber", "slate", "counter", "sofa"), (0, -0.03, 0), (long, 0, rng.uniform(0.3, 1.4))))  # fmt: skip
    elif what == "storey" and long > 3:
        parts += _storey(rng, long, 0.0, h, rng.random() < 0.6)
    if what == "door" or (what in ("bare", "panels", "dado", "pictures") and rng.random() < 0.3 and long > 1.6):
        x, wide = rng.uniform(0.2, long - 1.3), rng.uniform(0.8, 1.8)
        parts.append(box("door", "door", some(rng, "door", "counter", "timber", "steel"), (x, -0.05, 0), (min(x + wide, long - 0.1), 0, min(h - 0.1, rng.uniform(2.0, 2.4)))))  # fmt: skip
    # The outline runs anticlockwise, so the room lies to the left of a → b: −y when drawn from b to a.
    return _moved(parts, *b, 0.0, turn=float(np.degrees(np.arctan2(*(a - b)[::-1]))))


def _item(rng: Rng) -> list[Part]:
    """A piece of furniture about the origin."""
    kind = some(rng, "chair", "table", "block", "seat", "plinth", "rack", "bed", "screen", "plant", "round", "machine")
    w, d = rng.uniform(0.4, 2.2), rng.uniform(0.4, 1.1)
    key = some(rng, "timber", "table", "sofa", "counter", "slate", "steel", "sign")
    if kind == "chair":
        return chair(0, 0, float(rng.uniform(0, 360)), key)
    if kind == "table":
        top, thick = rng.uniform(0.4, 1.05), rng.uniform(0.02, 0.09)
        legs = [box("leg", "furniture", key, (x, y, 0), (x + 0.06, y + 0.06, top - thick)) for x in (-w / 2, w / 2 - 0.06) for y in (-d / 2, d / 2 - 0.06)]  # fmt: skip
        return [box("top", "furniture", key, (-w / 2, -d / 2, top - thick), (w / 2, d / 2, top)), *legs]
    if kind == "seat":
        return [box("seat", "furniture", key, (-w / 2, -0.4, 0.1), (w / 2, 0.4, 0.42)), box("back", "furniture", key, (-w / 2, 0.22, 0.42), (w / 2, 0.4, rng.uniform(0.65, 1.1)))]  # fmt: skip
    if kind == "rack":
        top = rng.uniform(1.2, 2.4)
        return [box("rack", "furniture", key, (-w / 2, -0.25, z), (w / 2, 0.25, z + 0.03)) for z in np.arange(0.1, top, 0.4)] + [box("upright", "furniture", key, (x, -0.25, 0), (x + 0.04, 0.25, top)) for x in (-w / 2, w / 2 - 0.04)]  # fmt: skip
    if kind == "bed":
        return [box("bed", "furniture", key, (-0.8, -1.0, 0.1), (0.8, 1.0, 0.35)), box("blanket", "fabric", some(rng, "counter", "sofa", "sign"), (-0.82, -1.02, 0.35), (0.82, 0.6, 0.5)), box("pillow", "fabric", "counter", (-0.7, 0.62, 0.35), (0.7, 0.98, 0.5))]  # fmt: skip
    if kind == "screen":
        return [box("screen", some(rng, "wall", "furniture"), key, (-w / 2, -0.04, 0), (w / 2, 0.04, rng.uniform(1.2, 2.4)))]  # fmt: skip
    if kind == "plant":
        high = rng.uniform(0.6, 2.0)
        return [Part("pot", "furniture", PALETTE[key], shapes.cylinder(0, 0, 0, 0.4, 0.2, 0.26, 16), True), Part("plant", "planting", PALETTE["leaf"], shapes.ellipsoid((0, 0, 0.4 + high / 2), (high / 3, high / 3, high / 2), 10), True)]  # fmt: skip
    if kind == "round":
        return [Part("round", "furniture", PALETTE[key], shapes.cylinder(0, 0, 0, rng.uniform(0.3, 1.1), rng.uniform(0.2, 0.9), sides=28), True)]  # fmt: skip
    high = rng.uniform(0.8, 1.3) if kind == "plinth" else rng.uniform(0.3, 2.2)
    made = [box("block", "furniture", key, (-w / 2, -d / 2, 0), (w / 2, d / 2, high))]
    if kind == "machine":
        made += [box("unit", "other", "steel", (-w / 3, -d / 3, high), (w / 4, d / 4, high + rng.uniform(0.1, 0.6))), box("panel", "other", "frame", (-w / 4, -d / 2 - 0.02, high * 0.3), (w / 5, -d / 2, high * 0.7))]  # fmt: skip
    return made


def _contents(rng: Rng, w: float, d: float, h: float, large: bool) -> list[Part]:
    """What stands in a room: one thing many times in rows, many things anywhere, steps, posts, a gallery, a basin."""
    parts: list[Part] = []
    way = rng.random()
    if way < 0.4:
        item, turn = _item(rng), float(some(rng, 0, 0, 90, 180))
        sx, sy = rng.uniform(0.9, 3.2), rng.uniform(0.9, 3.2)
        places = [
            (x, y) for x in np.arange(-w / 2 + 1, w / 2 - 0.8, sx) for y in np.arange(-d / 2 + 1, d / 2 - 0.8, sy)
        ]
        for x, y in places[:60]:
            parts += _moved(item, x, y, 0.0, turn)
    elif way < 0.5 and not large:
        parts += _moved(_furnish(rng, w, d, h), -w / 2, -d / 2)
    if way > 0.3:
        for x, y in rng.uniform(
            (-w / 2 + 0.5, -d / 2 + 0.5), (w / 2 - 0.5, d / 2 - 0.5), (int(rng.integers(1, 14)), 2)
        ):
            parts += _moved(_item(rng), x, y, 0.0, float(some(rng, 0, 90, 180, 270, rng.uniform(0, 360))))
    if rng.random() < 0.25:
        radius, rounded = rng.uniform(0.1, 0.45), rng.random() < 0.5
        for x in np.arange(-w / 2 + 1.5, w / 2 - 1, rng.uniform(3, 7)):
            for y in np.arange(-d / 2 + 1.5, d / 2 - 1, rng.uniform(3, 7)):
                parts.append(Part("column", "column", PALETTE["column"], shapes.cylinder(x, y, 0, h, radius, sides=20), True) if rounded else box("column", "column", some(rng, "column", "wall", "steel"), (x - radius, y - radius, 0), (x + radius, y + radius, h)))  # fmt: skip
    if rng.random() < 0.18:
        count, rise, run = int(rng.integers(4, 18)), rng.uniform(0.15, 0.4), rng.uniform(0.28, 0.9)
        x0, x1 = np.sort(rng.uniform(-w / 2, w / 2, 2)) if rng.random() < 0.6 else (-w / 2, w / 2)
        parts += [box("step", "stair", "stair", (x0, d / 2 - run * (count - n), 0), (max(x1, x0 + 0.9), d / 2, rise * (n + 1))) for n in range(count) if rise * (n + 1) < h - 1]  # fmt: skip
    if rng.random() < 0.15 and h > 4:
        z, edge = rng.uniform(2.4, h - 1.5), rng.uniform(-0.1, 0.35) * d
        parts.append(box("gallery", "slab", "slab", (-w / 2, edge, z), (w / 2, d / 2, z + 0.25)))
        parts += _railing(rng, -w / 2, w / 2, edge, z + 0.25)
    if rng.random() < 0.06:
        parts.append(box("basin", "water", "water", (-w / 4, -d / 4, 0.0), (w / 4, d / 4, 0.02)))
    if rng.random() < 0.2:
        parts.append(flat("rug", "fabric", some(rng, "sofa", "sign", "counter"), *np.sort(rng.uniform(-w / 2, w / 2, 2)), *np.sort(rng.uniform(-d / 2, d / 2, 2)), 0.01))  # fmt: skip
    for _ in range(int(rng.integers(0, 4)) if rng.random() < 0.3 else 0):
        parts += person(*rng.uniform((-w / 2, -d / 2), (w / 2, d / 2)))
    return parts


def _mass(rng: Rng, w: float, d: float, h: float, role: str = "wall") -> list[Part]:
    """A building about the origin: any plan, front and roof."""
    plan, key = _plan(rng, w, d), some(rng, "wall", "wall", "brick", "timber", "slab", "slate", "counter", "steel")
    parts = [Part("walls", role, PALETTE[key], shapes.prism(plan, 0, h))]
    each = rng.uniform(2.7, 4.2)
    storeys = max(int(h // each), 1)
    dress = some(rng, "front", "front", "bands", "fins", "bare", "storeys", "glass")
    if dress == "bands":
        parts += [Part("band", "glazing", PALETTE["glazing"], shapes.prism(plan * 1.004, n * each + each * 0.35, n * each + each * 0.85)) for n in range(storeys)]  # fmt: skip
    elif dress == "glass":
        parts[0] = parts[0]._replace(name="curtain wall", role="glazing" if role == "wall" else role, colour=PALETTE["glazing"])  # fmt: skip
        parts += [Part("slab edge", "slab", PALETTE["slab"], shapes.prism(plan * 1.01, n * each, n * each + 0.35)) for n in range(storeys + 1)]  # fmt: skip
    elif dress != "bare":
        for a, b in zip(plan, np.roll(plan, -1, axis=0)):
            long = float(np.hypot(*(b - a)))
            if long < 2.2:
                continue
            own: list[Part] = []
            if dress == "fins":
                deep = rng.uniform(0.1, 0.5)
                own = [box("fin", "wall", key, (x, -deep, 0), (x + 0.15, 0, h)) for x in np.arange(0.3, long, max(rng.uniform(0.8, 2.5), long / 24))]  # fmt: skip
            elif dress == "storeys" and long > 3:
                own = [p for n in range(min(storeys, 5)) for p in _storey(rng, long, n * each, each, n == 0)]
            elif long > 2.5:
                own = front(rng, 0.3, long - 0.3, 0.0, min(storeys, 12), each)
            parts += _moved(own, *a, 0.0, turn=float(np.degrees(np.arctan2(*(b - a)[::-1]))))
    low, high = plan.min(axis=0), plan.max(axis=0)
    over, rise, skin = rng.uniform(0, 0.9), rng.uniform(0.15, 0.7) * min(w, d), some(rng, "roof", "slate", "slab", "steel")  # fmt: skip
    top = some(rng, "flat", "flat", "pitch", "pitch", "point", "dome", "parapet", "shed")
    if top == "point":
        parts.append(pyramid("pitched roof", skin, low[0] - over, high[0] + over, low[1] - over, high[1] + over, h, (*(low + high) / 2, h + rise)))  # fmt: skip
    elif top == "dome":
        parts.append(Part("dome", "roof", PALETTE[skin], shapes.ellipsoid((0, 0, h), (*(high - low) / 2, rise), 14), True))  # fmt: skip
    elif top in ("pitch", "shed"):
        peak = [(low[0] - over, h), ((low[0] + high[0]) / 2 if top == "pitch" else high[0] + over - 0.01, h + rise), (high[0] + over, h)]  # fmt: skip
        parts.append(Part("pitched roof", "roof", PALETTE[skin], shapes.extrude_along([(y, z) for y, z in peak], 1, low[1] - over, high[1] + over)))  # fmt: skip
    else:
        parts.append(Part("flat roof", "roof", PALETTE[skin], shapes.prism(plan * (1 + over / max(w, d)), h, h + rng.uniform(0.1, 0.6))))  # fmt: skip
        if top == "parapet":
            parts += [box("plant", "other", "steel", (x, y, h), (x + 2, y + 1.4, h + 1.6)) for x, y in rng.uniform(low * 0.5, high * 0.5, (2, 2))]  # fmt: skip
    return parts


def _place(rng: Rng) -> Made:
    """Masses on land in any arrangement, from the ground, from under a roof, from the air, or without perspective."""
    base = some(rng, "paving", "paving", "lawn", "lawn", "ground", "water", "slab")
    parts = [land("paving" if base == "slab" else base, float(some(rng, 60, 120, 400)), base)]
    if rng.random() < 0.15:
        parts = [flat("plate", "ground", some(rng, "slab", "lawn", "counter"), -30, 30, -30, 30, 0.0)]
    scale = some(rng, 0.7, 1.0, 1.0, 2.2)
    kind = some(rng, "one", "one", "row", "row", "scatter", "ring", "grid", "houses")
    spots: list[tuple[float, float, float]] = [(0.0, 0.0, 0.0)]
    if kind == "row":
        side = rng.uniform(5, 14)
        spots = [(x, s * side, 180.0 * (s < 0)) for x in np.arange(-30, 30, rng.uniform(9, 16)) for s in ((-1, 1) if rng.random() < 0.5 else (1,))]  # fmt: skip
    elif kind == "scatter":
        spots = [(*rng.uniform(-40, 40, 2), float(some(rng, 0, 0, 90, rng.uniform(0, 360)))) for _ in range(int(rng.integers(3, 16)))]  # fmt: skip
    elif kind == "ring":
        radius, count = rng.uniform(14, 26), int(rng.integers(3, 9))
        spots = [(radius * np.cos(a), radius * np.sin(a), np.degrees(a) + 90) for a in np.arange(count) * 2 * np.pi / count]  # fmt: skip
    elif kind == "grid":
        step = rng.uniform(16, 26)
        spots = [(x, y, 0.0) for x in np.arange(-2, 3) * step for y in np.arange(-2, 3) * step]
    alike = _mass(rng, rng.uniform(6, 16), rng.uniform(6, 14), rng.uniform(3, 14) * scale) if rng.random() < 0.3 else None  # fmt: skip
    for x, y, turn in spots:
        if kind == "houses":
            made = _moved(_house(rng, rng.uniform(6, 14), rng.uniform(5, 10))[0], -5, -4)
        else:
            far = np.hypot(x, y) > 30 and rng.random() < 0.5
            made = alike or _mass(rng, rng.uniform(5, 18), rng.uniform(5, 15), rng.uniform(2.8, 16) * scale, "context" if far else "wall")  # fmt: skip
        parts += _moved(made, x, y, 0.0, float(turn))
    parts += _between(rng, base)
    if rng.random() < 0.4:
        parts += _moved(_site(rng, base if base in ("paving", "lawn") else "ground", -9.0, -12.0, 12.0), 0, 0, 0.02)
    return _seen_from(rng, parts, scale)


def _between(rng: Rng, base: str) -> list[Part]:
    """Roads, water, walls, stairs, trees, frames and roofs on posts between masses."""
    parts: list[Part] = []
    if rng.random() < 0.45:
        role, key = some(rng, ("paving", "slate"), ("paving", "paving"), ("water", "water"), ("lawn", "lawn"), ("ground", "ground"))  # fmt: skip
        wide, y = rng.uniform(2, 16), rng.uniform(-24, -8)
        strip = [flat("strip", role, key, -90, 90, y, y + wide, 0.03)]
        if role != "water" and rng.random() < 0.6:
            strip += [box("kerb", "paving", "slab", (-90, at, 0), (90, at + 0.2, 0.14)) for at in (y, y + wide)]
            strip += [flat("mark", "paving", "counter", x, x + 2, y + wide / 2, y + wide / 2 + 0.15, 0.04) for x in np.arange(-40, 40, 5)]  # fmt: skip
        parts += [turned(p, float(some(rng, 0, 0, 90, 30))) for p in strip]
    if rng.random() < 0.3:
        x, y, z = *rng.uniform(-14, 14, 2), rng.uniform(2.4, 6)
        w, d = rng.uniform(4, 22), rng.uniform(3, 12)
        parts.append(box("canopy", "roof", some(rng, "slab", "slate", "steel", "timber"), (x - w / 2, y - d / 2 - 8, z), (x + w / 2, y + d / 2 - 8, z + 0.3)))  # fmt: skip
        parts += [Part("post", "column", PALETTE["steel"], shapes.cylinder(px, py - 8, 0, z, 0.12, sides=14), True) for px in np.linspace(x - w / 2 + 0.4, x + w / 2 - 0.4, max(int(w / 4), 2)) for py in (y - d / 2 + 0.4, y + d / 2 - 0.4)]  # fmt: skip
    if rng.random() < 0.2:
        x, n = rng.uniform(-12, 8), int(rng.integers(3, 16))
        parts += [box("step", "stair", "stair", (x, -9 + 0.32 * k, 0), (x + rng.uniform(2, 8), -8.68 + 0.32 * n, 0.165 * (k + 1))) for k in range(n)]  # fmt: skip
    if rng.random() < 0.2:
        parts += _moved(
            _railing(rng, -10, 10, 0.0, 0.0, rng.uniform(0.9, 2.2)), rng.uniform(-6, 6), rng.uniform(-14, -8)
        )
    if rng.random() < 0.25:
        x, y, long = rng.uniform(-16, 4), rng.uniform(-14, -7), rng.uniform(3, 16)
        parts.append(box("low wall", "wall", some(rng, "brick", "slab", "wall"), (x, y, 0), (x + long, y + 0.35, rng.uniform(0.4, 2.4))))  # fmt: skip
    for _ in range(int(rng.integers(0, 14)) if rng.random() < 0.65 else 0):
        x, y = rng.uniform(-34, 34, 2)
        parts += tree(x, y, rng.uniform(3, 12), rng.uniform(0.8, 3.6))
    if rng.random() < 0.3:
        parts += [p for n in range(int(rng.integers(1, 6))) for p in car(rng.uniform(-18, 18), rng.uniform(-20, -9), float(some(rng, 0, 90, 25)))]  # fmt: skip
    for _ in range(int(rng.integers(0, 7)) if rng.random() < 0.4 else 0):
        parts += person(*rng.uniform((-14, -18), (14, -6)))
    if rng.random() < 0.15:
        z = rng.uniform(3.5, 7)
        parts.append(box("bridge", "slab", some(rng, "slab", "steel"), (-40, -13, z), (40, -10, z + 0.6)))
        parts += [box("pier", "column", "slab", (x, -12.5, 0), (x + 0.8, -10.5, z)) for x in np.arange(-36, 40, rng.uniform(8, 16))]  # fmt: skip
    return parts


def _seen_from(rng: Rng, parts: list[Part], scale: float) -> Made:
    angle, way = rng.uniform(0, 2 * np.pi), rng.random()
    out = np.array([np.cos(angle), np.sin(angle)])
    aim = np.array([*rng.uniform(-4, 4, 2), 0.0])
    if way < 0.1:
        rise = np.radians(some(rng, 0.0, 20, 30, 35.26, 45, 60))
        towards = np.array([*out * np.cos(rise), np.sin(rise)])
        return parts, Camera.look(towards * 150 + aim, tuple(aim + [0, 0, 3 * scale]), size=size_of(rng), span=rng.uniform(22, 70))  # fmt: skip
    if way < 0.38:
        far, up = rng.uniform(28, 90), rng.uniform(10, 70)
        return parts, look(rng, (*out * far, up), tuple(aim + [0, 0, rng.uniform(0, 6)]), (36, 74))
    far = rng.uniform(12, 34)
    eye = np.array([*out * far, some(rng, 1.55, 1.65, 1.75, rng.uniform(0.5, 6))])
    if way < 0.5:
        # From under a roof that reaches over the eye.
        z = eye[2] + rng.uniform(0.9, 3)
        across = np.array([-out[1], out[0]])
        ring = np.array([out * (far + 3) + across * s for s in (-1, 1)] + [out * (far - rng.uniform(1.5, 6)) - across * s for s in (-1, 1)])  # fmt: skip
        ring = ring + np.array([-across, across, across, -across]) * rng.uniform(3, 8)
        parts = [*parts, Part("roof overhead", some(rng, "soffit", "slab", "roof"), PALETTE[some(rng, "timber", "slab", "wall")], shapes.prism(ring, z, z + 0.3))]  # fmt: skip
        parts += [Part("post", "column", PALETTE["steel"], shapes.cylinder(*at, 0, z, 0.1, sides=14), True) for at in ring[2:]]  # fmt: skip
    level = rng.random() < 0.4
    to = aim + [0, 0, eye[2] if level else rng.uniform(0.5, 6 * scale)]
    return parts, look(rng, tuple(eye), tuple(to), (44, 92), 0.16 if level else 0.0)


def _thing(rng: Rng) -> Made:
    """One thing, or a few, on plain ground or on none."""
    parts: list[Part] = []
    ground = some(rng, "none", "floor", "floor", "plate")
    if ground != "none":
        reach = 14.0 if ground == "floor" else rng.uniform(0.8, 1.6)
        parts.append(flat("ground", some(rng, "floor", "ground", "paving"), some(rng, "counter", "slab", "wall", "slate"), -reach, reach, -reach, reach, 0.0))  # fmt: skip
    for _ in range(int(some(rng, 1, 1, 2, 3))):
        parts += _moved(_item(rng), *rng.uniform(-0.9, 0.9, 2), 0.0, float(rng.uniform(0, 360)))
    if rng.random() < 0.4:
        for _ in range(int(rng.integers(1, 6))):
            a, s = rng.uniform((-0.6, -0.6, 0), (0.6, 0.6, 1.2)), rng.uniform(0.05, 0.8, 3)
            parts.append(box("part", "furniture", some(rng, "timber", "steel", "sofa", "sign"), a, a + s))
    angle, far = rng.uniform(0, 2 * np.pi), rng.uniform(2.2, 5)
    place = (far * np.cos(angle), far * np.sin(angle), rng.uniform(0.5, 3.2))
    if rng.random() < 0.2:
        return parts, Camera.look(np.array(place) * 8, (0, 0, 0.4), size=size_of(rng), span=rng.uniform(1.6, 3.2))
    return parts, look(rng, place, (0, 0, rng.uniform(0.2, 0.7)), (24, 56))
