"""What a folder holds of options made before."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Any

from irodori.formats.atomic import whole_file

NAME = "options.json"


@dataclass
class Journal:
    """Keys and results of pictures in a folder, by their files' names; each entry is written as soon as its picture is, from whatever thread."""

    folder: Path
    entries: dict[str, dict[str, Any]]
    _turn: Lock = field(default_factory=Lock, repr=False)

    @classmethod
    def of(cls, folder: Path) -> Journal:
        """What a folder holds; a journal that cannot be read is none, and its pictures are made again."""
        try:
            told = json.loads((folder / NAME).read_text(encoding="utf-8"))
            entries = {name: dict(entry) for name, entry in told["pictures"].items()}
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            entries = {}
        return cls(folder, entries)

    def made(self, name: str, key: str) -> dict[str, Any] | None:
        """What is told of a picture that was made under this very key and lies there whole; None if it has to be made."""
        entry = self.entries.get(name)
        if entry is None or entry.get("key") != key:
            return None
        try:
            content = (self.folder / name).read_bytes()
        except OSError:
            return None
        return entry if hashlib.sha256(content).hexdigest() == entry.get("sha256") else None

    def elsewhere(self, key: str) -> str | None:
        """The name of a whole picture under which another run made this very one."""
        for name, entry in self.entries.items():
            if entry.get("key") == key and self.made(name, key):
                return name
        return None

    def enter(self, name: str, key: str, **told: Any) -> dict[str, Any]:
        """Enter a picture that was just written. Raises OutputError."""
        digest = hashlib.sha256((self.folder / name).read_bytes()).hexdigest()
        return self._write(name, {"key": key, "sha256": digest, **told})

    def add(self, name: str, **told: Any) -> dict[str, Any]:
        """Tell more of a picture that was entered. Raises OutputError."""
        return self._write(name, self.entries[name] | told)

    def _write(self, name: str, entry: dict[str, Any]) -> dict[str, Any]:
        with self._turn:
            self.entries[name] = entry
            with whole_file(self.folder / NAME) as temporary:
                temporary.write_text(
                    json.dumps({"pictures": self.entries}, indent=1, ensure_ascii=False), encoding="utf-8"
                )
        return entry

    def clear(self, names: Iterable[str]) -> None:
        """Take away what a run that was killed left half written of these pictures and of this journal."""
        for name in (*names, NAME):
            stem, suffix = Path(name).stem, Path(name).suffix
            for left in self.folder.glob(f".{_plain(stem)}-????????{suffix}"):
                left.unlink(missing_ok=True)


def _plain(text: str) -> str:
    """A text as a pattern for itself."""
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in text)
