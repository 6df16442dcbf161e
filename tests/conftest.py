"""Shared fixtures: the demo's files, and readings and pictures that several tests look at."""

from __future__ import annotations

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


@pytest.fixture
def cli(tmp_path):
    """Run the command line as a process in a folder of its own."""

    def run(*arguments, **kwargs):
        return subprocess.run(
            [sys.executable, "-c", "from irodori.cli.main import run; run()", *map(str, arguments)],
            cwd=tmp_path, capture_output=True, text=True, timeout=300, **kwargs,
        )  # fmt: skip

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
