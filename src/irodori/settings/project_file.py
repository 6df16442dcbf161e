"""`irodori.toml`: what a project says once for all its pictures."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError, unknown_name
from irodori.settings.setting import settings

NAME = "irodori.toml"
CATALOGUE = "finishes.toml"
"""Beside it, a catalogue of the project's own finishes."""


@dataclass(frozen=True)
class ProjectFile:
    """What the file says, by the settings' names; `path` None when there is none."""

    path: Path | None = None
    values: dict[str, Any] = field(default_factory=dict)


def find_project_file(folder: str | Path | None = None) -> ProjectFile:
    """The project file of a folder (None: the present one), in it or in the nearest folder above.

    Raises
    ------
    IrodoriError
        When it cannot be read, or says something that is not known or not understood.
    """
    start = Path(folder or ".").absolute()
    for place in (start, *start.parents):
        file = place / NAME
        if file.is_file():
            return read_project_file(file)
    return ProjectFile()


def read_project_file(path: str | Path) -> ProjectFile:
    """Read a project file; errors as for `find_project_file`."""
    path = Path(path)
    try:
        told = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise IrodoriError(f"'{path}' cannot be read: {error}") from None
    known = {s.key: s for s in settings().values() if s.in_file}
    values: dict[str, Any] = {}
    for key, value in told.items():
        one = known.get(key.replace("-", "_").replace(" ", "_"))
        if one is None:
            raise IrodoriError(f"'{path}': {unknown_name('entry', key, [s.flag[2:] for s in known.values()])}")
        if one.is_path and isinstance(value, str) and "\n" not in value:
            value = str(path.parent / value)
        try:
            one.checked(value)
        except IrodoriError as error:
            raise type(error)(f"'{path}', {key}: {error}") from None
        values[one.name] = value
    own = path.parent / CATALOGUE
    if "catalogue" not in values and own.is_file() and _is_catalogue(own):
        values["catalogue"] = str(own)
    return ProjectFile(path, values)


def _is_catalogue(path: Path) -> bool:
    """Whether it is a catalogue and no finish schedule, which may have the same name."""
    try:
        return not isinstance(tomllib.loads(path.read_text(encoding="utf-8")).get("finish"), list)
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError):
        return True  # reading it as a catalogue says what is wrong
