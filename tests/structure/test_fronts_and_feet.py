"""What custom knows of fronts, what the picture's foot cuts off, faces that together are one drum, and pitched ceilings."""

from dataclasses import replace

import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.geometry import shapes
from irodori.formats.write_image import write_image
from irodori.structure.camera.frame import curved
from irodori.structure.curves.polygonal import find_fans
from irodori.structure.planes.choose import LEVEL, UPRIGHT, Planes, lie_level
from irodori.structure.regions.measure import measure_regions
from painter import SIZE, camera_at, paint, role_at, share_deep, share_right

PLASTER, SLATE, TIMBER, PANE = (214, 206, 190), (96, 100, 112), (150, 110, 80), (110, 150, 170)
PAVING, GREEN, RED, WHITE = (176, 172, 164), (96, 140, 84), (150, 60, 50), (226, 226, 222)


def read(folder, picture):
    write_image(folder / "view.png", picture)
    return iro.read_structure(iro.open_capture(folder / "view.png"), cache=False)


def at(camera, *point):
    """The pixel (row, column) at which a camera sees a place, m."""
    x, y = camera.project(np.array([point], float))[0][0]
    return int(y), int(x)


SQUARE_ON = Camera.look((0, -40, 3.2), (0, 0, 3.2), size=SIZE, span=18.0)
STREET_FRONT = [
    (PAVING, shapes.box((-60, -5, -0.6), (60, 12, 0))),
    (PLASTER, shapes.box((-5, 0, 0), (5, 8, 5.4))),
    (SLATE, shapes.prism([(-5.4, -0.4), (5.4, -0.4), (5.4, 8.4), (-5.4, 8.4)], 5.4, 5.6)),
    *((PANE, shapes.box((x, -0.05, z), (x + 1.1, 0, z + 1.45))) for x in (-4.2, -2.4, 2.6) for z in (0.8, 3.4)),
    (TIMBER, shapes.box((-1.8, -2.4, 2.5), (1.8, 0, 2.75))),
    (RED, shapes.box((-1.6, -2.3, 0), (-1.4, -2.1, 2.5))),
    (RED, shapes.box((1.4, -2.3, 0), (1.6, -2.1, 2.5))),
    (GREEN, shapes.quad((-30, 40, 0), (30, 40, 0), (30, 40, 3.9), (-30, 40, 3.9))),
]


@pytest.fixture(scope="module", params=[False, True], ids=["shaded", "line"])
def street_front(tmp_path_factory, request):
    picture, _, _ = paint(STREET_FRONT, SQUARE_ON, line=request.param)
    return read(tmp_path_factory.mktemp("front"), picture), request.param


def test_a_front_s_windows_or_doors_give_its_scale(street_front):
    structure, _ = street_front
    assert structure.camera.projection == "parallel"
    assert structure.camera.focal == pytest.approx(SQUARE_ON.focal, rel=0.3)
    assert not any("a plan" in note for note in structure.notes)


def test_what_stands_before_a_front_and_behind_it_is_set_there(street_front):
    structure, line = street_front
    wall, terrace, post, hill = (
        float(structure.depth[at(SQUARE_ON, *place)])
        for place in ((-0.2, 0, 4.2), (3, -5, -0.3), (-1.5, -2.2, 1.2), (7.5, 40, 2))
    )
    assert 2 < wall - terrace < 6
    assert 1 < wall - post < 4
    if not line:  # nothing tells a drawn hill from a wall
        assert hill > wall + 5


def test_a_front_that_is_all_strips_is_no_plan(tmp_path):
    parts = [
        (TIMBER, shapes.box((-6, -0.5, 3.2), (6, 6, 3.9))),
        *((SLATE, shapes.box((x, -0.4, 0), (x + 0.6, 0.2, 3.2))) for x in (-5.8, -0.3, 5.2)),
        (PLASTER, shapes.box((-5.5, 0, 0), (5.5, 5, 3.2))),
        (PAVING, shapes.box((-6.2, -1, -0.5), (6.2, 6, 0))),
        *((PANE, shapes.box((x, -0.05, 0.9), (x + 1.5, 0, 2.4))) for x in (-4.6, -2.4, 1.0, 3.2)),
    ]
    structure = read(tmp_path, paint(parts, SQUARE_ON)[0])
    assert not any("a plan" in note for note in structure.notes)
    assert np.allclose(structure.normal[at(SQUARE_ON, 0.6, 0, 2.9)], [0, -1, 0], atol=0.01)


ROOM = [
    (PAVING, shapes.quad((0, 0, 0), (7, 0, 0), (7, 8, 0), (0, 8, 0))),
    (WHITE, shapes.quad((0, 0, 2.8), (7, 0, 2.8), (7, 8, 2.8), (0, 8, 2.8))),
    (PLASTER, shapes.quad((0, 8, 0), (7, 8, 0), (7, 8, 2.8), (0, 8, 2.8))),
    (PLASTER, shapes.quad((0, 0, 0), (0, 8, 0), (0, 8, 2.8), (0, 0, 2.8))),
    (PLASTER, shapes.quad((7, 0, 0), (7, 8, 0), (7, 8, 2.8), (7, 0, 2.8))),
    (TIMBER, shapes.box((0, 3, 0), (0.6, 5, 0.9))),
    (TIMBER, shapes.box((5.4, 6.2, 0), (6.8, 7.8, 0.75))),
]
INSIDE = camera_at((3.2, 0.4, 1.6), (3.9, 8, 1.35), field=66.0)


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_a_column_that_the_picture_s_foot_cuts_off_is_near(tmp_path, line):
    column = (SLATE, shapes.box((3.0, 2.1, 0), (3.36, 2.46, 2.8)))
    picture, depth, normal = paint([*ROOM, column], INSIDE, line=line)
    structure = read(tmp_path, picture)
    there = at(INSIDE, 3.2, 2.1, 1.5)
    assert structure.depth[there] / structure.depth[at(INSIDE, 5.0, 8, 1.2)] == pytest.approx(
        depth[there] / depth[at(INSIDE, 5.0, 8, 1.2)], rel=0.3
    )
    assert share_deep(structure, depth) > 0.9
    assert share_right(structure, normal, INSIDE) > (0.9 if line else 0.95)


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_the_faces_of_a_drum_are_turned_as_its_corners_stand(tmp_path, line):
    turn = np.radians(np.arange(0, 361, 30) + 10)
    ring = np.stack([4.5 + 0.3 * np.cos(turn), 4.9 + 0.3 * np.sin(turn)], axis=1)
    figure = [(RED, shapes.quad((*a, 0), (*b, 0), (*b, 1.55), (*a, 1.55))) for a, b in zip(ring[:-1], ring[1:])]
    figure.append((RED, shapes.prism(ring[:-1], 1.53, 1.56)))
    picture, depth, normal = paint([*ROOM, *figure], INSIDE, line=line)
    structure = read(tmp_path, picture)
    row, middle = at(INSIDE, 4.5, 4.6, 0.9)
    on_it = np.arange(middle - 40, middle + 40)
    on_it = on_it[depth[row, on_it] < depth[row, middle] + 0.25]
    assert len(on_it) > 30
    facing = (structure.normal[row, on_it] @ structure.camera.rotation.T) * (normal[row, on_it] @ INSIDE.rotation.T)
    assert (facing.sum(axis=1) > np.cos(np.radians(14))).mean() > 0.8
    floor = structure.depth[at(INSIDE, 4.5, 4.5, 0.0)]
    assert structure.depth[row, on_it].mean() == pytest.approx(floor, rel=0.15)


def test_equal_strips_side_by_side_are_no_drum():
    labels = np.ones((200, 300), np.int32)
    for k in range(5):
        labels[40:170, 100 + 12 * k : 112 + 12 * k] = 2 + k
    regions = measure_regions(
        labels, np.array([(0, 0, 0), (255, 255, 255), *[(90, 60 + k, 40) for k in range(5)]], float)
    )
    assert find_fans(regions, [1], coloured=False) == []
    turn = np.radians(np.arange(-75, 76, 30))
    edges = np.rint(150 + 60 * np.sin(np.radians(np.arange(-90, 91, 30)))).astype(int)
    for k in range(6):
        labels[40:170, edges[k] : edges[k + 1]] = 2 + k
    drum = measure_regions(labels, np.full((8, 3), 200.0))
    (fan,) = find_fans(drum, [1], coloured=False)
    assert fan.faces == [2, 3, 4, 5, 6, 7]
    assert np.allclose(fan.turn, turn, atol=np.radians(3))


def test_the_ceilings_of_an_attic_slope(tmp_path):
    knee, ridge = 1.2, 4.0
    parts = [
        (PAVING, shapes.quad((0, 0, 0), (6, 0, 0), (6, 9, 0), (0, 9, 0))),
        (PLASTER, shapes.quad((0, 0, 0), (0, 9, 0), (0, 9, knee), (0, 0, knee))),
        (PLASTER, shapes.quad((6, 0, 0), (6, 9, 0), (6, 9, knee), (6, 0, knee))),
        (WHITE, shapes.quad((0, 0, knee), (0, 9, knee), (3, 9, ridge), (3, 0, ridge))),
        (WHITE, shapes.quad((6, 0, knee), (6, 9, knee), (3, 9, ridge), (3, 0, ridge))),
        (TIMBER, np.array([[(0, 9, 0), (6, 9, 0), (6, 9, knee)], [(0, 9, 0), (6, 9, knee), (0, 9, knee)], [(0, 9, knee), (6, 9, knee), (3, 9, ridge)]], float)),
        (RED, shapes.box((0.4, 5, 0), (1.4, 7, 0.8))),
        (PANE, shapes.box((2.3, 8.95, 1.0), (3.7, 9, 2.2))),
    ]  # fmt: skip
    camera = camera_at((2.6, 0.4, 1.6), (3.3, 9, 1.7), field=70.0)
    picture, depth, normal = paint(parts, camera)
    structure = read(tmp_path, picture)
    assert share_right(structure, normal, camera) > 0.9
    assert share_deep(structure, depth) > 0.85
    assert role_at(structure, camera, (1.2, 5.5, knee + (ridge - knee) * 0.4)) == "ceiling"


def test_what_is_floor_for_sure_lies_level_and_walls_do_not():
    labels = np.ones((SIZE[1], SIZE[0]), np.int32)
    labels[380:440, 100:300], labels[380:440, 400:600], labels[100:300, 200:300] = 2, 3, 4
    regions = measure_regions(labels, np.full((5, 3), 150.0))
    planes = Planes(np.full(5, UPRIGHT), np.tile([0.0, -1, 0], (5, 1)), np.full(5, 0.5))
    sure = np.array([0, 0.9, 0.9, 0.9, 0.9])
    roles = ["other", "wall", "floor", "paving", "floor"]
    lain = lie_level(planes, regions, INSIDE, roles, sure)
    assert lain.kind.tolist() == [UPRIGHT, UPRIGHT, LEVEL, UPRIGHT, UPRIGHT]  # the last lies above the horizon
    assert np.allclose(lain.normal[2], [0, 0, 1])
    assert lie_level(replace(planes, kind=lain.kind), regions, INSIDE, roles, sure) is None
    assert lie_level(planes, regions, INSIDE, roles, 0.4 * sure) is None


def test_the_two_edges_of_a_band_round_a_corner_are_no_curve():
    band = np.array([
        (100, 120, 300, 100), (300, 100, 460, 118), (100, 127, 300, 101), (300, 101, 460, 126), (100, 120, 100, 300),
    ], float)  # fmt: skip
    assert not curved(band, onward=True).any()
    assert curved(band).any()
    turn = np.radians(np.arange(0, 91, 10))
    places = np.stack([300 + 150 * np.cos(turn), 300 - 150 * np.sin(turn)], axis=1)
    arc = np.concatenate([places[:-1], places[1:]], axis=1)
    assert curved(arc)[1:-1].all() and curved(arc, onward=True)[1:-1].all()
