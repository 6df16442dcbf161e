"""Every command as a process: what it says, what it writes, and what it leaves alone when something is wrong."""

import json
import os
import shutil
import signal
import subprocess
import sys
import sysconfig
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.demo.files import demo_path

SHADED, MODEL = demo_path("landing-shaded.png"), demo_path("landing.glb")
COMMANDS = (
    "demo",
    "view",
    "read",
    "render",
    "series",
    "looks",
    "finishes",
    "entourage",
    "proof",
    "repeat",
    "recipe",
    "options",
    "sun",
    "walk",
)


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
    assert {p.name for p in tmp_path.iterdir()} == {"boxes.png", "taken"}


def test_a_failed_rendering_leaves_the_old_picture(cli, tmp_path, small_picture):
    """The mask is found to be of another size only when the capture was opened and read."""
    old = tmp_path / "old.png"
    shutil.copy(small_picture, old)
    before = old.read_bytes()
    Image.new("L", (9, 9), 255).save(tmp_path / "m.png")
    (tmp_path / "f.csv").write_text("where,finish\nmask m.png,slate\n")
    assert "9 × 9" in one_line(cli("render", "boxes.png", "--finishes", "f.csv", "--out", "old.png"))
    assert old.read_bytes() == before
    assert {p.name for p in tmp_path.iterdir()} == {"boxes.png", "f.csv", "m.png", "old.png"}


@pytest.mark.parametrize("fails", ["write_bytes", "replace"])
def test_a_failure_in_the_middle_of_writing_leaves_the_old_picture(picture, tmp_path, monkeypatch, fails):
    old = picture.save(tmp_path / "old.png")
    before = old.read_bytes()

    def full(path, *given):
        if fails == "write_bytes":
            with open(path, "wb") as file:
                file.write(given[0][:1000])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, fails, full)
    with pytest.raises(iro.IrodoriError, match="No space left"):
        picture.rebalanced(sun=0.5).save(old)
    monkeypatch.undo()
    assert old.read_bytes() == before and [p.name for p in tmp_path.iterdir()] == ["old.png"]


@pytest.mark.skipif(sys.platform == "win32", reason="signals are sent otherwise there")
def test_ctrl_c_stops_cleanly(tmp_path):
    shutil.copy(SHADED, tmp_path / "in.png")
    code = "from irodori.cli.main import run; run()"
    job = subprocess.Popen(
        [sys.executable, "-c", code, "render", "in.png", "--quality", "final", "--out", "out.png"], cwd=tmp_path, text=True,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        # Whoever runs the tests in the background has the interrupt ignored, and would pass that on.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )  # fmt: skip
    try:
        for line in job.stderr:
            if "Reading regions" in line or "Lighting" in line or "Preparing" in line:
                break
        job.send_signal(signal.SIGINT)
        _, rest = job.communicate(timeout=120)
    finally:
        job.kill()
    assert job.returncode == 130 and rest.strip().splitlines()[-1] == "irodori: Stopped; nothing was written"
    assert "Traceback" not in rest and [p.name for p in tmp_path.iterdir()] == ["in.png"]


def test_the_installed_script_runs(tmp_path):
    script = Path(sysconfig.get_path("scripts")) / ("irodori.exe" if sys.platform == "win32" else "irodori")
    answer = subprocess.run([script, "looks", "--json"], cwd=tmp_path, capture_output=True, text=True)
    assert answer.returncode == 0 and json.loads(answer.stdout)["looks"][0]["name"] == "photographic"


def test_kernels_are_kept_elsewhere_when_the_package_is_read_only(tmp_path):
    """A folder that cannot be written is played by one whose `__pycache__` is a file."""
    house = tmp_path / "house"
    shutil.copytree(Path(iro.__file__).parent, house / "irodori", ignore=shutil.ignore_patterns("__pycache__"))
    for folder in [house / "irodori", *(p for p in (house / "irodori").rglob("*") if p.is_dir())]:
        (folder / "__pycache__").write_text("locked")
    code = (
        "import numpy as np; from irodori.core.geometry.frames import surface_frames; import irodori.engine.surface.surface_look; "
        "print(surface_frames(np.float32([[0, 0, 1]]), np.zeros(1))[0].tolist())"
    )
    environment = {
        **os.environ,
        "PYTHONPATH": str(house),
        "XDG_CACHE_HOME": str(tmp_path / "kept"),
        "HOME": str(tmp_path),
    }
    environment.pop("NUMBA_CACHE_DIR", None)
    answer = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True)
    assert json.loads(answer.stdout) == [[1.0, 0.0, 0.0]], answer.stderr
    assert list((tmp_path / "kept").rglob("*.nbi"))


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
    assert (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()


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
