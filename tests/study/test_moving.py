"""A camera that moves: paths against geometry, frames of one scene."""

import numpy as np
import pytest

from irodori.core.errors import ModelError
from irodori.core.model import ViewSpec
from irodori.demo.files import demo_path
from irodori.study.moving import Path3D, orbited, read_path, walked

VIEW = ViewSpec("quay", (0.0, -10.0, 1.7), (0.0, 0.0, 1.7))


def test_a_path_goes_through_its_points_at_an_even_pace():
    path = read_path("0,0,1.6; 4,0,1.6; 4,6,1.6")
    places = path.at(np.linspace(0, 1, 101))
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.std() < 0.03 * steps.mean()
    assert np.abs(places - [4, 0, 1.6]).sum(axis=1).min() < 0.1
    straight = Path3D(((0.0, 0.0, 0.0), (3.0, 0.0, 0.0)))
    assert straight.length == pytest.approx(3.0)
    assert np.allclose(straight.at(np.array([-0.5, 0.5, 2.0])), [[-1.5, 0, 0], [1.5, 0, 0], [6.0, 0, 0]])


def test_an_orbit_keeps_height_and_distance():
    views = orbited(VIEW, 90.0, 4)
    eyes = np.array([view.position for view in views])
    assert np.allclose(np.hypot(eyes[:, 0], eyes[:, 1]), 10) and np.allclose(eyes[:, 2], 1.7)
    assert np.allclose(eyes[0], VIEW.position) and np.allclose(eyes[-1], (10.0, 0.0, 1.7))
    # A whole round does not show its first frame twice.
    assert not np.allclose(orbited(VIEW, 360.0, 4)[-1].position, VIEW.position)


def test_a_walk_looks_ahead_or_at_one_point():
    path = read_path("0,-10,1.7; 0,-2,1.7")
    ahead, fixed = walked(VIEW, path, 3)[1], walked(VIEW, path, 3, (3.0, 3.0, 1.0))[1]
    assert np.allclose(np.array(ahead.target) - ahead.position, (0, 4.0, 0)) and fixed.target == (3.0, 3.0, 1.0)


@pytest.mark.parametrize("text", ["0,0,0", "0,0; 1,1", "0,0,0; 0,0,0", "a,b,c; 1,2,3"])
def test_what_is_no_path_is_told(text):
    with pytest.raises(ModelError):
        read_path(text)


def test_the_command_moves_through_a_model_and_through_nothing_else(cli, tmp_path):
    from PIL import Image

    small = ("--view", "landing", "--width", 120, "--quality", "draft", "--frames", 2, "--orbit", 10)
    answer = cli(
        "walk", demo_path("landing.glb"), *small, "--keep-frames", tmp_path / "f", "--out", tmp_path / "o.webp"
    )
    assert answer.returncode == 0, answer.stderr
    assert Image.open(tmp_path / "o.webp").n_frames == 2 and (tmp_path / "f" / "0002.png").is_file()
    answer = cli("walk", demo_path("landing-shaded.png"), "--orbit", 10, "--out", tmp_path / "p.webp")
    assert answer.returncode == 2 and "no model" in answer.stderr
    answer = cli("walk", demo_path("landing.glb"), "--out", tmp_path / "p.webp")
    assert answer.returncode == 2 and "--orbit" in answer.stderr
