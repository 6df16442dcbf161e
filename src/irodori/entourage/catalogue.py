"""What can be added to a scene: plants, people, vehicles, loose furniture, horizons."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cached_property
from importlib import resources

import numpy as np

from irodori.core.errors import EntourageError, unknown_name
from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.finishes import Finish, find_finish

SEASONS = ("spring", "summer", "autumn", "winter")

LIFE = ("none", "usual", "few", "lively")
MOST_PEOPLE = 60
"""How many people: none; as the place has usually; two or three; five to twelve as there is room."""


@dataclass(frozen=True)
class Kind:
    """One entry of the catalogue; lengths in m, colours sRGB.

    `crown` are pairs (height in the crown, radius), each 0 … 1; `clear` the share of the height without branches;
    `leader` how far the trunk runs up through the crown; `girth` its radius over the height; `droop` how far twigs hang
    (below 0 they rise). A plant without a colour for a season is bare then.
    """

    name: str
    family: str
    form: str
    about: str
    height: float
    spread: float = 0.0
    spacing: float = 0.0
    crown: tuple[tuple[float, float], ...] = ()
    clear: float = 0.0
    leader: float = 0.5
    droop: float = 0.0
    girth: float = 0.013
    bark: str = "#6a5f52"
    leaf: float = 0.06
    leaf_shape: str = "broad"
    leaves: int = 0
    blades: int = 0
    arch: float = 0.25
    plumes: str = ""
    flowers: str = ""
    more_flowers: tuple[str, ...] = ()
    pose: str = ""
    spring: str = ""
    summer: str = ""
    autumn: str = ""
    winter: str = ""

    @property
    def is_plant(self) -> bool:
        return bool(self.summer)

    def colour(self, season: str) -> str:
        """Leaf colour in a season; empty when bare."""
        return getattr(self, season)


@dataclass(frozen=True, eq=False)
class Part:
    """Triangles (T, 3, 3), m, standing on z = 0 and facing north; what they are made of, their role, and the kind of lamp
    that they are, if any."""

    triangles: np.ndarray
    finish: Finish
    role: str
    lamp: str = ""

    @cached_property
    def corner_normals(self) -> np.ndarray:
        """Unit normals at the corners, (T, 3, 3) float32: smooth where faces meet at less than `SMOOTH` degrees.

        Leaves and bark stay as they are cut: light falls on planting as on a cloud.
        """
        return corner_normals(self.triangles, 0.0 if self.role == "planting" else SMOOTH)


SMOOTH = 42.0


def corner_normals(triangles: np.ndarray, smooth: float) -> np.ndarray:
    """Normals (T, 3, 3) float32 at the corners of a triangle soup: the mean of the faces within `smooth` degrees."""
    face = face_normals(triangles)
    unit = unit_rows(face)
    if smooth <= 0:
        return np.repeat(unit[:, None], 3, axis=1).astype(np.float32)
    _, corner = np.unique(np.round(triangles.reshape(-1, 3), 4), axis=0, return_inverse=True)
    corner = corner.ravel()
    order = np.argsort(corner, kind="stable")
    size = np.bincount(corner)
    start = np.cumsum(size) - size
    # Every corner against every face around the same point.
    repeat = size[corner]
    mine = np.repeat(np.arange(len(corner)), repeat)
    step = np.arange(len(mine)) - np.repeat(np.cumsum(repeat) - repeat, repeat)
    other = order[start[corner[mine]] + step] // 3
    alike = (unit[mine // 3] * unit[other]).sum(axis=1) > np.cos(np.radians(smooth))
    out = np.zeros((len(corner), 3))
    np.add.at(out, mine[alike], face[other[alike]])
    return unit_rows(out).reshape(triangles.shape).astype(np.float32)


PURITY = 0.8
"""How pure the catalogue's leaf colours stay: light that comes through leaves makes them purer again."""


def foliage(colour: str) -> Finish:
    """Leaves of one colour."""
    value = _of_hex(colour)
    return find_finish("foliage").changed(colour=_to_hex(value.mean() + (value - value.mean()) * PURITY))


def toned(colour: str, factor: float) -> str:
    """An sRGB colour, lighter by a factor and a little yellower."""
    return _to_hex(np.clip(_of_hex(colour) * (1 + (factor - 1) * np.array([1.25, 1.0, 0.5])), 0, 255))


def _of_hex(colour: str) -> np.ndarray:
    return np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], float)


def _to_hex(value: np.ndarray) -> str:
    return "#" + "".join(f"{round(v):02x}" for v in value)


def painted(name: str, colour: str, gloss: float | None = None) -> Finish:
    """A finish of the finishes' catalogue in another colour."""
    return find_finish(name).changed(colour=colour, gloss=gloss, age=0.0)


def read_kinds(data: dict[str, dict]) -> dict[str, Kind]:
    """Kinds from tables, as in `catalogue.toml`. Raises EntourageError."""
    known = {f.name for f in fields(Kind)}
    kinds = {}
    for name, entry in data.items():
        if unknown := set(entry) - known:
            raise EntourageError(f"Catalogue entry '{name}' has no field {', '.join(sorted(unknown))}")
        entry = {
            k: tuple(map(tuple, v)) if k == "crown" else tuple(v) if isinstance(v, list) else v
            for k, v in entry.items()
        }
        kinds[name] = Kind(name=name, **entry)
    return kinds


def kind_entry(kind: Kind) -> dict:
    """A kind as a table of a catalogue, with every value that is not as by default."""
    defaults = {f.name: f.default for f in fields(Kind)}
    return {
        name: [list(v) if isinstance(v, tuple) else v for v in value] if isinstance(value, tuple) else value
        for name, value in ((f.name, getattr(kind, f.name)) for f in fields(Kind))
        if name != "name" and value != defaults[name]
    }  # fmt: skip


ENTOURAGE: dict[str, Kind] = read_kinds(
    tomllib.loads((resources.files("irodori.entourage") / "catalogue.toml").read_text("utf-8"))
)
"""Every kind by name."""


def check_season(season: str) -> None:
    """Raises EntourageError when there is no such season."""
    if season not in SEASONS:
        raise EntourageError(unknown_name("season", season, SEASONS))


def check_life(life: str) -> str:
    """Raises EntourageError when it is neither a choice of `LIFE` nor a number of people up to `MOST_PEOPLE`."""
    if life.isdigit() and int(life) <= MOST_PEOPLE:
        return str(int(life)) if int(life) else "none"
    if life not in LIFE:
        raise EntourageError(unknown_name("choice of life", str(life), LIFE))
    return life


def find_kind(name: str, kinds: Mapping[str, Kind] | None = None) -> Kind:
    """The kind called `name`, in ours or in `kinds`. Raises EntourageError with the nearest names."""
    known = ENTOURAGE if kinds is None else kinds
    folded = {own.casefold(): kind for own, kind in known.items()}
    if name.strip().casefold() in folded:
        return folded[name.strip().casefold()]
    raise EntourageError(unknown_name("kind", name, known))
