"""A toy look, a toy finish with a pattern of its own and a toy option: each is one new file, and gone with it."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import irodori
from irodori.demo.files import demo_path

LOOK = '''
"""Every surface in its own colour."""

from irodori.core.colour import encode_srgb
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.looks import look


@look("flat", about="Each surface in its own colour, without light")
def draw_flat(buffers, manner):
    return Sheet(buffers.size, ground=encode_srgb(buffers.resolved(buffers.albedo)).clip(0, 1))
'''

PATTERN = '''
"""Stripes."""

import numpy as np
from numba import njit

from irodori.finishes.registry import own_parameter, pattern

DARK = own_parameter("darkness")


@pattern("stripes", finishes={"deckchair": {"family": "fabric", "about": "", "pattern": "stripes", "colour": "#e8e0d0", "darkness": 0.9}})
@njit(cache=True)
def stripes(row, u, v, fu, fv, out):
    if np.floor(u * np.float32(2.0)) % 2 == 0:
        for k in range(3):
            out[k] *= np.float32(1) - row[DARK]
'''

OPTION = '''
"""The picture in negative."""

from typing import Literal

from irodori.core.work import late
from irodori.core.recipe import Step
from irodori.settings.setting import setting


class Negative(Step):
    step: Literal["negative"] = "negative"
    amount: float


def negate(picture, step, progress=None):
    return picture.after(step, picture.encoded + (1 - 2 * picture.encoded) * step.amount)


late.register("step negative", __name__, "negate")
setting(
    "negative", float, "developing", "How far the picture is turned into its negative.", in_file=True,
    step=lambda value: Negative(amount=value),
)
'''

FILES = {"picture/looks/flat.py": LOOK, "finishes/patterns/stripes.py": PATTERN, "settings/known/negative.py": OPTION}


@pytest.fixture(scope="module")
def package(tmp_path_factory):
    """A copy of the package, with the kernels that were compiled so far, and a way to run its command line."""
    folder = tmp_path_factory.mktemp("house")
    shutil.copytree(Path(irodori.__file__).parent, folder / "irodori")

    def run(*arguments):
        environment = {**os.environ, "PYTHONPATH": str(folder), "IRODORI_CACHE": str(folder / "readings")}
        code = "from irodori.cli.main import run; run()"
        return subprocess.run(
            [sys.executable, "-c", code, *map(str, arguments)], cwd=folder, env=environment, capture_output=True, text=True,
            timeout=500,
        )  # fmt: skip

    return folder, run


def test_each_is_one_file_and_gone_with_it(package):
    folder, run = package
    model = demo_path("landing.glb")
    size = ("--view", "landing", "--width", "160", "--quality", "draft", "--light", "noon", "--no-proof")
    assert run("render", model, *size, "--out", "plain.png").returncode == 0
    plain = np.asarray(Image.open(folder / "plain.png"))
    for place, text in FILES.items():
        (folder / "irodori" / place).write_text(text)

    assert "  flat  " in run("looks").stdout
    flat = run("render", model, *size, "--look", "flat", "--out", "flat.png")
    assert flat.returncode == 0, flat.stderr
    assert run("repeat", "flat.png").stdout.strip().endswith("byte for byte")

    (folder / "f.csv").write_text("where,finish\nall,deckchair\n")
    striped = run("render", model, *size, "--look", "flat", "--finishes", "f.csv", "--out", "striped.png")
    assert striped.returncode == 0, striped.stderr
    tones = np.asarray(Image.open(folder / "striped.png")).max(axis=2)
    assert ((tones > 60) & (tones < 110)).mean() > 0.2 and (tones > 190).mean() > 0.2

    (folder / "irodori.toml").write_text("negative = 1.0\n")
    negative = run("render", model, *size, "--out", "negative.png")
    assert negative.returncode == 0, negative.stderr
    turned = np.asarray(Image.open(folder / "negative.png"))
    assert np.abs(255 - turned.astype(int) - plain).max() <= 1
    told = json.loads(run("recipe", "negative.png", "--json").stdout)
    assert told["steps"] == [{"step": "negative", "amount": 1.0}]
    assert run("repeat", "negative.png").stdout.strip().endswith("byte for byte")
    (folder / "irodori.toml").unlink()

    for place in FILES:
        (folder / "irodori" / place).unlink()
    assert "  flat  " not in run("looks").stdout
    gone = run("render", model, *size, "--finishes", "f.csv")
    assert gone.returncode == 2 and "deckchair" in gone.stderr
    unknown = run("recipe", "negative.png")
    assert unknown.returncode == 2 and "negative" in unknown.stderr and "Traceback" not in unknown.stderr
    again = run("render", model, *size, "--out", "again.png")
    assert again.returncode == 0 and (folder / "again.png").read_bytes() == (folder / "plain.png").read_bytes()
