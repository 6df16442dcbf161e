"""Rooms, ceilings and things that stand: what hides what, against what was painted."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.formats.write_image import write_image
from irodori.structure.regions.drawn import drawn_regions
from painter import SIZE, camera_at, paint

FLOOR, WALL, SIDE, CEILING = (186, 160, 124), (206, 196, 180), (150, 143, 131), (96, 96, 94)
LAMP, COLUMN, DESK = (240, 226, 160), (176, 172, 166), (150, 96, 60)


def room(columns=True):
    """Floor, back wall, left wall and ceiling; lamps that hang, columns that stand, and a desk the picture cuts."""
    parts = [
        (FLOOR, shapes.quad((-5, -3, 0), (5, -3, 0), (5, 8, 0), (-5, 8, 0))),
        (CEILING, shapes.quad((-5, -3, 3.2), (-5, 8, 3.2), (5, 8, 3.2), (5, -3, 3.2))),
        (WALL, shapes.quad((-5, 8, 0), (5, 8, 0), (5, 8, 3.2), (-5, 8, 3.2))),
        (SIDE, shapes.quad((-5, -3, 0), (-5, 8, 0), (-5, 8, 3.2), (-5, -3, 3.2))),
        (LAMP, shapes.box((-2.4, 4.0, 2.75), (-0.8, 4.25, 2.9))),
        (DESK, shapes.box((0.6, 2.6, 0), (2.4, 3.3, 0.75))),
    ]
    if columns:
        parts += [(COLUMN, shapes.box((x, 5, 0), (x + 0.4, 5.4, 3.2))) for x in (-3.4, 2.2)]
    return parts


def read(parts, camera, tmp_path, line):
    picture, depth, normal = paint(parts, camera, line=line)
    write_image(tmp_path / "room.png", picture)
    structure = iro.read_structure(iro.open_capture(tmp_path / "room.png"), cache=False)
    return structure, depth, normal


def off_by(structure, camera, normal):
    ours, theirs = structure.normal @ structure.camera.rotation.T, normal @ camera.rotation.T
    return np.degrees(np.arccos(np.clip((ours * theirs).sum(axis=2), -1, 1)))


def relative_depth(structure, depth):
    """Depth read over the true one, and over what that mostly is, of all that both see, (N,)."""
    solid = np.isfinite(depth) & (structure.regions > 0)
    ratio = structure.depth[solid] / depth[solid]
    return ratio / np.nanmedian(ratio)


@pytest.mark.parametrize("line", [False, True])
def test_a_ceiling_is_no_sky_though_columns_stand_before_it(tmp_path, line):
    camera = camera_at(at=(1.2, -2.6, 1.6), to=(-0.6, 6, 1.6))
    structure, depth, normal = read(room(), camera, tmp_path, line)
    above = (normal[..., 2] < -0.9) & np.isfinite(depth)
    assert above.mean() > 0.1
    assert (structure.regions[above] > 0).mean() > 0.97  # what is sky has number 0
    assert (off_by(structure, camera, normal)[above] < 11.25).mean() > 0.9


@pytest.mark.parametrize("line", [False, True])
def test_a_ceiling_with_a_ridge_slopes_though_a_table_stands_askew(tmp_path, line):
    camera = camera_at(at=(0.6, -2.6, 1.6), to=(0.5, 6, 2.6), field=66.0)
    gable = shapes.extrude_along([(-5, 0), (5, 0), (5, 2.6), (0, 4.9), (-5, 2.6)], 1, 8, 8.3)
    turn = np.radians(24.0)
    around = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    table = [shapes.box((-0.9, -0.5, 0.68), (0.9, 0.5, 0.75))]
    table += [shapes.box((x, -0.45, 0.0), (x + 0.08, -0.37, 0.68)) for x in (-0.85, 0.77)]
    parts = [
        (FLOOR, shapes.quad((-5, -3, 0), (5, -3, 0), (5, 8, 0), (-5, 8, 0))),
        (CEILING, shapes.quad((-5, -3, 2.6), (-5, 8, 2.6), (0, 8, 4.9), (0, -3, 4.9))),
        (CEILING, shapes.quad((0, -3, 4.9), (0, 8, 4.9), (5, 8, 2.6), (5, -3, 2.6))),
        (WALL, gable),
        (SIDE, shapes.quad((-5, -3, 0), (-5, 8, 0), (-5, 8, 2.6), (-5, -3, 2.6))),
        (LAMP, shapes.box((-3.4, 7.9, 0.9), (-2.2, 8.0, 2.2))),
        (LAMP, shapes.box((1.8, 7.9, 0.9), (3.0, 8.0, 2.2))),
        *[(LAMP, shapes.box((x, 2, 2.3), (x + 0.2, 7, 2.4))) for x in (-2.6, 2.2)],
        *[(DESK, part @ around + [-0.8, 4.6, 0]) for part in table],
    ]
    structure, depth, normal = read(parts, camera, tmp_path, line)
    above = (normal[..., 2] < -0.5) & np.isfinite(depth)
    assert above.mean() > 0.1
    assert (off_by(structure, camera, normal)[above] < 11.25).mean() > 0.9


def test_what_hides_the_foot_of_a_wall_does_not_carry_it(tmp_path):
    camera = camera_at(at=(1.2, -2.6, 1.6), to=(-0.6, 6, 1.6))
    structure, depth, _ = read(room(columns=False), camera, tmp_path, False)
    assert (np.abs(relative_depth(structure, depth) - 1) < 0.1).mean() > 0.93


def test_a_broad_column_stands_before_a_wall_with_a_plinth(tmp_path):
    camera = camera_at(at=(-2.6, -1.5, 1.6), to=(4.0, 4.0, 1.5), field=70.0)
    pane = (150, 190, 206)
    parts = [
        *room(columns=False)[:3],
        (SIDE, shapes.box((4.0, -3, 0), (4.2, 8, 3.2))),
        (LAMP, shapes.box((3.95, -3, 0), (4.0, 8, 0.12))),
        *[(pane, shapes.box((3.97, y, 0.4), (4.0, y + 1.3, 2.6))) for y in (-1.0, 0.6, 2.2, 3.8, 5.4)],
        (COLUMN, shapes.box((0.9, 1.9, 0), (1.35, 2.35, 3.2))),
    ]
    structure, depth, _ = read(parts, camera, tmp_path, True)
    assert (np.abs(relative_depth(structure, depth) - 1) < 0.2).mean() > 0.95


def test_tables_near_the_eye_stand_on_legs_though_no_foot_is_seen(tmp_path):
    camera = camera_at(at=(0.4, -2.9, 1.6), to=(0.1, 6, 1.1))
    parts = room(columns=False)[1:4]
    for k, x in enumerate((-5.0, -2.2, -1.0, 0.2, 1.5, 2.8)):  # carpets of many colours, each smaller than the tables
        carpet = shapes.quad((x, -3, 0), (x + 2.8, -3, 0), (x + 2.8, 8, 0), (x, 8, 0))
        parts.append(((200 - 22 * k, 110 + 14 * k, 90 + 20 * (k % 3)), carpet))
    for x in (-2.1, 0.5):
        parts.append((DESK, shapes.box((x, -0.6, 0.66), (x + 2.1, 1.9, 0.75))))
        parts += [(DESK, shapes.box((x + by, -0.6, 0.0), (x + by + 0.1, -0.5, 0.66))) for by in (0, 2.0)]
    structure, depth, _ = read(parts, camera, tmp_path, False)
    solid = np.isfinite(depth) & (structure.regions > 0)
    assert (np.abs(structure.depth[solid] / depth[solid] - 1) < 0.1).mean() > 0.95


def test_a_ceiling_in_pieces_lies_level(tmp_path):
    # Columns that are cut off at head and foot part it.
    camera = camera_at(at=(1.2, -2.6, 1.6), to=(-0.6, 6, 1.6))
    parts = room(columns=False)[:4]
    parts += [(COLUMN, shapes.box((x, -0.4, 0), (x + 0.7, 0.3, 3.2))) for x in (-1.6, 0.8)]
    parts += [(DESK, shapes.box((x, -0.9, 0), (x + 0.9, -0.3, 0.75))) for x in (-3.4, 0.1, 2.2)]
    structure, depth, normal = read(parts, camera, tmp_path, False)
    above = (normal[..., 2] < -0.9) & np.isfinite(depth)
    assert above.mean() > 0.1
    assert (off_by(structure, camera, normal)[above] < 11.25).mean() > 0.9


def test_slim_things_stand_on_the_ground_before_a_wall(tmp_path):
    camera = camera_at(at=(-1.0, -9, 1.7), to=(0.4, 2, 2.0))
    posts = [(DESK, shapes.box((x, -3.5, 0), (x + 0.16, -3.34, 2.2))) for x in (-2.0, 0.4, 2.6)]
    parts = [
        (FLOOR, shapes.quad((-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0))),
        (WALL, shapes.box((-6, 2, 0), (6, 8, 4.2))),
        *posts,
    ]
    structure, depth, _ = read(parts, camera, tmp_path, False)
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    origins, rays = camera.rays(x.ravel(), y.ravel())
    far = (origins + rays * np.where(np.isfinite(depth), depth, 0).reshape(-1, 1)).reshape(*depth.shape, 3)[..., 1]
    post = (np.abs(far + 3.42) < 0.12) & np.isfinite(depth) & (structure.regions > 0)
    wall = (np.abs(far - 2) < 0.05) & np.isfinite(depth) & (structure.regions > 0)
    assert post.sum() > 1000
    ratio = np.median(structure.depth[post] / depth[post]) / np.median(structure.depth[wall] / depth[wall])
    assert ratio == pytest.approx(1.0, abs=0.06)


def test_a_wall_that_fills_the_head_of_a_view_is_no_sky(tmp_path):
    camera = camera_at(at=(1.6, -2.5, 1.5), to=(-1.0, 8, 1.4), field=70.0)
    pane = (150, 190, 206)
    parts = [
        (FLOOR, shapes.quad((-5, -3, 0), (5, -3, 0), (5, 4, 0), (-5, 4, 0))),
        ((214, 214, 214), shapes.quad((-5, 4, 0), (5, 4, 0), (5, 4, 6), (-5, 4, 6))),
        (SIDE, shapes.quad((-5, -3, 0), (-5, 4, 0), (-5, 4, 6), (-5, -3, 6))),
        (pane, shapes.box((-1.4, 3.9, 0.9), (1.2, 4.0, 2.2))),
        (DESK, shapes.box((-3.4, 1.6, 0), (-1.8, 2.6, 0.75))),
    ]
    structure, depth, normal = read(parts, camera, tmp_path, False)
    wall = (normal[..., 1] < -0.9) & np.isfinite(depth)
    assert wall[:3].mean() > 0.5  # it fills the picture's head, as light as a sky
    assert (structure.regions[wall] > 0).mean() > 0.97


@pytest.mark.parametrize("gap", [2, 4, 6])
def test_faces_on_either_side_of_a_dashed_thin_line_stay_two(gap):
    darkness = np.zeros((300, 1280), np.float32)
    darkness[150, :] = 1.0
    for x in range(30, 1260, 40):
        darkness[150, x : x + gap] = 0.0
    labels, _ = drawn_regions(darkness, np.zeros((0, 4)))
    above, below = labels[60, 200], labels[240, 200]
    assert above != below and min(above, below) > 0
    assert (labels[5:140] == above).mean() > 0.99 and (labels[160:295] == below).mean() > 0.99
