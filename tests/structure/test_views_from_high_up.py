"""Houses seen from high up, and towers from their feet: which of the axes is up, and what hangs over what."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.geometry import shapes
from irodori.formats.write_image import write_image
from painter import SIZE, camera_at, paint, share_deep, share_right

PLASTER, SLATE, TIMBER, GRASS = (214, 206, 190), (110, 116, 128), (150, 110, 80), (150, 170, 120)
PATH, WATER, PANE = (190, 186, 180), (120, 160, 190), (150, 190, 206)
EARTH = (GRASS, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0)))


def flat_roofed():
    """A house under a slab that hangs over its walls."""
    return [
        EARTH,
        (PLASTER, shapes.box((-3, 0, 0), (3, 5, 3.2))),
        (SLATE, shapes.box((-3.3, -0.3, 3.2), (3.3, 5.3, 3.5))),
    ]


def pitched():
    """A house with eaves and verges, a flat-roofed shed, a path and a pond."""
    ridge, eaves = 5.6, 2.93
    gables = np.array([[(x, 0, 3.18), (x, 7, 3.18), (x, 3.5, 5.55)] for x in (-6, 4)], float)
    south = shapes.quad((-6.4, -0.4, eaves), (4.4, -0.4, eaves), (4.4, 3.5, ridge), (-6.4, 3.5, ridge))
    north = shapes.quad((-6.4, 3.5, ridge), (4.4, 3.5, ridge), (4.4, 7.4, eaves), (-6.4, 7.4, eaves))
    return [
        EARTH,
        (PLASTER, np.concatenate([shapes.box((-6, 0, 0), (4, 7, 3.18)), gables])),
        (SLATE, np.concatenate([south, north])),
        *[(PANE, shapes.box((x, -0.04, 1), (x + 1.4, 0, 2.3))) for x in (-5, -2.6, 1.6)],
        (TIMBER, shapes.box((-0.4, -0.05, 0), (0.6, 0, 2.1))),
        (PATH, shapes.quad((-1.2, -12, 0.01), (1.2, -12, 0.01), (1.2, 0, 0.01), (-1.2, 0, 0.01))),
        (WATER, shapes.quad((4.5, -7, 0.01), (10, -7, 0.01), (10, -3, 0.01), (4.5, -3, 0.01))),
        (PLASTER, shapes.box((7, 1, 0), (12, 6, 2.6))),
        (PATH, shapes.box((6.7, 0.7, 2.6), (12.3, 6.3, 2.8))),
    ]


def tower():
    windows = [shapes.box((x, -0.05, z), (x + 1.5, 0, z + 2.2)) for z in range(2, 28, 4) for x in (-4, -1, 2)]
    return [EARTH, (PLASTER, shapes.box((-5, 0, 0), (4, 8, 30))), *[(PANE, window) for window in windows]]


def read(folder, parts, camera, line=False):
    picture, depth, normal = paint(parts, camera, line=line)
    write_image(folder / "view.png", picture)
    return iro.read_structure(iro.open_capture(folder / "view.png"), cache=False), depth, normal


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
@pytest.mark.parametrize(
    ("at", "to", "field"),
    [((0, -10, 10), (0, 2, 0), 55.0), ((-3, -7, 12), (0, 1, 0), 60.0), ((-6, -8, 14), (0, 2, 1), 50.0)],
    ids=["square on", "steep", "steeper"],
)
def test_a_house_seen_from_high_up_stands_upright(tmp_path, at, to, field, line):
    camera = Camera.look(at, to, size=SIZE, field=field)
    structure, depth, normal = read(tmp_path, flat_roofed(), camera, line)
    assert structure.camera.projection == "perspective"
    assert structure.camera.focal == pytest.approx(camera.focal, rel=0.02)
    up = structure.camera.rotation[:, 2] @ camera.rotation[:, 2]
    assert up > np.cos(np.radians(0.5))
    assert share_right(structure, normal, camera) > 0.98
    if not line:
        assert share_deep(structure, depth) > 0.98


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
@pytest.mark.parametrize("at", [(-12, -16, 12), (-5, -12, 17)], ids=["high", "steep"])
def test_eaves_hang_over_the_walls_before_the_ground_beside_them(tmp_path, at, line):
    camera = Camera.look(at, (1, 1, 1), size=SIZE, field=54.0)
    structure, depth, normal = read(tmp_path, pitched(), camera, line)
    assert share_right(structure, normal, camera) > 0.97
    assert share_deep(structure, depth) > 0.97


def test_a_tower_seen_square_on_from_its_foot_is_no_ground(tmp_path):
    camera = camera_at(at=(-1, -16, 1.7), to=(-1, 2, 14), field=75.0)
    structure, depth, normal = read(tmp_path, tower(), camera)
    empty = ~np.isfinite(depth)
    assert (structure.regions[empty] == 0).mean() > 0.98
    assert share_right(structure, normal, camera) > 0.9
    assert structure.camera.rotation[2, 2] > 0.5  # it looks up
