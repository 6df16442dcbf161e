"""How masons set out their courses, so that sills and heads of openings fall on bed joints.

A bricklayer knows the heights of the openings before the first course and spreads the difference over all bed joints.
Walls of one finish that meet are set out together: their courses turn the corners.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irodori.core.geometry.surface_measures import SurfaceMeasures
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.finishes.catalogue import Finish
from irodori.scene.assign import all_surfaces

IN_OPENINGS = ("glazing", "door", "frame")

BEDDED = 0.04
"""m of the first course that the ground hides, where pixels do not tell where courses begin."""

PARALLEL, REVEAL = 0.97, 0.7
"""Cosine between a wall and what fills its openings, and how far behind or before its face that may stand, m."""

TOUCHING = 0.12
"""m between parts of one opening."""

SPREAD = 0.06
"""Share by which all bed joints together may change a course's height."""

PREFERENCE = 0.15
"""Squared misses, as shares of a course, that a change of height by all of `SPREAD` is worth."""

AT_ONCE = 256
"""Walls compared with all others at once."""

LEAST_OPENING = 1.5
"""Courses that an opening must be high to count."""


def set_out_courses(
    structure: Structure, mesh: Mesh, finishes: Sequence[Finish], finish_of: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Where courses begin and how they are stretched, by surface id.

    Parameters
    ----------
    structure
        Its roles tell the openings.
    mesh
        All surfaces, world frame, m.
    finishes, finish_of
        The palette, and which of it each surface has, (S,).

    Returns
    -------
    begin
        (S,) float32, m: the height at which courses are counted from. The foot of what was read from a picture, the
        model's own zero otherwise, so that its courses turn corners, unless openings say better.
    stretch
        (S,) float32: the height of a course over that of the finish, 1 ± `SPREAD`.
    """
    count = len(finish_of)
    size = mesh.measures.upto(count)
    begin = np.zeros(count, np.float32)
    if structure.mesh is None:
        begin = np.where(np.isfinite(size.low[:, 2]), size.low[:, 2] - np.float32(BEDDED), 0).astype(np.float32)
    stretch = np.ones(count, np.float32)
    heights = np.array([f.unit[1] if f.pattern == "courses" else 0.0 for f in finishes])[finish_of]
    walls = np.flatnonzero((heights > 0) & (size.width > 0))
    table = all_surfaces(structure)
    parts = table["id"].to_numpy()[table["role"].isin(IN_OPENINGS).to_numpy()]
    parts = parts[size.width[parts] > 0]
    if not len(walls) or not len(parts):
        return begin, stretch
    for group in _that_meet(walls, size, finish_of):
        height = float(heights[group[0]])
        low, high = size.low[group].min(axis=0), size.high[group].max(axis=0)
        near = (size.low[parts] < high + REVEAL) & (size.high[parts] > low - REVEAL)
        reach, beside = (float(low[2]), float(high[2])), parts[near.all(axis=1)]
        levels = np.concatenate([_levels(wall, reach, beside, size, LEAST_OPENING * height) for wall in group])
        if len(levels):
            begin[group], stretch[group] = fit_courses(levels, height, float(begin[group[0]]))
    return begin, stretch


def fit_courses(levels: np.ndarray, height: float, begin: float) -> tuple[float, float]:
    """The datum, m, and the stretch of courses of some `height`, m, that bring `levels` (L, 2), m and weight, nearest to bed joints.

    >>> begin, stretch = fit_courses(np.array([[0.9, 1.0], [2.1, 1.0]]), 0.0775, 0.0)
    >>> courses = (np.array([0.9, 2.1]) - begin) / (0.0775 * stretch)
    >>> courses.round(2).tolist()
    [11.0, 26.0]
    """
    z, weight = levels[:, 0], levels[:, 1] / levels[:, 1].sum()
    stretches = 1 + SPREAD * np.linspace(-1, 1, 241)
    turns = np.exp(2j * np.pi * z[:, None] / (height * stretches))
    # The circular mean is where most levels would like the joints to be.
    phase = np.angle((weight[:, None] * turns).sum(axis=0)) / (2 * np.pi)
    missed = np.abs((z[:, None] / (height * stretches) - phase + 0.5) % 1.0 - 0.5)
    cost = (weight[:, None] * missed**2).sum(axis=0) + PREFERENCE * 0.01 * ((stretches - 1) / SPREAD) ** 2
    best = int(np.argmin(cost))
    course = height * stretches[best]
    # Of all joints that would do, the one next to where courses began: whole courses count the same from any.
    datum = phase[best] * course
    return datum + round((begin - datum) / course) * course, float(stretches[best])


def _that_meet(walls: np.ndarray, size: SurfaceMeasures, finish_of: np.ndarray) -> list[np.ndarray]:
    """Groups of walls of one finish whose boxes touch."""
    low, high, finish = size.low[walls] - 0.05, size.high[walls] + 0.05, finish_of[walls]
    pairs = []
    # A big model's walls would not fit into one square table.
    for first in range(0, len(walls), AT_ONCE):
        some = slice(first, first + AT_ONCE)
        meet = finish[some, None] == finish[None]
        for k in range(3):
            meet &= (low[some, None, k] <= high[None, :, k]) & (high[some, None, k] >= low[None, :, k])
        pairs.append(np.argwhere(meet) + [first, 0])
    return [walls[group] for group in _groups(np.concatenate(pairs), len(walls))]


def _groups(pairs: np.ndarray, count: int) -> list[np.ndarray]:
    """Which of `count` things hang together by the `pairs` (P, 2) that touch: their indices."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    touch = coo_array((np.ones(len(pairs), bool), tuple(pairs.T)), shape=(count, count))
    _, group = connected_components(touch, directed=False)
    order = np.argsort(group, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(group[order])) + 1)


def _levels(
    wall: int, reach: tuple[float, float], parts: np.ndarray, size: SurfaceMeasures, least: float
) -> np.ndarray:
    """Heights, m, of sills and heads that a wall meets and how long each is, m: (L, 2).

    `reach` is from where to where it goes up together with those that it meets: it may be a pier between two openings.
    """
    front = size.front[wall]
    turned = size.front[parts] @ front
    face = float((size.low[wall] + size.high[wall]) @ front / 2)
    away = np.abs((size.low[parts] + size.high[parts]) @ front / 2 - face)
    left = np.where(turned > 0, size.left[parts], -size.left[parts] - size.width[parts])
    right = left + size.width[parts]
    bottom, top = size.low[parts, 2], size.high[parts, 2]
    inside = (np.abs(turned) > PARALLEL) & (away < REVEAL)
    inside &= (right > size.left[wall] - TOUCHING) & (left < size.left[wall] + size.width[wall] + TOUCHING)
    inside &= (bottom > reach[0] - TOUCHING) & (top < reach[1] + TOUCHING)
    if not inside.any():
        return np.zeros((0, 2))
    left, right, bottom, top = left[inside], right[inside], bottom[inside], top[inside]
    side = (left[:, None] <= right[None] + TOUCHING) & (left[None] <= right[:, None] + TOUCHING)
    over = (bottom[:, None] <= top[None] + TOUCHING) & (bottom[None] <= top[:, None] + TOUCHING)
    out = []
    for own in _groups(np.argwhere(side & over), len(left)):
        sill, lintel, wide = bottom[own].min(), top[own].max(), right[own].max() - left[own].min()
        if lintel - sill < least:
            continue
        if lintel < reach[1] - TOUCHING:
            out.append((lintel, wide))
        if sill > reach[0] + TOUCHING:
            out.append((sill, wide))
    return np.array(out).reshape(-1, 2)
