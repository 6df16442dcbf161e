"""Enlarging: own pictures rendered larger, others by their own pixels."""

import importlib

import cv2
import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.errors import IrodoriError, OutputError
from irodori.core.pixels.finer import finer
from irodori.core.recipe import Recipe
from irodori.demo.files import demo_path
from irodori.retouch.enlarge import enlarged_pixels
from irodori.retouch.enlarge.self_detail import shrunk


@pytest.fixture(scope="module")
def twice(model):
    """The landing's structure, and that of the same view twice as large."""
    return tuple(iro.read_structure(model.view("landing", width=width)) for width in (320, 640))


def test_borders_lie_where_the_larger_view_has_them(twice):
    small, large = twice
    fragments, camera = finer(small.fragments, small.camera, 2)
    first = fragments.first()
    regions = fragments.region[first].reshape(large.regions.shape)
    doubled = small.regions.repeat(2, axis=0).repeat(2, axis=1)
    assert camera.size == large.size and np.allclose(camera.matrix, large.camera.matrix)
    wrong, plain = (regions != large.regions).mean(), (doubled != large.regions).mean()
    assert wrong < 0.7 * plain and wrong < 0.03
    depth = fragments.depth[first].reshape(regions.shape)
    same = (regions == large.regions) & np.isfinite(large.depth) & np.isfinite(depth)
    away = np.abs(depth[same] / large.depth[same] - 1)
    assert np.median(away) < 3e-3 and np.percentile(away, 99) < 0.05


def test_every_surface_keeps_its_share_of_every_pixel(twice):
    small, _ = twice
    fragments, camera = finer(small.fragments, small.camera, 3)
    width = camera.size[0]
    assert np.allclose(np.bincount(fragments.pixel, fragments.weight), 1, atol=1e-5)
    old = (fragments.pixel // width // 3) * small.size[0] + fragments.pixel % width // 3
    top = int(small.regions.max()) + 2
    for surface in np.unique(small.regions)[::7]:
        own, new = small.fragments.region == surface, fragments.region == surface
        before = np.bincount(small.fragments.pixel[own], small.fragments.weight[own], small.regions.size)
        after = np.bincount(old[new], fragments.weight[new], small.regions.size) / 9
        assert np.abs(before - after).max() < 1.5 / 144, (surface, top)


def test_it_comes_nearer_to_the_truth_than_a_plain_filter(twice):
    small, large = twice
    truth = iro.render(iro.dress(large, None, "overcast"), "draft").encoded
    shown = np.rint(shrunk(truth, 2) * 255).astype(np.float32) / 255
    slope = cv2.Laplacian(cv2.GaussianBlur(truth, (0, 0), 1).mean(axis=2), cv2.CV_32F)
    edge = np.abs(slope) > np.percentile(np.abs(slope), 85)

    def miss(picture):
        return np.mean((picture - truth)[edge] ** 2)

    plain = np.clip(cv2.resize(shown, truth.shape[1::-1], interpolation=cv2.INTER_LANCZOS4), 0, 1)
    told = enlarged_pixels(shown, 2, small.fragments)
    assert miss(told) < 0.85 * miss(plain)
    assert np.abs(shrunk(enlarged_pixels(shown, 2), 2) - shown).mean() < 1 / 255


@pytest.mark.parametrize("times", [3, 5, 8])
def test_other_sizes_shrink_to_what_it_was(times):
    chance = np.random.default_rng(times)
    small = cv2.GaussianBlur(chance.uniform(0, 1, (300, 40, 3)).astype(np.float32), (0, 0), 1.2)
    large = enlarged_pixels(small, times)
    assert large.shape == (300 * times, 40 * times, 3)
    assert np.abs(shrunk(large, times) - small).mean() < 1.5 / 255


def test_strips_leave_no_seams():
    chance = np.random.default_rng(1)
    small = cv2.GaussianBlur(chance.uniform(0, 1, (520, 30, 3)).astype(np.float32), (0, 0), 1.5)
    whole, lower = enlarged_pixels(small, 2), enlarged_pixels(np.ascontiguousarray(small[100:]), 2)
    assert np.abs(whole[400:900] - lower[200:700]).max() < 0.02


def test_a_strangers_picture_is_made_again_from_its_recipe(stranger, tmp_path, pixels):
    large = iro.enlarge(stranger / "landing.png", 2, structure=stranger / "landing.exr")
    path = large.save(tmp_path / "large.png")
    assert large.size == (960, 600) and Image.open(path).size == (960, 600)
    assert np.abs(shrunk(pixels(path), 2) - pixels(stranger / "landing.png")).mean() < 1 / 255
    again = iro.repeat(path).save(tmp_path / "again.png")
    assert path.read_bytes() == again.read_bytes()
    told = dict(Recipe.of(path).told())
    assert told["step 1"] == "enlarge" and "season" not in told


def test_a_picture_made_here_is_rendered_larger(tmp_path):
    made = iro.make(demo_path("landing.glb"), view="landing", width=160, light="noon", quality="draft",
                    finishes="where,finish\npixel 60 52,clay tiles\n")  # fmt: skip
    path = made.save(tmp_path / "noon.png")
    large = iro.enlarge(path, 2)
    assert large.size == (320, 200) and not large.recipe.steps
    assert "pixel 120,104" in large.recipe.finishes
    assert np.abs(shrunk(large.encoded, 2) - made.encoded).mean() < 0.06


def test_a_picture_made_of_a_capture_is_rendered_larger(tmp_path):
    small = cv2.resize(cv2.imread(str(demo_path("landing-shaded.png"))), (320, 200), interpolation=cv2.INTER_AREA)
    cv2.imwrite(str(tmp_path / "small.png"), small)
    made = iro.make(tmp_path / "small.png", light="noon", quality="draft", liberty="0")
    large = iro.enlarge(made.save(tmp_path / "noon.png"), 2)
    assert large.size == (640, 400) and large.recipe.reading.enlarged == 2
    assert np.abs(shrunk(large.encoded, 2) - made.encoded).mean() < 0.06
    path = large.save(tmp_path / "large.png")
    assert iro.repeat(path).save(tmp_path / "again.png").read_bytes() == path.read_bytes()


def test_the_command_says_what_is_wrong(cli, stranger, tmp_path):
    picture = str(stranger / "landing.png")
    for arguments, told in (
        ([picture, "--times", "1"], "2 to 8"),
        ([picture, "--times", "9"], "2 to 8"),
        ([picture, "--out", "x.exr"], "layers"),
        ([picture, "--out", "x.jpg", "--bits", "16"], "16 bits"),
        ([str(tmp_path / "none.png")], "no file"),
    ):
        done = cli("enlarge", *arguments)
        assert done.returncode == 2 and told in done.stderr and done.stderr.strip().count("\n") == 0, (arguments, done.stderr)
    done = cli("enlarge", picture, "--times", "2", "--out", "x.png")
    assert done.returncode == 0 and "by its own pixels" in done.stdout and "shrunk again" in done.stdout


def test_too_large_a_picture_is_refused(stranger, monkeypatch):
    monkeypatch.setattr(importlib.import_module("irodori.study.finished.enlarge"), "LARGEST", 1_000_000)
    with pytest.raises(IrodoriError, match="megapixels"):
        iro.enlarge(stranger / "landing.png", 8)


def test_a_finished_picture_has_no_strokes(stranger, tmp_path):
    with pytest.raises(OutputError):
        iro.enlarge(stranger / "landing.png", 2).save(tmp_path / "x.svg")
