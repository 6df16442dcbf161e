"""Options: combinations of decisions, made once, gone on with after a stop, and laid out for choosing."""

import json
import os
import signal
import subprocess
import sys
import time

import numpy as np
import pandas as pd
import pytest
from PIL import Image

import irodori as iro
from irodori.core.errors import FinishError, IrodoriError, LightError
from irodori.demo.files import demo_path
from irodori.study.choosing.decisions import combined, decision_of, read_decision
from irodori.study.choosing.plan import planned
from irodori.study.choosing.sheet import Shown, lay_out
from irodori.study.choosing.table import read_table, write_table

SMALL = {"view": "landing", "width": 200, "quality": "draft"}
MODEL = str(demo_path("landing.glb"))


def test_decisions_are_read_with_their_ladders():
    assert read_decision("light: dawn | dusk").values == ("dawn", "dusk")
    ladder = read_decision("exposure: -1 to 1 in 5")
    assert ladder.values == ("-1", "-0.5", "0", "0.5", "1") and ladder.is_ladder
    inside = read_decision("look: pen and ink, looseness 0 to 1 in 3")
    assert inside.values == tuple(f"pen and ink, looseness {share}" for share in ("0", "0.5", "1"))
    assert not read_decision("light: dawn | noon | dusk").is_ladder
    assert read_decision("Eye-Height: 1.6 | 1.7").name == "eye height"


@pytest.mark.parametrize(
    "text, told", [
        ("lihgt: dawn", "did you mean 'light'"), ("light", "names no values"), ("light: dawn | dawn", "twice"), ("exposure: a", "no number"),
        ("light: dawn | ", "empty value"), ("weather: rian", "after rain"), ("exposure: 0 to 1 in 1", "2 or more"), ("exposure: 99", "out of range"),
        ("mood: cossy", "did you mean 'cosy'"),
    ],
)  # fmt: skip
def test_what_is_no_decision_is_told_in_one_line(text, told):
    with pytest.raises(IrodoriError, match=told) as error:
        read_decision(text)
    assert "\n" not in str(error.value)


def test_all_combinations_or_pairs():
    two = [read_decision("light: noon | dusk"), read_decision("season: summer | winter")]
    assert [tuple(one.values()) for one in combined(two)] == [
        ("noon", "summer"), ("noon", "winter"), ("dusk", "summer"), ("dusk", "winter"),
    ]  # fmt: skip
    assert [tuple(one.values()) for one in combined(two, paired=True)] == [("noon", "summer"), ("dusk", "winter")]
    with pytest.raises(IrodoriError, match="as many values"):
        combined([two[0], decision_of("seed", [1, 2, 3])], paired=True)
    with pytest.raises(IrodoriError, match="varied twice"):
        combined([two[0], two[0]])
    with pytest.raises(IrodoriError, match="10000"):
        combined([decision_of("seed", range(200)), decision_of("exposure", np.linspace(0, 1, 99).round(4))])


def test_a_plan_says_what_each_option_is_before_any_work():
    choices = combined(
        [read_decision("finish role wall: red brick | as it is"), read_decision("weather: fog | as it is")]
    )
    plan = planned(MODEL, choices, {**SMALL, "light": "dusk, after rain"})
    assert [option.job.recipe.light.name for option in plan] == ["dusk, fog", "dusk, after rain"] * 2
    assert "red brick" in plan[0].job.recipe.finishes and plan[2].job.recipe.finishes == ""
    assert plan[0].file == "01-red-brick-fog.png"
    assert plan[0].dressed_as == plan[1].dressed_as != plan[2].dressed_as
    assert plan[0].traced_as != plan[1].traced_as
    with pytest.raises(FinishError, match="marbel"):
        planned(MODEL, [{"finish role wall": "marbel"}], SMALL)


def test_a_mood_is_said_after_the_brief():
    moods = combined([decision_of("mood", ["cosy", "minimal", "as it is"])])
    cosy, minimal, plain = planned(MODEL, moods, {**SMALL, "brief": "dusk"})
    assert "cosy" in cosy.job.recipe.brief.text and "minimal" in minimal.job.recipe.brief.text
    assert plain.job.recipe.brief.text == "dusk" and len({one.dressed_as for one in (cosy, minimal, plain)}) == 3
    assert len({one.job.recipe.light.name.split(",")[0] for one in (cosy, minimal, plain)}) == 1


def test_a_table_comes_back_filled_in_and_is_read_again(tmp_path):
    choices = [{"light": "noon", "season": "as it is"}, {"light": "dusk", "season": "winter"}]
    path = write_table(
        tmp_path / "options.csv", choices, [{"picture": "a.png", "seconds": 1.5, "in register": True}, {}]
    )
    assert list(pd.read_csv(path)["picture"].fillna("")) == ["a.png", ""]
    assert read_table(path) == choices
    (tmp_path / "bad.csv").write_text("light,mood\nnoon,odd\n")
    with pytest.raises(IrodoriError, match=r"bad\.csv.*mood"):
        read_table(tmp_path / "bad.csv")
    (tmp_path / "bad.csv").write_text("light\nnonn\n")
    with pytest.raises(LightError, match="column 'light'"):
        read_table(tmp_path / "bad.csv")
    with pytest.raises(IrodoriError, match="no table"):
        read_table(tmp_path / "none.csv")


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    folder = tmp_path_factory.mktemp("made")
    vary = {"light": ["noon", "dusk"], "exposure": [0, 1]}
    return folder, list(iro.options(MODEL, vary, folder=folder, prove=True, **SMALL))


def test_each_option_is_the_picture_that_is_made_by_itself(made, tmp_path):
    _folder, done = made
    assert sorted(one.option.number for one in done) == [1, 2, 3, 4] and all("in register" in one.told for one in done)
    last = next(one for one in done if one.option.number == 4)
    alone = iro.make(MODEL, light="dusk", exposure=1.0, **SMALL).save(tmp_path / "alone.png")
    assert last.path.read_bytes() == alone.read_bytes()
    by_itself = iro.repeat(last.path).save(tmp_path / "again.png")
    assert by_itself.read_bytes() == last.path.read_bytes()


def test_what_is_there_is_not_made_again_and_a_change_makes_only_what_depends_on_it(made):
    folder, _done = made
    before = {path.name: path.stat().st_mtime_ns for path in folder.glob("*.png")}
    assert all(
        one.told["again"]
        for one in iro.options(MODEL, {"light": ["noon", "dusk"], "exposure": [0, 1]}, folder=folder, **SMALL)
    )
    assert {path.name: path.stat().st_mtime_ns for path in folder.glob("*.png")} == before
    # One light more, in the middle: numbers change, pictures do not.
    more = list(iro.options(MODEL, {"light": ["noon", "dawn", "dusk"], "exposure": [0, 1]}, folder=folder, **SMALL))
    assert [one.option.choices["light"] for one in more if not one.told.get("again")] == ["dawn", "dawn"]
    # A picture that somebody spoilt is made again.
    path = folder / next(one.option.file for one in more if one.option.number == 1)
    whole = path.read_bytes()
    path.write_bytes(whole[:-50])
    again = list(iro.options(MODEL, {"light": ["noon", "dawn", "dusk"], "exposure": [0, 1]}, folder=folder, **SMALL))
    assert [one.option.number for one in again if not one.told.get("again")] == [1] and path.read_bytes() == whole


def test_a_run_that_is_killed_leaves_only_whole_pictures_and_goes_on(tmp_path):
    command = [
        sys.executable, "-m", "irodori", "options", MODEL, "--view", "landing", "--width", "160", "--quality", "draft", "--vary",
        "light: noon | dusk", "--vary", "season: summer | winter", "--out", str(tmp_path / "out"), "--yes", "--no-proof", "--json",
    ]  # fmt: skip
    for wait in (3.0, 6.0):
        work = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(wait)
        work.send_signal(signal.SIGKILL)
        work.wait()
        for path in (tmp_path / "out").glob("[0-9]*.png"):
            Image.open(path).load()
    told = subprocess.run(command, capture_output=True, text=True, check=True)
    answer = json.loads(told.stdout)
    assert len(answer["pictures"]) == 4
    names = sorted(os.listdir(tmp_path / "out"))
    assert len([name for name in names if name[0].isdigit()]) == 4 and not [
        name for name in names if name.startswith(".")
    ]
    straight = list(iro.options(MODEL, ["light: noon | dusk", "season: summer | winter"], folder=tmp_path / "straight", view="landing", width=160, quality="draft"))  # fmt: skip
    assert all((tmp_path / "out" / one.path.name).read_bytes() == one.path.read_bytes() for one in straight)


def test_what_is_written_is_entered_at_once(tmp_path):
    """A run that stops after its first picture has lost none of those that were finished beside it."""
    making = iro.options(
        demo_path("landing-shaded.png"), {"exposure": (0, 0.5, 1, 1.5)}, folder=tmp_path, quality="draft"
    )
    next(making)
    making.close()
    files = {path.name for path in tmp_path.glob("[0-9]*.png")}
    assert len(files) > 1 and set(json.loads((tmp_path / "options.json").read_text())["pictures"]) == files


def test_processes_beside_make_the_same_bytes(made, tmp_path):
    _folder, done = made
    there = list(iro.options(MODEL, {"light": ["noon", "dusk"]}, folder=tmp_path, on="local:2", **SMALL))
    plain = {one.option.choices["light"]: one.path for one in done if one.option.choices["exposure"] == "0"}
    assert len(there) == 2
    assert all(one.path.read_bytes() == plain[one.option.choices["light"]].read_bytes() for one in there)


def test_what_a_lost_worker_had_under_way_is_made_by_another(made, tmp_path):
    import psutil

    _folder, done = made
    before = {child.pid for child in psutil.Process().children(recursive=True)}
    there = iro.options(MODEL, {"light": ["noon", "dusk"], "exposure": [0, 1]}, folder=tmp_path, on="local:2", **SMALL)
    first = next(there)
    workers = [child for child in psutil.Process().children(recursive=True) if child.pid not in before and "spawn_main" in " ".join(child.cmdline())]  # fmt: skip
    assert len(workers) == 2
    workers[1].kill()
    made_elsewhere = [first, *there]
    plain = {tuple(one.option.choices.values()): one.path.read_bytes() for one in done}
    assert sorted(one.option.number for one in made_elsewhere) == [1, 2, 3, 4]
    assert all(one.path.read_bytes() == plain[tuple(one.option.choices.values())] for one in made_elsewhere)


def test_a_scheduler_that_is_not_there_gets_one_line(tmp_path, monkeypatch):
    monkeypatch.setattr("irodori.study.choosing.elsewhere.PATIENCE", 0.5)
    with pytest.raises(IrodoriError, match="No scheduler answers at 'tcp:"):
        list(iro.options(MODEL, ["light: noon"], folder=tmp_path, on="tcp://127.0.0.1:9", **SMALL))
    with pytest.raises(IrodoriError, match="local:4"):
        list(iro.options(MODEL, ["light: noon"], folder=tmp_path, on="local:none", **SMALL))


def test_a_dressed_scene_is_varied_without_reading_it_again(picture, reading):
    scene = iro.dress(reading, None, "noon")
    first, second = iro.options(scene, ["development: plain | crisp"], quality="draft")
    assert np.array_equal(first.picture.developed, picture.developed)
    assert not np.array_equal(second.picture.developed, picture.developed)
    assert second.picture.recipe.development.name == "crisp"


def test_a_sheet_says_what_differs_under_each_picture(tmp_path):
    import pypdfium2

    pictures = [np.full((100, 160, 3), tone, np.uint8) for tone in (40, 90, 140, 190)]
    choices = combined(
        [read_decision("light: noon | dusk"), read_decision("finish role wall: red brick | white render")]
    )
    shown = [Shown(picture, choice) for picture, choice in zip(pictures, choices)]
    sheet = lay_out(shown, title="The landing", crop=(150.0, 5.0))
    page = sheet.picture()
    assert page.shape[1] == 1600 and {40, 90, 140, 190} <= set(np.unique(page[:, :, 0]))
    text = pypdfium2.PdfDocument(sheet.save(tmp_path / "sheet.pdf"))[0].get_textpage().get_text_range()
    assert "The landing" in text and "wall: white render" in text and text.count("light: dusk") == 2
    by_wall = [one.what for one in lay_out(shown, by=["finish role wall"]).placed if isinstance(one.what, str)]
    assert by_wall[::2] == ["light: noon", "light: dusk"] * 2
    with pytest.raises(IrodoriError, match="one size"):
        lay_out([*shown, Shown(np.zeros((50, 160, 3), np.uint8), {})])


def test_only_differences_keep_their_colour():
    first, second = (np.full((100, 160, 3), (200, 60, 60), np.uint8) for _ in range(2))
    second[40:60, 60:100] = (60, 60, 200)
    sheet = lay_out([Shown(first, {"light": "a"}), Shown(second, {"light": "b"})], difference=True)
    cell = next(one.what for one in sheet.placed if not isinstance(one.what, str) and one.what is not first)
    assert np.ptp(cell[5, 5]) < 5 and cell[50, 80].tolist() == [60, 60, 200]


def test_the_command_says_what_it_costs_and_asks_before_long_work(cli, tmp_path, monkeypatch):
    answer = cli("options", MODEL, "--view", "landing", "--width", 160, "--quality", "draft", "--vary", "light: noon | dusk", "--out", tmp_path / "o", "--count", "--json")  # fmt: skip
    told = json.loads(answer.stdout)
    assert told["options"] == 2 and told["seconds"] > 0 and not list((tmp_path / "o").glob("*.png"))
    monkeypatch.setattr("irodori.cli.options.ASK_ABOVE", 0.0)
    answer = cli("options", MODEL, "--view", "landing", "--width", 160, "--quality", "draft", "--vary", "light: noon | dusk", "--out", tmp_path / "o")  # fmt: skip
    assert answer.returncode == 2 and "--yes" in answer.stderr


@pytest.mark.parametrize(
    "arguments, told", [
        ((), "Say what is varied"), (("--vary", "light: nonn"), "Unknown light"), (("--vary", "light: noon", "--crop", "a"), "--crop"),
        (("--table", "none.csv"), "no table"), (("--vary", "light: noon", "--seeds", "0"), "throws of chance"), (("--vary", "light: noon", "--table", "x.csv"), "one of both"),
    ],
)  # fmt: skip
def test_bad_options_get_one_line(cli, tmp_path, arguments, told):
    answer = cli("options", MODEL, "--out", tmp_path / "o", *arguments)
    assert answer.returncode == 2 and told in answer.stderr and answer.stderr.count("\n") == 1


def test_a_seed_kept_leaves_its_part_as_it_was(tmp_path):
    """Another throw of chance, but the same clouds; the sky is looked at where nothing else is."""
    told = {"view": "landing", "width": 240, "quality": "draft", "light": "noon, cumulus"}
    with_sky = list(iro.options(MODEL, ["seed: 7 | 8"], keep_seed=["sky"], **told))
    without = list(iro.options(MODEL, ["seed: 7 | 8"], **told))
    assert with_sky[1].picture.recipe.kept_seeds == {"sky": 7} and with_sky[1].picture.recipe.seed == 8
    sky = with_sky[0].picture.structure.regions == 0
    kept, thrown = (
        np.abs(one[1].picture.developed.astype(int) - one[0].picture.developed)[sky].mean()
        for one in (with_sky, without)
    )
    assert kept < 0.2 * thrown
