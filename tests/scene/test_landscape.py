"""What lies behind and around buildings: hills, trees behind roofs, paving in pieces; against the scenes that were painted."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.pixels.borders import region_borders
from irodori.formats.write_image import write_image
from painter import camera_at, paint, pixel, role_at

PAVING, PLASTER, ZINC, LEAF, MEADOW = (196, 190, 178), (232, 228, 218), (126, 136, 150), (112, 158, 82), (150, 176, 138)
PANE, COUNTER, AWNING = (126, 170, 196), (236, 231, 220), (170, 52, 44)
PANE_AT, COUNTER_AT, FASCIA_AT = (2.0, -0.06, 1.7), (2.0, -0.04, 0.6), (1.0, -1.0, 2.9)
CROWN, HILL_AT = (-1.5, 9.0, 4.2), (-14.0, 60.0, 6.0)


def kiosk():
    """A kiosk with a flat roof on paving in two pieces, a tree behind its roof and a hill behind all."""
    outline = [(-90, 7), (-40, 9.5), (-12, 12.5), (10, 9), (38, 6), (90, 10)]
    fan = [
        [(a, 60, high), (b, 60, to), (a, 60, -1)] for (a, high), (b, to) in zip(outline[:-1], outline[1:])
    ] + [[(b, 60, to), (b, 60, -1), (a, 60, -1)] for (a, _), (b, to) in zip(outline[:-1], outline[1:])]  # fmt: skip
    return [
        (PAVING, shapes.quad((-80, -60, 0), (1, -60, 0), (1, 59, 0), (-80, 59, 0))),
        (PAVING, shapes.quad((1, -60, 0), (80, -60, 0), (80, 59, 0), (1, 59, 0))),
        (PLASTER, shapes.box((-4, 0, 0), (4, 5, 2.8))),
        (ZINC, shapes.box((-5, -1, 2.8), (5, 6, 3.0))),
        (PANE, shapes.box((-3.2, -0.06, 1.1), (3.2, 0, 2.2))),
        (COUNTER, shapes.box((-3.2, -0.04, 0.1), (3.2, 0, 1.1))),
        (AWNING, shapes.box((-3.2, -0.05, 2.3), (3.2, 0, 2.6))),
        (LEAF, shapes.ball(CROWN, 1.6, 24), True),
        (MEADOW, np.array(fan, float), True),
    ]


@pytest.fixture(scope="module")
def painted(tmp_path_factory):
    camera = camera_at(at=(-4, -13, 1.7), to=(0.5, 2, 2.3))
    picture, depth, normal = paint(kiosk(), camera)
    path = tmp_path_factory.mktemp("kiosk") / "kiosk.png"
    write_image(path, picture)
    return iro.read_structure(iro.open_capture(path), cache=False), camera, depth, normal


def seen_at(read, at):
    """The place (3,) m that was read at a pixel, row and column."""
    origins, rays = read.camera.rays(np.array([at[1] + 0.5]), np.array([at[0] + 0.5]))
    return (origins + rays * read.depth[at])[0]


def test_a_hill_is_context_and_stands_behind_all(painted):
    read, camera, depth, _ = painted
    assert role_at(read, camera, HILL_AT) == "context"
    there = pixel(camera, HILL_AT)
    hill = read.regions == read.regions[there]
    assert abs(read.normal[there][2]) < 1e-6
    before = (depth < 40) & ~region_borders(read.regions) & (read.regions > 0)
    assert read.depth[hill].min() > np.percentile(read.depth[before & (read.normal[..., 2] < 0.9)], 99)


def test_a_crown_that_a_roof_cuts_off_stands_behind_it(painted):
    read, camera, *_ = painted
    assert role_at(read, camera, CROWN) == "planting"
    crown, eaves = pixel(camera, CROWN), pixel(camera, (CROWN[0], -1.0, 2.9))
    off = [seen_at(read, at) @ read.normal[eaves] for at in (crown, eaves)]
    assert off[0] < off[1] - 0.05  # normals face the camera


def test_a_crown_that_a_roof_cuts_off_is_read_in_a_parallel_view_too(tmp_path):
    camera = camera_at(at=(-14, -22, 12), to=(0, 2, 1), span=26)
    parts = [part for part in kiosk() if part[0] not in (LEAF, MEADOW)]
    picture, *_ = paint([*parts, (LEAF, shapes.ball((1.0, 8.2, 3.0), 1.7, 24), True)], camera)
    write_image(tmp_path / "above.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "above.png"), cache=False)
    assert read.camera.projection == "parallel"
    assert role_at(read, camera, (1.0, 8.2, 4.2)) == "planting"
    assert np.isfinite(read.depth[read.regions > 0]).all()


def test_the_edge_of_a_roof_before_trees_is_upright(painted):
    read, camera, _, normal = painted
    there = pixel(camera, FASCIA_AT)
    assert normal[there] == pytest.approx([0, -1, 0], abs=1e-6)
    assert abs(read.normal[there][2]) < 0.05


def test_white_panels_beside_blue_panes_are_none(painted):
    read, camera, *_ = painted
    assert role_at(read, camera, PANE_AT) == "glazing"
    assert role_at(read, camera, COUNTER_AT) not in ("glazing", "other")


def test_paving_parted_by_a_joint_has_one_level_and_one_role(painted):
    read, camera, *_ = painted
    table = read.surfaces.set_index("id")
    pieces = [read.regions[pixel(camera, at)] for at in ((-3, -4, 0), (2.5, -4, 0))]
    assert pieces[0] != pieces[1]
    assert table.offset[pieces[0]] == pytest.approx(table.offset[pieces[1]], abs=0.01)
    assert set(table.role[pieces]) == {"paving"}
