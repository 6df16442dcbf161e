"""Finishes placed by a painted mask."""

import filecmp

import numpy as np
import pytest
from PIL import Image

import irodori as iro


@pytest.fixture(scope="module")
def painted(view, tmp_path_factory):
    """The left half of the picture, painted, with a schedule that puts slate there."""
    folder = tmp_path_factory.mktemp("masks")
    width, height = view.size
    mask = np.zeros((height, width), np.uint8)
    mask[:, : width // 2] = 255
    Image.fromarray(mask).save(folder / "left.png")
    (folder / "plan.csv").write_text("where,finish\nrole wall,white render\nmask left.png,slate\n")
    return folder, mask > 0


def test_a_mask_places_a_finish_to_the_pixel(view, painted):
    folder, inside = painted
    scene = iro.dress(view.exact, folder / "plan.csv", "noon")
    finish = np.array(scene.finish_names)[scene.finish_of]
    shown = finish[scene.structure.regions]
    solid = scene.structure.regions > 0
    assert (shown[inside & solid] == "slate").mean() > 0.995
    assert (shown[~inside & solid] == "slate").mean() < 0.005
    assert np.array_equal(scene.structure.depth, view.exact.depth)
    assert len(scene.structure.surfaces) > len(view.exact.surfaces)
    for row in scene.structure.surfaces.itertuples():
        assert (scene.structure.regions == row.id).sum() == row.area_px


def test_nothing_moves_and_the_mask_is_kept_in_the_recipe(view, painted, tmp_path):
    folder, _ = painted
    scene = iro.dress(view.exact, folder / "plan.csv", "noon")
    picture = iro.render(scene, "draft")
    assert iro.prove(view, picture).in_register
    path = picture.save(tmp_path / "a.png")
    (folder / "left.png").rename(folder / "gone.png")
    try:
        assert filecmp.cmp(path, iro.repeat(path).save(tmp_path / "b.png"), shallow=False)
    finally:
        (folder / "gone.png").rename(folder / "left.png")


def test_parts_look_as_their_surface_does(view, painted):
    """A part keeps the measures of its surface: courses run on across the mask's edge."""
    _, inside = painted
    whole = iro.render(iro.dress(view.exact, 'where,finish\nall,"red brick, stretcher bond"\n', "noon"), "draft")
    folder = painted[0]
    (folder / "brick.csv").write_text(
        'where,finish\nall,"red brick, stretcher bond"\nmask left.png,"red brick, stretcher bond"\n'
    )
    parted = iro.render(iro.dress(view.exact, folder / "brick.csv", "noon"), "draft")
    same = np.abs(parted.layers["albedo"] - whole.layers["albedo"]).max(axis=2) < 1e-3
    assert same[inside].mean() > 0.9


def test_pixels_are_parted_too(reading, tmp_path):
    width, height = reading.size
    mask = np.zeros((height, width), np.uint8)
    mask[height // 3 :, width // 3 :] = 255
    Image.fromarray(mask).save(tmp_path / "m.png")
    (tmp_path / "f.csv").write_text("where,finish\nmask m.png,slate\n")
    scene = iro.dress(reading, tmp_path / "f.csv", "noon")
    finish = np.array(scene.finish_names)[scene.finish_of][scene.structure.regions]
    solid = (scene.structure.regions > 0) & (mask > 0)
    assert (finish[solid] == "slate").mean() > 0.99


@pytest.mark.parametrize(
    "rule, words", [("mask none.png", "none.png"), ("mask", "mask front.png"), ("mask small.png", "12 × 8")]
)
def test_what_cannot_be_used_is_one_line(view, tmp_path, rule, words):
    Image.new("L", (12, 8), 255).save(tmp_path / "small.png")
    (tmp_path / "f.csv").write_text(f"where,finish\n{rule},slate\n")
    with pytest.raises(iro.IrodoriError, match=words) as error:
        iro.dress(view.exact, tmp_path / "f.csv", "noon")
    assert "\n" not in str(error.value)
