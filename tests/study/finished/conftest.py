"""A stranger's picture of the landing, and what the same place looks like in another light."""

import numpy as np
import pytest
from PIL import Image

import irodori as iro


@pytest.fixture(scope="package")
def lit(view):
    """The landing, dressed by its roles, in two lights: what a stranger rendered, and what it would look like."""
    structure = iro.read_structure(view)
    return {light: iro.render(iro.dress(structure, None, light), "draft") for light in ("afternoon", "dusk")}


@pytest.fixture(scope="package")
def stranger(lit, tmp_path_factory):
    """The first of them without a word of how it was made, and its structure beside it."""
    folder = tmp_path_factory.mktemp("stranger")
    Image.fromarray(lit["afternoon"].developed).save(folder / "landing.png")
    lit["afternoon"].structure.save(folder / "landing.exr")
    return folder


@pytest.fixture
def pixels():
    """A picture's file as (H, W, 3) float32, 0 … 1."""

    def read(path):
        return np.asarray(Image.open(path).convert("RGB"), np.float32) / 255

    return read
