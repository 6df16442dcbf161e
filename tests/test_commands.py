"""Every command as a process: what it says, what it writes, and what it leaves alone when something is wrong."""

import json
import shutil

import numpy as np
import pytest
from PIL import Image

from irodori.demo.files import demo_path

SHADED, MODEL = demo_path("landing-shaded.png"), demo_path("landing.glb")
COMMANDS = ("demo", "view", "read", "render", "series", "repeat", "proof", "finishes", "entourage")


def one_line(answer):
    """The error a command ended with."""
    assert answer.returncode == 2, answer.stdout + answer.stderr
    assert "Traceback" not in answer.stderr
    return answer.stderr.strip().splitlines()[-1]


@pytest.mark.parametrize("command", COMMANDS)
def test_help_says_what_the_command_is_for(cli, command):
    answer = cli(command, "--help")
    assert answer.returncode == 0 and not answer.stderr
    assert f"irodori {command}" in answer.stdout and "--json" in answer.stdout


@pytest.mark.parametrize("command", COMMANDS)
def test_an_option_that_is_not_there_is_named(cli, command):
    assert "--colour-it" in one_line(cli(command, "--colour-it", "x"))


@pytest.mark.parametrize(
    "arguments",
    [
        ("view", "lost.glb"),
        ("read", "lost.png"),
        ("render", "lost.png"),
        ("series", "lost.png"),
        ("repeat", "lost.png"),
        ("proof", "lost.png", "lost.png"),
        ("render", SHADED, "--finishes", "lost.csv"),
        ("render", SHADED, "--entourage", "lost.csv"),
        ("render", SHADED, "--depth", "lost.exr"),
    ],
)
def test_a_file_that_is_not_there_is_named_and_nothing_is_written(cli, tmp_path, arguments):
    assert "lost." in one_line(cli(*arguments))
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize(
    "arguments",
    [
        ("view", MODEL, "--view", "hall", "--out", "taken"),
        ("read", "boxes.png", "--out", "taken/x.exr"),
        ("render", "boxes.png", "--quality", "draft", "--no-proof", "--out", "taken/x.png"),
        ("finishes", "slate", "--quality", "draft", "--out", "taken/x.png"),
    ],
)
def test_a_place_that_cannot_be_written_is_named_and_what_stood_there_stays(cli, tmp_path, small_picture, arguments):
    (tmp_path / "taken").write_text("my notes")
    assert "taken" in one_line(cli(*arguments))
    assert (tmp_path / "taken").read_text() == "my notes"
    assert not list(tmp_path.glob("*.tmp*"))


def test_a_failed_rendering_leaves_the_old_picture(cli, tmp_path, small_picture):
    old = tmp_path / "old.png"
    shutil.copy(small_picture, old)
    before = old.read_bytes()
    one_line(cli("render", "boxes.png", "--finishes", "where,finish\nrole wall,brik\n", "--out", "old.png"))
    assert old.read_bytes() == before


def test_series_lays_its_pictures_out(cli, tmp_path, small_picture):
    answer = cli("series", "boxes.png", "--light", "noon", "--light", "dusk", "--quality", "draft", "--out", "lights", "--json")  # fmt: skip
    assert answer.returncode == 0, answer.stderr
    data = json.loads(answer.stdout)
    made = sorted((tmp_path / "lights").glob("*.png"))
    assert len(made) == 3 and "noon" in json.dumps(data) and "dusk" in json.dumps(data)
    noon, dusk = (np.asarray(Image.open(p)).mean() for p in made if "sheet" not in p.name)
    assert noon != dusk


def test_the_entourage_is_listed_and_drawn(cli, tmp_path):
    listed = cli("entourage", "--json")
    assert listed.returncode == 0
    names = [item["name"] for item in json.loads(listed.stdout)["entourage"]]
    assert len(names) == len(set(names)) > 30 and "birch" in names
    assert "birch" in one_line(cli("entourage", "birhc"))


def test_a_schedule_rule_that_matches_nothing_is_said(cli, tmp_path, small_picture):
    (tmp_path / "f.csv").write_text("where,finish\nname nowhere*,slate\n")
    answer = cli("render", "boxes.png", "--finishes", "f.csv", "--quality", "draft", "--no-proof")
    assert answer.returncode == 0 and "nowhere*" in answer.stdout + answer.stderr


@pytest.mark.parametrize("suffix", ["png", "jpg", "tif", "webp", "exr"])
def test_renderings_are_written_in_the_format_asked_for(cli, tmp_path, small_picture, suffix):
    answer = cli("render", "boxes.png", "--quality", "draft", "--no-proof", "--out", f"a.{suffix}")
    assert answer.returncode == 0, answer.stderr
    data = (tmp_path / f"a.{suffix}").read_bytes()
    start = {"png": b"\x89PNG", "jpg": b"\xff\xd8\xff", "tif": b"II*\x00", "webp": b"RIFF", "exr": b"v/1\x01"}[suffix]
    assert data.startswith(start)
    if suffix != "exr":
        assert Image.open(tmp_path / f"a.{suffix}").size == (140, 90)


def test_the_same_command_writes_the_same_bytes(cli, tmp_path, small_picture):
    for name in ("a.png", "b.png"):
        assert cli("render", "boxes.png", "--quality", "draft", "--no-proof", "--out", name).returncode == 0
    assert np.array_equal(np.asarray(Image.open(tmp_path / "a.png")), np.asarray(Image.open(tmp_path / "b.png")))


def test_a_picture_proves_itself(cli, tmp_path, small_picture):
    answer = cli("proof", "boxes.png", "boxes.png", "--json")
    assert answer.returncode == 0
    data = json.loads(answer.stdout)
    assert data["in_register"] and data["edge_recall"] == 1 and data["drift"]["median"] == 0


def test_a_moved_picture_is_out_of_register(cli, tmp_path, small_picture):
    image = np.asarray(Image.open(small_picture))
    Image.fromarray(np.roll(image, 3, axis=1)).save(tmp_path / "moved.png")
    answer = cli("proof", "boxes.png", "moved.png")
    assert answer.returncode == 1 and "out of register" in answer.stdout.casefold()
