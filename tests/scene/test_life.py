"""People in a view: as many as the place takes, on what is walked on, in sight, and before no sign."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import EntourageError
from irodori.scene.life import NEVER_BEFORE, people_in


@pytest.fixture(scope="module")
def landing(model):
    return iro.read_structure(model.view("landing", width=1280))


@pytest.mark.parametrize(
    ("life", "least", "most"), [("none", 0, 0), ("few", 2, 3), ("lively", 5, 12), ("usual", 5, 12)]
)
def test_as_many_as_asked(landing, life, least, most):
    assert least <= len(people_in(landing, life, 7).entries) <= most


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_they_stand_where_they_are_seen_whole(landing, seed):
    people = people_in(landing, "lively", seed).entries
    feet = np.array([entry.where.points[0] for entry in people])
    width, height = landing.size
    never = np.isin(landing.regions, landing.of_role(*NEVER_BEFORE))
    for entry, foot in zip(people, feet):
        sits = entry.kind.pose == "sitting"
        top = foot + [0, 0, 0.9 if sits else entry.kind.height]
        (low, high), depth = landing.camera.project(np.array([foot, top]))
        assert (high > 0).all() and (low < (width, height)).all()
        x, y = np.floor((low + high) / 2).astype(int)
        assert landing.depth[y, x] > 0.95 * depth.mean() and not never[y, x]
        if not sits:
            x, y = np.floor(low).astype(int)
            assert landing.normal[y, x][2] > 0.95
    apart = np.linalg.norm(feet[:, None] - feet[None], axis=2)[np.triu_indices(len(feet), 1)]
    assert apart.min() > 0.6


def test_the_same_seed_brings_the_same_people(landing):
    assert (
        people_in(landing, "lively", 5).text
        == people_in(landing, "lively", 5).text
        != people_in(landing, "lively", 6).text
    )


def test_they_are_in_the_picture_and_in_its_recipe(landing):
    scene = iro.dress(landing, None, "noon", life="few")
    listed = scene.additions_table()
    people = listed[listed["what"].str.contains("person|child")]
    assert 2 <= len(people) <= 3
    assert not people["state"].str.contains("left out").any()
    assert scene.recipe.life == "few" and scene.recipe.entourage == ""


def test_no_such_life(landing):
    with pytest.raises(EntourageError, match="lively"):
        iro.dress(landing, None, "noon", life="livly")
