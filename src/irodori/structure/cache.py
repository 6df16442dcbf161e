"""Readings kept by the capture's content in the user's cache folder."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import irodori
from irodori.core.errors import IrodoriError
from irodori.core.structure import Structure
from irodori.formats.made_before import cache_folder

READING = 71
"""Raised whenever a change of the code changes what is read."""

KEEP = 60
"""Readings kept; the oldest go first."""


def cached_structure(key: str) -> Structure | None:
    """The reading kept under `key`, or None."""
    path = _file(key)
    if not path.is_file():
        return None
    try:
        structure = Structure.load(path)
        os.utime(path)
        return structure
    except (IrodoriError, OSError):
        return None


def keep_structure(key: str, structure: Structure) -> None:
    """Keep a reading; a cache that cannot be written is no reason to fail."""
    path = _file(key)
    with contextlib.suppress(IrodoriError, OSError):
        structure.save(path)
        for old in sorted(path.parent.glob("*.exr"), key=lambda p: p.stat().st_mtime)[:-KEEP]:
            old.unlink(missing_ok=True)
            for ending in (".json", ".ply"):
                old.with_suffix(ending).unlink(missing_ok=True)


def _file(key: str) -> Path:
    return cache_folder("structure") / f"{irodori.__version__}.{READING}-{key}.exr"
