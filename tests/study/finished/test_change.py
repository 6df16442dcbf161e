"""Changing part of a finished picture: what is asked for changes, and not a pixel else."""

import cv2
import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.errors import EntourageError, FinishError, IrodoriError, RecipeError
from irodori.demo.files import demo_path
from irodori.retouch.changed import weights
from irodori.retouch.patches import filled
from irodori.scene.assign import all_surfaces
from irodori.study.finished.without import without

LIGHT = {"old_light": "afternoon", "quality": "draft"}


@pytest.fixture(scope="module")
def known(stranger):
    return {"structure": stranger / "landing.exr", **LIGHT}


def changed_pixels(picture, before):
    return (picture.developed != np.rint(before * 255).astype(np.uint8)).any(axis=2)


def test_another_finish_on_one_surface(stranger, known, lit, pixels):
    before = pixels(stranger / "landing.png")
    done = iro.change(stranger / "landing.png", where="name hall roof", finish="clay tiles", **known)
    structure = lit["afternoon"].structure
    table = structure.surfaces
    ids = table[table["name"] == "hall roof"]["id"]
    fragments = structure.fragments
    touched = np.zeros(structure.regions.size, bool)
    touched[fragments.pixel[np.isin(fragments.region, ids)]] = True
    changed = changed_pixels(done, before)
    assert not (changed & ~touched.reshape(changed.shape)).any()
    roof = np.isin(structure.regions, ids)
    assert changed[roof].mean() > 0.9
    colour = done.encoded[roof].mean(axis=0)
    assert colour[0] > 1.15 * colour[2] and before[roof].mean(axis=0)[0] < 1.1 * before[roof].mean(axis=0)[2]


def test_another_sky_alone(stranger, known, lit, pixels):
    before = pixels(stranger / "landing.png")
    done = iro.change(stranger / "landing.png", where="role sky", light="dusk", **known)
    sky = lit["afternoon"].structure.regions == 0
    changed = changed_pixels(done, before)
    fragments = lit["afternoon"].structure.fragments
    no_sky = np.ones(sky.size, bool)
    no_sky[fragments.pixel[fragments.region == 0]] = False
    assert not changed[no_sky.reshape(sky.shape)].any()
    # It is the sky of a rendering at that hour.
    assert np.abs(done.encoded[sky] - lit["dusk"].encoded[sky]).mean() < 0.06
    assert np.abs(before[sky] - lit["dusk"].encoded[sky]).mean() > 0.1


def test_a_tree_that_no_structure_knows_stays_before_another_sky(stranger, known, tmp_path, pixels):
    before = pixels(stranger / "landing.png")
    chance = np.random.default_rng(3)
    leaves = cv2.GaussianBlur(chance.uniform(0, 1, before.shape[:2]).astype(np.float32), (0, 0), 1.0) > 0.47
    y, x = np.mgrid[: before.shape[0], : before.shape[1]]
    tree = leaves & ((y - 45) ** 2 + (x - 200) ** 2 < 28**2)
    planted = np.where(tree[..., None], np.float32((0.16, 0.24, 0.08)), before)
    Image.fromarray(np.rint(planted * 255).astype(np.uint8)).save(tmp_path / "planted.png")
    changed = iro.change(tmp_path / "planted.png", where="role sky", light="dusk", **known)
    plain = iro.change(stranger / "landing.png", where="role sky", light="dusk", **known)
    assert np.abs(changed.encoded - planted)[tree].mean() < 0.05
    beside = (y < 20) & ~tree
    assert np.abs(changed.encoded - plain.encoded)[beside].mean() < 0.02
    night = iro.relight(tmp_path / "planted.png", "blue hour", structure=known["structure"], **LIGHT)
    sky = (y - 45) ** 2 + (x - 260) ** 2 < 10**2
    assert night.encoded[tree].mean() < 0.7 * night.encoded[sky].mean()


def test_something_the_model_knows_is_removed(stranger, known, lit, view, pixels):
    """Against the truth: the same view rendered of the model without it."""
    structure = iro.read_structure(view)
    table = all_surfaces(structure)
    ids = [int(i) for i in table[table["name"].str.startswith("quay lamp")]["id"]]
    rest = without(structure, ids)
    truth = iro.render(iro.dress(rest, None, "afternoon"), "draft").encoded
    before = pixels(stranger / "landing.png")
    there = np.isin(structure.regions, ids)
    model = {"structure": demo_path("landing.glb"), "view": "landing"}
    done = iro.change(stranger / "landing.png", where="name quay lamp*", remove=True, **model, **LIGHT)
    assert there.sum() > 60 and rest.regions[there].min() >= 0 and not np.isin(rest.regions, ids).any()
    assert np.abs(done.encoded - truth)[there].mean() < 0.35 * np.abs(before - truth)[there].mean()


def test_something_that_no_model_knows_is_removed(stranger, known, tmp_path, pixels):
    before = pixels(stranger / "landing.png")
    ball = np.zeros(before.shape[:2], np.uint8)
    cv2.circle(ball, (240, 262), 14, 1, -1)
    spoilt = np.where(ball[..., None] > 0, np.float32((0.9, 0.1, 0.6)), before)
    Image.fromarray(np.rint(spoilt * 255).astype(np.uint8)).save(tmp_path / "spoilt.png")
    mask = cv2.dilate(ball, np.ones((5, 5), np.uint8)) > 0
    for given in (known, {"quality": "draft"}):
        done = iro.change(tmp_path / "spoilt.png", mask=mask, remove=True, **given)
        left = np.abs(done.encoded - before)[mask].mean()
        assert left < 0.3 * np.abs(spoilt - before)[mask].mean(), given
        far = cv2.dilate(mask.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0
        assert not changed_pixels(done, spoilt)[far].any()


def test_something_is_put_there_with_what_it_throws(stranger, known, pixels):
    before = pixels(stranger / "landing.png")
    boats = {
        thrown: iro.change(stranger / "landing.png", put="rowing boat, pixel 300,265", thrown=thrown, **known)
        for thrown in (True, False)
    }
    much, little = (changed_pixels(boats[thrown], before) for thrown in (True, False))
    assert little.any() and much.sum() > 1.2 * little.sum() and (much | ~little).all()
    rows, columns = np.nonzero(little)
    assert abs(columns.mean() - 300) < 40 and abs(rows.mean() - 255) < 30
    # What is thrown is its mirror image and shade in the water below and beside it.
    assert np.median(np.nonzero(much & ~little)[0]) > rows.mean()


def test_a_brief_for_one_part(stranger, known, lit):
    done = iro.change(stranger / "landing.png", where="name hall wall*", brief="white render walls", **known)
    table = lit["afternoon"].structure.surfaces
    wall = np.isin(lit["afternoon"].structure.regions, table[table["name"].str.startswith("hall wall")]["id"])
    colour = done.encoded[wall]
    assert (colour.max(axis=1) - colour.min(axis=1)).mean() < 0.2
    assert colour.mean() > lit["afternoon"].encoded[wall].mean() + 0.1


def test_a_mask_an_outline_and_a_soft_border(stranger, known, pixels):
    before = pixels(stranger / "landing.png")
    mask = np.zeros(before.shape[:2], bool)
    mask[40:200, 100:300] = True
    hard = iro.change(stranger / "landing.png", mask=mask, light="dusk", **known)
    soft = iro.change(stranger / "landing.png", mask=mask, light="dusk", soft=12, **known)
    both = iro.change(
        stranger / "landing.png", mask=mask, outline="100,40 300,40 100,200", light="dusk", grow=-4, **known
    )
    for done in (hard, soft, both):
        assert not changed_pixels(done, before)[~mask].any()
    edge = mask & ~cv2.erode(mask.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    step = [np.abs(done.encoded - before)[edge].mean() for done in (hard, soft)]
    assert step[1] < 0.2 * step[0]
    assert changed_pixels(both, before).sum() < 0.6 * changed_pixels(hard, before).sum()


def test_weights_fall_inside_a_border_alone():
    mask = np.zeros((40, 40), bool)
    mask[10:30, 10:] = True
    share = weights(mask, 6.0)
    assert (share[~mask] == 0).all() and share[20, 38] == 1 and 0 < share[11, 30] < 0.3
    assert (np.diff(share[10:20, 30]) >= 0).all()


def test_a_hole_in_stripes_is_filled_with_stripes():
    y, x = np.mgrid[:90, :120]
    stripes = np.repeat((0.5 + 0.4 * np.sin(x / 3.0))[..., None], 3, axis=2).astype(np.float32)
    hole = (y - 45) ** 2 + (x - 60) ** 2 < 15**2
    spoilt = np.where(hole[..., None], np.float32(0.0), stripes)
    out = filled(spoilt, hole)
    assert (out[~hole] == spoilt[~hole]).all()
    assert np.abs(out - stripes)[hole].mean() < 0.12 < np.abs(spoilt - stripes)[hole].mean()


def test_a_picture_made_here_needs_nothing_else(tmp_path, pixels):
    made = iro.make(
        demo_path("landing.glb"), view="landing", width=240, light="morning", quality="draft",
        entourage="what,where\nrowing boat,\"at 2,-9\"\n",
    )  # fmt: skip
    path = made.save(tmp_path / "own.png")
    before = pixels(path)
    boat = next(item for item in made.shown.listed if item["what"] == "rowing boat")
    left, top, right, bottom = boat["box"]
    around = f"{left - 3},{top - 3} {right + 3},{top - 3} {right + 3},{bottom + 3} {left - 3},{bottom + 3}"
    done = iro.change(path, outline=around, remove=True)
    bare = iro.make(demo_path("landing.glb"), view="landing", width=240, light="morning", quality="draft")
    there = slice(top, bottom), slice(left, right)
    assert np.abs(done.encoded - bare.encoded)[there].mean() < 0.25 * np.abs(before - bare.encoded)[there].mean()
    red = iro.change(path, where="role door", brief="red doors")
    assert red.recipe.steps[0].by.brief.text == "red doors"
    saved = done.save(tmp_path / "done.png")
    assert iro.repeat(saved).save(tmp_path / "again.png").read_bytes() == saved.read_bytes()


def test_a_second_change_knows_what_the_first_was_told(stranger, known, tmp_path):
    first = iro.change(stranger / "landing.png", where="role sky", light="dusk", **known).save(tmp_path / "first.png")
    second = iro.change(first, where="name hall roof", finish="clay tiles", quality="draft")
    of = second.recipe.steps[0].of
    assert of.source.file == str(stranger / "landing.exr") and of.light.name == "afternoon"
    path = second.save(tmp_path / "second.png")
    assert iro.repeat(path).save(tmp_path / "again.png").read_bytes() == path.read_bytes()
    (tmp_path / "first.png").write_bytes((stranger / "landing.png").read_bytes())
    with pytest.raises(RecipeError):
        iro.repeat(path)


def test_what_cannot_be_done_is_said(stranger, known):
    picture = stranger / "landing.png"
    for wanted, error, told in (
        ({"finish": "clay tiles"}, IrodoriError, "where"),
        ({"where": "role sky"}, IrodoriError, "what is to change"),
        ({"where": "name unicorn", "remove": True}, IrodoriError, "nowhere"),
        ({"where": "role roof", "finish": "clay tilez"}, FinishError, "clay tiles"),
        ({"put": "rowing boat"}, EntourageError, "where"),
        ({"put": "rowing bot, pixel 300,265"}, EntourageError, "rowing boat"),
        ({"outline": "1,2 3,4", "light": "dusk"}, IrodoriError, "outline"),
        ({"mask": np.zeros((8, 8), bool), "light": "dusk"}, IrodoriError, "8"),
        ({"where": "role sky", "light": "dusk", "soft": -1}, IrodoriError, "soft"),
    ):
        with pytest.raises(error, match=told):
            iro.change(picture, **wanted, **known)
    with pytest.raises(IrodoriError, match="remove less"):
        iro.change(picture, outline="0,0 480,0 480,300 0,300", remove=True)


def test_the_command(cli, stranger, tmp_path):
    done = cli(
        "change", stranger / "landing.png", "--structure", stranger / "landing.exr", "--old-light", "afternoon", "--where", "role sky",
        "--light", "overcast", "--quality", "draft", "--out", "x.png",
    )  # fmt: skip
    assert done.returncode == 0 and "no other" in done.stdout and (tmp_path / "x.png").exists()
    wrong = cli("change", stranger / "landing.png", "--where", "role sky", "--out", "y.png")
    assert wrong.returncode == 2 and wrong.stderr.strip().count("\n") == 0 and not (tmp_path / "y.png").exists()


@pytest.fixture(scope="module")
def cut(stranger, tmp_path_factory):
    """A piece of the stranger's picture, half again as large."""
    picture = np.asarray(Image.open(stranger / "landing.png"))[40:240, 90:410]
    path = tmp_path_factory.mktemp("cut") / "cut.png"
    Image.fromarray(cv2.resize(picture, (480, 300), interpolation=cv2.INTER_CUBIC)).save(path)
    return path


def test_a_cropped_picture_is_brought_into_register_with_its_model(cut):
    done = iro.change(
        cut, where="name hall roof", finish="clay tiles", structure=demo_path("landing.glb"), view="landing", **LIGHT
    )
    source = done.recipe.steps[0].of.source
    picture = iro.make(
        demo_path("landing.glb"), view="landing", width=480, light="afternoon", quality="draft", finishes="where,finish\nall,as found\n"
    )  # fmt: skip
    whole = picture.structure.camera
    # 320 of 480 px across are seen half again as large.
    field = np.degrees(2 * np.arctan(np.tan(np.radians(2 * np.degrees(np.arctan(240 / whole.focal))) / 2) / 1.5))
    assert abs(source.camera.field - field) < 0.15
    centre = 1.5 * (whole.matrix[0, 2] - 90) / 480, 1.5 * (whole.matrix[1, 2] - 40) / 300
    assert np.abs(np.array(source.camera.shift) - centre).max() < 0.002


def test_a_picture_twice_as_large_as_its_structure(stranger, tmp_path, pixels):
    large = iro.enlarge(stranger / "landing.png", 2).save(tmp_path / "large.png")
    done = iro.change(large, where="role sky", light="dusk", structure=stranger / "landing.exr", **LIGHT)
    assert done.size == (960, 600) and done.recipe.steps[0].of.reading.enlarged == 2
    assert changed_pixels(done, pixels(large)).mean() > 0.2
