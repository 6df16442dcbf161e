"""What is kept between processes: equal things come back, nothing stale does, and a bad cache stops nobody."""

import subprocess
import sys
from dataclasses import dataclass

import numpy as np
import pandas as pd
import pytest
import trimesh

from irodori.formats.made_before import made_before


@dataclass(frozen=True)
class Wall:
    height: float
    corners: np.ndarray


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("IRODORI_CACHE", str(tmp_path))
    return tmp_path


def counted():
    made = []

    def make():
        made.append(1)
        return np.full(3, len(made))

    return make, made


def test_equal_things_come_back_and_others_are_made(folder):
    make, made = counted()
    things = [
        (2.0, "wall"),
        (2, "wall"),
        (Wall(2.0, np.arange(6.0)), None),
        (Wall(2.0, np.arange(6.0, dtype=np.float32)), None),
        (Wall(2.0, np.arange(6.0).reshape(2, 3)), None),
        ([np.arange(2), np.arange(3)],),
        ([np.arange(3), np.arange(2)],),
        ({"oak": 1, "ash": [2, 3]},),
        ({"oak": 1, "ash": [2], "elm": 3},),
        (pd.DataFrame({"id": [1, 2], "area": [0.1, 0.3]}),),
        (pd.DataFrame({"id": [1, 2], "area": [0.1, 0.30000000000000004]}),),
    ]
    first = [made_before("walls", make, *thing) for thing in things]
    assert len(made) == len(things)
    again = [made_before("walls", make, *thing) for thing in things]
    assert len(made) == len(things)
    assert np.array_equal(first, again)
    assert made_before("roofs", make, *things[0])[0] == len(things) + 1


def test_what_cannot_be_told_apart_is_refused(folder):
    with pytest.raises(TypeError, match="function"):
        made_before("walls", lambda: 1, lambda: 2)


def test_a_broken_file_is_made_again_and_mended(folder):
    make, made = counted()
    made_before("walls", make, "brick")
    (file,) = folder.rglob("*.pickle")
    file.write_bytes(file.read_bytes()[:20])
    assert made_before("walls", make, "brick")[0] == 2
    assert made_before("walls", make, "brick")[0] == 2 and len(made) == 2


def test_a_cache_that_is_a_file_stops_nobody(tmp_path, monkeypatch):
    (tmp_path / "cache").write_text("not a folder")
    monkeypatch.setenv("IRODORI_CACHE", str(tmp_path / "cache"))
    make, _made = counted()
    assert [made_before("walls", make, "brick")[0] for _ in range(2)] == [1, 2]


def house(file, tall):
    walls = trimesh.creation.box((8, 6, tall), transform=trimesh.transformations.translation_matrix((0, 0, tall / 2)))
    trimesh.Scene({"wall north": walls}).export(file)


def render(folder, out):
    command = [
        sys.executable,
        "-m",
        "irodori",
        "render",
        "house.glb",
        "--up",
        "z",
        "--size",
        "160x100",
        "--quality",
        "draft",
    ]
    subprocess.run([*command, "--out", out], cwd=folder, check=True, capture_output=True)
    return (folder / out).read_bytes()


def test_a_model_changed_in_place_gives_another_picture(folder):
    house(folder / "house.glb", 3.0)
    first, again = render(folder, "a.png"), render(folder, "b.png")
    assert first == again
    assert len(list(folder.rglob("view-*.pickle"))) == 1
    house(folder / "house.glb", 4.0)
    assert render(folder, "c.png") != first
    assert len(list(folder.rglob("view-*.pickle"))) == 2
