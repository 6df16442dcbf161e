"""What surfaces are usually made of, where no schedule says it: data, in `usual.toml`."""

from __future__ import annotations

import tomllib
from importlib import resources

_DATA = tomllib.loads((resources.files("irodori.finishes") / "usual.toml").read_text("utf-8"))

BY_ROLE: dict[str, str] = _DATA["by_role"]
"""Finishes that a role implies; every other surface keeps the colour found."""

DRAWN_BY_ROLE: dict[str, str] = _DATA["drawn"]
"""Finishes for what a drawing shows: the colour found there is only the paper's."""

LIKELY: dict[str, dict[str, str]] = _DATA["likely"]
"""Finishes by role and material, in the colour found; "any" for what neither name nor colour tells."""

MATERIAL_WORDS: dict[str, list[str]] = _DATA["material_words"]
"""Kinds of material by words in their names, the more telling first."""
