"""The scenario's files: where they are shipped, and how they are made."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from irodori.core.errors import ModelError

MODEL = "landing.glb"
SCHEDULE = "finishes.csv"
ENTOURAGE_LIST = "entourage.csv"
BRIEF = "brief.txt"
CORRECTIONS = ("landing-line.reading.toml", "landing-sketch.reading.toml")
VIEWS = ("landing", "aerial", "gangway", "hall")
CAPTURES = {
    "landing-shaded.png": ("landing", "shaded"),
    "landing-messy.png": ("landing", "shaded"),
    "landing-line.png": ("landing", "line"),
    "landing-sketch.png": ("landing", "sketch"),
    "aerial-shaded.png": ("aerial", "shaded"),
    "gangway-shaded.png": ("gangway", "shaded"),
    "hall-shaded.png": ("hall", "shaded"),
}


def demo_path(name: str) -> Path:
    """Path of a shipped file. Raises ModelError when there is none of that name."""
    path = Path(str(resources.files("irodori.demo") / "data" / name))
    if not path.is_file():
        raise ModelError(f"There is no demo file '{name}'")
    return path
