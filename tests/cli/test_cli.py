"""The command line as a process."""

import json
import shutil

import numpy as np
import pytest
from PIL import Image

from irodori.demo.files import demo_path

SHADED, MODEL = demo_path("landing-shaded.png"), demo_path("landing.glb")


def test_every_command_is_listed(cli):
    from irodori.cli.main import app

    answer = cli("--help")
    assert answer.returncode == 0
    listed = [
        line.split()[0]
        for line in answer.stdout.split("Commands:")[1].splitlines()
        if line.startswith("  ") and line[2] != " "
    ]
    assert listed == [command.name for command in app.registered_commands]


def test_version(cli):
    assert cli("--version").stdout.startswith("irodori 0.")


def test_render_then_proof_then_repeat(cli, tmp_path):
    answer = cli("render", SHADED, "--light", "dusk", "--quality", "draft", "--out", "dusk.png", "--json")
    assert answer.returncode == 0, answer.stderr
    data = json.loads(answer.stdout)
    assert data["proof"]["in_register"] and data["light"] == "dusk"
    assert Image.open(tmp_path / "dusk.png").size == (1280, 800)
    answer = cli("proof", SHADED, "dusk.png", "--out", "drift.png")
    assert answer.returncode == 0 and "in register" in answer.stdout
    assert (tmp_path / "drift.png").is_file()
    answer = cli("repeat", "dusk.png")
    assert answer.returncode == 0 and "byte for byte" in answer.stdout
    shifted = np.roll(np.array(Image.open(tmp_path / "dusk.png")), 2, axis=0)
    Image.fromarray(shifted).save(tmp_path / "shifted.png")
    answer = cli("proof", SHADED, "shifted.png", "--json")
    assert answer.returncode == 1
    assert not json.loads(answer.stdout)["in_register"]


def test_render_a_model_with_nothing_else(cli, tmp_path):
    answer = cli("render", MODEL, "--width", "320", "--quality", "draft", "--json")
    data = json.loads(answer.stdout)
    assert answer.returncode == (0 if data["proof"]["in_register"] else 1), answer.stderr
    assert data["light"] == "golden hour"
    assert (tmp_path / data["picture"]).is_file()


def test_view_lists_and_writes(cli, tmp_path):
    answer = cli("view", MODEL)
    assert answer.returncode == 0
    for name in ("landing", "aerial", "gangway", "hall", "isometric"):
        assert name in answer.stdout
    first = cli("view", MODEL, "--view", "hall", "--width", "200", "--out", "caps", "--passes")
    again = cli("view", MODEL, "--view", "hall", "--width", "200", "--out", "caps", "--style", "line")
    assert first.returncode == again.returncode == 0
    assert {p.name for p in (tmp_path / "caps").iterdir()} == {
        "landing-hall.png", "landing-hall-line.png", "landing-hall-passes.exr"
    }  # fmt: skip


def test_read_writes_three_files(cli, tmp_path):
    shutil.copy(SHADED, tmp_path / "shaded.png")  # what was believed is written beside the capture
    answer = cli("read", "shaded.png", "--out", "landing.exr", "--json")
    assert answer.returncode == 0, answer.stderr
    data = json.loads(answer.stdout)
    assert data["kind"] == "shaded" and data["surfaces"] > 50
    written = ("landing.exr", "landing.json", "landing.png", "landing-doubts.png", "shaded.reading.toml")
    assert all((tmp_path / name).is_file() for name in written)
    proved = cli("proof", "landing.exr", SHADED, "--json")
    found = json.loads(proved.stdout)
    assert proved.returncode == (0 if found["in_register"] else 1) and found["edge_recall"] > 0.9


def test_finishes(cli):
    assert "larch" in cli("finishes", "timber").stdout
    answer = cli("finishes", "Travertine", "--json")
    assert [f["name"] for f in json.loads(answer.stdout)["finishes"]] == ["travertine"]
    assert cli("finishes", "lamp", "--out", "lamp.png").returncode == 2


def test_weather_and_balance_come_back_byte_for_byte(cli, tmp_path):
    light = ("--light", "dusk, after rain", "--balance", "lamps 0.5, sky 1.5")
    answer = cli("render", MODEL, "--view", "hall", "--width", "240", "--quality", "draft", *light, "--no-proof")
    assert answer.returncode == 0, answer.stderr
    name = "landing-hall-dusk-after-rain.png"
    assert (tmp_path / name).is_file()
    answer = cli("repeat", name)
    assert answer.returncode == 0 and "byte for byte" in answer.stdout


def test_demo_makes_the_whole_example(cli, tmp_path):
    answer = cli("demo", "--out", "example", "--quality", "draft")
    assert answer.returncode == 0, answer.stderr + answer.stdout
    assert answer.stdout.count("in register") == 2
    made = {p.name for p in (tmp_path / "example").iterdir()}
    assert {
        "landing.glb",
        "finishes.csv",
        "landing-from-capture.png",
        "landing-from-model.png",
        "landing-proof.png",
    } <= made


@pytest.mark.parametrize(
    "arguments, words",
    [
        (("rendr",), "rendr"),
        (("render",), "CAPTURE_OR_MODEL"),
        (("render", "none.png"), "no file 'none.png'"),
        (("render", SHADED, "--light", "goldn hour"), "golden hour"),
        (("render", SHADED, "--light", "noon, after rian"), "after rain"),
        (("render", SHADED, "--balance", "lmps 2"), "lamps"),
        (("render", SHADED, "--balance", "lamps lots"), "lamps 1.5"),
        (("render", SHADED, "--quality", "finl"), "final"),
        (("render", SHADED, "--view", "hall"), "--view is for models"),
        (("render", SHADED, "--out", "a.gif"), ".png"),
        (("render", SHADED, "--bits", "12"), "8 or 16"),
        (("render", SHADED, "--finishes", "none.csv"), "none.csv"),
        (("render", SHADED, "--normal", "n.exr"), "--depth"),
        (("render", MODEL, "--view", "hal"), "hall"),
        (("render", MODEL, "--unit", "miles"), "miles"),
        (("proof", SHADED, "none.png"), "none.png"),
        (("repeat", SHADED), "no recipe"),
        (("view", "none.glb"), "none.glb"),
        (("read", SHADED, "--out", "a.png"), ".exr"),
        (("read", SHADED, "--kind", "shadd"), "shaded"),
        (("finishes", "timbr"), "timber"),
        (("demo", "--quality", "x"), "draft"),
    ],
)
def test_bad_input_is_one_clear_line(cli, tmp_path, arguments, words):
    answer = cli(*arguments)
    assert answer.returncode == 2
    last = answer.stderr.strip().splitlines()[-1]
    assert last.startswith("irodori: ") and words in last
    assert "Traceback" not in answer.stderr
    assert not list(tmp_path.iterdir())
