"""Blades of grass where a lawn is near."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.model import ViewSpec
from irodori.formats.model.parts import Part
from irodori.scene.far_shore import PARTS
from irodori.scene.growing.near_grass import FARTHEST, MOST
from irodori.study.sample_view import view_parts


def lawn_view(height, target=(0.0, 8.0, 0.0)):
    ground = shapes.quad((-60, -20, 0), (60, -20, 0), (60, 80, 0), (-60, 80, 0))
    house = shapes.box((-6, 12, 0), (6, 20, 4))
    parts = [Part("lawn", "lawn", (0.3, 0.5, 0.2), 1.0, ground), Part("wall", "render", (0.8, 0.8, 0.75), 1.0, house)]
    return iro.read_structure(
        view_parts(parts, ViewSpec("here", (0.0, -2.0, height), target, 60.0), "lawn", width=480, height=300)
    )


@pytest.fixture(scope="module")
def near():
    structure = lawn_view(1.6)
    return structure, iro.dress(structure, None, "afternoon")


def test_blades_stand_on_the_lawn_before_the_eye(near):
    structure, scene = near
    more = len(scene.mesh) - len(structure.mesh)
    first = int(structure.mesh.surface.max()) + 1 + len(PARTS)
    blades = scene.mesh.triangles[scene.mesh.surface >= first]
    assert 3 * 2000 < more <= 3 * MOST + 20_000
    away = np.linalg.norm(blades.mean(axis=1)[:, :2] - structure.camera.position[:2], axis=1)
    assert away.max() < 1.3 * FARTHEST
    assert -0.03 < blades[..., 2].min() < 0.01 and 0.03 < blades[..., 2].max() < 0.12
    # Where they end they are thin, so that no line shows.
    rows = np.histogram(away, 6, (3.5, FARTHEST))[0] / np.diff(np.linspace(3.5, FARTHEST, 7) ** 2)
    assert rows[-1] < 0.5 * rows[1]


def test_their_weights_add_up_and_far_off_the_picture_is_as_it_was(near):
    structure, scene = near
    fragments = scene.shown.fragments
    assert np.bincount(fragments.pixel, fragments.weight) == pytest.approx(1, abs=1e-4)
    added = np.bincount(
        fragments.pixel, fragments.weight * (fragments.region > structure.surfaces["id"].max()), minlength=480 * 300
    )
    covered = added.reshape(300, 480) > 0
    assert covered[-60:].mean() > 0.4
    assert not covered[structure.depth > 1.2 * FARTHEST].any()


def test_the_same_seed_stands_the_same_blades(near):
    structure, scene = near
    assert np.array_equal(iro.dress(structure, None, "dusk").mesh.triangles, scene.mesh.triangles)


def test_from_high_up_and_on_other_ground_there_are_none():
    high = lawn_view(30.0, (0.0, 20.0, 0.0))
    assert iro.dress(high, None, "noon").shown.covered is None
    structure = lawn_view(1.6)
    assert iro.dress(structure, "where,finish\nrole lawn,granite slabs", "noon").shown.covered is None
