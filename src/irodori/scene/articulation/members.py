"""Members before plain surfaces, at high liberty: mullions, transoms and louvres of large panes, bands at the feet of walls."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from irodori.core.colour import hex_to_linear, linear_to_hex
from irodori.core.geometry.shapes import box
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.entourage import Part
from irodori.finishes import FINISHES, Finish
from irodori.scene.assign import Assignment, all_surfaces

LARGE = (1.5, 1.6)
"""Width and height of a pane, m, from which it is parted."""

BAY, HEAD = 1.15, 2.15
"""m between mullions at most, and from the floor to a transom: over a door."""

BAR, DEEP = 0.05, 0.07
"""Breadth of a bar and how far it stands out, m."""

LOUVRE = (0.09, 0.028, 0.075)
"""m from slat to slat, thickness, and how far one stands out."""

PLINTH = (0.24, 0.018)
"""Height of a band at a wall's foot, and how far it stands out, m."""

FULL = 0.86
"""Share of the oblong about it that a surface must fill to be one."""

SEEN = 400
"""px of a surface under which nothing is drawn on it, at a width of 1280."""


class Members(NamedTuple):
    """What is set before one surface: its id, a point on its lower edge (3,) m, its height, and parts in the world's frame."""

    surface: int
    foot: tuple[float, float, float]
    height: float
    parts: list[Part]


class _Oblong(NamedTuple):
    """An upright oblong: its lower left corner (3,) m seen from outside, unit directions along it and out of it, width and height."""

    corner: np.ndarray
    along: np.ndarray
    out: np.ndarray
    width: float
    height: float

    def boxed(self, x: tuple[float, float], z: tuple[float, float], y: tuple[float, float]) -> np.ndarray:
        """A box over part of it: `x` along, `z` up, `y` out, m; triangles (T, 3, 3) in the world."""
        local = box((x[0], y[0], z[0]), (x[1], y[1], z[1]))
        return self.corner + local @ np.stack([self.along, self.out, (0.0, 0.0, 1.0)])


def members_of(
    structure: Structure, mesh: Mesh, assignments: Sequence[Assignment], kept: set[int], seed: int
) -> list[Members]:  # fmt: skip
    """Members for the plain surfaces of a structure; those in `kept` were decided by a schedule or a brief and stay as they are."""
    table = all_surfaces(structure).set_index("id")
    pixels = structure.surfaces.set_index("id")["area_px"]
    least = SEEN * (structure.size[0] / 1280) ** 2
    bars = _bar_finish(assignments, table["role"])
    louvred = bool(np.random.default_rng([seed, 81]).integers(2))
    out = []
    for given in assignments:
        surface, role = given.surface, str(table["role"].get(given.surface, ""))
        if (
            surface in kept
            or role not in ("glazing", "wall")
            or pixels.get(surface, 0) < least
            or surface in mesh.parts
        ):
            continue
        oblong = _oblong(structure, mesh, surface)
        if oblong is None:
            continue
        parts = (
            _parted(oblong, bars, louvred)
            if role == "glazing"
            else _footed(oblong, given.finish, table["colour"][surface])
        )
        if parts:
            foot = tuple(float(v) for v in oblong.corner)
            out.append(Members(surface, foot, oblong.height, parts))
    return out


def _bar_finish(assignments: Sequence[Assignment], roles) -> Finish:
    """What the frames there are made of, else dark metal."""
    own = [a.finish for a in assignments if roles.get(a.surface) == "frame" and not a.finish.as_found]
    return own[0] if own else FINISHES["dark anodised"]


def _oblong(structure: Structure, mesh: Mesh, surface: int) -> _Oblong | None:
    """A surface as an upright oblong before the camera; None when it is none."""
    sizes = mesh.measures
    if surface >= len(sizes.area) or not sizes.width[surface] > 0.6:
        return None
    front, width = sizes.front[surface].astype(float), float(sizes.width[surface])
    low, high = float(sizes.low[surface, 2]), float(sizes.high[surface, 2])
    # A pane of glass that has two faces counts twice.
    share = float(sizes.area[surface]) / max(width * (high - low), 1e-6)
    if not (FULL < share < 1.05 or 2 * FULL < share < 2.1) or high - low < 0.6:
        return None
    front[2] = 0.0
    front /= np.linalg.norm(front)
    level = np.array([-front[1], front[0], 0.0])
    own = mesh.triangles[mesh.surface == surface].reshape(-1, 3)
    away = float(np.median(own @ front))
    corner = level * float(sizes.left[surface]) + front * away + (0.0, 0.0, low)
    eye = structure.camera.position - corner
    ahead = -structure.camera.rotation[2] if structure.camera.projection == "parallel" else eye
    return _Oblong(corner, level, front if ahead @ front > 0 else -front, width, high - low)


def _parted(pane: _Oblong, finish: Finish, louvred: bool) -> list[Part]:
    if pane.width < LARGE[0] and pane.height < HEAD + 0.6:
        return []
    half, reach, soup = BAR / 2, (-0.02, DEEP), []
    if pane.width >= LARGE[0] and pane.height >= LARGE[1] / 2:
        count = int(np.ceil(pane.width / BAY))
        places = np.arange(1, count) * pane.width / count
        soup += [pane.boxed((x - half, x + half), (0.01, pane.height - 0.01), reach) for x in places]
    if pane.height > HEAD + 0.5:
        soup.append(pane.boxed((0.01, pane.width - 0.01), (HEAD - half, HEAD + half), reach))
        if louvred:
            step, thick, deep = LOUVRE
            for z in np.arange(HEAD + half + step / 2, pane.height - 0.05, step):
                soup.append(pane.boxed((0.02, pane.width - 0.02), (z, z + thick), (0.0, deep)))
    return [Part(np.concatenate(soup), finish, "frame")] if soup else []


def _footed(wall: _Oblong, finish: Finish, colour) -> list[Part]:
    if wall.width < 2.0 or wall.height < 2.2:
        return []
    own = np.asarray(colour, float) if finish.as_found else hex_to_linear(finish.colour)
    band = FINISHES["painted plaster"].changed(colour=linear_to_hex(np.clip(own * 0.55, 0.004, 0.9)), age=0.0)
    tall, deep = PLINTH
    return [Part(wall.boxed((0.0, wall.width), (0.0, tall), (-0.01, deep)), band, "wall")]
