"""Shared fixtures: the demo's files, and readings and pictures that several tests look at."""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys

import numpy as np
import pytest

import irodori as iro
from irodori.demo.files import demo_path


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory):
    """Readings are kept apart from the user's, in one place for all that run tests side by side."""
    base = tmp_path_factory.getbasetemp()
    os.environ["IRODORI_CACHE"] = str((base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "cache")


@pytest.fixture(scope="session")
def model():
    return iro.open_model(demo_path("landing.glb"))


@pytest.fixture(scope="session")
def view(model):
    """The landing's view, small."""
    return model.view("landing", width=480)


@pytest.fixture(scope="session")
def shaded():
    return iro.open_capture(demo_path("landing-shaded.png"))


@pytest.fixture(scope="session")
def reading(shaded):
    return iro.read_structure(shaded)


@pytest.fixture(scope="session")
def picture(reading):
    """A draft of the shaded capture at noon."""
    return iro.render(iro.dress(reading, None, "noon"), "draft")


@pytest.fixture(scope="session")
def model_picture(view):
    return iro.render(iro.dress(iro.read_structure(view), demo_path("finishes.csv"), "dusk"), "draft")


def pytest_sessionstart(session):
    """Compile the kernels once, on both cores, before the processes that run tests would each do so."""
    if not hasattr(session.config, "workerinput"):
        finishes = "from irodori.study.first_run import compile_finishes; compile_finishes()"
        jobs = [subprocess.Popen([sys.executable, *c]) for c in (["-m", "irodori.study.first_run"], ["-c", finishes])]
        for job in jobs:
            assert job.wait() == 0
        drawing = "from irodori.study.first_run import compile_drawing; compile_drawing()"
        assert subprocess.run([sys.executable, "-c", drawing], check=False).returncode == 0


@pytest.fixture
def cli(tmp_path):
    """Run the command line in a folder of its own; in this process, which saves loading all of it (tests/cli does not)."""
    from irodori.cli.main import main

    def run(*arguments):
        said, errors, before = io.StringIO(), io.StringIO(), os.getcwd()
        os.chdir(tmp_path)
        try:
            with contextlib.redirect_stdout(said), contextlib.redirect_stderr(errors):
                code = main([str(a) for a in arguments])
        finally:
            os.chdir(before)
        return subprocess.CompletedProcess(arguments, code, said.getvalue(), errors.getvalue())

    return run


@pytest.fixture
def small_picture(tmp_path):
    """Write a small picture of plain boxes and return its path."""
    from PIL import Image

    image = np.full((90, 140, 3), 230, np.uint8)
    image[30:80, 20:60] = (150, 120, 90)
    image[40:80, 70:120] = (90, 120, 150)
    path = tmp_path / "boxes.png"
    Image.fromarray(image).save(path)
    return path
