"""Liberty: what each step allows, what asks for more is said, and nothing moves below 1."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.core.liberty import NAMED, STEPS, read_liberty
from irodori.core.recipe import Recipe
from irodori.finishes.slots import SLOT

BRIEF = "two birches on the right, two benches, lively, noon"


@pytest.fixture(scope="module")
def scenes(reading):
    return {step: iro.dress(reading, brief=BRIEF, liberty=step) for step, _ in STEPS}


def forms(scene):
    return {item["what"] for item in scene.shown.listed}


def test_each_step_allows_more_than_the_one_before(scenes):
    assert not scenes[0.0].soiled and scenes[0.2].soiled
    aged = {
        step: scene.finishes[scene.finish_of[np.unique(scene.structure.regions)], SLOT["age"]].any()
        for step, scene in scenes.items()
    }
    assert not aged[0.0] and aged[0.2]
    assert len(scenes[0.2].mesh) > 2 * len(scenes[0.0].mesh)  # crowns have leaves
    assert not scenes[0.2].rooms.any() and scenes[0.4].rooms.any()
    assert not forms(scenes[0.2]) and forms(scenes[0.4]) == {"bench"}
    assert "birch" in forms(scenes[0.6]) and any("person" in what for what in forms(scenes[0.6]))
    articulated = [a for a in scenes[0.8].assignments if a["why"].endswith("articulated")]
    assert articulated and not any(a["why"].endswith("articulated") for a in scenes[0.6].assignments)


def test_what_asks_for_more_is_said_with_the_liberty_that_it_needs(scenes):
    said = " ".join(scenes[0.0].unmatched)
    assert (
        "'two birches on the right': it needs a liberty of 0.6" in said
        and "benches': it needs a liberty of 0.4" in said
    )
    assert "life 'lively' needs a liberty of 0.6" in said
    assert "liberty" not in " ".join(scenes[0.6].unmatched)


def test_a_schedule_and_a_brief_are_not_articulated(reading):
    scene = iro.dress(
        reading, "where,finish\nrole wall,white render\n", brief="painted plaster ceiling", liberty="atmospheric"
    )
    table = scene.assignments_table()
    assert set(table.loc[table["role"] == "wall", "finish"]) == {"white render"}


def test_members_stand_before_their_own_surface_alone(view):
    plain, bold = iro.dress(view.exact, liberty=0.6), iro.dress(view.exact, liberty=0.8)
    assert {item["what"] for item in bold.shown.listed} - {item["what"] for item in plain.shown.listed} == {
        "articulation"
    }
    before, after = (
        {(p, r): w for p, r, w in zip(s.shown.fragments.pixel, s.shown.fragments.region, s.shown.fragments.weight)} for s in (plain, bold)
    )  # fmt: skip
    lost = [
        (pixel, region) for (pixel, region), weight in before.items() if after.get((pixel, region), 0) < weight - 0.02
    ]
    roles = view.exact.surfaces.set_index("id")["role"]
    assert len(lost) > 40 and {roles[region] for _, region in lost} <= {"glazing", "wall"}


def test_the_recipe_keeps_it(scenes):
    assert scenes[0.4].recipe.liberty == 0.4
    assert Recipe.from_text(scenes[0.4].recipe.text).liberty == 0.4
    assert any("liberty" in line for line in scenes[0.0].recipe.difference(scenes[0.4].recipe))


def test_nothing_moves_below_one(reading):
    for step in (0.0, 0.8):
        picture = iro.render(
            iro.dress(reading, brief="red brick walls, three birches on the left", liberty=step), "draft"
        )
        report = iro.prove(reading, picture)
        assert report.in_register, report.reasons


@pytest.mark.parametrize("value", ["bold", -0.1, 1.2, "nan", ""])
def test_what_is_no_liberty_is_refused(value):
    with pytest.raises(IrodoriError):
        read_liberty(value)


def test_names_are_steps():
    assert all(read_liberty(name) == step for name, step in NAMED.items()) and np.all(
        np.diff([s for s, _ in STEPS]) > 0
    )
