"""Corrections: a small text file beside the capture in which a user says what was read wrongly.

The file is TOML. What Irodori believed stands in it as comments; taking the "#" away and changing the value makes a
correction. Written again after a new reading, the user's own lines stay as they are and only the comments change.
"""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from irodori.core.capture import Capture
from irodori.core.errors import OutputError, StructureError, unknown_name
from irodori.core.roles import ROLES
from irodori.core.structure import Structure
from irodori.structure.doubts import first_to_check, inside

SUFFIX = ".reading.toml"
SHOWN = 24
"""Surfaces that the file lists, those to look at first."""

WAYS = {"east": (1.0, 0.0), "north": (0.0, 1.0), "west": (-1.0, 0.0), "south": (0.0, -1.0)}
FACINGS = ("up", "down", *WAYS, "camera")
MARK = "# What Irodori believed; the lines from here on are written anew by every reading."

METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
Point = tuple[float, float]


class _Entry(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class CameraCorrection(_Entry):
    """`focal` px; `horizon` y at the picture's left and right border, px; `centre` px, the principal point;
    `vanishing` px, where two level directions at right angles vanish; `view` says that a drawing without perspective
    is an elevation or a plan."""

    focal: Annotated[float, Field(gt=1)] | None = None
    horizon: tuple[float, float] | None = None
    centre: Point | None = None
    vanishing: tuple[Point, Point] | None = None
    view: Literal["elevation", "plan"] | None = None


class KnownLength(_Entry):
    """A dimension: its two ends, px, and metres."""

    start: Point = Field(alias="from")
    end: Point = Field(alias="to")
    metres: Annotated[float, Field(gt=0)]


class SurfaceCorrection(_Entry):
    """What the surface at a pixel is.

    `role`; `facing`, one of `FACINGS` or "slope 35 south" (degrees, and the way it looks down); `merge` with the
    surfaces at these pixels; `split` along the line through two pixels; `remove` it, so that its neighbours fill it.
    """

    at: Point
    role: str | None = None
    facing: str | None = None
    merge: tuple[Point, ...] = ()
    split: tuple[Point, Point] | None = None
    remove: bool = False

    @field_validator("role")
    @classmethod
    def _known_role(cls, role: str | None) -> str | None:
        if role is not None and role not in (*ROLES, "sky"):
            raise ValueError(unknown_name("role", role, (*ROLES, "sky")))
        return role

    @field_validator("facing")
    @classmethod
    def _known_facing(cls, facing: str | None) -> str | None:
        if facing is None or facing in FACINGS:
            return facing
        words = facing.split()
        if len(words) == 3 and words[0] == "slope" and words[2] in WAYS:
            try:
                if 0 < float(words[1]) < 90:
                    return facing
            except ValueError:
                pass
        raise ValueError(unknown_name("facing", facing, (*FACINGS, "slope 35 south")))


class Corrections(_Entry):
    """Everything a user corrected; empty by default."""

    eye_height: Annotated[float, Field(ge=0.05, le=2000)] | None = None
    camera: CameraCorrection = CameraCorrection()
    length: tuple[KnownLength, ...] = ()
    surface: tuple[SurfaceCorrection, ...] = ()

    @property
    def text(self) -> str:
        """The corrections as one line of JSON, "" when there are none; goes into recipes."""
        if self == Corrections():
            return ""
        return self.model_dump_json(exclude_defaults=True, by_alias=True)

    @classmethod
    def from_text(cls, text: str) -> Corrections:
        """The corrections that `text` told."""
        return cls.model_validate_json(text) if text else cls()


def corrections_for(capture: Capture, file: str | Path | None = None) -> Corrections:
    """The corrections in `file`, or in the one beside the capture if there is one, or none. Raises StructureError."""
    if file is not None:
        return read_corrections(file)
    beside = corrections_beside(capture.source) if capture.source and capture.exact is None else None
    return read_corrections(beside) if beside is not None and beside.is_file() else Corrections()


def parse_length(text: str) -> KnownLength:
    """A known dimension written as "412,305 640,310 = 2.10 m" (also cm, mm, ft, in).

    Raises
    ------
    StructureError
        When the text is not understood.
    """
    number = r"\s*([-+]?[\d.]+)\s*"
    found = re.fullmatch(rf"{number},{number}[ ;]{number},{number}={number}(m|cm|mm|ft|in)?\s*", text.strip())
    try:
        if found is None:
            raise ValueError
        x0, y0, x1, y1, value = (float(v) for v in found.groups()[:5])
        metres = value * METRES[found.group(6) or "m"]
        return KnownLength.model_validate({"from": (x0, y0), "to": (x1, y1), "metres": metres})
    except ValueError:
        raise StructureError(
            f"The length '{text}' is not understood; write two pixels and a dimension, '412,305 640,310 = 2.10 m'"
        ) from None


def corrections_beside(source: str | Path) -> Path:
    """Where the corrections of a capture lie: "quay.png" has "quay.reading.toml" beside it."""
    return Path(source).with_suffix(SUFFIX)


def read_corrections(path: str | Path) -> Corrections:
    """Read a corrections file.

    Raises
    ------
    StructureError
        When the file is missing, no TOML, or says something that is not understood.
    """
    try:
        entries = tomllib.loads(Path(path).read_text(encoding="utf-8"))
    except FileNotFoundError:
        raise StructureError(f"There is no corrections file '{path}'") from None
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise StructureError(f"Corrections '{path}' cannot be read: {error}") from None
    for name in ("surface", "length"):
        if isinstance(entries.get(name), list):
            entries[name] = [entry for entry in entries[name] if entry != {}]
    try:
        return Corrections.model_validate(entries)
    except ValidationError as error:
        first = error.errors()[0]
        if first["type"] == "extra_forbidden":
            raise StructureError(f"Corrections '{path}': {_unknown_entry(first['loc'])}") from None
        where = ".".join(str(part + 1 if isinstance(part, int) else part) for part in first["loc"])
        raise StructureError(f"Corrections '{path}', {where}: {first['msg'].removeprefix('Value error, ')}") from None


def _unknown_entry(place: tuple) -> str:
    kinds = {"camera": CameraCorrection, "length": KnownLength, "surface": SurfaceCorrection}
    kind = kinds.get(place[0], Corrections) if len(place) > 1 else Corrections
    known = [field.alias or name for name, field in kind.model_fields.items()]
    return unknown_name("entry", str(place[-1]), known)


def write_corrections(path: str | Path, structure: Structure) -> Path:
    """Write what was believed as comments, below the lines that the user wrote, which stay; those among the old comments
    move up.

    Raises
    ------
    OutputError
        When the place cannot be written.
    """
    path = Path(path)
    try:
        old = path.read_text(encoding="utf-8") if path.is_file() else ""
        own, _, below = old.partition(MARK)
        head = own.rstrip() or _heading(path)
        for line in below.splitlines():
            if line.strip() and not line.lstrip().startswith("#"):
                head += f"\n\n{line}" if line.lstrip().startswith("[") else f"\n{line}"
        temporary = path.with_name(path.name + ".part")
        temporary.write_text(f"{head}\n\n{MARK}\n\n{_beliefs(structure)}", encoding="utf-8")
        temporary.replace(path)
    except (OSError, UnicodeDecodeError) as error:
        raise OutputError(f"Corrections cannot be written to '{path}': {error}") from None
    return path


def _heading(path: Path) -> str:
    return (
        f"# Corrections to the reading of {path.name.removesuffix(SUFFIX)}.\n"
        '# Copy a line or a block from below up here, take the "#" away, change it, and read again.'
    )


def _beliefs(structure: Structure) -> str:
    camera = structure.camera
    out = [f"# eye_height = {camera.position[2]:.2f}  # m over the ground", "", "# [camera]"]
    if camera.projection == "perspective":
        out.append(f"# focal = {camera.focal:.1f}  # px")
        horizon = camera.horizon()
        if horizon:
            out.append(f"# horizon = [{horizon[0][1]:.1f}, {horizon[1][1]:.1f}]  # y at the left and right border, px")
        out.append(f"# centre = [{camera.matrix[0, 2]:.1f}, {camera.matrix[1, 2]:.1f}]  # principal point, px")
    else:
        out.append("# (parallel projection)")
    width, height = structure.size
    out += [
        "", "# [[length]]  # a dimension that you know",
        f"# from = [{width // 3}, {height // 2}]", f"# to = [{width // 2}, {height // 2}]", "# metres = 2.10",
    ]  # fmt: skip
    for row in first_to_check(structure, SHOWN).itertuples():
        x, y = inside(structure, row.id)
        out += [
            "", f"# [[surface]]  # {row.id}: {100 * row.area_px / (width * height):.1f} % of the picture, confidence {row.confidence:.2f}",
            f"# at = [{x}, {y}]", f'# role = "{row.role}"', f'# facing = "{facing_word(row)}"',
        ]  # fmt: skip
    return "\n".join(out) + "\n"


def facing_word(row) -> str:
    """The word for a surface's normal."""
    normal = np.array([row.nx, row.ny, row.nz])
    if row.nz > 0.97:
        return "up"
    if row.nz < -0.97:
        return "down"
    flat = normal[:2] / max(np.linalg.norm(normal[:2]), 1e-9)
    word = max(WAYS, key=lambda name: np.dot(WAYS[name], flat))
    if np.dot(WAYS[word], flat) < 0.99:
        return "camera"
    return word if abs(row.nz) < 0.1 else f"slope {np.degrees(np.arccos(abs(row.nz))):.0f} {word}"
