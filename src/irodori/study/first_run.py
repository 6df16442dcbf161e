"""Compiling the engine once, on a scene as small as can be that has one of everything."""

from __future__ import annotations

import numpy as np

from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.model import Model
from irodori.core.fragments import Fragments
from irodori.core.model import SURFACE_COLUMNS, ModelData, ViewSpec
from irodori.engine.image.layers import CHANNELS, total_light
from irodori.engine.surface.imagined_rooms import room_radiance
from irodori.finishes.evaluate import OUTPUTS, evaluate_finish
from irodori.finishes.slots import SLOT
from irodori.formats.model.parts import Part
from irodori.picture import Picture, render
from irodori.picture.develop import Development, develop
from irodori.picture.looks import looks
from irodori.scene import dress
from irodori.structure import read_structure

SIZE = 48


def compile_engine() -> None:
    """Render a tiny scene, which leaves every kernel of the engine in Numba's cache."""
    assert _tiny_picture().encoded.size


def compile_drawing() -> None:
    """Draw a tiny picture in every look, which leaves the kernels of drawing there too."""
    picture = _tiny_picture()
    for name in looks():
        assert picture.as_look(name).encoded.size


def _tiny_picture() -> Picture:
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
    return render(dress(structure, schedule, "dusk"), "draft")


def compile_finishes() -> None:
    """Compile the finishes alone, a quarter of the whole, which other kernels then find in the cache."""
    one = np.float32(1)
    row, place, out = np.ones(len(SLOT), np.float32), [one] * 7, np.zeros(OUTPUTS, np.float32)
    evaluate_finish(row, *place, 1, one, one, one, out)


def compile_apart() -> None:
    """Compile rooms and development alone, so that a process that comes to them later finds them in the cache."""
    one = np.float32(1)
    frame, three, groups = np.ones(4, np.float32), np.ones(3, np.float32), np.zeros(9, np.float32)
    room_radiance(*[one] * 9, frame, three, one, three, 1, groups)
    two = Fragments(
        np.array([0, 1, 1], np.int32), np.array([0, 0, 1], np.int32), np.array([1, 0.5, 0.5], np.float32),
        np.array([np.inf, np.inf, 1], np.float32), np.zeros((3, 3), np.float32), np.full((3, 2), 0.5, np.float32),
    )  # fmt: skip
    light = total_light(np.ones((3, CHANNELS), np.float32), 3)
    develop(two, (2, 1), light, Development(0.0, 0.0, (1.0, 1.0, 1.0)), np.zeros(2, bool))


if __name__ == "__main__":
    compile_apart()  # first, so that the finishes, compiled elsewhere meanwhile, are there when they are wanted
    compile_engine()
