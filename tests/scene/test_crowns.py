"""Crowns that came as a mass: leaves grow into them, where they stood."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.model import Mesh, ViewSpec
from irodori.formats.model.parts import Part
from irodori.scene.growing.crowns import grow_crowns
from irodori.scene.growing.crowns.in_solids import sprays_in_solids
from irodori.study.sample_view import view_parts
from painter import camera_at, opened, paint

CENTRE, RADIUS = np.array([1.0, 4.0, 4.2]), 1.9


def model_with(crown):
    """A view of a wall, ground, and a crown on a trunk before them."""
    ground = shapes.quad((-30, -20, 0), (30, -20, 0), (30, 40, 0), (-30, 40, 0))
    wall = shapes.box((-12, 12, 0), (12, 12.5, 5.0))
    trunk = shapes.cylinder(*CENTRE[:2], 0, 2.6, 0.14)
    view = ViewSpec("here", (-6.0, -12.0, 1.7), (1.0, 4.0, 3.2), 50.0)
    parts = [
        Part("lawn", "lawn", (0.3, 0.5, 0.2), 1.0, ground), Part("wall", "render", (0.7, 0.7, 0.65), 1.0, wall),
        Part("tree trunk", "bark", (0.3, 0.2, 0.15), 1.0, trunk), Part("tree crown", "leaves", (0.15, 0.4, 0.1), 1.0, crown),
    ]  # fmt: skip
    return iro.read_structure(view_parts(parts, view, "tree", width=480, height=300))


@pytest.fixture(scope="module")
def placeholder():
    structure = model_with(shapes.ball(CENTRE, RADIUS, 10))
    # Its finish is said: it is to have leaves, and not to become another tree.
    return structure, iro.dress(structure, "where,finish\nrole planting,foliage\n", "afternoon")


def test_a_ball_becomes_thousands_of_leaves_inside_it(placeholder):
    structure, scene = placeholder
    crown = structure.surfaces.loc[structure.surfaces["name"] == "tree crown", "id"].item()
    leaves = scene.mesh.triangles[scene.mesh.surface == crown]
    assert len(leaves) > 8000
    away = np.linalg.norm(leaves.mean(axis=1) - CENTRE, axis=1)
    assert np.percentile(away, 95) < RADIUS * 1.12 and away.max() < RADIUS * 1.4
    sides = np.linalg.norm(leaves - np.roll(leaves, 1, axis=1), axis=2).max(axis=1)
    assert 0.05 < np.median(sides) < 0.3  # a ball of ten rings has sides of 0.6 m


def test_its_outline_stays_and_what_is_behind_shows_between_the_leaves(placeholder):
    structure, scene = placeholder
    crown = structure.surfaces.loc[structure.surfaces["name"] == "tree crown", "id"].item()
    fragments = scene.shown.fragments
    share = np.bincount(
        fragments.pixel, fragments.weight * (fragments.region == crown), minlength=structure.regions.size
    ).reshape(structure.regions.shape)
    was = structure.regions == crown
    assert 0.72 < share[was].mean() < 0.995
    assert share.sum() < 1.12 * was.sum()
    # Gaps show the wall and the sky, as traced: none is black.
    gaps = was.ravel()[fragments.pixel] & (fragments.region != crown)
    assert gaps.any() and set(np.unique(fragments.region[gaps])) <= {0, *structure.surfaces["id"]}
    assert np.bincount(fragments.pixel, fragments.weight) == pytest.approx(1, abs=1e-4)


def test_architecture_is_not_grown_over(placeholder):
    structure, scene = placeholder
    wall = structure.of_role("wall")
    own = np.isin(structure.regions, wall)

    def shown(fragments):
        weight = fragments.weight * np.isin(fragments.region, wall)
        return np.bincount(fragments.pixel, weight, minlength=own.size).reshape(own.shape)[own].mean()

    assert own.sum() > 5000
    assert shown(scene.shown.fragments) == pytest.approx(shown(structure.fragments), abs=0.004)


def test_the_same_seed_grows_the_same_leaves_and_another_finish_of_the_wall_keeps_them(placeholder):
    structure, scene = placeholder
    other = iro.dress(structure, "where,finish\nrole planting,foliage\nrole wall,oiled oak", "dusk")
    assert np.array_equal(scene.mesh.triangles, other.mesh.triangles)
    third = iro.dress(structure, None, "afternoon", seed=8)
    assert not np.array_equal(scene.mesh.triangles, third.mesh.triangles)


def test_a_white_model_keeps_its_ball(placeholder):
    structure, _ = placeholder
    scene = iro.dress(structure, "where,finish\nrole planting,white render", "afternoon")
    crown = structure.surfaces.loc[structure.surfaces["name"] == "tree crown", "id"].item()
    assert (scene.mesh.surface == crown).sum() == (structure.mesh.surface == crown).sum()
    assert not scene.shown.covered[structure.regions == crown].any()  # blades stand further down


def test_reeds_are_left_as_they_are():
    rng = np.random.default_rng(1)
    foot = rng.uniform((-3, 3, 0), (3, 6, 0), (400, 3))
    blade = np.stack([foot - [0.01, 0, 0], foot + [0.01, 0, 0], foot + [0.05, 0, 1.6]], axis=1)
    mesh = Mesh(blade.astype(np.float32), np.ones(400, np.int32))
    assert sprays_in_solids(mesh, camera_at(), np.array([False, True]), rng) is None


def test_cards_become_sprays_about_them():
    rng = np.random.default_rng(1)
    middle = rng.normal(size=(300, 3)) * [1.2, 1.2, 1.5] + [0, 4, 4]
    cards = middle[:, None] + rng.normal(size=(300, 3, 3)) * 0.07
    mesh = Mesh(cards.astype(np.float32), np.ones(300, np.int32))
    sprays = sprays_in_solids(mesh, camera_at(), np.array([False, True]), rng)
    assert 250 < len(sprays.place) <= 300 and sprays.count.sum() > 1.5 * len(sprays.place)
    near = np.linalg.norm(sprays.place[:, None] - middle[None], axis=2).min(axis=1)
    assert near.max() < 0.4


def test_a_crown_read_from_pixels_gets_leaves_in_its_outline(tmp_path):
    ground = [((-40, -10, 0), (40, -10, 0), (40, 60, 0)), ((-40, -10, 0), (40, 60, 0), (-40, 60, 0))]
    rng = np.random.default_rng(3)
    spots = rng.normal(size=(1500, 3)) * [0.9, 0.9, 1.0] + [2.0, 6.0, 4.5]
    leaves = spots[:, None] + rng.normal(size=(1500, 3, 3)) * 0.11
    camera = camera_at()
    picture, *_ = paint(
        [((120, 150, 90), np.array(ground, float)), ((150, 120, 90), shapes.box((-7, 9, 0), (6, 14, 3.2))),
         ((80, 60, 50), shapes.cylinder(2.0, 6.0, 0, 3.4, 0.15)), ((70, 130, 50), leaves, True)],
        camera,
    )  # fmt: skip
    structure = iro.read_structure(opened(tmp_path, picture))
    planting = structure.of_role("planting")
    assert len(planting)
    scene = iro.dress(structure, None, "noon")
    grown = np.isin(scene.mesh.surface, planting).sum()
    assert grown > 2000
    fragments = scene.shown.fragments
    share = np.bincount(
        fragments.pixel, fragments.weight * np.isin(fragments.region, planting), minlength=structure.regions.size
    ).reshape(structure.regions.shape)
    was = np.isin(structure.regions, planting)
    assert share[was].mean() > 0.55
    # Beyond it no further than between the leaves that were drawn.
    green = (picture[..., 1].astype(int) - picture[..., 0] > 30).astype(np.uint8)
    near = cv2.dilate(
        cv2.morphologyEx(green, cv2.MORPH_CLOSE, np.ones((31, 31), np.uint8)), np.ones((13, 13), np.uint8)
    )
    assert share[(near == 0) & ~was].sum() < 0.02 * share.sum()


def test_nothing_to_grow_is_none(placeholder):
    structure, _ = placeholder
    count = int(structure.surfaces["id"].max()) + 1
    assert grow_crowns(structure, structure.mesh, np.zeros(count, bool), np.zeros(count, bool), 7) is None
