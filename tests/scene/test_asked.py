"""Briefs on a structure: the surfaces that change, the things that come, what is refused, and the same again without a word."""

import json
import subprocess
import sys

import numpy as np
import pytest

import irodori as iro
from irodori.brief.brief import Place
from irodori.demo.files import demo_path
from irodori.scene.asked.places import Places
from irodori.scene.asked.sayable import sayable
from irodori.scene.assign import all_surfaces


@pytest.fixture(scope="module")
def structure(view):
    return iro.read_structure(view)


@pytest.fixture(scope="module")
def places(structure):
    return Places(structure, all_surfaces(structure), structure.mesh)


def names(structure, ids):
    table = all_surfaces(structure).set_index("id")
    return set(table.loc[list(ids), "name"])


def acted(scene):
    return {a.decision.line: a for a in scene.acted}


@pytest.mark.parametrize(
    ("place", "inside", "outside"),
    [
        (Place("wall"), {"hall wall east", "kiosk wall", "boat shed wall"}, {"neighbour 1 wall", "quay wall", "hall roof"}),
        (Place("roof", "kiosk"), {"kiosk roof"}, {"hall roof", "neighbour 2 roof"}),
        (Place("wall", "boat shed"), {"boat shed wall"}, {"hall wall west"}),
        (Place("roof", "neighbour"), {"neighbour 1 roof"}, {"hall roof"}),
        (Place("paving", "quay"), {"quay paving"}, {"pontoon decking"}),
        (Place("everything", others=("door",)), {"hall wall east", "hall roof"}, {"boat shed door", "lake", "hall front glass"}),
        (Place("counter"), {"hall counter"}, {"hall bench 1"}),
    ],
)  # fmt: skip
def test_places_are_found_by_name_and_role(structure, places, place, inside, outside):
    ids, note = places.surfaces(place)
    found = names(structure, ids)
    assert inside <= found and not outside & found and not note


def test_what_is_not_there_is_said(places):
    for place, said in (
        (Place("roof", "dome"), "no dome"),
        (Place("fabric"), "no fabric"),
        (Place("wall", "kiosk", "on", "upper floor"), "upper floor"),
    ):
        ids, note = places.surfaces(place)
        assert not len(ids) and said in note


def test_finishes_colours_and_tones_go_onto_their_surfaces(structure):
    scene = iro.dress(
        structure,
        brief="charred hall walls, a dark zinc roof on the kiosk, white boat shed, darker roof, everything in oak except the roof",
    )
    table = scene.assignments_table().set_index("name")
    assert set(table.loc[["hall wall east"], "finish"]) == {"charred boards, upright"}
    assert all(name.startswith("standing seam zinc") for name in table.loc[["kiosk roof"], "finish"])
    assert set(table.loc[["hall canopy column 1"], "finish"]) == {"oiled oak"}
    done = acted(scene)
    wall = done["finish wall of hall: charred boards, upright"]
    assert wall.done and wall.area == pytest.approx(sum(structure.mesh.measures.area[i] for i in wall.surfaces))
    boat = done["colour wall of boat shed: white"].surfaces[0]
    tint = scene.finishes[scene.finish_of[boat]]
    dark = scene.finishes[scene.finish_of[wall.surfaces[0]]]
    assert not np.allclose(tint, dark)


def test_a_brief_understood_for_a_structure_says_where_it_acts(structure):
    brief = iro.understand("copper roof on the kiosk, a copper dome, dusk, holographic walls", structure)
    acts = dict(zip([d.phrase for d in brief.decisions], brief.acts))
    kiosk = structure.surfaces.loc[structure.surfaces["name"] == "kiosk roof", "id"]
    assert acts["copper roof on the kiosk"][0] >= len(kiosk) > 0 and acts["copper roof on the kiosk"][
        1
    ] == pytest.approx(40.1, abs=0.2)
    assert "no dome" in acts["a copper dome"][2] and acts["dusk"] == (0, 0.0, "")
    table = brief.table().set_index("phrase")
    assert (
        "40.1 m²" in table.loc["copper roof on the kiosk", "where"]
        and table.loc["holographic", "decision"] == "not understood"
    )


def test_the_schedule_goes_before_the_brief(structure):
    schedule = "where,finish\nname hall roof,slate\n"
    scene = iro.dress(structure, schedule, brief="copper roofs, brick on the hall roof")
    table = scene.assignments_table().set_index("name")
    assert set(table.loc[["hall roof"], "finish"]) == {"slate"} and set(table.loc[["kiosk roof"], "finish"]) == {
        "brown copper"
    }
    done = acted(scene)
    assert "schedule" in done["finish roof: brown copper"].note and done["finish roof: brown copper"].done
    refused = next(a for line, a in done.items() if "roof of hall" in line)
    assert not refused.done and any("schedule" in u for u in scene.unmatched)


def test_things_stand_where_they_were_said_to(structure):
    scene = iro.dress(
        structure,
        brief="two birches on the left, two boats on the water, a person by the door, far trees, a car on the roof of the dome",
        avoid="bicycles",
    )
    entries = [(e["what"], e) for e in scene.shown.listed]
    camera = structure.camera
    from irodori.entourage import read_entourage

    placed = read_entourage(scene.recipe.brief.entourage).entries
    kinds = [e.kind.name for e in placed]
    assert (
        kinds.count("birch") == 2
        and kinds.count("rowing boat") == 2
        and "far trees" in kinds
        and "person standing" in kinds
    )
    assert entries
    for entry in placed:
        if entry.where.way != "at":
            continue
        spot, _ = camera.project(np.array(entry.where.points[0])[None])
        x, y = np.floor(spot[0]).astype(int)
        region = structure.regions[y, x]
        role = structure.surfaces.set_index("id")["role"][region]
        if entry.kind.name == "birch":
            assert x < 0.4 * structure.size[0] and role != "water"
        if entry.kind.name == "rowing boat":
            assert role == "water"
    again = iro.dress(
        structure,
        brief="two birches on the left, two boats on the water, a person by the door, far trees, a car on the roof of the dome",
        avoid="bicycles",
    )
    assert again.recipe == scene.recipe


def test_plants_that_would_hide_the_building_are_said_to_be_left_out(structure):
    scene = iro.dress(structure, brief="thirty lime trees in front of the hall, a hundred birches on the kiosk")
    for one in scene.acted:
        lost = [
            i for i in scene.shown.listed if i["what"] in ("lime tree", "birch") and i["state"].startswith("left out")
        ]
        assert one.note and (one.done or any(one.decision.phrase in said for said in scene.unmatched))
    placed = [i for i in scene.shown.listed if i["state"].startswith("placed")]
    assert len(placed) + len(lost) == len(scene.shown.listed)


def test_what_stands_behind_something_is_beyond_it(structure, places):
    scene = iro.dress(structure, brief="three poplars behind the hall, two benches on the quay")
    from irodori.entourage import read_entourage

    placed = read_entourage(scene.recipe.brief.entourage).entries
    hall = structure.depth[places.mask_of("hall") & np.isfinite(structure.depth)].max()
    spots = np.array([e.where.points[0] for e in placed if e.kind.name == "poplar"])
    assert len(spots) == 3 and (structure.camera.project(spots)[1] > hall).all()
    assert [e.mark for e in placed] == ["B01", "B02", "B03", "B04", "B05"]
    benches = np.array([e.where.points[0] for e in placed if e.kind.name == "bench"])
    pixel = np.floor(structure.camera.project(benches)[0]).astype(int)
    assert places.mask_of("quay")[pixel[:, 1], pixel[:, 0]].all()


def test_a_picture_is_made_again_without_reading_a_word(structure, monkeypatch):
    scene = iro.dress(
        structure,
        brief="red brick walls, three birches on the right, dusk after rain, crisp, five people",
        avoid="cars",
    )
    assert scene.light.name == "dusk, after rain" and scene.recipe.life == "5"
    kept = scene.recipe.brief
    module = sys.modules["irodori.scene.dress"]
    monkeypatch.setattr(sys.modules["irodori.brief.understand"], "understand", None)
    monkeypatch.setattr(module, "ask", None)
    again = iro.dress(structure, None, scene.light, life="5", brief=kept)
    assert again.assignments == scene.assignments and again.shown.listed == scene.shown.listed
    assert np.array_equal(again.finishes[again.finish_of], scene.finishes[scene.finish_of])


def test_what_can_be_said_acts(structure):
    phrases = [phrase for phrase, _, _ in sayable(structure)]
    assert "granite setts on the quay paving" in phrases and "larch hall walls" in phrases
    for phrase, count, _ in sayable(structure)[:16]:
        scene_free = iro.understand(phrase)
        assert not scene_free.unknown and scene_free.decisions, phrase
        ids, _ = Places(structure, all_surfaces(structure), structure.mesh).surfaces(scene_free.decisions[0].place)
        assert len(ids) == count, phrase


def command(folder, *arguments, code=0):
    done = subprocess.run([sys.executable, "-m", "irodori", *arguments], cwd=folder, capture_output=True, text=True)
    assert done.returncode == code, done.stderr
    return done


def test_the_command_says_back_renders_and_repeats(tmp_path):
    source = str(demo_path("landing.glb"))
    size = ("--view", "landing", "--size", "240x150")
    said = command(
        tmp_path,
        "render",
        source,
        *size,
        "--brief",
        "copper roof, holographic walls, pen and ink, dusk",
        "--light",
        "noon",
        "--explain-brief",
        "--json",
    )
    rows = {row["phrase"]: row for row in json.loads(said.stdout)["brief"]}
    assert rows["copper roof"]["done"] and rows["copper roof"]["surfaces"] > 0 and rows["copper roof"]["area_m2"] > 100
    assert (
        not rows["holographic"]["done"] and "--light was given" in rows["dusk"]["note"] and rows["pen and ink"]["done"]
    )
    shown = command(
        tmp_path,
        "render",
        source,
        *size,
        "--quality",
        "draft",
        "--brief",
        "copper roof, dusk",
        "--avoid",
        "people",
        "--out",
        "a.png",
    )
    assert "2 of" in shown.stdout or "3 of 3" in shown.stdout
    command(tmp_path, "repeat", "a.png", "--out", "b.png")
    assert (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()
    recipe = iro.Recipe.of(tmp_path / "a.png")
    assert (
        recipe.light.name == "dusk"
        and recipe.brief.text == "copper roof, dusk"
        and ("copper roof", "finish roof: brown copper") in recipe.brief.decided
    )


def test_words_answers(tmp_path):
    assert "zinc" in command(tmp_path, "words", "material").stdout
    assert command(tmp_path, "words", "--complete", "slate ro").stdout.startswith("slate ro")
    fuller = json.loads(command(tmp_path, "words", "--expand", "zinc roof", "--json").stdout)["briefs"]
    assert len(fuller) == 3
    failed = command(tmp_path, "words", "nonsense", code=2)
    assert "subject of words" in failed.stderr and "Traceback" not in failed.stderr
    command(tmp_path, "words", "material", "--complete", "x", code=2)
    assert "--brief" in command(tmp_path, "render", str(demo_path("landing.glb")), "--explain-brief", code=2).stderr
