"""The catalogues as tables."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import pandas as pd

from irodori.entourage import ENTOURAGE
from irodori.finishes.catalogue import read_catalogue
from irodori.light import LAMPS, LIGHTS, WEATHERS
from irodori.picture.looks import looks


def finishes_table(catalogue: str | Path | None = None) -> pd.DataFrame:
    """Every finish, a row each, with its values by name; `catalogue` adds the user's own. Raises FinishError."""
    return pd.DataFrame([finish.model_dump() for finish in read_catalogue(catalogue).values()]).set_index("name")


def lights_table() -> pd.DataFrame:
    """Every named light with its values."""
    return pd.DataFrame.from_dict(LIGHTS, orient="index").rename_axis("name")


def weathers_table() -> pd.DataFrame:
    """Every weather with its values."""
    return pd.DataFrame.from_dict(WEATHERS, orient="index").rename_axis("name")


def lamps_table() -> pd.DataFrame:
    """Every kind of lamp with its values."""
    return pd.DataFrame.from_dict(LAMPS, orient="index").rename_axis("name")


def entourage_table() -> pd.DataFrame:
    """Everything that can be added, with its values."""
    return pd.DataFrame([asdict(kind) for kind in ENTOURAGE.values()]).set_index("name")


def looks_table() -> pd.DataFrame:
    """Every look."""
    return pd.DataFrame([{"name": one.name, "about": one.about} for one in looks().values()]).set_index("name")
