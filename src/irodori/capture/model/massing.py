"""Massing: a storey more, another form of roof, a bay, by cutting a model's building level and putting it together anew."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import pandas as pd

from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.settle_roles import settle_roles
from irodori.core.errors import ModelError, unknown_name
from irodori.core.geometry.frames import face_normals
from irodori.core.geometry.shapes import box, prism, quad, quarter_turned
from irodori.core.model import SURFACE_COLUMNS, Mesh, ModelData
from irodori.core.recipe import MassChange
from irodori.formats.model.parts import Part

ROOFS = ("flat", "gable", "hipped", "shed")
"""Forms of roof."""

NOT_BUILT = ("ground", "water", "lawn", "paving", "planting", "person", "vehicle", "context")
OVERHEAD = ("roof", "soffit", "ceiling")
WHOLE = ("sign", "lamp", "furniture", "railing", "stair", "fabric")
"""Roles of what is not cut."""

REPEATED = ("wall", "glazing", "frame", "column", "door", "slab")
"""Roles of what a further storey repeats; all else of a storey stays below."""

STOREY = 3.2
"""Height of a further storey at most, m."""

LOWEST_STOREY, HEAD = 2.0, 2.0
"""Least height of a storey, and of what is overhead, m."""

PLATE, OUT = 0.26, 0.03
"""Thickness of the floor between storeys, and how far its edge stands out, m."""

EAVES, VERGE, THICK = 0.5, 0.35, 0.22
"""Overhang of a roof at its eaves and gables, and its thickness, m."""

PITCH = {"gable": 36.0, "hipped": 28.0, "shed": 8.0}
"""Degrees."""

BAY = (2.4, 0.9, 0.45)
"""Width and depth of a bay, and its height over the ground, m."""

BESIDE = 1.6
"""m from the walls within which something belongs to a building that its name does not tell."""


MOSTLY = 0.3
"""Share of a part's triangles beside a building from which all of it is the building's."""


@dataclass
class _Body:
    """A building amid a model's triangles.

    `triangles` (T, 3, 3), and of each `part` (T,), `role` (T,) and whether it is the building's, `own` (T,) bool; `walls` (T,) bool
    those that its walls are made of; `base` and `eaves` heights, m; `oblong` centre, half sides and turn of the rectangle about its walls.
    """

    triangles: np.ndarray
    part: np.ndarray
    role: np.ndarray
    own: np.ndarray
    walls: np.ndarray
    parts: list[Part]

    def __post_init__(self) -> None:
        import cv2

        corners = self.triangles[self.walls].reshape(-1, 3)
        self.base = float(corners[:, 2].min())
        (x, y), (long, short), turn = cv2.minAreaRect(corners[:, :2].astype(np.float32))
        if long < short:
            long, short, turn = short, long, turn + 90
        self.centre, self.half, self.turn = (
            np.array([x, y], float),
            np.array([long, short]) / 2,
            float(np.radians(turn)),
        )
        low = self.triangles[..., 2].min(axis=1)
        overhead = self.own & np.isin(self.role, OVERHEAD) & (low > self.base + HEAD)
        top = float(corners[:, 2].max())
        self.eaves = min(float(low[overhead].min()) if overhead.any() else top, top) - 0.02

    @property
    def spin(self) -> np.ndarray:
        """Rows of points in the oblong's frame (x along its longer side) times this are in the world's directions."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        return np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])

    def placed(self, local: np.ndarray) -> np.ndarray:
        """Points (…, 3) from the oblong's frame, heights as they are, to the world."""
        return local @ self.spin + np.array([*self.centre, 0.0])

    def wall_like(self, name: str, triangles: np.ndarray) -> Part:
        """A part made as the building's walls are."""
        numbers, areas = np.unique(self.part[self.walls], return_counts=True)
        like = self.parts[int(numbers[areas.argmax()])]
        return replace(like, name=f"{like.name} {name}", triangles=triangles)

    def roof_like(self, triangles: np.ndarray, name: str) -> Part:
        """A part made as its roof was."""
        roofs = self.part[self.own & (self.role == "roof")]
        if len(roofs):
            return replace(self.parts[int(np.bincount(roofs).argmax())], triangles=triangles)
        return Part(f"{name} roof".strip(), "", (0.3, 0.3, 0.3), 1.0, triangles)


def reshaped(data: ModelData, changes: Sequence[MassChange]) -> ModelData:
    """A model with its massing changed.

    Parameters
    ----------
    changes
        What is changed, in this order: each a building (words of names in the model, parted by "|"; "" for the largest), and a
        "storey" more (value: how many), another "roof" (value: one of `ROOFS`) or a "bay".

    Returns
    -------
    ModelData
        With surfaces of its own; its digest tells of the changes.

    Raises
    ------
    ModelError
        When there is no such building, or it has no walls that can be changed.
    """
    import hashlib

    mesh, table = data.mesh, data.surfaces
    for change in changes:
        parts = CHANGES[change.what](_body(mesh, table, change.building), change)
        mesh, rows = cut_surfaces(parts)
        table = pd.DataFrame(settle_roles(mesh, rows), columns=list(SURFACE_COLUMNS))
    what = "; ".join(told(change) for change in changes)
    notes = (
        *data.notes,
        f"massing changed ({what}): the picture is in register with that, and not with the model as it came",
    )
    digest = hashlib.sha256(f"{data.digest} {[c.model_dump() for c in changes]}".encode()).hexdigest()
    return replace(
        data, mesh=mesh, surfaces=table, notes=notes, digest=digest, assumed={**data.assumed, "massing": tuple(changes)}
    )


def told(change: MassChange) -> str:
    """A change in words: "hall: 1 storey more"."""
    name = change.building.split("|")[0] or "the building"
    if change.what == "storey":
        return f"{name}: {change.value} {'storey' if change.value == '1' else 'storeys'} more"
    return f"{name}: a {change.value} roof" if change.what == "roof" else f"{name}: a bay"


def _body(mesh: Mesh, table: pd.DataFrame, building: str) -> _Body:
    keys = list(zip(table["name"], table["material"], map(tuple, table["colour"]), table["opacity"]))
    number = {key: i for i, key in enumerate(dict.fromkeys(keys))}
    part_of, role_of = np.zeros(int(mesh.surface.max()) + 1, int), np.zeros(int(mesh.surface.max()) + 1, object)
    part_of[table["id"].to_numpy()], role_of[table["id"].to_numpy()] = [number[key] for key in keys], table["role"]
    parts = [Part(*key, np.zeros((0, 3, 3))) for key in number]
    triangles, part, role = mesh.triangles.astype(np.float64), part_of[mesh.surface], role_of[mesh.surface]
    built = ~np.isin(role, NOT_BUILT)
    words = [re.escape(w) for w in building.split("|") if w]
    pattern = re.compile(rf"\b({'|'.join(words)})", re.I)
    named = np.array([bool(words and pattern.search(p.name)) for p in parts], bool)[part]
    # The side of a quay or a garden wall is none of a house.
    level = np.isin(role, ("paving", "ground", "lawn", "floor"))
    ground = float(np.median(triangles[level][..., 2])) if level.any() else float(triangles[..., 2].min())
    tops = np.full(len(parts), -np.inf)
    np.maximum.at(tops, part, triangles[..., 2].max(axis=1))
    walls = (role == "wall") & (named if words else built) & (tops[part] > ground + LOWEST_STOREY * 0.9)
    if not walls.any():
        if not words:
            raise ModelError("The model has no walls: there is nothing to change the massing of")
        names = sorted({p.name.split()[0].casefold() for p in parts if p.name.strip()})
        raise ModelError(
            f"The model has no walls of a '{building.split('|')[0]}' to change; its names begin with {', '.join(names[:8])}"
        )
    if not words:
        walls &= _largest_cluster(triangles, walls)
    low, high = triangles[walls].min(axis=(0, 1)) - BESIDE, triangles[walls].max(axis=(0, 1)) + BESIDE
    middle = triangles.mean(axis=1)
    near = (middle[:, :2] > low[:2]).all(axis=1) & (middle[:, :2] < high[:2]).all(axis=1)
    # What lies beside it in good part belongs to it as a whole: a canopy.
    share = np.bincount(part, near & built, len(parts)) / np.maximum(np.bincount(part, built, len(parts)), 1)
    return _Body(triangles, part, role, built & (near | named | (share[part] > MOSTLY)), walls, parts)


def _largest_cluster(triangles: np.ndarray, walls: np.ndarray) -> np.ndarray:
    """The triangles (T,) bool of walls that stand together and cover the most."""
    from scipy.ndimage import label

    at = np.flatnonzero(walls)
    middle = triangles[at].mean(axis=1)[:, :2]
    size = np.linalg.norm(face_normals(triangles[at]), axis=1)
    low = triangles[at][..., :2].min(axis=(0, 1))
    cells = np.floor((triangles[at][..., :2] - low) / BESIDE).astype(int) + 1
    grid = np.zeros(cells.max(axis=(0, 1)) + 2, bool)
    for a, b in zip(cells.min(axis=1), cells.max(axis=1)):
        grid[a[0] : b[0] + 1, a[1] : b[1] + 1] = True
    found, _ = label(grid, np.ones((3, 3)))
    own = found[tuple((np.floor((middle - low) / BESIDE).astype(int) + 1).T)]
    best = np.bincount(own, size).argmax()
    out = np.zeros(len(triangles), bool)
    out[at[own == best]] = True
    return out


def _clipped(triangles: np.ndarray, z: float, above: bool) -> np.ndarray:
    """What of triangles (T, 3, 3) lies above or below a height."""
    from trimesh.intersections import slice_faces_plane

    if not len(triangles):
        return triangles
    vertices, faces, _ = slice_faces_plane(
        triangles.reshape(-1, 3),
        np.arange(3 * len(triangles)).reshape(-1, 3),
        [0, 0, 1.0 if above else -1.0],
        [0, 0, z],
    )[:3]
    return vertices[faces] if len(faces) else np.zeros((0, 3, 3))


def _remade(body: _Body, change: Callable[[np.ndarray, str], np.ndarray]) -> list[Part]:
    """The parts, each with its triangles of the building changed by role."""
    out = []
    for number, part in enumerate(body.parts):
        of = body.part == number
        soup = [body.triangles[of & ~body.own]]
        roles = dict.fromkeys(body.role[of & body.own])
        soup += [change(body.triangles[of & body.own & (body.role == role)], role) for role in roles]
        out.append(replace(part, triangles=np.concatenate(soup)))
    return [part for part in out if len(part.triangles)]


def _with_storeys(body: _Body, change: MassChange) -> list[Part]:
    tall = min(STOREY, body.eaves - body.base - 0.05)
    if tall < LOWEST_STOREY:
        raise ModelError(
            f"The {_name(change)} is only {body.eaves - body.base:.1f} m high up to its eaves: no storey can be repeated"
        )
    count, cut = int(change.value), body.eaves
    lift = np.array([0, 0, tall])

    def raised(soup: np.ndarray, role: str) -> np.ndarray:
        if role not in (*REPEATED, *OVERHEAD) and soup[..., 2].min() < cut:
            return soup
        below, above = _clipped(soup, cut, above=False), _clipped(soup, cut, above=True)
        pieces = [below, above + count * lift]
        if role in REPEATED:
            again = _clipped(below, cut - tall, above=True)
            pieces += [again + (n + 1) * lift for n in range(count)]
        return np.concatenate(pieces)

    out = _remade(body, raised)
    half = body.half + OUT
    for n in range(count):
        plate = box((-half[0], -half[1], cut + n * tall), (half[0], half[1], cut + n * tall + PLATE))
        out.append(Part(f"{_name(change)} floor edge slab", "", (0.5, 0.5, 0.5), 1.0, body.placed(plate)))
    return out


def _name(change: MassChange) -> str:
    return change.building.split("|")[0] or "building"


def _with_roof(body: _Body, change: MassChange) -> list[Part]:
    if change.value not in ROOFS:
        raise ModelError(unknown_name("form of roof", change.value, ROOFS))
    cut = body.eaves

    def beheaded(soup: np.ndarray, role: str) -> np.ndarray:
        if role in WHOLE:
            return soup
        beside = (np.abs((soup.mean(axis=1) - [*body.centre, 0.0]) @ body.spin.T)[:, :2] > body.half + EAVES).any(
            axis=1
        )
        if role in (*OVERHEAD, "column") and soup[..., 2].min() > body.base + (1.0 if role == "column" else HEAD):
            return np.zeros((0, 3, 3))
        # Posts of a roof that is gone go with it.
        return _clipped(soup[~beside] if role in ("column", *OVERHEAD) else soup, cut, above=False)

    out = _remade(body, beheaded)
    slabs, ends = ROOF_FORMS[change.value](body.half, cut)
    out.append(body.roof_like(body.placed(np.concatenate(slabs)), _name(change)))
    if ends:
        out.append(body.wall_like("gable wall", body.placed(np.concatenate(ends))))
    x, y = body.half - 0.1
    ceiling = quad((-x, -y, cut - 0.02), (-x, y, cut - 0.02), (x, y, cut - 0.02), (x, -y, cut - 0.02))
    out.append(Part(f"{_name(change)} ceiling", "", (0.7, 0.7, 0.7), 1.0, body.placed(ceiling)))
    return out


def _sloped(a, b, c, d) -> np.ndarray:
    """A slab under a quadrilateral (anticlockwise seen from above), as thick as a roof."""
    top = np.array([a, b, c, d], float)
    low = top - (0, 0, THICK)
    sides = [quad(low[i], low[(i + 1) % 4], top[(i + 1) % 4], top[i]) for i in range(4)]
    return np.concatenate([quad(*top), quad(*low[::-1]), *sides])


def _flat(half, cut) -> tuple[list[np.ndarray], list[np.ndarray]]:
    x, y = half + VERGE
    return [box((-x, -y, cut), (x, y, cut + THICK + 0.1))], []


def _gable(half, cut) -> tuple[list[np.ndarray], list[np.ndarray]]:
    slope = np.tan(np.radians(PITCH["gable"]))
    (x, y), edge = half, half[1] + EAVES
    over, ridge, drip = x + VERGE, cut + half[1] * slope + THICK, cut - EAVES * slope + THICK
    slabs = [
        _sloped((-over, -edge, drip), (over, -edge, drip), (over, 0, ridge), (-over, 0, ridge)),
        _sloped((over, edge, drip), (-over, edge, drip), (-over, 0, ridge), (over, 0, ridge)),
    ]
    tip = cut + y * slope
    triangle = np.array([(-y, cut), (y, cut), (0, tip)])
    ends = []
    for side in (-1, 1):
        soup = prism(triangle, side * x - 0.1, side * x + 0.1)
        ends.append(soup[..., [2, 0, 1]])  # (y, z, x) to (x, y, z)
    return slabs, ends


def _hipped(half, cut) -> tuple[list[np.ndarray], list[np.ndarray]]:
    slope = np.tan(np.radians(PITCH["hipped"]))
    x, y = half + EAVES
    drip = cut - EAVES * slope + THICK
    ridge, run = drip + y * slope, max(x - y, 0.01)
    a, b = (-run, 0, ridge), (run, 0, ridge)
    slabs = [
        _sloped((-x, -y, drip), (x, -y, drip), b, a), _sloped((x, y, drip), (-x, y, drip), a, b),
        _sloped((x, -y, drip), (x, y, drip), b, b), _sloped((-x, y, drip), (-x, -y, drip), a, a),
    ]  # fmt: skip
    return slabs, []


def _shed(half, cut) -> tuple[list[np.ndarray], list[np.ndarray]]:
    slope = np.tan(np.radians(PITCH["shed"]))
    (x, y), (ox, oy) = half, half + EAVES
    rise = 2 * y * slope
    low, high = cut - EAVES * slope + THICK, cut + rise + EAVES * slope + THICK
    slab = _sloped((-ox, -oy, high), (ox, -oy, high), (ox, oy, low), (-ox, oy, low))
    wedge = np.array([(-y, cut), (y, cut), (-y, cut + rise)])
    ends = [prism(wedge, side * x - 0.1, side * x + 0.1)[..., [2, 0, 1]] for side in (-1, 1)]
    ends.append(box((-x, -y - 0.1, cut), (x, -y + 0.1, cut + rise)))
    return [slab], ends


ROOF_FORMS = {"flat": _flat, "gable": _gable, "hipped": _hipped, "shed": _shed}


def _with_bay(body: _Body, change: MassChange) -> list[Part]:
    wide, deep, sill = BAY
    top = min(body.base + 2.7, body.eaves - 0.1)
    place = _free_place(body, wide)
    if place is None or top - body.base < HEAD:
        raise ModelError(f"No wall of the {_name(change)} has room for a bay of {wide:g} m")
    (x, quarter), frame, name = place, 0.07, _name(change)
    low, y = body.base + sill, body.half[1 - quarter % 2]

    def boxed(x0, x1, y0, y1, z0, z1) -> np.ndarray:
        return body.placed(quarter_turned(box((x + x0, y0, z0), (x + x1, y1, z1)), quarter))

    half, out = wide / 2, y + deep
    posts = [boxed(a - frame / 2, a + frame / 2, out - frame, out, low, top) for a in (-half, 0.0, half)]
    panes = [boxed(-half, half, out - 0.04, out - 0.02, low, top)]
    panes += [boxed(a, a + 0.02, y, out - frame, low, top) for a in (-half, half - 0.02)]
    slabs = [
        boxed(-half - 0.08, half + 0.08, y - 0.02, out + 0.06, top, top + 0.14),
        boxed(-half - 0.04, half + 0.04, y - 0.02, out + 0.03, low - 0.14, low),
    ]
    return [
        *_remade(body, lambda soup, _: soup), Part(f"{name} bay frame", "", (0.1, 0.1, 0.1), 1.0, np.concatenate(posts)),
        Part(f"{name} bay window glass", "", (0.6, 0.7, 0.7), 0.3, np.concatenate(panes)), body.wall_like("bay", np.concatenate(slabs)),
    ]  # fmt: skip


def _free_place(body: _Body, wide: float) -> tuple[float, int] | None:
    """Where along one of the four sides (m from its middle) there is most wall without openings, and on which of them: quarter turns,
    clockwise from above, from the one towards +y of the oblong's frame."""
    best: tuple[float, float, int] | None = None
    frame = (body.triangles - np.array([*body.centre, 0.0])) @ body.spin.T
    openings = body.own & np.isin(body.role, ("glazing", "door"))
    for quarter in range(4):
        local = quarter_turned(frame[openings], -quarter)
        along, away = body.half[quarter % 2], body.half[1 - quarter % 2]
        beside = (np.abs(local[..., 1] - away) < 0.6).all(axis=1)
        taken = sorted((float(t[:, 0].min()) - 0.2, float(t[:, 0].max()) + 0.2) for t in local[beside])
        start, end = -along + 0.4, along - 0.4
        for a, b in [*taken, (end, end)]:
            if a - start >= wide and (best is None or a - start > best[0] + 1e-6):
                best = a - start, (a + start) / 2, quarter
            start = max(start, b)
    return None if best is None else best[1:]


CHANGES = {"storey": _with_storeys, "roof": _with_roof, "bay": _with_bay}
"""What does each kind of change."""
