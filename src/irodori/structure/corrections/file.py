"""Corrections: a small text file beside the capture in which a user says what was read wrongly.

The file is TOML. What Irodori believed stands in it as comments; taking the "#" away and changing the value makes a
correction. Written again after a new reading, the user's own lines stay as they are and only the comments change.
"""

from __future__ import annotations

import tomllib
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from irodori.core.capture import Capture
from irodori.core.corrections import WAYS, CameraCorrection, Corrections, KnownLength, SurfaceCorrection
from irodori.core.errors import OutputError, StructureError, unknown_name
from irodori.core.structure import Structure
from irodori.structure.show.confidence import first_to_check, inside

SUFFIX = ".reading.toml"
SHOWN = 24
"""Surfaces that the file lists, those to look at first."""

MARK = "# What Irodori believed; the lines from here on are written anew by every reading."


def corrections_for(capture: Capture, file: str | Path | None = None) -> Corrections:
    """The corrections in `file`, or in the one beside the capture if there is one, or none. Raises StructureError."""
    if file is not None:
        return read_corrections(file)
    beside = corrections_beside(capture.source) if capture.source and capture.exact is None else None
    return read_corrections(beside) if beside is not None and beside.is_file() else Corrections()


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
