"""Part of a picture: the mask is the only place where anything changes, and there it is as in the whole."""

import filecmp

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.recipe import Change, Recipe
from irodori.demo.files import demo_path

FINISHES, ADDITIONS = demo_path("finishes.csv"), demo_path("entourage.csv")


@pytest.fixture(scope="module")
def mask(view):
    """A blob in the middle, as a brush paints it."""
    width, height = view.size
    y, x = np.mgrid[:height, :width]
    return ((x - 0.45 * width) / (0.16 * width)) ** 2 + ((y - 0.6 * height) / (0.2 * height)) ** 2 < 1


@pytest.fixture(scope="module")
def dusk(view):
    return iro.dress(view.exact, FINISHES, "dusk", entourage=ADDITIONS)


@pytest.mark.parametrize("quality, width", [("draft", 480), ("review", 240)])
def test_the_same_scene_comes_out_the_same(model, quality, width):
    structure = model.view("landing", width=width).exact
    dusk = iro.dress(structure, FINISHES, "dusk", entourage=ADDITIONS)
    mask = np.zeros(structure.regions.shape, bool)
    mask[width // 4 : width // 4 + 50, width // 3 : width // 3 + 60] = True
    whole = iro.render(dusk, quality)
    part = iro.render(dusk, quality, only=mask, over=whole)
    assert np.array_equal(part.encoded, whole.encoded)
    for name in whole.layers:
        assert np.array_equal(part.layers[name], whole.layers[name]), name
    assert part.rays < 0.95 * whole.rays


def test_outside_the_mask_no_byte_changes(view, dusk, mask, tmp_path):
    whole = iro.render(dusk, "draft").rebalanced(lamps=1.5).through_lens(vignette=0.4)
    other = iro.dress(view.exact, "where,finish\nall,white render\n", "dusk", entourage=ADDITIONS)
    part = iro.render(other, "draft", only=mask, over=whole)
    assert np.array_equal(part.developed[~mask], whole.developed[~mask])
    assert (part.developed[mask] != whole.developed[mask]).any(axis=1).mean() > 0.5
    # The exposure is that of the picture below, though the new walls are far paler.
    assert part.facts.metered == whole.facts.metered and part.facts.white == whole.facts.white
    path = part.save(tmp_path / "part.png")
    assert np.array_equal(np.asarray(Image.open(path))[~mask], whole.developed[~mask])
    step = Recipe.of(path).steps[0]
    assert isinstance(step, Change) and "white render" in step.by.finishes


def test_a_change_is_repeated_byte_for_byte(view, dusk, mask, tmp_path):
    whole = iro.render(dusk, "draft")
    other = iro.dress(view.exact, "where,finish\nrole wall,red brick, stretcher bond\n".replace("red brick, stretcher bond", '"red brick, stretcher bond"'), "dusk", entourage=None)  # fmt: skip
    path = iro.render(other, "draft", only=mask, over=whole).save(tmp_path / "one.png")
    assert filecmp.cmp(path, iro.repeat(path).save(tmp_path / "two.png"), shallow=False)


def test_additions_may_come_and_go_inside(view, dusk, mask):
    with_plants = iro.render(dusk, "draft")
    without = iro.render(iro.dress(view.exact, FINISHES, "dusk"), "draft")
    cleared = iro.render(iro.dress(view.exact, FINISHES, "dusk"), "draft", only=mask, over=with_plants)
    assert np.array_equal(cleared.developed[~mask], with_plants.developed[~mask])
    assert (cleared.shown.covered > 0)[mask].sum() == 0 < (with_plants.shown.covered > 0)[mask].sum()
    planted = iro.render(dusk, "draft", only=mask, over=without)
    assert np.array_equal(planted.developed[~mask], without.developed[~mask])


def test_masks_come_from_any_program(view, dusk, mask, tmp_path):
    whole = iro.render(dusk, "draft")
    wanted = iro.render(dusk, "draft", only=mask, over=whole).developed
    painted = Image.fromarray(mask.astype(np.uint8) * 255)
    painted.save(tmp_path / "grey.png")
    painted.convert("RGB").save(tmp_path / "colour.jpg", quality=95)
    see_through = np.zeros((*mask.shape, 4), np.uint8)
    see_through[mask] = (200, 30, 30, 255)
    Image.fromarray(see_through).save(tmp_path / "layer.png")
    for given in (tmp_path / "grey.png", tmp_path / "colour.jpg", tmp_path / "layer.png", painted, mask.astype(float)):
        assert np.array_equal(iro.render(dusk, "draft", only=given, over=whole).developed, wanted)


def test_what_does_not_fit_is_refused(view, dusk, mask, model):
    whole = iro.render(dusk, "draft")
    for given, words in (
        ({"only": mask}, "picture"),
        ({"over": whole}, "mask"),
        ({"only": mask[:-4], "over": whole}, "same"),
        ({"only": np.zeros_like(mask), "over": whole}, "empty"),
        ({"only": np.zeros((4, 4, 7)), "over": whole}, "shape"),
    ):
        with pytest.raises(iro.IrodoriError, match=words):
            iro.render(dusk, "draft", **given)
    elsewhere = iro.dress(model.view("hall", width=view.size[0]).exact, None, "dusk")
    with pytest.raises(iro.IrodoriError, match="same structure"):
        iro.render(elsewhere, "draft", only=mask, over=whole)


def test_the_command_changes_what_is_painted(cli, tmp_path):
    model = demo_path("landing.glb")
    size = ("--view", "landing", "--width", "160", "--quality", "draft", "--no-proof")
    first = cli("render", model, *size, "--finishes", FINISHES, "--light", "noon", "--out", "a.png")
    assert first.returncode == 0, first.stderr
    painted = np.zeros((100, 160), np.uint8)
    painted[30:80, 50:110] = 255
    Image.fromarray(painted).save(tmp_path / "m.png")
    (tmp_path / "f.csv").write_text("where,finish\nall,slate\n")
    done = cli("render", "--over", "a.png", "--mask", "m.png", "--finishes", "f.csv", "--no-proof", "--out", "b.png")
    assert done.returncode == 0, done.stderr
    a, b = (np.asarray(Image.open(tmp_path / n)) for n in ("a.png", "b.png"))
    assert np.array_equal(a[painted == 0], b[painted == 0]) and (a != b).any()
    alone = cli("render", model, "--mask", "m.png")
    assert alone.returncode == 2 and "--over" in alone.stderr
