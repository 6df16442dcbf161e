"""What notebooks and prompts show: pictures and short lines, never whole arrays."""

import numpy as np
import pandas as pd
import pytest

import irodori as iro

PNG = b"\x89PNG\r\n\x1a\n"


@pytest.fixture(scope="module")
def report(shaded, picture):
    return iro.prove(shaded, picture)


def test_what_can_be_seen_shows_itself(shaded, reading, picture, report):
    for thing in (shaded, reading, picture, report):
        assert thing._repr_png_()[:8] == PNG


def test_texts_are_short(shaded, reading, picture, report, view):
    scene = iro.dress(view.exact, None, "noon")
    for thing in (
        shaded, reading, picture, report, view, scene, scene.light, scene.light.dome, scene.mesh, scene.lamps, scene.shown,
        reading.fragments, picture.layers, picture.buffers.line_sides, picture._traced, iro.Lens(grain=0.5),
    ):  # fmt: skip
        text = repr(thing)
        assert len(text) < 700 and "\n" not in text and "array(" not in text, text


def test_tables_are_pandas(view, picture, report):
    scene = iro.dress(view.exact, None, "noon", entourage='what,where\nbirch,"at 9,-1.5"\n')
    table = scene.assignments_table()
    assert list(table.columns) == ["id", "role", "name", "finish", "why", "share"] and len(table) == len(
        scene.assignments
    )
    assert 0.3 < table["share"].sum() <= 1
    assert set(scene.additions_table()["what"]) == {"birch"}
    assert isinstance(report.changes_table(), pd.DataFrame)
    for make in (
        iro.finishes_table,
        iro.lights_table,
        iro.weathers_table,
        iro.lamps_table,
        iro.entourage_table,
        iro.looks_table,
    ):
        found = make()
        assert len(found) >= 1 and found.index.is_unique


def test_pictures_are_arrays_and_images(picture):
    assert np.array_equal(np.asarray(picture), picture.developed)
    assert np.asarray(picture, dtype=np.float32).dtype == np.float32
    assert picture.to_pil().size == picture.size


def test_looks_are_told_everything_by_name(picture):
    b = picture.buffers
    width, height = b.size
    assert b.depth.shape == b.region.shape == b.role.shape == b.border_cover.shape == (height, width)
    assert b.normal.shape == (height, width, 3) and set(b.layers()) == set(picture.layers)
    count = len(b.fragments)
    assert b.light.shape == b.albedo.shape == (count, 3) and b.sun_seen.shape == (count,)
    assert 0 <= b.sun_seen.min() and b.sun_seen.max() <= 1 and 0.05 < (b.sun_seen > 0.5).mean() < 0.95
    assert np.linalg.norm(b.sun_direction) == pytest.approx(1, abs=1e-5)
    u, v = b.axes
    solid = b.fragments.region > 0
    for axis in (u, v):
        assert np.linalg.norm(axis[solid], axis=1) == pytest.approx(1, abs=1e-4)
        assert np.abs((axis * b.fragments.normal).sum(axis=1)).max() < 1e-3
    total = sum(b.layer(n) for n in b.layers() if n != "albedo")
    assert np.allclose(total, b.light, rtol=1e-4, atol=1e-6)
    assert len(b.line_sides.kind) == len(b.lines)
    with pytest.raises(KeyError):
        b.layer("moonshine")


def test_progress_is_drawn_by_rich(view):
    import io

    from rich.console import Console

    out = io.StringIO()
    with iro.rich_progress(Console(file=out, force_terminal=True, width=80)) as bar:
        iro.render(iro.dress(view.exact, None, "noon"), "draft", progress=bar)
    assert "Tracing" in out.getvalue()


def test_making_in_one_call(tmp_path, model):
    from irodori.demo import demo_path

    (tmp_path / "irodori.toml").write_text('quality = "draft"\nwidth = 96\nlight = "night"\n')
    night = iro.make(demo_path("landing.glb"), view="hall", project=tmp_path)
    assert night.size[0] == 96 and night.recipe.light.name == "night"
    noon = iro.make(like=night, light="noon")
    assert night.recipe.difference(noon.recipe) == ["light: 'night' here, 'noon' there"]
    with pytest.raises(iro.IrodoriError, match="light"):
        iro.make(demo_path("landing.glb"), lihgt="noon")
    with pytest.raises(iro.IrodoriError, match="what to render"):
        iro.make()
