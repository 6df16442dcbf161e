"""The bank behind the camera: where it stands, and what glass and water show of it."""

import numpy as np
import pytest

from irodori.core.camera import Camera
from irodori.core.model import Mesh
from irodori.engine.light.directions import hide_behind, sky_radiance
from irodori.scene.far_shore import PARTS, far_shore

NOTHING = Mesh(np.zeros((0, 3, 3), np.float32), np.zeros(0, np.int32))


@pytest.mark.parametrize("heading", [0.0, 75.0, 200.0])
def test_it_stands_all_round_but_where_the_camera_looks(heading):
    way = np.array([np.sin(np.radians(heading)), np.cos(np.radians(heading)), 0.0])
    camera = Camera.look((3.0, -5.0, 1.6), np.array([3.0, -5.0, 1.6]) + way, size=(300, 200), field=60.0)
    bank = far_shore(camera, NOTHING)
    away = bank.triangles.mean(axis=1)[:, :2] - camera.position[:2]
    bearing = np.degrees(np.arctan2(away[:, 0], away[:, 1]))
    off = np.abs((bearing - heading + 180) % 360 - 180)
    assert off.min() > 35 and np.histogram(off, 6, (45, 180))[0].min() > 10
    assert np.linalg.norm(away, axis=1).min() > 100
    assert set(np.unique(bank.part)) == set(range(len(PARTS)))
    # The skyline by the same bearings: open before the camera, closed behind it.
    seen = bank.skyline[round(heading / 360 * len(bank.skyline)) % len(bank.skyline)]
    behind = bank.skyline[round((heading + 180) / 360 * len(bank.skyline)) % len(bank.skyline)]
    assert seen == 0 and 0.02 < behind < 0.25


def test_it_lies_beyond_the_model():
    far = Mesh(np.float32([[[0, 400, 0], [10, 400, 0], [0, 400, 8]]] * 50), np.ones(50, np.int32))
    camera = Camera.look((0, 0, 1.6), (0, 10, 1.6), size=(300, 200), field=60.0)
    assert np.linalg.norm(far_shore(camera, far).triangles[..., :2], axis=-1).min() > 350


def test_there_is_none_where_a_view_would_meet_it():
    assert far_shore(Camera.look((0, 0, 50), (0, 0.1, 0), size=(300, 200), field=60.0), NOTHING) is None


@pytest.mark.parametrize(("veil", "share"), [(0.0, 1.0), (1.0, 0.0)])
def test_mirrors_of_mirrors_see_its_skyline_through_the_haze(veil, share):
    table = np.full((192, 512, 3), 1000.0, np.float32)
    skyline = np.zeros(480, np.float32)
    skyline[240:] = 0.15
    hide_behind(table, skyline, np.full(3, 10.0, np.float32), np.float32(veil))
    out = np.zeros(3, np.float32)
    for x, high, dark in ((-1.0, 0.05, True), (-1.0, 0.3, False), (1.0, 0.05, False)):
        flat = np.sqrt(1 - high**2)
        sky_radiance(table, np.float32(x * flat), np.float32(0), np.float32(high), out)
        assert (out[0] < 20) == (dark and share == 1.0)
