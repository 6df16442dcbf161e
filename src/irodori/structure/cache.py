"""Readings kept by the capture's content in the user's cache folder."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import irodori
from irodori.core.errors import IrodoriError
from irodori.core.structure import Structure

READING = 65
"""Raised whenever a change of the code changes what is read."""

KEEP = 60
"""Readings kept; the oldest go first."""


def cache_folder() -> Path:
    """Where readings are kept: `IRODORI_CACHE`, or the user's cache folder."""
    import platformdirs

    return Path(os.environ.get("IRODORI_CACHE") or platformdirs.user_cache_path("irodori")) / "structure"


def cached_structure(key: str) -> Structure | None:
    """The reading kept under `key`, or None."""
    path = cache_folder() / f"{irodori.__version__}.{READING}-{key}.exr"
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
    folder = cache_folder()
    with contextlib.suppress(IrodoriError, OSError):
        structure.save(folder / f"{irodori.__version__}.{READING}-{key}.exr")
        for old in sorted(folder.glob("*.exr"), key=lambda p: p.stat().st_mtime)[:-KEEP]:
            old.unlink(missing_ok=True)
            for ending in (".json", ".ply"):
                old.with_suffix(ending).unlink(missing_ok=True)
