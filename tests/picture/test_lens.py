"""The lens and the film: off unless asked for, and as optics has them."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.colour import decode_srgb
from irodori.picture.film import FILMS
from irodori.picture.lens import Lens, circle_of_confusion, natural_fall, set_upright, through_lens

CAMERA = Camera.look((0, 0, 1.6), (0, 10, 1.6), size=(360, 240), field=65)
TILTED = Camera.look((0, 0, 1.6), (0, 10, 4.5), size=(720, 480), field=65)


PLAIN = FILMS["plain"]


def flat(value, camera=CAMERA):
    return np.full((camera.size[1], camera.size[0], 3), value, np.float32)


def test_a_plain_lens_changes_nothing(picture):
    assert Lens().is_plain and np.array_equal(picture.through_lens().developed, picture.developed)


def test_vignette_is_the_fourth_power_of_the_cosine():
    shown = through_lens(flat(0.5), np.full((240, 360), 9, np.float32), CAMERA, Lens(vignette=1.0), PLAIN, 1)
    light = PLAIN.exposure(decode_srgb(shown))[..., 1]
    x, y = 0.5 - 180, 0.5 - 120
    cosine = CAMERA.focal / np.sqrt(CAMERA.focal**2 + x**2 + y**2)
    assert light[0, 0] / light[120, 180] == pytest.approx(cosine**4, rel=0.01)
    assert natural_fall(CAMERA)[120, 180] == pytest.approx(1, abs=1e-4)


def test_grain_is_fine_even_and_the_same_again():
    depth = np.full((240, 360), 9, np.float32)
    one = through_lens(flat(0.5), depth, CAMERA, Lens(grain=1.0), PLAIN, 3)
    assert np.array_equal(one, through_lens(flat(0.5), depth, CAMERA, Lens(grain=1.0), PLAIN, 3))
    assert not np.array_equal(one, through_lens(flat(0.5), depth, CAMERA, Lens(grain=1.0), PLAIN, 4))
    assert one.mean() == pytest.approx(0.5, abs=1e-3) and 0.01 < one.std() < 0.05
    assert np.ptp(one, axis=2).max() < 1e-6
    assert through_lens(flat(0.98), depth, CAMERA, Lens(grain=1.0), PLAIN, 3).std() < 0.5 * one.std()


@pytest.mark.parametrize(("depth", "number"), [(2.0, 2.8), (20.0, 1.4), (1e6, 2.0)])
def test_circle_of_confusion_of_a_thin_lens(depth, number):
    # Both image distances from the lens equation, the circle by similar triangles: another way to the same figure.
    focal, sharp = CAMERA.focal / 360 * 36, 5000.0
    d = depth * 1000
    plane, crossing = 1 / (1 / focal - 1 / sharp), 1 / (1 / focal - 1 / d)
    diameter = focal / number * abs(crossing - plane) / crossing
    got = circle_of_confusion(np.full((240, 360), depth, np.float32), CAMERA, Lens(aperture=number, focus=5.0))
    assert got[0, 0] == pytest.approx(min(diameter / 36 * 360 / 2, 24), rel=1e-3)


def test_what_is_in_focus_stays_sharp_and_keeps_its_light():
    image = np.zeros((240, 360, 3), np.float32) + 0.2
    image[:, ::4] = 0.7
    depth = np.full((240, 360), 3.0, np.float32)
    depth[:, 180:] = 400.0
    shown = through_lens(image, depth, CAMERA, Lens(aperture=0.7, focus=3.0), PLAIN, 1)
    assert np.abs(shown[:, 20:150] - image[:, 20:150]).max() < 0.02
    far = shown[60:180, 230:330]
    assert far.std() < 0.35 * image[60:180, 230:330].std()
    light = [PLAIN.exposure(decode_srgb(a[60:180, 230:330])).mean() for a in (shown, image)]
    assert light[0] == pytest.approx(light[1], rel=0.06)


def test_upright_makes_plumb_lines_parallel():
    image = flat(0.0, TILTED)
    for x in (-4.0, 0.0, 4.0):
        ends, _ = TILTED.project(np.array([[x, 12, 0.5], [x, 12, 9.0]]))
        a, b = (tuple(int(v) for v in np.round(e * 16 - 8)) for e in ends)
        cv2.line(image, a, b, (1, 1, 1), 1, cv2.LINE_AA, 4)
    columns = np.arange(720)

    def lean(picture):
        rows = [y for y in range(480) if picture[y, :300, 1].max() > 0.3]
        at = [(picture[y, :300, 1] * columns[:300]).sum() / picture[y, :300, 1].sum() for y in rows]
        return abs(at[-1] - at[0])

    assert lean(image) > 15
    upright = set_upright(image, TILTED)
    assert lean(upright) < 1.0 and upright.shape == image.shape
    # Nothing from beyond the picture is shown.
    assert set_upright(flat(0.5, TILTED), TILTED).min() == pytest.approx(0.5, abs=1e-4)


def test_a_level_view_is_left_as_it_is():
    image = np.random.default_rng(0).random((240, 360, 3)).astype(np.float32)
    assert np.abs(set_upright(image, CAMERA) - image).max() < 1e-3


def test_lens_comes_back_with_the_picture(picture, tmp_path):
    first = picture.developed_as("crisp", contrast=-0.2, glare=2.0).through_lens(
        vignette=0.5, grain=0.3, aperture=2.0, focus=4.0
    )
    path = first.save(tmp_path / "lens.png")
    assert iro.repeat(path).save(tmp_path / "again.png").read_bytes() == path.read_bytes()
    assert first.rebalanced(sun=0.5).lens == first.lens
    assert iro.Recipe.of(path).development.name == "crisp" and "development, glare" in dict(first.recipe.told())


@pytest.mark.parametrize("setting", [{"vignette": 2}, {"grain": -1}, {"aperture": float("nan")}, {"focus": -3}])
def test_wrong_settings(picture, setting):
    with pytest.raises(iro.IrodoriError, match=next(iter(setting))):
        picture.through_lens(**setting)
