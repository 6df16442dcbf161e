"""What stands for trees, people and cars: of the same height, spread and place, and only that."""

import numpy as np
import pytest
import trimesh
from trimesh.transformations import rotation_matrix, translation_matrix

import irodori as iro
from irodori.scene.growing.placeholders import find_placeholders
from named_models import saved

KINDS = {
    "ball tree": (8.0, -2.0, 6.0, 4.0), "Eiche": (-8.0, -3.0, 9.0, 6.0), "cone": (12.0, 3.0, 7.0, 3.0), "card birch": (-12.0, 4.0, 8.0, 4.0),
}  # fmt: skip
"""Place x, y, height and spread of each."""


def ball_on_a_stick(height, spread):
    crown = trimesh.creation.icosphere(2, 1.0)
    crown.apply_scale((spread / 2, spread / 2, height * 0.35))
    crown.apply_translation((0, 0, height * 0.65))
    return crown, trimesh.creation.cylinder(0.12, height * 0.5, transform=translation_matrix((0, 0, height * 0.25)))


@pytest.fixture(scope="module")
def model(tmp_path_factory):
    parts = {}

    def add(name, mesh, x=0.0, y=0.0):
        parts[name] = mesh.copy()
        parts[name].apply_translation((x, y, 0))

    add("lawn", trimesh.creation.box(bounds=((-30, -30, -0.2), (30, 30, 0))))
    add("house wall", trimesh.creation.box(bounds=((-4, 6, 0), (4, 12, 5))))
    add("front door", trimesh.creation.box(bounds=((-0.5, 5.9, 0), (0.5, 6, 2.1))))
    for name, (x, y, height, spread) in KINDS.items():
        if name == "cone":
            add("spruce 1", trimesh.creation.cone(spread / 2, height), x, y)
        elif name == "card birch":
            for k, turn in enumerate((0.2, 0.2 + np.pi / 2)):
                card = trimesh.Trimesh(
                    [(-spread / 2, 0, 0), (spread / 2, 0, 0), (spread / 2, 0, height), (-spread / 2, 0, height)],
                    [(0, 1, 2), (0, 2, 3)],
                    process=False,
                )
                card.apply_transform(rotation_matrix(turn, (0, 0, 1)))
                add(f"birch tree card {k}", card, x, y)
        else:
            crown, trunk = ball_on_a_stick(height, spread)
            add(f"{name} crown", crown, x, y)
            add(f"{name} trunk", trunk, x, y)
    add("person 1", trimesh.creation.box((0.5, 0.3, 1.75), translation_matrix((0, 0, 0.875))), 2, -2)
    car = trimesh.creation.box((4.4, 1.8, 1.45), translation_matrix((0, 0, 0.725)))
    car.apply_transform(rotation_matrix(0.6, (0, 0, 1)))
    add("car 1", car, -3, -8)
    add("hedge", trimesh.creation.box(bounds=((-14, 13, 0), (14, 14, 2.2))))
    return saved(tmp_path_factory.mktemp("placeholders"), parts)


@pytest.fixture(scope="module")
def structure(model):
    return model.view("three-quarter 200", width=400).exact


@pytest.fixture(scope="module")
def placed(structure):
    return find_placeholders(structure, structure.mesh, np.zeros(len(structure.mesh.measures.area), bool))


def test_each_becomes_what_it_stands_for_where_it_stands(placed):
    by_kind = {entry.kind.name: entry for entry in placed.entries}
    assert set(by_kind) == {"oak", "spruce", "birch", "car"} | {
        e.kind.name for e in placed.entries if e.kind.family in ("people", "tree")
    }
    for name, kind in (("Eiche", "oak"), ("cone", "spruce"), ("card birch", "birch")):
        x, y, height, spread = KINDS[name]
        entry = by_kind[kind]
        assert entry.where.points[0][:2] == pytest.approx((x, y), abs=0.15)
        assert entry.height == pytest.approx(height, rel=0.03)
        assert entry.kind.spread / entry.kind.height == pytest.approx(spread / height, abs=0.05)
    assert sum(entry.kind.family == "people" for entry in placed.entries) == 1
    # The car lies along its box, turned by 0.6 rad from +x against the clock.
    facing = by_kind["car"].facing % 180
    assert facing == pytest.approx((90 - np.degrees(0.6)) % 180, abs=3)


def test_hedges_and_the_house_stay(structure, placed):
    names = structure.surfaces.set_index("name")["id"]
    assert not placed.surfaces[names["hedge"]].any() and not placed.surfaces[names["house wall"]].any()
    assert len(placed.mesh) == (~placed.surfaces[structure.mesh.surface]).sum()


def test_the_scene_has_trees_in_their_place_and_says_so(structure):
    scene = iro.dress(structure, None, "noon")
    told = scene.additions_table()
    assert {"oak", "spruce", "birch", "car"} <= set(told["what"])
    crown = structure.surfaces.set_index("name")["id"]["Eiche crown"]
    was = structure.regions == crown
    assert was.sum() > 300
    # Where the ball was mostly a tree is seen now, and no ball.
    assert not (scene.shown.fragments.region == crown).any()
    assert scene.shown.covered[was].mean() > 0.99


def test_as_modelled_they_stay(model):
    structure = model.view("three-quarter 200", width=240, as_modelled=True).exact
    scene = iro.dress(structure, None, "noon")
    crown = structure.surfaces.set_index("name")["id"]["Eiche crown"]
    assert (scene.shown.fragments.region == crown).any()
    assert not set(scene.additions_table().get("what", [])) & {"oak", "spruce", "birch", "car"}
    assert scene.recipe.source.as_modelled


def test_what_a_schedule_names_is_no_placeholder(structure):
    scene = iro.dress(structure, "where,finish\nname Eiche*,foliage\n", "noon")
    assert "oak" not in set(scene.additions_table()["what"])
