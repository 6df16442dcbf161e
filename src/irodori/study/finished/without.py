"""A view of a model without some of what it shows: what stood behind comes to light."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import pandas as pd

from irodori.capture.model.trace_view import trace_view
from irodori.core.errors import IrodoriError
from irodori.core.structure import Structure
from irodori.scene.assign import all_surfaces


def without(structure: Structure, ids: Iterable[int]) -> Structure:
    """The structure of a model without the surfaces `ids`, its view traced again. Raises IrodoriError when nothing would be left."""
    gone = np.array(sorted(set(ids)), np.int64)
    mesh = structure.mesh.keep(~np.isin(structure.mesh.surface, gone))
    if not len(mesh):
        raise IrodoriError("Nothing would be left of the model; remove less")
    table = all_surfaces(structure)
    table = table[~table["id"].isin(gone)]
    loose = np.zeros(int(mesh.surface.max()) + 1, bool)
    soft = table.loc[table["role"] == "planting", "id"].to_numpy()
    loose[soft[soft < len(loose)]] = True
    fragments = trace_view(mesh, structure.camera, loose=loose).fragments
    first = fragments.first()
    shape = structure.regions.shape
    regions = fragments.region[first].reshape(shape)
    area = np.bincount(regions.ravel(), minlength=int(table["id"].max()) + 1)
    full = pd.concat([structure.surfaces, *([structure.hidden_surfaces] if structure.hidden_surfaces is not None else [])])
    full = full[~full["id"].isin(gone)].drop_duplicates("id").copy()
    full["area_px"] = area[full["id"].to_numpy()]
    seen = full["id"].isin(np.unique(fragments.region))
    return replace(
        structure, mesh=mesh, fragments=fragments, regions=regions, depth=fragments.depth[first].reshape(shape),
        normal=fragments.normal[first].reshape(*shape, 3), surfaces=full[seen].reset_index(drop=True),
        hidden_surfaces=full[~seen].reset_index(drop=True),
    )  # fmt: skip
