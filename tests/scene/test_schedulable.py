"""What can be scheduled, the schedule drafted from it, and the legend page."""

import json
import subprocess
import sys

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import OutputError
from irodori.core.selectors import matching_surfaces, names_of, parse_selector
from irodori.demo.files import demo_path
from irodori.scene.assign import all_surfaces
from irodori.scene.schedulable import drafted_schedule, schedulable
from irodori.study.legend import write_legend


@pytest.fixture(scope="module")
def scene(view):
    return iro.dress(iro.read_structure(view), demo_path("finishes.csv"))


@pytest.fixture(scope="module")
def items(scene):
    return schedulable(scene)


def test_every_selector_means_its_surfaces_and_no_others(scene, items):
    table = all_surfaces(scene.structure)
    words = names_of(table)
    for item in items:
        meant = matching_surfaces(scene.structure, table, words, parse_selector(item.where))
        assert set(map(int, meant)) == set(item.surfaces), item.where
    assert len({i for item in items for i in item.surfaces}) == sum(len(item.surfaces) for item in items)


def test_all_that_is_seen_is_listed_the_largest_first(scene, items):
    structure = scene.structure
    shown = {int(i) for i in np.unique(structure.regions) if i}
    left = shown - {i for item in items for i in item.surfaces}
    assert set(structure.surfaces.set_index("id").loc[sorted(left), "role"]) <= {"sky", "context", "person"}
    assert [i.share for i in items] == sorted((i.share for i in items), reverse=True)
    for item in items:
        assert item.spot is not None and structure.regions[item.spot[1], item.spot[0]] in item.surfaces


def test_areas_are_those_of_the_model(scene, items):
    roof = next(item for item in items if item.where == "name hall roof*")
    triangles = scene.structure.mesh.triangles[np.isin(scene.structure.mesh.surface, roof.surfaces)].astype(float)
    whole = (
        np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1).sum() / 2
    )
    assert roof.area == pytest.approx(whole, rel=1e-3)


def test_a_drafted_schedule_read_again_gives_the_same_finishes(scene, items):
    text = drafted_schedule(scene, items, ("brief: 'brass' not understood",))
    again = iro.dress(scene.structure, text)
    assert not again.unmatched and "brass" in text
    own = [
        item.surfaces[0] if item.spot is None else int(scene.structure.regions[item.spot[1], item.spot[0]])
        for item in items
    ]
    rows, other = scene.finishes[scene.finish_of[own]], again.finishes[again.finish_of[own]]
    # A colour as found is written as a colour; all else is what it was.
    keeps = [k for k in range(rows.shape[1]) if k not in (1, 2, 3, 23)]
    assert np.allclose(rows[:, keeps], other[:, keeps], atol=2e-3)
    assert np.abs(scene.tint[own] - again.tint[own]).max() < 0.02


def test_a_reading_is_scheduled_by_role_colour_and_number(reading):
    scene = iro.dress(reading)
    items = schedulable(scene)
    table = all_surfaces(reading)
    words = names_of(table)
    assert {i.where.split()[0] for i in items} == {"role", "colour", "surface"}
    for item in items:
        assert set(map(int, matching_surfaces(reading, table, words, parse_selector(item.where)))) == set(item.surfaces)
    assert not iro.dress(reading, drafted_schedule(scene, items)).unmatched


def test_the_legend_is_a_page_of_text_and_a_picture(scene, items, tmp_path):
    import pypdfium2

    write_legend(tmp_path / "legend.pdf", scene, items, title="Finishes")
    write_legend(tmp_path / "again.pdf", scene, items, title="Finishes")
    assert (tmp_path / "legend.pdf").read_bytes() == (tmp_path / "again.pdf").read_bytes()
    page = pypdfium2.PdfDocument(tmp_path / "legend.pdf")[0]
    assert np.allclose(page.get_size(), (1190.55, 841.89), atol=0.1)
    text = page.get_textpage().get_text_range()
    assert "standing seam zinc" in text and "633 m²" in text and "Finishes" in text
    write_legend(tmp_path / "legend.png", scene, items)
    shown = iro.open_capture(tmp_path / "legend.png").image
    assert shown.shape[1] > 1700 and shown.std() > 0.05
    with pytest.raises(OutputError, match=r"pdf or \.png"):
        write_legend(tmp_path / "legend.docx", scene, items)


def test_the_command_lists_drafts_and_draws(tmp_path):
    def run(*arguments, code=0):
        done = subprocess.run(
            [sys.executable, "-m", "irodori", "finishes", *arguments], cwd=tmp_path, capture_output=True, text=True
        )
        assert done.returncode == code, done.stderr
        return done

    model = str(demo_path("landing.glb"))
    told = run(
        "--for",
        model,
        "--view",
        "landing",
        "--size",
        "240x150",
        "--brief",
        "copper roofs, brass doors",
        "--draft",
        "d.csv",
        "--out",
        "l.pdf",
        "--json",
    )
    answer = json.loads(told.stdout)
    roofs = [i for i in answer["items"] if i["role"] == "roof" and "neighbour" not in i["where"]]
    assert roofs and all(i["finish"] == "brown copper" and "brief" in i["why"] for i in roofs)
    assert "brass" in (tmp_path / "d.csv").read_text() and (tmp_path / "l.pdf").read_bytes().startswith(b"%PDF")
    for wrong in (("--for", model, "--out", "l.txt"), ("--draft", "d.csv"), ("timber", "--for", model)):
        assert "Traceback" not in run(*wrong, code=2).stderr
