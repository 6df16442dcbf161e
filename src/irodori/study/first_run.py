"""Compiling the engine once, on a scene as small as can be that has one of everything."""

from __future__ import annotations

import numpy as np

from irodori.capture.model import Model
from irodori.capture.surfaces import cut_surfaces
from irodori.core.model import SURFACE_COLUMNS, ModelData, ViewSpec
from irodori.formats.mesh_file import Part
from irodori.picture import render
from irodori.scene import dress
from irodori.structure import read_structure

SIZE = 48


def compile_engine() -> None:
    """Render a tiny scene, which leaves every kernel of the engine in Numba's cache."""
    import pandas as pd

    def wall(low, high):
        (x0, y0, z0), (x1, _, z1) = low, high
        return np.array([[[x0, y0, z0], [x1, y0, z0], [x1, y0, z1]], [[x0, y0, z0], [x1, y0, z1], [x0, y0, z1]]], float)

    ground = np.array([[[-9, -9, 0], [9, -9, 0], [9, 9, 0]], [[-9, -9, 0], [9, 9, 0], [-9, 9, 0]]], float)
    parts = [
        Part("lake", "water", (0.1, 0.2, 0.3), 1.0, ground - [0, 0, 0.2]),
        Part("wall", "", (0.5, 0.4, 0.3), 1.0, wall((-3, 1, 0), (0, 1, 3))),
        Part("glass", "glass", (0.8, 0.9, 0.9), 0.3, wall((0, 1, 0), (3, 1, 3))),
        Part("roof", "zinc", (0.5, 0.5, 0.5), 1.0, wall((-3, 0.9, 2.6), (3, 0.9, 3.4))),
        Part("pendant lamp", "", (1.0, 1.0, 1.0), 1.0, wall((1, 2, 1), (1.5, 2, 1.5))),
    ]
    mesh, rows = cut_surfaces(parts)
    data = ModelData(mesh, pd.DataFrame(rows, columns=list(SURFACE_COLUMNS)), digest="first run")
    view = ViewSpec("first", (0.5, -7.0, 1.7), (0.0, 1.0, 1.5), ground=False)
    structure = read_structure(Model(data).view(view, width=SIZE))
    schedule = 'where,finish\nrole roof,standing seam zinc\nrole wall,"larch boards, upright"\n'
    assert render(dress(structure, schedule, "dusk"), "draft").encoded.size


if __name__ == "__main__":
    compile_engine()
