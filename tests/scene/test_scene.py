"""Finishes, schedules and dressing."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.roles import ROLES, role_from_words
from irodori.core.selectors import parse_selector
from irodori.demo.files import demo_path
from irodori.finishes import FINISHES, read_schedule
from irodori.finishes.slots import SLOT
from irodori.scene.detail import found_detail
from irodori.scene.likely import LIKELY, likely_finish, textured_surfaces


def dressed(structure, text):
    return iro.dress(structure, text, "noon")


def finish_of(scene, surface):
    return next(a["finish"] for a in scene.assignments if a["surface"] == surface)


def test_catalogue():
    assert len(FINISHES) >= 17 and "as found" in FINISHES
    for finish in FINISHES.values():
        assert finish.about and np.isfinite(finish.row).all()
    bricks = FINISHES["red brick, stretcher bond"]
    assert bricks.unit[0] == pytest.approx(0.215, abs=0.02) and bricks.unit[1] == pytest.approx(0.065, abs=0.02)


def test_mean_albedo_is_the_mean_of_the_pattern(view):
    from irodori.engine.surface.mean_albedo import with_mean_albedo
    from irodori.engine.surface.tables import build_tables
    from irodori.finishes.evaluate import OUTPUTS, evaluate_finish

    scene = dressed(view.exact, 'where,finish\nrole wall,"red brick, stretcher bond"\n')
    tables = with_mean_albedo(build_tables(scene))
    surface = next(a["surface"] for a in scene.assignments if a["finish"].startswith("red brick"))
    row, base = tables.rows[tables.finish[surface]], tables.base[surface]
    total, out, f = np.zeros(3), np.zeros(OUTPUTS, np.float32), np.float32
    for u, v in np.random.default_rng(0).random((4000, 2)) * 20:
        evaluate_finish(row, *base, f(u), f(v), f(1e-3), f(1e-3), 7, f(0), f(0), f(1), out)
        total += out[:3] / 4000
    assert np.allclose(tables.mean[surface], total, rtol=0.2)


def test_a_narrow_member_takes_no_joints_from_a_used_finish():
    finish = FINISHES["larch boards, upright"]
    assert len(finish.row) == len(SLOT) and np.isfinite(finish.row).all()
    assert not np.array_equal(finish.only_unit().row, finish.row)


def test_most_specific_rule_wins(view):
    structure = view.exact
    roofs = structure.surfaces.loc[structure.surfaces["name"] == "hall roof"]
    roof = roofs.sort_values("area_px").iloc[-1]
    y, x = np.argwhere(structure.regions == roof["id"])[50]
    text = (
        "mark,where,finish\n"
        f'P,"pixel {x},{y}",patinated copper\n'
        "N,name hall roof,slate\n"
        "R,role roof,standing seam zinc\n"
        "A,all,white render\n"
    )
    scene = dressed(structure, text)
    assert finish_of(scene, roof["id"]) == "patinated copper"
    scene = dressed(structure, text.replace(f'P,"pixel {x},{y}",patinated copper\n', ""))
    assert finish_of(scene, roof["id"]) == "slate"
    scene = dressed(structure, "where,finish\nrole roof,standing seam zinc\nall,white render\n")
    assert finish_of(scene, roof["id"]) == "standing seam zinc"
    scene = dressed(structure, f"where,finish\nsurface {roof['id']},clay tiles\nname hall*,slate\n")
    assert finish_of(scene, roof["id"]) == "clay tiles"


GREY, LARCH, RED, GREEN = (0.4, 0.4, 0.42), (0.35, 0.19, 0.07), (0.35, 0.06, 0.03), (0.1, 0.2, 0.05)


@pytest.mark.parametrize(
    ("role", "colour", "words", "upward", "waterside", "finish"),
    [
        ("wall", LARCH, "", 0.0, False, "larch boards, upright"),
        ("wall", GREY, "", 0.0, False, "white render"),
        ("wall", GREY, "", 0.0, True, "quay granite"),
        ("wall", GREY, "Facing brick 02", 0.0, False, "red brick, stretcher bond"),
        ("wall", LARCH, "precast concrete", 0.0, False, "board-marked concrete"),
        ("roof", GREY, "", 0.8, False, "standing seam zinc"),
        ("roof", RED, "", 0.8, False, "clay tiles"),
        ("roof", GREY, "", 1.0, False, "roof membrane"),
        ("paving", LARCH, "", 1.0, False, "oak decking"),
        ("paving", GREY, "", 1.0, False, "granite slabs"),
        ("ground", GREEN, "", 1.0, False, "lawn"),
        ("furniture", GREY, "felt", 0.0, False, "wool felt"),
    ],
)  # fmt: skip
def test_a_likely_finish_follows_role_name_and_colour(role, colour, words, upward, waterside, finish):
    likely = likely_finish(role, np.array(colour), words, upward, waterside)
    assert likely.name == finish and likely.as_found


def test_nothing_is_likely_for_people_and_vehicles():
    assert likely_finish("person", np.array(GREY), "", 0.0, False) is None
    assert all(name in FINISHES for choices in LIKELY.values() for name in choices.values())
    assert set(LIKELY) <= set(ROLES)


def test_what_no_rule_meets_keeps_its_colour_and_gets_a_texture(view):
    scene = dressed(view.exact, None)
    table = view.exact.surfaces.set_index("id")
    kept = [a for a in scene.assignments if a["why"].endswith("colour as found") and a["surface"] in table.index]
    assert {table.loc[a["surface"], "name"]: a["finish"] for a in kept}["hall roof"] == "standing seam zinc"
    row = scene.finishes[scene.finish_of[kept[0]["surface"]]]
    assert row[SLOT["as_found"]] == 1
    assert np.allclose(scene.tint[kept[0]["surface"]], table.loc[kept[0]["surface"], "colour"], atol=0.03)
    # "as found" by rule is plain.
    plain = dressed(view.exact, "where,finish\nall,as found\n")
    assert {a["finish"] for a in plain.assignments} == {"as found"}


def test_a_texture_in_the_capture_is_left_alone(reading):
    from dataclasses import replace

    table = reading.surfaces
    wall = table[table["role"] == "wall"].sort_values("area_px").iloc[-1]["id"]
    assert wall not in textured_surfaces(reading, found_detail(reading))
    image = reading.image.copy()
    stripes = (np.arange(image.shape[1])[None, :] // 3 % 2 == 0) & (reading.regions == wall)
    image[stripes] *= 0.7
    striped = replace(reading, image=image)
    assert wall in textured_surfaces(striped, found_detail(striped))
    assert finish_of(dressed(striped, None), wall) == "as found"


def test_colour_selector(reading):
    table = reading.surfaces
    row = table.loc[table["role"] == "roof"].sort_values("area_px").iloc[-1]
    from irodori.core.colour import linear_to_hex

    scene = dressed(reading, f"where,finish\ncolour {linear_to_hex(np.array(row['colour']))},slate\n")
    assert finish_of(scene, row["id"]) == "slate"


def test_rules_that_match_nothing_are_reported(view):
    scene = dressed(view.exact, "mark,where,finish\nX1,name no such part,slate\n")
    assert len(scene.unmatched) == 1 and "X1" in scene.unmatched[0]


def test_the_demo_schedule_matches(model):
    unmatched = None
    for name in ("landing", "aerial", "hall"):
        scene = iro.dress(model.view(name, width=160).exact, demo_path("finishes.csv"), "noon")
        missing = set(scene.unmatched)
        unmatched = missing if unmatched is None else unmatched & missing
    assert not unmatched


def test_toml_says_the_same(view):
    a = dressed(view.exact, 'where,finish,colour,size\nrole wall,"red brick, stretcher bond",#804030,200 x 60\n')
    b = dressed(
        view.exact,
        '[[finish]]\nwhere = "role wall"\nfinish = "red brick, stretcher bond"\ncolour = "#804030"\nsize = "200 x 60"\n',
    )
    assert np.array_equal(a.finishes, b.finishes)


@pytest.mark.parametrize(
    "text, words",
    [
        ("where,finsh\nrole wall,slate\n", "finish"),
        ("where\nrole wall\n", "no column 'finish'"),
        ("where,finish\nrole wal,slate\n", "wall"),
        ("where,finish\nrole wall,slat\n", "slate"),
        ("where,finish\npixel 12,slate\n", "pixel"),
        ("where,finish,size\nrole wall,slate,big\n", "millimetres"),
        ("where,finish,colour\nrole wall,slate,blue\n", "colour"),
    ],
)
def test_wrong_schedules_say_what_is_right(text, words):
    with pytest.raises(iro.IrodoriError, match=words):
        read_schedule(text)


def test_a_pixel_outside_the_picture(view):
    with pytest.raises(iro.IrodoriError, match="outside"):
        dressed(view.exact, 'where,finish\n"pixel 5000,10",slate\n')


def test_roles_from_names():
    assert role_from_words("hall roof east", "zinc") == "roof"
    assert role_from_words("kiosk window", "glass") == "glazing"
    assert {role_from_words(w) for w in ("wall", "column 3", "lake")} <= set(ROLES)
    assert parse_selector("wall").kind == "role"


def test_as_found_keeps_the_captures_colours(reading):
    picture = iro.render(iro.dress(reading, None, "overcast"), "draft")
    albedo = picture.layers["albedo"]
    sign = reading.surfaces[(reading.surfaces["area_px"] > 500) & (reading.surfaces["role"] == "wall")].iloc[0]
    mask = reading.regions == sign["id"]
    own, found = albedo[mask].mean(axis=0), np.array(sign["colour"])
    assert np.abs(own / own.sum() - found / found.sum()).max() < 0.03


def test_a_drawing_gets_finishes_by_role_not_the_papers_white():
    structure = iro.read_structure(iro.open_capture(demo_path("landing-line.png")))
    scene = iro.dress(structure, None, "noon")
    given = {a["surface"]: a["finish"] for a in scene.assignments}
    roles = structure.surfaces.set_index("id")["role"]
    for role, finish in (("wall", "white render"), ("roof", "standing seam zinc"), ("paving", "granite slabs")):
        mine = roles.index[roles == role]
        assert len(mine) >= 2 and {given[i] for i in mine} == {finish}
    chosen = iro.dress(structure, "where,finish\nrole roof,clay tiles\n", "noon")
    assert {a["finish"] for a in chosen.assignments if roles.get(a["surface"]) == "roof"} == {"clay tiles"}
