"""Structures on disk: all that was saved comes back, and makes the same picture."""

import json

import numpy as np
import pandas as pd
import pytest

import irodori as iro
from irodori.core.structure import Structure
from irodori.demo.files import demo_path


def same(a, b):
    """Whether two structures hold the same, to the bit."""
    for name in ("regions", "depth", "normal", "lines", "vanishing", "image", "textured"):
        one, two = getattr(a, name), getattr(b, name)
        assert (one is None) == (two is None), name
        assert one is None or (np.array_equal(one, two) and one.dtype == two.dtype), name
    for name in a.fragments.__dataclass_fields__:
        assert np.array_equal(getattr(a.fragments, name), getattr(b.fragments, name)), name
    pd.testing.assert_frame_equal(a.surfaces.reset_index(drop=True), b.surfaces, check_dtype=False)
    assert (a.hidden_surfaces is None) == (b.hidden_surfaces is None)
    if a.hidden_surfaces is not None:
        pd.testing.assert_frame_equal(a.hidden_surfaces.reset_index(drop=True), b.hidden_surfaces, check_dtype=False)
    assert (a.mesh is None) == (b.mesh is None)
    if a.mesh is not None:
        assert np.array_equal(a.mesh.triangles, b.mesh.triangles) and np.array_equal(a.mesh.surface, b.mesh.surface)
        assert b.mesh.triangles.dtype == np.float32
    for name in ("kind", "confidence", "digest", "north", "notes", "origin", "reading"):
        assert getattr(a, name) == getattr(b, name), name
    assert a.camera.as_dict() == b.camera.as_dict()


def test_a_model_s_structure_comes_back(view, tmp_path):
    view.exact.save(tmp_path / "a.exr")
    same(view.exact, Structure.load(tmp_path / "a.exr"))


def test_a_reading_comes_back(reading, tmp_path):
    reading.save(tmp_path / "a.exr")
    same(reading, Structure.load(tmp_path / "a.exr"))


def test_saved_loaded_dressed_and_repeated(view, reading, tmp_path):
    for name, structure in (("model", view.exact), ("pixels", reading)):
        structure.save(tmp_path / f"{name}.exr")
        given = {"finishes": demo_path("finishes.csv"), "light": "dusk"}
        want = iro.render(iro.dress(structure, **given), "draft")
        got = iro.render(iro.dress(Structure.load(tmp_path / f"{name}.exr"), **given), "draft")
        assert np.array_equal(want.encoded, got.encoded)
        if name == "model":
            again = iro.repeat(got.save(tmp_path / f"{name}.png"))
            assert np.array_equal(again.developed, want.developed)


def test_a_saved_structure_is_a_source_for_commands(cli, tmp_path):
    read = cli("read", demo_path("landing.glb"), "--view", "hall", "--width", "320", "--out", "hall.exr")
    assert read.returncode == 0, read.stderr
    made = cli("render", "hall.exr", "--light", "noon", "--quality", "draft", "--out", "a.png", "--json")
    proof = json.loads(made.stdout)["proof"]
    assert made.returncode == (0 if proof["in_register"] else 1) and proof["edge_recall"] > 0.9, made.stderr
    again = cli("repeat", "a.png", "--out", "b.png")
    assert again.returncode == 0 and (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()
    assert cli("proof", "hall.exr", "a.png").returncode == made.returncode
    assert cli("series", "hall.exr", "--light", "noon", "--quality", "draft", "--out", "lights").returncode == 0
    refused = cli("render", "hall.exr", "--view", "hall")
    assert refused.returncode == 2 and "--view" in refused.stderr


def test_the_first_form_still_opens(reading, tmp_path):
    exr, told = reading.save(tmp_path / "a.exr")
    data = json.loads(told.read_text())
    for key in ("source", "reading", "hidden", "hidden columns", "parts", "mesh"):
        del data[key]
    told.write_text(json.dumps(data | {"format": "irodori-structure-1"}))
    assert np.array_equal(Structure.load(exr).regions, reading.regions)


@pytest.mark.parametrize("harm", ["gone", "cut", "text"])
def test_damaged_triangles_are_named(view, tmp_path, harm):
    view.exact.save(tmp_path / "a.exr")
    ply = tmp_path / "a.ply"
    if harm == "gone":
        ply.unlink()
    elif harm == "cut":
        ply.write_bytes(ply.read_bytes()[:4000])
    else:
        ply.write_text("ply? no")
    with pytest.raises(iro.IrodoriError, match=r"a\.ply"):
        Structure.load(tmp_path / "a.exr")


def test_a_picture_s_layers_come_back(model_picture, tmp_path):
    path = model_picture.save(tmp_path / "a.exr")
    loaded = iro.Picture.load(path)
    assert np.array_equal(loaded.developed, model_picture.developed)
    for name in model_picture.layers:
        assert np.allclose(loaded.layers[name], model_picture.layers[name], rtol=1e-5, atol=1e-6), name
    assert loaded.recipe.difference(model_picture.recipe) == []
    assert np.array_equal(loaded.structure.regions, model_picture.buffers.region)
    dimmed, want = loaded.rebalanced(lamps=0.2), model_picture.rebalanced(lamps=0.2)
    off = np.abs(dimmed.developed.astype(int) - want.developed)
    assert np.median(off) <= 1 and (off > 12).mean() < 0.05  # but for borders, which are those of whole pixels now
    with pytest.raises(iro.IrodoriError, match=r"no recipe|no layers"):
        view_file = model_picture.structure.save(tmp_path / "s.exr")[0]
        iro.Picture.load(view_file)
