"""Kinds of cloud by name."""

from __future__ import annotations

import tomllib
from importlib import resources

from irodori.core.scene import CloudKind

CLOUDS: dict[str, dict] = tomllib.loads((resources.files("irodori.light") / "clouds.toml").read_text("utf-8"))
"""The kinds; `clouds.toml` says what their numbers mean."""

USUAL = "cumulus"


def cloud_kind(name: str) -> CloudKind:
    """The kind called `name`. Raises KeyError."""
    told = CLOUDS[name]
    return CloudKind(**{n: float(told[n]) / (1000 if n == "dense" else 1) for n in CloudKind._fields})
