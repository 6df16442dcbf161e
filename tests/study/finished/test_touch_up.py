"""Touching up: what is wanting is given, in layers; what is not stays."""

import zipfile
from xml.etree import ElementTree

import cv2
import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.demo.files import demo_path
from irodori.formats.exr import read_exr
from irodori.retouch.touch import denoised, noise_level


@pytest.mark.parametrize("spread", [2.0, 5.0, 12.0])
def test_noise_is_measured_and_taken_away(lit, spread):
    clean = lit["afternoon"].encoded
    chance = np.random.default_rng(1)
    noisy = np.clip(clean + chance.normal(0, spread / 255, clean.shape), 0, 1).astype(np.float32)
    found = 255 * noise_level(noisy)
    assert abs(found - spread) < 0.35 * spread
    middle = (clean.min(axis=2) > 0.1) & (clean.max(axis=2) < 0.9)
    before, after = (np.mean((each - clean)[middle] ** 2) for each in (noisy, denoised(noisy, found / 255)))
    assert after < 0.7 * before
    assert noise_level(clean) < 0.6 / 255


@pytest.fixture(scope="module")
def flat(tmp_path_factory):
    """The hall from above in flat colours, noisy."""
    folder = tmp_path_factory.mktemp("flat")
    made = iro.make(
        demo_path("landing.glb"), view="aerial", width=480, light="afternoon", quality="draft", liberty="0",
        finishes="where,finish\nall,as found\n",
    )  # fmt: skip
    noise = np.random.default_rng(1).normal(0, 4 / 255, made.encoded.shape)
    Image.fromarray(np.rint(np.clip(made.encoded + noise, 0, 1) * 255).astype(np.uint8)).save(folder / "flat.png")
    return folder


@pytest.fixture(scope="module")
def done(flat):
    return iro.touch_up(
        flat / "flat.png", structure=demo_path("landing.glb"), view="aerial", old_light="afternoon", quality="draft"
    )


def test_flat_surfaces_get_relief_in_their_own_colours(flat, done, pixels):
    said = " ".join(done.recipe.steps[-1].done)
    assert "noise" in said and "relief" in said
    before = pixels(flat / "flat.png")
    names = [name for name, _ in done.layers]
    relief = done.layers[names.index("relief")][1]
    there = relief[..., 3] > 0
    assert 0.1 < there.mean() < 0.9
    assert np.abs(done.encoded[there].mean(axis=0) - before[there].mean(axis=0)).max() < 0.03
    calm = done.layers[names.index("noise")][1][..., :3]

    def fine(picture):
        grey = cv2.cvtColor(np.ascontiguousarray(picture[..., :3]), cv2.COLOR_RGB2GRAY)
        return np.abs(grey - cv2.GaussianBlur(grey, (0, 0), 2))[there].mean()

    assert fine(done.encoded) > 1.3 * fine(calm)


def test_layers_come_to_the_picture(done, tmp_path):
    path = done.save(tmp_path / "layers.ora")
    with zipfile.ZipFile(path) as packed:
        assert packed.namelist()[0] == "mimetype" and packed.read("mimetype") == b"image/openraster"
        stack = ElementTree.fromstring(packed.read("stack.xml")).find("stack")
        layers = stack.findall("layer")
        assert [layer.get("name") for layer in reversed(layers)] == [name for name, _ in done.layers]
        out = np.zeros((*done.encoded.shape[:2], 3))
        for layer in reversed(layers):
            assert layer.get("composite-op") == "svg:src-over"
            with packed.open(layer.get("src")) as file:
                pixels = np.asarray(Image.open(file).convert("RGBA"), float) / 255
            out = out + pixels[..., 3:] * (pixels[..., :3] - out)
        with packed.open("mergedimage.png") as file:
            merged = np.asarray(Image.open(file).convert("RGB"), float) / 255
    assert np.abs(out - merged).max() < 2.5 / 255 and np.abs(merged * 255 - done.developed).max() < 0.6
    channels, _ = read_exr(done.save(tmp_path / "layers.exr"))
    assert {"R", "relief.R", "relief.A", "noise.A", "picture.B"} <= set(channels)


def test_it_is_made_again_from_its_recipe(done, flat, tmp_path):
    path = done.save(tmp_path / "touched.png")
    assert iro.repeat(path).save(tmp_path / "again.png").read_bytes() == path.read_bytes()


def test_one_touch_alone_and_none_that_is_not_wanted(stranger, flat):
    only = iro.touch_up(flat / "flat.png", only="noise", structure=demo_path("landing.glb"), view="aerial",
                        old_light="afternoon", quality="draft")  # fmt: skip
    assert [name for name, _ in only.layers] == ["picture", "noise"]
    clean = iro.touch_up(stranger / "landing.png", only=("noise", "relief"), structure=stranger / "landing.exr",
                         old_light="afternoon", quality="draft")  # fmt: skip
    assert "noise" not in " ".join(clean.recipe.steps[-1].done)
    with pytest.raises(IrodoriError, match="windows"):
        iro.touch_up(stranger / "landing.png", only="window")


def test_the_command_writes_a_strip(cli, flat, tmp_path):
    done = cli(
        "touch-up", flat / "flat.png", "--only", "noise", "--structure", demo_path("landing.glb"), "--view", "aerial", "--old-light",
        "afternoon", "--quality", "draft", "--out", "x.ora", "--strip", "strip.png",
    )  # fmt: skip
    assert done.returncode == 0 and "noise of" in done.stdout
    assert Image.open(tmp_path / "strip.png").size[0] == 1280
    wrong = cli("touch-up", flat / "flat.png", "--only", "sharpness", "--out", "y.png")
    assert wrong.returncode == 2 and "noise" in wrong.stderr and not (tmp_path / "y.png").exists()
