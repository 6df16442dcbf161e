"""The lines of a model's view, against the edges of a box that is known in closed form."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.lines import FOLD, OUTLINE, line_sides
from irodori.formats.model.parts import Part
from irodori.study.sample_view import view_parts

LOW, HIGH = np.array([-2.0, 0.0, 0.0]), np.array([2.0, 3.0, 3.0])


@pytest.fixture(scope="module")
def box():
    view = iro.ViewSpec("box", (7.0, -9.0, 5.0), (0.0, 1.5, 1.2), field=45.0, ground=False)
    parts = [Part("block", "", (0.5, 0.5, 0.5), 1.0, shapes.box(tuple(LOW), tuple(HIGH)))]
    return view_parts(parts, view, "box", width=640).exact


def edges_of(camera):
    """The nine edges of the box that show from the front, right and above, px, with whether two faces that show meet there."""
    corner = {(i, j, k): np.where([i, j, k], HIGH, LOW) for i in (0, 1) for j in (0, 1) for k in (0, 1)}
    shown = {"front": lambda c: c[1] == 0, "right": lambda c: c[0] == 1, "top": lambda c: c[2] == 1}
    found = []
    for a in corner:
        for axis in range(3):
            b = tuple(1 if n == axis else v for n, v in enumerate(a))
            if a[axis]:
                continue
            faces = sum(test(a) and test(b) for test in shown.values())
            if faces:
                ends = camera.project(np.array([corner[a], corner[b]]))[0]
                found.append((ends, faces == 2))
    return found


def test_every_edge_that_shows_is_one_line(box):
    expected = edges_of(box.camera)
    assert len(expected) == 9 and len(box.lines) == 9
    sides = line_sides(box.lines, box.regions, box.depth)
    for ends, inner in expected:
        off = [min(np.abs(line.reshape(2, 2) - e).max() for e in (ends, ends[::-1])) for line in box.lines]
        nearest = int(np.argmin(off))
        assert off[nearest] < 2.0, (ends, off[nearest])
        assert sides.kind[nearest] == (FOLD if inner else OUTLINE)
        assert sides.far[nearest] == 0 or inner


def test_what_is_hidden_has_no_line(model):
    """Lines of the hall's view lie on borders between surfaces, or where one turns away; nothing shows through walls."""
    exact = model.view("hall", width=480).exact
    sides = line_sides(exact.lines, exact.regions, exact.depth)
    length = np.hypot(*(exact.lines[:, 2:] - exact.lines[:, :2]).T)
    told = sides.near != sides.far
    assert length[told].sum() > 0.9 * length.sum() and len(exact.lines) > 100


def test_smooth_things_have_outlines_alone():
    view = iro.ViewSpec("drum", (0.0, -9.0, 2.0), (0.0, 0.0, 1.0), field=40.0, ground=False)
    drum = shapes.cylinder(0.0, 0.0, 0.0, 2.0, 1.0, sides=64)
    exact = view_parts([Part("drum", "", (0.5, 0.5, 0.5), 1.0, drum)], view, "drum", width=480).exact
    upright = np.abs(exact.lines[:, 2] - exact.lines[:, 0]) < 3
    tall = np.abs(exact.lines[:, 3] - exact.lines[:, 1]) > 60
    assert (upright & tall).sum() == 2
