"""Files appear whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from irodori.core.errors import OutputError


@contextmanager
def whole_file(path: str | Path) -> Iterator[Path]:
    """Give a temporary name beside `path`; rename it to `path` when the block ends well, else remove it.

    Raises OutputError when the folder cannot be written.
    """
    target = Path(path)
    try:
        if target.is_dir():
            raise OutputError(f"Cannot write '{target}': it is a folder; give a file name")
        target.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(prefix=f".{target.stem}-", suffix=target.suffix, dir=target.parent)
    except OSError as error:
        raise OutputError(f"Cannot write '{target}': {error.strerror or error}; choose another place") from None
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(0o666 & ~mask)
        temporary.replace(target)
    except OSError as error:
        raise OutputError(f"Cannot write '{target}': {error.strerror or error}") from None
    finally:
        temporary.unlink(missing_ok=True)


def make_folder(path: str | Path) -> Path:
    """A folder that can be written to, made if need be. Raises OutputError."""
    folder = Path(path)
    if folder.exists() and not folder.is_dir():
        raise OutputError(f"'{folder}' is a file; give a folder")
    check_writable(folder / "any")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"Cannot write to '{folder}': {error.strerror or error}") from None
    return folder


def check_writable(path: str | Path) -> None:
    """Fail early, before long work, when `path` cannot be written. Raises OutputError."""
    target = Path(path)
    if target.is_dir():
        raise OutputError(f"Cannot write '{target}': it is a folder; give a file name")
    folder = target.parent
    while not folder.exists():
        folder = folder.parent
    if not folder.is_dir():
        raise OutputError(f"Cannot write '{target}': '{folder}' is not a folder")
    if not os.access(folder, os.W_OK):
        raise OutputError(f"Cannot write '{target}': the folder '{folder}' is read-only; choose another place")
