"""Views from above in parallel projection, with and without a ground, and rooms seen square on."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.colour import encode_8_bit
from irodori.core.geometry import shapes
from irodori.formats.write_image import write_image
from irodori.structure.regions.measure import measure_regions
from painter import SIZE, grid_over, paint, share_right

PLASTER, SLATE, TIMBER, GROUND = (214, 206, 190), (110, 116, 128), (150, 110, 80), (196, 192, 186)
ABOVE = Camera.look((-16, -20, 17), (0, 2, 1), size=SIZE, span=30.0)


def house(x, y, colour):
    return [
        (colour, shapes.box((x, y, 0), (x + 5, y + 4, 3.2))),
        (SLATE, shapes.box((x - 0.4, y - 0.4, 3.2), (x + 5.4, y + 4.4, 3.5))),
        (TIMBER, shapes.box((x + 1, y - 0.05, 0), (x + 2, y, 2.1))),
    ]


def read(folder, picture):
    write_image(folder / "view.png", picture)
    return iro.read_structure(iro.open_capture(folder / "view.png"), cache=False)


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_things_apart_stand_on_a_ground(tmp_path, line):
    earth = (GROUND, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0)))
    picture, _, normal = paint([earth, *house(-7, 0, PLASTER), *house(4, 3, PLASTER)], ABOVE, line=line)
    structure = read(tmp_path, picture)
    assert structure.camera.projection == "parallel"
    assert (structure.regions > 0).mean() > 0.99
    assert share_right(structure, normal, ABOVE) > 0.95
    level = structure.normal[..., 2] > 0.99
    assert level[np.abs(normal[..., 2]) > 0.9].mean() > 0.97


def test_around_a_single_thing_there_may_be_nothing(tmp_path):
    picture, depth, _ = paint(house(-3, 0, PLASTER), ABOVE, background=(235, 238, 240))
    structure = read(tmp_path, picture)
    assert (structure.regions[~np.isfinite(depth)] == 0).mean() > 0.98


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_around_a_plate_seen_from_high_up_lies_nothing(tmp_path, line):
    high = Camera.look((-26, -20, 21), (-1, 0, 0), size=SIZE, field=50.0)
    plate = (GROUND, shapes.box((-40, -40, -0.6), (13, 11, 0)))
    parts = [plate, *house(-9, -2, PLASTER), *house(2, 3, PLASTER)]
    picture, depth, _ = paint(parts, high, line=line)
    empty = ~np.isfinite(depth)
    assert empty[0].all() and empty.mean() > 0.1
    structure = read(tmp_path, picture)
    assert (structure.regions[empty] == 0).mean() > 0.98 and (structure.regions[~empty] > 0).mean() > 0.98
    if line:
        return
    # With a house beyond it that is land.
    further = [
        (TIMBER, shapes.quad((-90, -90, -0.5), (90, -90, -0.5), (90, 90, -0.5), (-90, 90, -0.5))),
        *house(6, 16, PLASTER),
    ]
    picture, depth, _ = paint([*parts, *further], high, line=line)
    assert (read(tmp_path, picture).regions[empty] > 0).mean() > 0.98


def test_a_thing_that_the_picture_cuts_stands_on_a_ground(tmp_path):
    near = Camera.look((-16, -20, 17), (0, 2, 1), size=SIZE, span=14.0)
    earth = (GROUND, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0)))
    row = [(PLASTER, shapes.box((-5, 0, 0), (20, 30, 3)))]
    porches = [(TIMBER, shapes.box((x, -1, 0), (x + 1.5, 0, 2.4))) for x in (-4, 0, 4)]
    picture, _, normal = paint([earth, *row, *porches], near)
    assert share_right(read(tmp_path, picture), normal, near) > 0.95


def gridded(house_parts):
    """A graded background with a ground grid on it, up to the picture's upper border, and what it should look like."""
    graded = np.linspace((168, 192, 224), (240, 243, 247), SIZE[1])[:, None].repeat(SIZE[0], axis=1)
    double = cv2.resize(graded, (SIZE[0] * 2, SIZE[1] * 2), interpolation=cv2.INTER_LINEAR)
    plain, depth, _ = paint(house_parts, ABOVE, background=double)
    return plain, np.where(np.isfinite(depth)[..., None], plain, grid_over(plain, ABOVE, 3.0, reach=60))


def test_a_grid_goes_from_a_background_of_any_lightness(tmp_path):
    plain, image = gridded(house(-3, 0, PLASTER))
    write_image(tmp_path / "view.png", image)
    capture = iro.open_capture(tmp_path / "view.png")
    assert any("ground grid" in said for said in capture.removed)
    left = np.abs(encode_8_bit(capture.image).astype(int) - plain).max(axis=2) > 10
    before = np.abs(image.astype(int) - plain).max(axis=2) > 10
    third = SIZE[1] // 3
    for rows in (slice(0, third), slice(third, 2 * third), slice(2 * third, None)):
        assert left[rows].sum() < 0.1 * before[rows].sum()


def room(*more):
    """A room from within, 6 m wide and 7 m deep."""
    return [
        (TIMBER, shapes.quad((0, 0, 0), (6, 0, 0), (6, 7, 0), (0, 7, 0))),
        ((240, 239, 236), shapes.quad((0, 0, 2.7), (0, 7, 2.7), (6, 7, 2.7), (6, 0, 2.7))),
        (PLASTER, shapes.quad((0, 7, 0), (6, 7, 0), (6, 7, 2.7), (0, 7, 2.7))),
        (PLASTER, shapes.quad((0, 0, 0), (0, 7, 0), (0, 7, 2.7), (0, 0, 2.7))),
        (PLASTER, shapes.quad((6, 0, 0), (6, 0, 2.7), (6, 7, 2.7), (6, 7, 0))),
        *more,
    ]


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_a_room_seen_square_on_from_the_side_is_no_elevation(tmp_path, line):
    table = [(SLATE, shapes.box((2.2, 3, 0.7), (3.8, 4, 0.75)))]
    legs = [(SLATE, shapes.box((x, y, 0), (x + 0.06, y + 0.06, 0.7))) for x in (2.25, 3.7) for y in (3.05, 3.9)]
    doors = [(TIMBER, shapes.box((1, 6.95, 0), (1.9, 7, 2.1))), (SLATE, shapes.box((3, 6.95, 0.9), (5, 7, 2.1)))]
    camera = Camera.look((3, 0.2, 1.5), (3, 7, 1.5), size=SIZE, field=62.0)
    camera = replace(camera, matrix=camera.matrix + [[0, 0, -90.0], [0, 0, -10.0], [0, 0, 0]])
    picture, _, normal = paint(room(*table, *legs, *doors), camera, line=line)
    structure = read(tmp_path, picture)
    assert structure.camera.projection == "perspective"
    assert share_right(structure, normal, camera) > 0.93


def test_a_wide_floor_is_no_ball(tmp_path):
    camera = Camera.look((3, 0.4, 1.6), (3, 7, 1.2), size=SIZE, field=74.0)
    picture, _, normal = paint(room(), camera, line=True)
    structure = read(tmp_path, picture)
    floor = normal[..., 2] > 0.9
    assert (structure.normal[floor] @ [0, 0, 1.0] > 0.99).mean() > 0.97


def test_colours_of_regions_that_are_gone_are_left_out():
    labels = np.repeat(np.array([[1, 2], [1, 3]]), 8, axis=0).repeat(8, axis=1)
    regions = measure_regions(labels, np.arange(18.0).reshape(6, 3))
    assert len(regions.colour) == len(regions.area) == 4


def test_a_rug_under_a_table_that_stands_askew_lies_on_the_floor(tmp_path):
    turn = np.radians(25.0)
    spin = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    legs = [shapes.box((x, y, 0), (x + 0.09, y + 0.09, 0.7)) for x in (-0.8, 0.7) for y in (-0.5, 0.4)]
    table = [shapes.box((-0.9, -0.6, 0.7), (0.9, 0.6, 0.76)), *legs]
    rug = ((150, 60, 50), shapes.quad((1.2, 2.4, 0.01), (4.8, 2.4, 0.01), (4.8, 5.4, 0.01), (1.2, 5.4, 0.01)))
    parts = room(rug, *((SLATE, part @ spin + [3.1, 3.9, 0]) for part in table))
    camera = Camera.look((1.6, 0.3, 1.6), (3.4, 7, 1.0), size=SIZE, field=66.0)
    picture, _, normal = paint(parts, camera)
    structure = read(tmp_path, picture)
    reddish = (picture[..., 0].astype(int) - picture[..., 1] > 40) & (normal[..., 2] > 0.9)
    assert reddish.mean() > 0.05
    assert (structure.normal[reddish][:, 2] > 0.99).mean() > 0.95
    assert share_right(structure, normal, camera) > 0.93
