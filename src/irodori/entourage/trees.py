"""Broadleaved trees and pines: a skeleton that grows towards free space, and leaves on its twigs.

Limbs grow by space colonisation (Runions, Lane and Prusinkiewicz, "Modeling trees with a space colonization algorithm",
2007) inside the crown's outline; their thickness follows the pipe model (Shinozaki et al., 1964), with the exponent that gives the kind its trunk.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.geometry.frames import unit_rows
from irodori.core.geometry.shapes import swept
from irodori.entourage.catalogue import Kind, Part, painted
from irodori.entourage.leaves import two_tones

STEPS = 26
"""Steps of growth from the ground to the top."""

TWIG = 0.0055
"""Radius of the last twigs, m."""


@dataclass(frozen=True, eq=False)
class Skeleton:
    """Nodes `place` (N, 3) m, the `parent` of each (N,; −1 for the root), `radius` (N,) m, `tips` (N,) carried."""

    place: np.ndarray
    parent: np.ndarray
    radius: np.ndarray
    tips: np.ndarray


def crown_radius(kind: Kind, t: np.ndarray) -> np.ndarray:
    """Radius of the crown at heights t (0 its foot … 1 its top), m."""
    heights, radii = np.array(kind.crown).T
    return np.interp(t, heights, radii) * kind.spread / 2


def grow_skeleton(kind: Kind, rng: np.random.Generator) -> Skeleton:
    """Grow the wood of a tree of a kind."""
    from scipy.spatial import cKDTree

    foot = kind.height * kind.clear
    depth = kind.height - foot
    step = kind.height / STEPS
    wanted = 750
    t = rng.uniform(0, 1, wanted * 8)
    radius = crown_radius(kind, t)
    t = t[rng.uniform(0, 1, len(t)) < (radius / radius.max()) ** 1.5][:wanted]
    angle = rng.uniform(0, 2 * np.pi, len(t))
    # Bumpy outline: a crown is made of a few masses, not turned on a lathe.
    lobes = 1 + 0.16 * np.sin(3 * angle + 9 * t + rng.uniform(0, 6)) + 0.1 * np.sin(5 * angle - 14 * t)
    out = crown_radius(kind, t) * lobes * rng.uniform(0.12, 1.0, len(t)) ** 0.5
    goals = np.column_stack([np.cos(angle) * out, np.sin(angle) * out, foot + t * depth])
    nodes, parent = _trunk(kind, foot, depth, step, rng)
    pull = np.array([0, 0, 0.25 - 0.35 * max(kind.droop, 0.0) - 0.9 * min(kind.droop, 0.0)])
    for _ in range(4 * STEPS):
        distance, near = cKDTree(nodes).query(goals)
        goals, near = goals[distance > 1.15 * step], near[distance > 1.15 * step]
        if not len(goals):
            break
        sums = np.zeros_like(nodes)
        np.add.at(sums, near, unit_rows(goals - nodes[near]))
        growing = np.unique(near)
        way = unit_rows(unit_rows(sums[growing]) + pull + 0.12 * rng.normal(size=(len(growing), 3)))
        fresh = nodes[growing] + way * step
        free = cKDTree(nodes).query(fresh)[0] > 0.35 * step
        if not free.any():
            break
        parent = np.concatenate([parent, growing[free]])
        nodes = np.concatenate([nodes, fresh[free]])
    return _thicken(nodes, parent, kind.girth * kind.height)


def _trunk(kind, foot, depth, step, rng):
    top = foot + depth * kind.leader * 0.92
    count = max(int(top / step), 2)
    z = np.linspace(0, top, count + 1)
    sway = (
        np.cumsum(rng.normal(0, 0.014, (count + 1, 2)) * kind.height**0.5, axis=0)
        * np.linspace(0.2, 1, count + 1)[:, None]
    )
    sway -= sway[0]
    return np.column_stack([sway, z]), np.arange(count + 1) - 1


def _thicken(nodes: np.ndarray, parent: np.ndarray, trunk: float) -> Skeleton:
    count = len(nodes)
    tips = np.where(np.bincount(parent[parent >= 0], minlength=count) == 0, 1.0, 0.0)
    # Children always come after their parents.
    for i in range(count - 1, 0, -1):
        tips[parent[i]] += tips[i]
    power = np.log(max(trunk / TWIG, 1.1)) / np.log(max(tips[0], 2.0))
    return Skeleton(nodes, parent, TWIG * tips**power, tips)


def wood_of(skeleton: Skeleton, thinnest: float, flare: float) -> np.ndarray:
    """Bark triangles (T, 3, 3); branches thinner than `thinnest` m are left out, the foot widens by `flare`."""
    place, parent, radius = skeleton.place, skeleton.parent, skeleton.radius.copy()
    radius *= 1 + flare * np.exp(-place[:, 2] / (3 * radius[0] + 1e-6))
    order = np.argsort(-radius[1:], kind="stable") + 1
    heir = np.full(len(place), -1)
    for i in order:
        if heir[parent[i]] < 0:
            heir[parent[i]] = i
    out = []
    starts = [0] + [i for i in range(1, len(place)) if heir[parent[i]] != i]
    for start in starts:
        chain = [start] if start == 0 else [parent[start], start]
        while heir[chain[-1]] >= 0:
            chain.append(heir[chain[-1]])
        sizes = radius[chain]
        if start:
            sizes[0] = min(sizes[0], sizes[1] * 1.15)
        keep = int((sizes >= thinnest).sum())
        if keep < 2:
            continue
        sides = 9 if sizes[0] > 0.08 else 6 if sizes[0] > 0.03 else 4
        out.append(swept(place[chain[:keep]], sizes[:keep], sides))
    return np.concatenate(out)


def grow_tree(kind: Kind, season: str, share: float, seed: int) -> list[Part]:
    """A broadleaved tree or pine in its catalogue size.

    `share` 0 … 1 of the full number of leaves, larger ones in exchange: for trees far away.
    """
    rng = np.random.default_rng(seed)
    skeleton = grow_skeleton(kind, rng)
    bark = painted("bark", kind.bark)
    parts = [Part(wood_of(skeleton, 0.0 if share > 0.25 else 0.012, 0.5), bark, "planting")]
    colour = kind.colour(season)
    if not colour:
        return parts
    base, way = _twigs(kind, skeleton, rng)
    count = max(int(kind.leaves * share * (0.8 if season == "spring" else 1.0)), 200)
    chosen = rng.integers(0, len(base), count)
    reach = kind.height / STEPS * 0.62
    at = base[chosen] + way[chosen] * rng.uniform(-0.3, 1.1, (count, 1)) + rng.normal(0, reach * 0.72, (count, 3))
    if kind.droop > 0:
        at[:, 2] -= kind.droop * kind.height * 0.05 * rng.uniform(0, 1, count) ** 1.5
    if kind.droop > 1:
        at = _strands(kind, base, count, rng)
    at[:, 2] = np.maximum(at[:, 2], 0.06 * kind.height)
    middle = np.array([0, 0, kind.height * (0.45 + 0.55 * kind.clear)])
    outward = unit_rows((at - middle) * [1, 1, 0.7])
    size = kind.leaf / np.sqrt(share) * rng.uniform(0.75, 1.25, count)
    # Twigs differ: those of one side of the colour make a second part.
    other = (chosen * 2654435761 % 97) < 38
    return parts + two_tones(at, outward, size, kind.leaf_shape, rng, other, colour, 1.18)


def _twigs(kind: Kind, skeleton: Skeleton, rng) -> tuple[np.ndarray, np.ndarray]:
    """Feet and directions (m) of the wood that carries leaves."""
    young = np.flatnonzero((skeleton.tips <= 3) & (skeleton.parent >= 0))
    start = skeleton.place[skeleton.parent[young]]
    return start, skeleton.place[young] - start


def _strands(kind: Kind, base: np.ndarray, count: int, rng) -> np.ndarray:
    """Places along strands that hang from the outer twigs."""
    strands = max(count // 60, 60)
    out = np.hypot(base[:, 0], base[:, 1])
    chance = (out + 0.3) / (out + 0.3).sum()
    root = base[rng.choice(len(base), strands, p=chance)]
    long = np.minimum(root[:, 2] * rng.uniform(0.45, 0.9, strands), kind.height * 0.75)
    pick = rng.integers(0, strands, count)
    f = rng.uniform(0, 1, count)
    sway = unit_rows(np.column_stack([root[:, :2], np.zeros(strands)]) + 1e-6) * 0.55
    at = root[pick] + sway[pick] * (1 - (1 - f[:, None]) ** 2) * 0.9
    at[:, 2] -= f * long[pick]
    return at + rng.normal(0, 0.045, (count, 3))
