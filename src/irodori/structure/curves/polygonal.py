"""Fans: upright faces side by side that together are one thing with a polygon for its plan.

Columns, drums, bollards and simple figures of people are modelled with a few flat faces. Their edges stand where those of a
regular polygon do, seen from the side, which tells how each face is turned; from its own lines alone none of them could be.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.camera.line_directions import UP
from irodori.structure.curves.rounds import Round
from irodori.structure.planes.choose import UPRIGHT, Planes, card_normal
from irodori.structure.regions.colours import tints_apart
from irodori.structure.regions.measure import Regions

FEWEST_COLOURED, FEWEST_DRAWN = 4, 5
"""Faces that are seen at least, where their tints show that they are one thing and where nothing does."""

SLIMMER, TALLER = 1.5, 1.0
"""Times its width that a face, and times its own that the whole, is high at least."""

LEVEL_ENDS, SHARED = 0.1, 0.7
"""Share of their height by which the tops or the feet of neighbouring faces differ at most, and along which they meet at least."""

TINT = 0.02
"""By how much the tints of faces of one thing differ at most."""

SIDES = range(6, 33)
"""Corners of the polygon."""

ASTRAY, ASTRAY_PX = 0.03, 1.5
"""Share of the width, and px, by which an edge stands off where the polygon's is, at most."""

UNSEEN = 1
"""Faces at each side that may be too narrow to be seen."""

FLATTEST = np.radians(87.0)
"""How far a face that is seen is turned from the eye at most."""

SURE = 0.6


@dataclass(frozen=True, eq=False)
class Fan:
    """`faces`, regions from left to right, by how much each is turned from the eye to the right, `turn` (N,), radians, and the
    drum about them."""

    faces: list[int]
    turn: np.ndarray
    drum: Round


def find_fans(regions: Regions, skip: Sequence[int], *, coloured: bool) -> list[Fan]:
    """Upright faces that stand side by side as those of a regular polygon do; regions to `skip` are none of them."""
    beside = _beside(regions, set(skip), coloured)
    fans = []
    for first in sorted(set(beside) - set(beside.values())):
        chain = [first]
        while chain[-1] in beside:
            chain.append(beside[chain[-1]])
        if len(chain) < (FEWEST_COLOURED if coloured else FEWEST_DRAWN):
            continue
        edges = _edges(regions, chain)
        if edges is None or regions.box[chain, 3].max() - regions.box[chain, 1].min() < TALLER * np.ptp(edges):
            continue
        turn = _turns((edges - edges[0]) / np.ptp(edges), max(ASTRAY, ASTRAY_PX / np.ptp(edges)))
        if turn is not None:
            x0, y0 = regions.box[chain, :2].min(axis=0)
            x1, y1 = regions.box[chain, 2:].max(axis=0)
            middle = (float(x0 + x1) / 2, float(y0 + y1) / 2)
            fans.append(Fan(chain, turn, Round(middle, float(x1 - x0) / 2, float(y1 - y0) / 2, True)))
    return fans


def turn_fans(planes: Planes, fans: list[Fan], regions: Regions, camera: Camera) -> Planes:
    """The planes with the faces of fans as their polygons turn them."""
    kind, normal, sure = planes.kind.copy(), planes.normal.copy(), planes.sure.copy()
    for fan in fans:
        pixels = np.concatenate([regions.pixels[face] for face in fan.faces])
        towards = card_normal(pixels, camera)
        right = np.cross(UP, towards)
        kind[fan.faces], sure[fan.faces] = UPRIGHT, SURE
        normal[fan.faces] = np.sin(fan.turn)[:, None] * right + np.cos(fan.turn)[:, None] * towards
    return Planes(kind, normal, sure)


def _beside(regions: Regions, skip: set[int], coloured: bool) -> dict[int, int]:
    """For each face the one at its right with which it may be part of one thing."""
    tall = regions.box[:, 3] - regions.box[:, 1]
    mean = regions.area / np.maximum(tall, 1)
    slim = (regions.area > 0) & (tall > SLIMMER * mean) & (tall > 8)
    slim[[0, *skip]] = False
    middle = {face: float(np.median(regions.pixels[face][:, 0])) for face in np.flatnonzero(slim).tolist()}
    own, other, size = regions.neighbours
    found: dict[int, int] = {}
    taken: dict[int, int] = {}
    for i, j, px in zip(own.tolist(), other.tolist(), size.tolist()):
        if not (slim[i] and slim[j]) or middle[i] >= middle[j]:
            continue
        least, most = sorted((tall[i], tall[j]))
        ends = np.abs(regions.box[i, [1, 3]] - regions.box[j, [1, 3]]).min()  # something may stand before their feet
        if ends > LEVEL_ENDS * most or px < SHARED * least:
            continue
        if coloured and tints_apart(regions.colour[i], regions.colour[j]) >= TINT:
            continue
        # Whose right side two others share is no face of a fan.
        if i in found or j in taken:
            found.pop(i, None)
            found.pop(taken.get(j, -1), None)
            continue
        found[i], taken[j] = j, i
    return found


def _edges(regions: Regions, chain: list[int]) -> np.ndarray | None:
    """Where the edges between the faces stand, (N + 1,) px, in the middle of their height; None where a face is parted."""
    y0, y1 = regions.box[chain, 1].max(), regions.box[chain, 3].min()
    if y1 - y0 < 8:
        return None
    x0, x1 = int(regions.box[chain, 0].min()), int(regions.box[chain, 2].max())
    index = np.full(len(regions.area), -1)
    index[chain] = np.arange(len(chain))
    rows = index[regions.labels[int(y0 + 0.1 * (y1 - y0)) : int(y1 - 0.1 * (y1 - y0)) + 1, x0:x1]]
    out = []
    for row in rows:
        first = [int(np.argmax(row == k)) for k in range(len(chain))]
        last = [len(row) - 1 - int(np.argmax(row[::-1] == k)) for k in range(len(chain))]
        if all(row[a] == k for k, a in enumerate(first)):
            out.append([first[0], *((a + b + 1) / 2 for a, b in zip(last, first[1:])), last[-1] + 1])
    if len(out) < 0.5 * len(rows):
        return None
    out = np.array(out, float)
    # Tapering and leaning change widths and places together.
    share = np.median((out - out[:, :1]) / np.maximum(np.ptp(out, axis=1), 1e-9)[:, None], axis=0)
    return x0 + np.median(out[:, 0]) + share * np.median(np.ptp(out, axis=1))


def _turns(edges: np.ndarray, slack: float) -> np.ndarray | None:
    """How the faces between `edges` (N + 1,), 0 … 1, are turned, (N,) radians, or None where no polygon fits them."""
    count = len(edges) - 1
    best, turns = slack, None
    for sides in SIDES:
        step = 2 * np.pi / sides
        for first in -np.pi / 2 + step * np.linspace(-0.5, 0.5 + UNSEEN, 20 * (1 + UNSEEN) + 1):
            angle = first + step * np.arange(count + 1)
            # What is turned away is not seen, and all that is turned to the eye is.
            if angle[0] + step / 2 < -FLATTEST or angle[-1] - step / 2 > FLATTEST:
                continue
            if angle[-1] + step * (0.5 + UNSEEN) < np.pi / 2:
                continue
            place = np.sin(np.clip(angle, -np.pi / 2, np.pi / 2))
            off = np.abs((place - place[0]) / (place[-1] - place[0]) - edges).max()
            if off < best:
                best, turns = off, angle[:-1] + step / 2
    return turns
