"""Kinds of cloud by name."""

from __future__ import annotations

import tomllib
from importlib import resources

import numpy as np

CLOUDS: dict[str, dict] = tomllib.loads((resources.files("irodori.light") / "clouds.toml").read_text("utf-8"))
"""The kinds; `clouds.toml` says what their numbers mean."""

NUMBERS = ("base", "thick", "size", "drawn", "flat", "billow", "soft", "dense", "fine", "glow")


def cloud_row(kind: str) -> np.ndarray:
    """The numbers of a kind in the order of `NUMBERS`, (10,) float32; extinction in 1/m."""
    row = np.array([CLOUDS[kind][name] for name in NUMBERS], np.float32)
    row[NUMBERS.index("dense")] /= 1000
    return row
