"""Shrubs, clipped shapes, hedges, grasses, beds and climbers."""

from __future__ import annotations

import numpy as np

from irodori.core.geometry.frames import unit_rows
from irodori.core.geometry.shapes import box, ellipsoid, swept
from irodori.entourage.catalogue import Kind, Part, foliage, painted, toned
from irodori.entourage.leaves import blades, lay_leaves, lay_petals, two_tones

DARK = 0.55
"""Tone of the inside of a clipped plant."""


def grow_shrub(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A loose shrub of many stems, with flower heads where it has them."""
    rng = np.random.default_rng(seed)
    radius, height = kind.spread / 2, kind.height
    stems, tips = [], []
    for _ in range(int(16 + 10 * share)):
        angle, out = rng.uniform(0, 2 * np.pi), np.sqrt(rng.uniform(0, 1))
        top = np.array([np.cos(angle) * radius * out, np.sin(angle) * radius * out, 0])
        top[2] = height * (1 - 0.45 * out**2) * rng.uniform(0.8, 1.0)
        bend = top * [0.45, 0.45, 0.55]
        stems.append(swept([top * [0.12, 0.12, 0.0], bend, top], [0.012, 0.008, 0.004], 4))
        tips.append((bend, top))
    parts = [Part(np.concatenate(stems), painted("bark", kind.bark), "planting")]
    colour = kind.colour(season)
    if not colour:
        return parts
    count = max(int(kind.leaves * share), 120)
    pick = rng.integers(0, len(tips), count)
    a, b = (np.array([t[i] for t in tips])[pick] for i in (0, 1))
    f = rng.uniform(0, 1.05, (count, 1)) ** 0.7
    at = a + (b - a) * f + rng.normal(0, radius * 0.16, (count, 3))
    at[:, 2] = np.abs(at[:, 2])
    size = kind.leaf / np.sqrt(share) * rng.uniform(0.75, 1.25, count)
    outward = unit_rows(at - [0, 0, height * 0.4])
    other = pick % 3 == 0
    parts += two_tones(at, outward, size, "broad", rng, other, colour, 1.16)
    if kind.flowers and season in ("summer", "autumn"):
        heads = np.array([t[1] for t in tips])[: int(len(tips) * 0.8)] + [0, 0, 0.03]
        petals = np.repeat(heads, 40, axis=0)
        ball = unit_rows(rng.normal(size=petals.shape)) * 0.075 * rng.uniform(0.7, 1.0, (len(petals), 1))
        parts.append(
            Part(
                lay_petals(petals + ball * [1, 1, 0.7], np.full(len(petals), 0.03), rng),
                foliage(kind.flowers),
                "planting",
            )
        )
    return parts


def _clipped(core, at, outward, kind, colour, share, rng) -> list[Part]:
    """A dark core and leaves over it."""
    size = kind.leaf / np.sqrt(share) * rng.uniform(0.75, 1.3, len(at))
    leaves = lay_leaves(at + outward * rng.normal(0, kind.leaf * 0.55, (len(at), 1)), outward * 1.6, size, "broad", rng)
    other = rng.uniform(size=len(leaves) // 2) < 0.35
    other = np.concatenate([other, other, np.zeros(len(leaves) - 2 * len(other), bool)])
    return [
        Part(core, foliage(toned(colour, DARK)), "planting"),
        Part(leaves[~other], foliage(colour), "planting"),
        Part(leaves[other], foliage(toned(colour, 1.2)), "planting"),
    ]


def grow_clipped(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A clipped ball."""
    rng = np.random.default_rng(seed)
    half = np.array([kind.spread / 2, kind.spread / 2, kind.height / 2])
    count = max(int(kind.leaves * share), 150)
    way = unit_rows(rng.normal(size=(count, 3)))
    centre = np.array([0, 0, kind.height / 2])
    return _clipped(ellipsoid(centre, half * 0.93, 10), centre + way * half, way, kind, kind.colour(season), share, rng)


def grow_hedge(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """One length of a clipped hedge, along y, as long as its spacing."""
    rng = np.random.default_rng(seed)
    deep, long, tall = kind.spread / 2, kind.spacing / 2, kind.height
    count = max(int(kind.leaves * share), 100)
    areas = np.array([2 * long * tall, 2 * long * tall, 4 * deep * long])
    face = rng.choice(3, count, p=areas / areas.sum())
    u, v = rng.uniform(-1, 1, count), rng.uniform(0, 1, count)
    at = np.empty((count, 3))
    at[:, 0] = np.select([face == 0, face == 1], [deep, -deep], deep * u)
    at[:, 1] = long * 1.06 * (2 * rng.uniform(0, 1, count) - 1)
    at[:, 2] = np.where(face == 2, tall, tall * v)
    outward = np.zeros((count, 3))
    outward[:, 0] = np.select([face == 0, face == 1], [1.0, -1.0], 0.0)
    outward[:, 2] = face == 2
    # Shears leave soft shoulders and slight waves.
    at[:, 0] *= 1 - 0.12 * np.clip(at[:, 2] / tall - 0.8, 0, 1) / 0.2
    at += outward * rng.normal(0, 0.018, (count, 1))
    core = box((-deep * 0.9, -long * 1.02, 0), (deep * 0.9, long * 1.02, tall * 0.97))
    return _clipped(core, at, outward, kind, kind.colour(season), share, rng)


def grow_grass(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A tuft of grass or reeds, with plumes or flowers where it has them."""
    rng = np.random.default_rng(seed)
    count = max(int(kind.blades * max(share, 0.2)), 6)
    angle, out = rng.uniform(0, 2 * np.pi, count), np.sqrt(rng.uniform(0, 1, count))
    foot = kind.spread * (0.12 if kind.arch > 0.5 else 0.5)
    root = np.column_stack([np.cos(angle) * out * foot, np.sin(angle) * out * foot, np.zeros(count)])
    tall = kind.height * rng.uniform(0.6, 1.0, count)
    lean = np.column_stack([np.cos(angle), np.sin(angle)]) * (kind.arch * tall * rng.uniform(0.3, 1.0, count))[:, None]
    lean += rng.normal(0, 0.06, (count, 2)) * tall[:, None]
    width = (0.0032 + 0.0045 * kind.height) * rng.uniform(0.7, 1.2, count) / np.sqrt(max(share, 0.2))
    colour = kind.colour(season) or kind.summer
    green = blades(root, lean, tall, width, kind.arch)
    other = np.tile(rng.uniform(size=count) < 0.35, 5)
    parts = [
        Part(green[~other], foliage(colour), "planting"),
        Part(green[other], foliage(toned(colour, 1.2)), "planting"),
    ]
    if kind.plumes and season != "spring":
        some = np.flatnonzero(rng.uniform(size=count) < 0.4)
        tops = root[some] + np.column_stack([lean[some], tall[some] * (1.12 - 0.3 * kind.arch)])
        # A stalk carries each plume over the blades.
        stalk = blades(root[some], lean[some], tall[some] * 1.1, width[some] * 0.5, kind.arch * 0.6)
        tuft = np.repeat(tops, 9, axis=0)
        tuft[:, 2] -= rng.uniform(0, 0.1 * kind.height, len(tuft))
        feathers = lay_leaves(
            tuft + rng.normal(0, 0.014, tuft.shape),
            unit_rows(rng.normal(size=tuft.shape)),
            np.full(len(tuft), 0.05 * kind.height + 0.02),
            "narrow",
            rng,
        )
        parts.append(Part(np.concatenate([stalk, feathers]), foliage(kind.plumes), "planting"))
    if kind.flowers and season in ("spring", "summer"):
        some = np.flatnonzero(rng.uniform(size=count) < 0.16)
        tops = root[some] + np.column_stack([lean[some] * 0.8, tall[some] * (1.02 - 0.4 * kind.arch)])
        parts.append(
            Part(lay_petals(tops, rng.uniform(0.018, 0.035, len(some)), rng), foliage(kind.flowers), "planting")
        )
    return [p for p in parts if len(p.triangles)]


def grow_bed(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A clump of perennials: a cushion of leaves with flower spikes in one of the bed's colours."""
    rng = np.random.default_rng(seed)
    colour = kind.colour(season) or kind.summer
    count = max(int(kind.leaves * share), 60)
    way = unit_rows(np.abs(rng.normal(size=(count, 3))) * [1, 1, 1.0] * rng.choice([-1, 1], (count, 3)))
    way[:, 2] = np.abs(way[:, 2])
    tall = kind.height * rng.uniform(0.75, 1.1)
    at = way * [kind.spread / 2, kind.spread / 2, tall * 0.62] * rng.uniform(0.5, 1.0, (count, 1))
    size = kind.leaf / np.sqrt(share) * rng.uniform(0.8, 1.6, count)
    parts = [Part(lay_leaves(at, way, size, "broad", rng), foliage(colour), "planting")]
    if season in ("spring", "summer", "autumn") and kind.flowers:
        tones = (kind.flowers, *kind.more_flowers)
        spikes = 14
        angle, out = rng.uniform(0, 2 * np.pi, spikes), np.sqrt(rng.uniform(0, 1, spikes)) * kind.spread * 0.45
        foot = np.column_stack([np.cos(angle) * out, np.sin(angle) * out, np.full(spikes, tall * 0.5)])
        rise = rng.uniform(0.3, 0.52, spikes) * tall
        petals = np.repeat(foot, 12, axis=0)
        petals[:, 2] += np.repeat(rise, 12) * np.tile(np.linspace(0.35, 1.0, 12), spikes)
        petals += rng.normal(0, 0.012, petals.shape)
        stems = blades(foot, rng.normal(0, 0.02, (spikes, 2)), rise, np.full(spikes, 0.003), 0.0)
        parts.append(Part(stems, foliage(colour), "planting"))
        parts.append(
            Part(
                lay_petals(petals, rng.uniform(0.02, 0.035, len(petals)), rng),
                foliage(tones[seed % len(tones)]),
                "planting",
            )
        )
    return parts


def grow_climber(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A climber on a wall that faces north (+y) from its foot at the origin."""
    rng = np.random.default_rng(seed)
    stems, points = [], []
    for _ in range(9):
        steps = 14
        x = np.cumsum(rng.normal(0, 0.1, steps)) * kind.spread * 0.45 + rng.uniform(-0.1, 0.1)
        z = np.linspace(0, kind.height * rng.uniform(0.55, 1.0), steps)
        line = np.column_stack([np.clip(x, -kind.spread / 2, kind.spread / 2), np.full(steps, 0.03), z])
        stems.append(swept(line, np.linspace(0.016, 0.004, steps), 4))
        points.append(line[2:])
    parts = [Part(np.concatenate(stems), painted("bark", kind.bark), "planting")]
    colour = kind.colour(season)
    if not colour:
        return parts
    base = np.concatenate(points)
    count = max(int(kind.leaves * share), 150)
    at = base[rng.integers(0, len(base), count)] + rng.normal(0, [0.16, 0.0, 0.16], (count, 3))
    at[:, 1] = 0.05 + np.abs(rng.normal(0, 0.05, count))
    at[:, 2] = np.abs(at[:, 2])
    size = kind.leaf / np.sqrt(share) * rng.uniform(0.7, 1.3, count)
    outward = np.tile([0, 1.6, 0], (count, 1))
    other = rng.uniform(size=count) < 0.35
    parts += two_tones(at, outward, size, "broad", rng, other, colour, 1.18)
    return parts
