"""What was made before, kept in the user's cache folder until it is wanted again."""

from __future__ import annotations

import contextlib
import hashlib
import os
import pickle
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from irodori.core.errors import IrodoriError
from irodori.formats.atomic import whole_file

Made = TypeVar("Made")

ROOM = 2_000_000_000
"""Bytes of what is kept; what was not wanted for longest goes first."""


def cache_folder(part: str) -> Path:
    """Where one kind of kept work lies: in `IRODORI_CACHE`, or in the user's cache folder."""
    import platformdirs

    return Path(os.environ.get("IRODORI_CACHE") or platformdirs.user_cache_path("irodori")) / part


def made_before(name: str, make: Callable[[], Made], *made_from: Any) -> Made:
    """What `make` gave when it was made from equal things by the same code, else what it gives now.

    Kept by content, so that nothing stale comes back: arrays by their bytes, records by their fields, and all of it by the state of
    the package's own files. As with compiled code that is kept there, whoever may write to the folder may run code: it has to be the
    user's own. A cache that cannot be read or written is no reason to fail.

    Parameters
    ----------
    name
        Of what is made; begins the file's name.
    made_from
        All that `make` depends on: arrays, tables, plain values, and records and sequences of these.
    """
    told = hashlib.sha256(state_of_code())
    _tell(told, made_from)
    path = cache_folder("made") / f"{name}-{told.hexdigest()[:40]}.pickle"
    with contextlib.suppress(Exception):
        # Bytes that are cut short or of another version fail in many ways; all of them mean that it is made anew.
        made = pickle.loads(path.read_bytes())
        os.utime(path)
        return made
    made = make()
    with contextlib.suppress(IrodoriError, OSError):
        with whole_file(path) as temporary:
            temporary.write_bytes(pickle.dumps(made, pickle.HIGHEST_PROTOCOL))
        _make_room(path.parent)
    return made


def _tell(told: Any, thing: Any) -> None:
    """Feed what `thing` holds to a digest, each part with its kind and size, so that no two differ by their seams alone."""
    if isinstance(thing, np.ndarray) and thing.dtype != object:
        told.update(f"{thing.dtype.str}{thing.shape}".encode())
        told.update(np.ascontiguousarray(thing).data)
    elif is_dataclass(thing) and not isinstance(thing, type):
        told.update(type(thing).__name__.encode())
        for field in fields(thing):
            _tell(told, getattr(thing, field.name))
    elif isinstance(thing, (list, tuple)):
        told.update(f"[{len(thing)}]".encode())
        for part in thing:
            _tell(told, part)
    elif isinstance(thing, dict):
        _tell(told, list(thing.items()))
    elif hasattr(thing, "to_csv"):
        told.update(thing.to_csv().encode())
    elif hasattr(thing, "model_dump_json"):
        told.update(thing.model_dump_json().encode())
    elif isinstance(thing, bytes):
        told.update(f"{len(thing)}".encode() + thing)
    elif thing is None or isinstance(thing, (str, int, float, Path, np.generic)):
        told.update(f"{type(thing).__name__}:{thing!r};".encode())
    else:
        raise TypeError(f"Nothing is kept by the content of a {type(thing).__name__}")


@cache
def state_of_code() -> bytes:
    """Changes whenever a file of the package does."""
    package = Path(__file__).parents[1]
    files = sorted(f for f in package.rglob("*") if f.suffix in (".py", ".toml", ".npz"))
    state = [(str(f.relative_to(package)), (told := f.stat()).st_size, told.st_mtime_ns) for f in files]
    return hashlib.sha256(repr(state).encode()).digest()


def _make_room(folder: Path) -> None:
    """Take away the oldest files beyond `ROOM`."""
    total = 0
    kept = [(f.stat(), f) for f in folder.glob("*.pickle")]
    for told, file in sorted(kept, key=lambda pair: -pair[0].st_mtime):
        total += told.st_size
        if total > ROOM:
            file.unlink(missing_ok=True)
