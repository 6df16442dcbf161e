"""Drums, round rooms, vaults and barrel roofs, told by the circles in which they end."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from painter import camera_at, opened, paint, pixel, save, share_deep, share_right

STONE, PLASTER, SLATE, BRICK, TIMBER = (196, 192, 184), (220, 210, 190), (104, 110, 122), (176, 108, 86), (150, 116, 84)
GROUND = ((150, 168, 122), shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0)))
KINDS = pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])


def disc(x, y, z, radius):
    turn = np.linspace(0, 2 * np.pi, 97)
    rim = np.stack([x + radius * np.cos(turn), y + radius * np.sin(turn), np.full(97, z)], axis=1)
    return np.array([[(x, y, z), a, b] for a, b in zip(rim[:-1], rim[1:])])


def drum(colour, x, y, low, high, radius):
    """A drum's round side, its top and its underside, each a part of its own."""
    turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
    rings = [np.stack([x + radius * np.cos(turn), y + radius * np.sin(turn), np.full(96, z)], 1) for z in (low, high)]
    return [(colour, shapes.loft(np.stack(rings)), True), *((colour, disc(x, y, z, radius)) for z in (low, high))]


def arch(x0, x1, springing, rise):
    """Places (49, 2), x and z, along half an ellipse between two springings."""
    turn = np.linspace(np.pi, 0, 49)
    return np.stack([(x0 + x1) / 2 + (x1 - x0) / 2 * np.cos(turn), springing + rise * np.sin(turn)], axis=1)


def at_depth(profile, y):
    return np.column_stack([profile[:, 0], np.full(len(profile), y), profile[:, 1]])


def gable_under(profile, y):
    """The upright face between a profile and the ground."""
    low = np.column_stack([profile[:, 0], np.full(len(profile), y), np.zeros(len(profile))])
    high = at_depth(profile, y)
    faces = [shapes.quad(low[i], low[i + 1], high[i + 1], high[i]) for i in range(len(profile) - 1)]
    return np.concatenate(faces)


def read(folder, parts, camera, line):
    picture, depth, normal = paint(parts, camera, line=line)
    return iro.read_structure(opened(folder, picture), cache=False), depth, normal


def blocks():
    """What tells the camera."""
    return [(BRICK, shapes.box((-14, 7, 0), (-7, 15, 5))), (TIMBER, shapes.box((6, 6, 0), (13, 14, 4.2)))]


def tower():
    """A drum on a plinth under a wider ring."""
    return [
        GROUND, *blocks(), *drum(STONE, 0, 0, 0, 0.5, 4.2), *drum(PLASTER, 0, 0, 0.5, 4.6, 3.0),
        *drum(SLATE, 0, 0, 4.6, 5.2, 3.8),
    ]  # fmt: skip


@KINDS
def test_a_drum_between_plinth_and_ring_is_round_and_where_it_stands(tmp_path, line):
    camera = camera_at((-3, -14, 1.7), (0, 0, 2.6), field=62)
    structure, depth, normal = read(tmp_path, tower(), camera, line)
    assert share_right(structure, normal, camera) > 0.95
    assert share_deep(structure, depth) > 0.97
    # All of it is in one scale: from the plinth's face to the ring.
    places = [(-1.2, -4.0, 0.25), (-0.6, -2.94, 2.0), (1.2, -2.75, 3.0), (-0.8, -3.71, 4.9)]
    ratio = [structure.depth[pixel(camera, p)] / depth[pixel(camera, p)] for p in places]
    assert max(ratio) / min(ratio) < 1.04


def vaulted(rise):
    """A hall under a vault."""
    profile = arch(-4, 4, 3.0, rise)
    wall = [shapes.quad((x, -6, 0), (x, 12, 0), (x, 12, 3), (x, -6, 3)) for x in (-4, 4)]
    return [
        (TIMBER, shapes.quad((-4, -6, 0), (4, -6, 0), (4, 12, 0), (-4, 12, 0))), (PLASTER, wall[0]), (PLASTER, wall[1]),
        (BRICK, gable_under(profile, 12.0)), (STONE, shapes.loft(np.stack([at_depth(profile, y) for y in (-6.0, 12.0)]), closed=False), True),
        (SLATE, shapes.box((-2.5, 6, 0), (-1.0, 7, 0.8))), (SLATE, shapes.box((1.0, 3, 0), (2.6, 4, 0.8))),
    ]  # fmt: skip


@KINDS
@pytest.mark.parametrize("rise", [4.0, 2.6, 1.2], ids=["half round", "elliptical", "flat ellipse"])
def test_a_vault_rises_from_the_walls(tmp_path, rise, line):
    camera = camera_at((1.2, -5, 1.6), (-0.2, 12, 2.4), field=70)
    structure, depth, normal = read(tmp_path, vaulted(rise), camera, line)
    assert share_right(structure, normal, camera) > 0.95
    assert share_deep(structure, depth) > 0.95


@KINDS
def test_a_barrel_roof_is_round_from_outside(tmp_path, line):
    profile = arch(-4, 4, 3.2, 2.4)
    roof = shapes.loft(np.stack([at_depth(profile, y) for y in (0.0, 10.0)]), closed=False)
    sides = [shapes.quad((x, 0, 0), (x, 10, 0), (x, 10, 3.2), (x, 0, 3.2)) for x in (-4, 4)]
    parts = [
        GROUND,
        *blocks(),
        (PLASTER, gable_under(profile, 0.0)),
        *((PLASTER, s) for s in sides),
        (SLATE, roof, True),
    ]
    camera = camera_at((-9, -11, 1.7), (-0.5, 3, 2.6), field=62)
    structure, depth, normal = read(tmp_path, parts, camera, line)
    assert share_right(structure, normal, camera) > 0.95
    assert share_deep(structure, depth) > 0.95
    assert not any("wireframe" in note for note in structure.notes)


@KINDS
def test_a_round_room_closes_about_the_eye(tmp_path, line):
    turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
    rings = [np.stack([5 * np.cos(turn), 5 * np.sin(turn), np.full(96, z)], 1) for z in (0.0, 3.2)]
    parts = [(TIMBER, disc(0, 0, 0, 5)), (STONE, disc(0, 0, 3.2, 5)), (PLASTER, shapes.loft(np.stack(rings)), True)]
    parts += [(SLATE, shapes.box((x, 1.2, 0), (x + 1.2, 2.4, 0.9))) for x in (-2.4, 1.4)]
    camera = camera_at((0.8, -3.6, 1.6), (-0.2, 3, 1.5), field=70)
    structure, depth, normal = read(tmp_path, parts, camera, line)
    # A bare ceiling over a round wall may as well be the sky, and how high one lies over it is not told.
    over = normal[..., 2] < -0.9
    normal[over], depth[over] = 0, np.inf
    assert share_right(structure, normal, camera) > 0.95
    assert share_deep(structure, depth) > 0.95


@KINDS
def test_a_round_window_is_no_tunnel(tmp_path, line):
    turn = np.linspace(0, 2 * np.pi, 97)
    rim = np.stack([0.9 * np.cos(turn), np.full(97, -0.02), 4.2 + 0.9 * np.sin(turn)], axis=1)
    pane = np.array([[(0, -0.02, 4.2), a, b] for a, b in zip(rim[:-1], rim[1:])])
    parts = [GROUND, *blocks(), (PLASTER, shapes.box((-4, 0, 0), (4, 9, 6.4))), ((150, 190, 206), pane)]
    for camera in (camera_at((-7, -11, 1.7), (0, 3, 3)), camera_at((0.4, -13, 1.7), (0.2, 3, 3))):
        structure, depth, normal = read(tmp_path, parts, camera, line)
        assert share_right(structure, normal, camera) > 0.96
        assert share_deep(structure, depth) > 0.97


def hall_with_columns():
    """Columns too slim for their ends to tell anything, before a wall."""
    columns = [part for x in (-4, -1, 2, 5) for part in drum(STONE, x, 0, 0.0, 5.0, 0.35)]
    roof, hall = shapes.box((-6, -1, 5.0), (7, 4, 5.6)), shapes.box((-6, 3.5, 0), (7, 9, 5.0))
    return [GROUND, *columns, (SLATE, roof), (PLASTER, hall), (BRICK, shapes.box((9, 5, 0), (15, 12, 4)))]


def test_slim_columns_of_a_drawing_are_round(tmp_path):
    camera = camera_at((-7, -11, 1.7), (0.5, 2, 2.6), field=62)
    structure, _, normal = read(tmp_path, hall_with_columns(), camera, True)
    for x in (-4, -1, 2):
        towards = camera.position[:2] - (x, 0)
        towards /= np.linalg.norm(towards)
        row, column = pixel(camera, (x + 0.34 * towards[0], 0.34 * towards[1], 2.0))
        own = structure.regions[row] == structure.regions[row, column]
        turned = (structure.normal[row, own] @ structure.camera.rotation.T) * (normal[row, own] @ camera.rotation.T)
        assert np.mean(turned.sum(axis=1) > np.cos(np.radians(15))) > 0.8


@pytest.mark.parametrize("left", range(1, 5))
def test_a_column_at_the_border_is_read_as_well(tmp_path, left):
    camera = camera_at((-7, -11, 1.7), (0.5, 2, 2.6), field=62)
    picture, _, _ = paint(hall_with_columns(), camera, line=True)
    row, column = pixel(camera, (-1, 0, 2.0))
    ink = np.flatnonzero(picture[row, :column].max(axis=1) < 120)[-1]
    structure = iro.read_structure(opened(tmp_path, picture[:, : ink + 1 + left]), cache=False)
    assert len(structure.surfaces) > 3


def test_the_user_may_say_that_it_is_flat(tmp_path):
    camera = camera_at((-3, -14, 1.7), (0, 0, 2.6), field=62)
    picture, _, _ = paint(tower(), camera)
    row, column = pixel(camera, (0.3, -2.98, 2.0))
    save(tmp_path, picture)
    (tmp_path / "view.reading.toml").write_text(f'[[surface]]\nat = [{column}, {row}]\nfacing = "south"\n')
    structure = iro.read_structure(iro.open_capture(tmp_path / "view.png"), cache=False)
    own = structure.normal[structure.regions == structure.regions[row, column]]
    assert np.abs(own - own[0]).max() < 1e-6


def test_a_lamp_of_flat_faces_is_one_ball(tmp_path):
    camera = camera_at((1.2, -5, 1.6), (-0.2, 12, 2.4), field=70)
    lamp = ((232, 222, 190), shapes.ball((0.2, 1.0, 2.9), 0.4, 8), True)
    structure, depth, normal = read(tmp_path, [*vaulted(4.0), lamp], camera, False)
    (middle,), (ahead,) = camera.project(np.array([(0.2, 1.0, 2.9)]))
    y, x = np.mgrid[0 : depth.shape[0], 0 : depth.shape[1]] + 0.5
    ball = np.hypot(x - middle[0], y - middle[1]) < 0.85 * 0.4 * camera.focal / ahead
    own = structure.regions[pixel(camera, (0.2, 0.6, 2.9))]
    assert (structure.regions[ball] == own).mean() > 0.98
    assert structure.surfaces.set_index("id").role[own] == "lamp"
    seen = structure.regions == own
    turned = (structure.normal[seen] @ structure.camera.rotation.T) * (normal[seen] @ camera.rotation.T)
    assert np.mean(turned.sum(axis=1) > np.cos(np.radians(25))) > 0.8
