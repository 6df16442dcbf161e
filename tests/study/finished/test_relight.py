"""Relighting: a finished picture under another light, its own look kept."""

import cv2
import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.errors import IrodoriError, LightError, RecipeError
from irodori.core.recipe import Recipe
from irodori.demo.files import demo_path
from irodori.retouch.guided import guided
from irodori.retouch.scene_light import scene_light

SMALL = {"quality": "draft"}


def decibels(one, other):
    return 10 * np.log10(1 / np.mean((one - other) ** 2))


@pytest.fixture(scope="module")
def at_dusk(stranger):
    return iro.relight(stranger / "landing.png", "dusk", structure=stranger / "landing.exr", **SMALL)


def test_it_comes_out_as_if_rendered_so(lit, at_dusk):
    truth, before = lit["dusk"].encoded, lit["afternoon"].encoded
    a, b = (cv2.cvtColor(one, cv2.COLOR_RGB2LAB) for one in (before, truth))
    graded = (a - a.mean((0, 1))) / a.std((0, 1)) * b.std((0, 1)) + b.mean((0, 1))
    graded = np.clip(cv2.cvtColor(graded, cv2.COLOR_LAB2RGB), 0, 1)
    assert decibels(at_dusk.encoded, truth) > 22
    assert decibels(at_dusk.encoded, truth) > decibels(graded, truth) + 4


def test_its_old_light_is_found(lit, at_dusk):
    (step,) = at_dusk.recipe.steps
    found = iro.make_light(step.old.name).dome.sun_direction
    off = np.degrees(np.arccos(np.clip(found @ lit["afternoon"].buffers.sun_direction, -1, 1)))
    assert off < 6


def test_nothing_moves_and_lettering_stays(lit, at_dusk):
    structure = at_dusk.structure
    proof = iro.prove(structure, at_dusk)
    assert proof.in_register and proof.edge_recall > 0.985 and proof.drift["median"] < 0.06
    sign = np.isin(structure.regions, structure.of_role("sign"))
    rows, columns = np.nonzero(sign)
    box = slice(rows.min(), rows.max() + 1), slice(columns.min(), columns.max() + 1)

    def strokes(picture):
        grey = np.log(cv2.cvtColor(picture.encoded, cv2.COLOR_RGB2GRAY) + 0.02)
        return (grey - cv2.GaussianBlur(grey, (0, 0), 2))[box][sign[box]]

    assert np.corrcoef(strokes(lit["dusk"]), strokes(at_dusk))[0, 1] > 0.98
    assert np.corrcoef(strokes(lit["afternoon"]), strokes(at_dusk))[0, 1] > 0.85


def test_in_its_own_light_it_stays_as_it_is(stranger, lit):
    same = iro.relight(
        stranger / "landing.png", "afternoon", structure=stranger / "landing.exr", old_light="afternoon", **SMALL
    )
    own = ~np.isin(same.structure.regions, [0, *same.structure.of_role("water", "glazing", "planting")])
    assert np.abs(same.encoded - lit["afternoon"].encoded)[own].mean() < 0.03


def test_detail_can_be_given_up(stranger, at_dusk):
    plain = iro.relight(
        stranger / "landing.png", "dusk", structure=stranger / "landing.exr", old_light=at_dusk.recipe.steps[0].old.name,
        keep_detail=0.0, **SMALL,
    )  # fmt: skip
    wall = np.isin(plain.structure.regions, plain.structure.of_role("wall"))

    def fine(picture):
        grey = cv2.cvtColor(picture.encoded, cv2.COLOR_RGB2GRAY)
        return np.abs(grey - cv2.GaussianBlur(grey, (0, 0), 1.5))[wall].mean()

    assert fine(plain) < 0.9 * fine(at_dusk)


def test_what_is_given_a_finish_is_made_of_it(stranger, at_dusk):
    painted = iro.relight(
        stranger / "landing.png", "dusk", structure=stranger / "landing.exr", old_light=at_dusk.recipe.steps[0].old.name,
        finishes="where,finish\nrole roof,clay tiles\n", **SMALL,
    )  # fmt: skip
    roof = np.isin(painted.structure.regions, painted.structure.of_role("roof"))
    wall = np.isin(painted.structure.regions, painted.structure.of_role("paving"))
    change = np.abs(painted.encoded - at_dusk.encoded).mean(axis=2)
    assert change[roof].mean() > 4 * change[wall].mean()


def test_it_is_made_again_from_its_recipe(stranger, at_dusk, tmp_path):
    first = at_dusk.save(tmp_path / "dusk.png")
    again = iro.repeat(first).save(tmp_path / "again.png")
    assert first.read_bytes() == again.read_bytes()
    moved = Recipe.of(first).steps[0]
    Image.fromarray(np.zeros((8, 8, 3), np.uint8)).save(tmp_path / "other.png")
    changed = replace_step(Recipe.of(first), moved.model_copy(update={"picture": str(tmp_path / "other.png")}))
    with pytest.raises(RecipeError, match="has changed"):
        iro.make(like=changed)
    with pytest.raises(RecipeError, match="not there"):
        iro.make(like=replace_step(Recipe.of(first), moved.model_copy(update={"picture": "gone.png"})))


def replace_step(recipe, step):
    return recipe.but(steps=(step,))


def test_a_picture_made_here_is_made_again_under_the_new_light(tmp_path):
    made = iro.make(demo_path("landing.glb"), view="landing", width=200, light="noon", **SMALL)
    path = made.save(tmp_path / "noon.png")
    relit = iro.relight(path, "dusk", **SMALL)
    straight = iro.make(demo_path("landing.glb"), view="landing", width=200, light="dusk", **SMALL)
    assert not relit.recipe.steps and np.array_equal(relit.developed, straight.developed)


def test_the_command_says_what_is_wrong(cli, stranger, tmp_path):
    picture = str(stranger / "landing.png")
    for arguments, told in (
        ([picture], "--light"),
        ([picture, "--light", "dusk", "--keep-detail", "2"], "0 to 1"),
        ([picture, "--light", "dusk", "--old-light", "nooon"], "noon"),
        ([str(tmp_path / "none.png"), "--light", "dusk"], "no file"),
        ([picture, "--light", "dusk", "--structure", str(tmp_path / "none.glb")], "no file"),
    ):
        done = cli("relight", *arguments)
        assert done.returncode == 2 and told in done.stderr and done.stderr.strip().count("\n") == 0, arguments


def test_the_command_relights_by_a_model(cli, stranger):
    done = cli(
        "relight", stranger / "landing.png", "--light", "night", "--structure", demo_path("landing.glb"), "--view", "landing",
        "--old-light", "afternoon", "--quality", "draft", "--out", "night.png",
    )  # fmt: skip
    assert done.returncode == 0 and "in register" in done.stdout


def test_a_sun_may_be_told_by_its_direction():
    light = iro.make_light("sun azimuth 90 altitude 30")
    assert np.allclose(light.dome.sun_direction, [np.cos(np.pi / 6), 0, 0.5], atol=0.01)
    assert iro.make_light("sun azimuth 90 altitude 30, fog").haze > light.haze
    for wrong in ("sun azimuth 90 altitude 95", "sun azimuth 90", "sun azimuth 90 altitude 30, sun left"):
        with pytest.raises(LightError):
            iro.make_light(wrong)


def test_light_is_told_from_what_a_development_shows(picture):
    """Going back and forth: what is neither black nor burnt comes back, but for what dodging held back."""
    buffers = picture.buffers
    shown = scene_light(picture.encoded, buffers.development)
    truth = buffers.resolved(buffers.light)
    plain = (picture.encoded.max(axis=2) < 0.9) & (picture.encoded.min(axis=2) > 0.08)
    off = np.abs(np.log(shown[plain] / truth[plain]))
    assert np.median(off) < 0.08 and np.percentile(off, 90) < 0.35


def test_a_guided_plane_is_a_straight_function_of_its_guide():
    guide = np.zeros((60, 60), np.float32)
    guide[:, 30:] = 1
    noise = np.random.default_rng(1).normal(0, 0.1, guide.shape).astype(np.float32)
    out = guided(guide, 0.2 + 0.5 * guide + noise, 8)
    assert abs(out[:, :20].mean() - 0.2) < 0.02 and abs(out[:, 40:].mean() - 0.7) < 0.02
    assert out.std() - 0.25 < 0.02 and np.abs(out[:, 31] - 0.7).mean() < 0.05


def test_sizes_have_to_agree(stranger, view, tmp_path):
    small = tmp_path / "small.png"
    Image.open(stranger / "landing.png").resize((300, 187)).save(small)
    with pytest.raises(IrodoriError, match="300 × 187"):
        iro.relight(small, "dusk", structure=stranger / "landing.exr", old_light="noon", **SMALL)


def test_the_layers_of_a_relit_picture_can_be_balanced(at_dusk):
    dim = at_dusk.rebalanced(lamps=0.0)
    assert dim.encoded.mean() < at_dusk.encoded.mean()
    assert dim.recipe.balance.lamps == 0.0
