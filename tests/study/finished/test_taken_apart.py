"""A picture apart: its light, and its surfaces without it."""

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.formats.exr import read_exr


@pytest.fixture(scope="module")
def apart(stranger):
    return iro.take_apart(stranger / "landing.png", structure=stranger / "landing.exr", quality="draft")


def test_surfaces_have_their_own_colours_in_sun_and_shade(apart, lit):
    """Against what the stranger's rendering was made of, which nothing here was told."""
    truth = lit["afternoon"].layers["albedo"]
    buffers = lit["afternoon"].buffers
    surface = ~np.isin(buffers.region, [0, *buffers.structure.of_role("water", "glazing", "planting", "lamp")]) & ~buffers.panes[buffers.region]
    surface &= truth.min(axis=2) > 0.03
    log = np.log(apart.parts.reflectance[surface] + 1e-3), np.log(truth[surface] + 1e-3)
    shown = np.log(lit["afternoon"].encoded[surface] ** 2.2 + 1e-3)
    off, plain = (np.abs(one - log[1] - np.median(one - log[1], axis=0)).mean() for one in (log[0], shown))
    assert off < 0.75 * plain


def test_it_says_how_well_it_knows(apart, stranger):
    assert apart.light.startswith("sun azimuth") and 0.2 < apart.parts.explained < 1
    wrong = iro.take_apart(stranger / "landing.png", structure=stranger / "landing.exr", old_light="night", quality="draft")
    assert wrong.parts.explained < 0.5 * apart.parts.explained and not wrong.sure and "unsure" in wrong.told


def test_parts_and_sheet_are_written(apart, stranger, cli, tmp_path):
    channels, header = read_exr(apart.save(tmp_path / "apart.exr"))
    assert {"reflectance.R", "light.B"} <= set(channels) and header["light"] == apart.light
    done = cli("relight", stranger / "landing.png", "--split", "apart.png", "--structure", stranger / "landing.exr", "--quality", "draft")
    assert done.returncode == 0 and "explained" in done.stdout and Image.open(tmp_path / "apart.png").size[0] == 1920
    wrong = cli("relight", stranger / "landing.png", "--split", "apart.xyz")
    assert wrong.returncode == 2 and wrong.stderr.strip().count("\n") == 0
