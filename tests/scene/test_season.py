"""What a season does to the planting that a structure holds itself."""

import numpy as np
import pytest

import irodori as iro
from irodori.scene.dress import prepare


@pytest.fixture(scope="module")
def dressed(view):
    structure = iro.read_structure(view)
    return structure, {season: prepare(structure, season=season) for season in ("spring", "summer", "autumn", "winter")}


def hue_of(colours):
    return (colours[:, 0] - colours[:, 1]) / colours.sum(axis=1)


def test_leaves_turn_and_no_two_trees_alike(dressed):
    structure, seasons = dressed
    leaves = [surface for surface in structure.of_role("planting") if seasons["summer"].finishes[seasons["summer"].finish_of[surface]].name == "foliage"]  # fmt: skip
    summer, autumn, winter = (hue_of(seasons[name].tint[leaves]) for name in ("summer", "autumn", "winter"))
    assert len(leaves) > 2 and (summer < 0).all()
    assert (autumn > summer + 0.05).all() and len(np.unique(autumn.round(3))) > 2
    assert np.median(winter) > np.median(summer) + 0.1
    spring = seasons["spring"].tint[leaves].sum(axis=1)
    assert np.median(spring) > np.median(seasons["summer"].tint[leaves].sum(axis=1))


def test_grass_is_pale_in_winter_and_nothing_else_changes(dressed):
    structure, seasons = dressed

    def finish(season, surface):
        one = seasons[season]
        return one.finishes[one.finish_of[surface]]

    lawn = structure.of_role("lawn")[0]
    assert finish("summer", lawn).colour != finish("winter", lawn).colour
    assert finish("summer", lawn).pattern == finish("winter", lawn).pattern == "grass"
    for role in ("wall", "roof", "paving", "glazing", "water"):
        for surface in structure.of_role(role):
            assert np.array_equal(finish("summer", surface).row, finish("winter", surface).row)
            assert np.array_equal(seasons["summer"].tint[surface], seasons["winter"].tint[surface])
    assert np.array_equal(seasons["summer"].mesh.triangles, seasons["winter"].mesh.triangles)


def test_a_tree_turns_the_same_way_each_time(dressed):
    structure, seasons = dressed
    assert np.array_equal(prepare(structure, season="autumn").tint, seasons["autumn"].tint)
    other = prepare(structure, season="autumn", kept_seeds={"planting": 99}).tint
    assert not np.array_equal(other, seasons["autumn"].tint)
