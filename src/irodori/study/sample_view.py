"""Views of small models made in memory, for sheets and samples."""

from __future__ import annotations

from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.model import Model
from irodori.core.capture import Capture
from irodori.core.model import SURFACE_COLUMNS, ModelData, ViewSpec
from irodori.core.work.progress import Progress
from irodori.formats.model.parts import Part


def view_parts(
    parts: list[Part], view: ViewSpec, name: str, *, width: int, height: int | None = None,
    progress: Progress | None = None,
) -> Capture:  # fmt: skip
    """What a view shows of some parts, metres, z up; `name` stands for the file that there is none of."""
    import pandas as pd

    mesh, table = cut_surfaces(parts)
    data = ModelData(mesh, pd.DataFrame(table, columns=list(SURFACE_COLUMNS)), digest=name)
    return Model(data).view(view, width=width, height=height, progress=progress)
