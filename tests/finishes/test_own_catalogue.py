"""A user's own finishes beside ours."""

import numpy as np
import pytest

import irodori as iro
from irodori.finishes import FINISHES, read_schedule
from irodori.finishes.catalogue import catalogue_entry, read_catalogue

OWN = (
    '["our stone"]\nlike = "slate"\ncolour = "#445566"\n\n["our pale stone"]\nlike = "our stone"\ncolour = "#aabbcc"\n'
)


def test_own_finishes_stand_on_ours_and_on_each_other():
    known = read_catalogue(OWN)
    assert len(known) == len(FINISHES) + 2 and known["our pale stone"].unit == FINISHES["slate"].unit
    assert known["our pale stone"].colour == "#aabbcc" and known["our stone"].pattern == FINISHES["slate"].pattern
    assert read_catalogue(None) is FINISHES


def test_own_finishes_go_before_ours_of_the_same_name():
    assert read_catalogue('[slate]\nlike = "slate"\ncolour = "#010203"\n')["slate"].colour == "#010203"
    assert FINISHES["slate"].colour != "#010203"


@pytest.mark.parametrize(
    "text, words",
    [
        ('["a"]\nlike = "slat"\n', "slate"),
        ('["a"]\ncolour = "#112233"\nroughnes = 0.5\n', "roughness"),
        ('["a"]\ncolour = "blue"\n', "colour"),
        ('["a"]\npattern = "bords"\ncolour = "#112233"\n', "boards"),
        ('["a"]\nlike = "slate"\nroughness = 4\n', "roughness"),
        ('a = 3\n["b"]\nlike = "slate"\n', "'a'"),
        ('["a"\n', "TOML"),
        ("none.toml", "none.toml"),
    ],
)
def test_what_is_wrong_is_one_line(text, words):
    with pytest.raises(iro.IrodoriError, match=words) as error:
        read_catalogue(text)
    assert "\n" not in str(error.value)


def test_every_finish_comes_back_from_its_table():
    from irodori.finishes.catalogue import Finish

    for name, finish in FINISHES.items():
        assert Finish(name=name, **catalogue_entry(finish)) == finish


def test_a_schedule_and_a_picture_use_them(view, tmp_path):
    (tmp_path / "mine.toml").write_text(OWN)
    scene = iro.dress(view.exact, "where,finish\nrole wall,our pale stone\n", "noon", catalogue=tmp_path / "mine.toml")
    assert "our pale stone" in scene.finish_names and "our stone" in scene.recipe.catalogue
    path = iro.render(scene, "draft").save(tmp_path / "a.png")
    (tmp_path / "mine.toml").unlink()
    assert np.array_equal(iro.repeat(path).developed, iro.render(scene, "draft").developed)
    with pytest.raises(iro.IrodoriError, match="our pale stone"):
        read_schedule("where,finish\nall,our pale stone\n")
