"""Development, files and recipes."""

import filecmp

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.demo.files import demo_path
from irodori.formats.exr import read_exr
from irodori.formats.recipe_text import read_recipe
from irodori.picture.develop import white_balance
from irodori.picture.film import FILMS


@pytest.mark.parametrize("name", FILMS)
def test_film_curve_rises_and_keeps_grey(name):
    x = np.geomspace(1e-4, 100, 400).astype(np.float32)
    y = FILMS[name].curve(x)
    assert (np.diff(y) >= 0).all() and y.max() <= 1
    assert FILMS[name].curve(np.float32([0.18]))[0] == pytest.approx(0.18, abs=1e-4)
    assert y[-1] > 0.99
    inside = (y > 1e-3) & (y < 0.98)
    assert np.allclose(FILMS[name].exposure(y)[inside], x[inside], rtol=1e-3)


def test_full_white_balance_makes_the_light_neutral():
    light = np.array([1.4, 1.0, 0.6])
    assert np.ptp(white_balance(light, 0.0) * light) < 1e-5
    assert np.allclose(white_balance(light, 1.0), 1.0, atol=1e-5)


@pytest.mark.parametrize("name, bits", [("a.png", 8), ("a.png", 16), ("a.tif", 16), ("a.jpg", 8), ("a.webp", 8)])
def test_files_hold_picture_and_recipe(picture, tmp_path, name, bits):
    path = picture.save(tmp_path / name, bits=bits)
    recipe = read_recipe(path)
    assert recipe.quality == "draft" and recipe.output.bits == bits and recipe.light.name == "noon"
    assert recipe.irodori == iro.__version__
    if name != "a.tif":
        assert Image.open(path).size == picture.size


def test_sixteen_bits_are_finer_than_eight(picture, tmp_path):
    import cv2

    fine = cv2.imread(str(picture.save(tmp_path / "a.png", bits=16)), cv2.IMREAD_UNCHANGED)
    assert fine.dtype == np.uint16 and len(np.unique(fine)) > 1000
    assert np.abs(fine[..., ::-1] / 257.0 - picture.developed).max() <= 0.51


def test_exr_layers_add_up(picture, tmp_path):
    channels, attributes = read_exr(picture.save(tmp_path / "a.exr"))
    total = sum(v for k, v in channels.items() if k.endswith(".R") and not k.startswith(("albedo", "developed")))
    assert np.allclose(total, channels["R"], rtol=1e-3, atol=1e-3)
    assert "irodori:recipe" in attributes["xmp"]


def test_wrong_files(picture, tmp_path):
    with pytest.raises(iro.IrodoriError, match="PNG or TIFF"):
        picture.save(tmp_path / "a.jpg", bits=16)
    with pytest.raises(iro.IrodoriError, match="end its name"):
        picture.save(tmp_path / "a.gif")
    (tmp_path / "file").write_text("")
    with pytest.raises(iro.IrodoriError, match="Cannot write"):
        picture.save(tmp_path / "file" / "a.png")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["file"]


@pytest.mark.parametrize("name, bits", [("a.png", 8), ("b.tif", 16), ("c.jpg", 8), ("d.exr", 8)])
def test_repeat_from_a_capture_byte_for_byte(picture, tmp_path, name, bits):
    path = picture.save(tmp_path / name, bits=bits)
    again = iro.repeat(path)
    second = again.save(tmp_path / f"again-{name}", bits=again.recipe.output.bits)
    assert filecmp.cmp(path, second, shallow=False)


def test_repeat_from_a_model_byte_for_byte(model_picture, tmp_path):
    path = model_picture.save(tmp_path / "dusk.png")
    again = iro.repeat(path)
    assert filecmp.cmp(path, again.save(tmp_path / "again.png"), shallow=False)


def test_repeat_says_what_is_missing(tmp_path, small_picture):
    capture = iro.open_capture(small_picture, kind="shaded")
    picture = iro.render(iro.dress(iro.read_structure(capture), None, "noon"), "draft")
    folder = tmp_path / "elsewhere"
    path = picture.save(folder / "boxes-noon.png")
    moved = small_picture.rename(tmp_path / "moved.png")
    with pytest.raises(iro.IrodoriError, match=r"boxes\.png.*--capture"):
        iro.repeat(path)
    assert np.array_equal(iro.repeat(path, capture=moved).developed, picture.developed)
    image = np.array(Image.open(moved))
    image[0, 0] = 0
    Image.fromarray(image).save(moved)
    with pytest.raises(iro.IrodoriError, match="differs"):
        iro.repeat(path, capture=moved)
    with pytest.raises(iro.IrodoriError, match="no recipe"):
        iro.repeat(demo_path("landing-shaded.png"))


def test_notebooks_get_a_png(picture):
    assert picture._repr_png_()[:8] == b"\x89PNG\r\n\x1a\n"
    assert "1280×800" in repr(picture)


def test_light_is_rebalanced_without_tracing(picture):
    dimmed = picture.rebalanced(sun=0.5, sky=0.0)
    assert np.allclose(dimmed.layers["sun"], 0.5 * picture.layers["sun"], rtol=1e-6)
    assert dimmed.layers["sky"].max() == 0 and dimmed.layers["backdrop"].max() == 0
    assert np.array_equal(dimmed.layers["albedo"], picture.layers["albedo"])
    assert dimmed.encoded.mean() < 0.9 * picture.encoded.mean()
    same = picture.rebalanced()
    assert np.array_equal(same.developed, picture.developed)


def test_balances_add_up(picture):
    twice = picture.rebalanced(sun=0.5).rebalanced(sun=0.5, exposure=1.0)
    once = picture.rebalanced(sun=0.25, exposure=1.0)
    assert twice.recipe.balance == once.recipe.balance
    assert np.abs(twice.encoded - once.encoded).max() < 1e-5


def test_one_stop_is_twice_the_light(picture):
    from irodori.picture.develop import automatic_exposure

    panes = np.zeros(int(picture.structure.fragments.region.max()) + 1, bool)
    # A dim room: in the open a meter that is fooled by pale ground is put right.
    radiance = 0.1 * np.random.default_rng(0).lognormal(size=(len(picture.structure.fragments), 3)).astype(np.float32)
    grey = np.full_like(radiance, 0.18)
    one = automatic_exposure(picture.structure.fragments, radiance, grey, panes)
    twice = automatic_exposure(picture.structure.fragments, 2 * radiance, grey, panes)
    assert twice == pytest.approx(one / 2, rel=1e-4)


def test_pale_ground_in_the_sun_does_not_darken_the_picture(picture):
    from irodori.picture.develop import IN_THE_OPEN, automatic_exposure

    fragments = picture.structure.fragments
    panes = np.zeros(int(fragments.region.max()) + 1, bool)
    # In units of a mid grey's light in the open: pale paving all over, then lamps that outshine a night sky.
    for light, albedo, factor in ((1.3, 0.25, IN_THE_OPEN), (40.0, 0.25, 0.17 / 40)):
        radiance = np.full((len(fragments), 3), light, np.float32)
        got = automatic_exposure(fragments, radiance, np.full_like(radiance, albedo), panes)
        assert got == pytest.approx(factor, rel=0.05)


def test_what_is_pale_is_meant_to_look_pale(picture):
    from irodori.picture.develop import automatic_exposure

    panes = np.zeros(int(picture.structure.fragments.region.max()) + 1, bool)
    light = np.random.default_rng(0).uniform(80, 120, (len(picture.structure.fragments), 1)) * np.ones(3)

    def shown(albedo):
        radiance = (light * albedo).astype(np.float32)
        factor = automatic_exposure(picture.structure.fragments, radiance, np.full_like(radiance, albedo), panes)
        return float(np.median(radiance)) * factor

    assert shown(0.1) == pytest.approx(shown(0.2), rel=1e-3)
    assert shown(0.8) > 1.8 * shown(0.2)


def test_the_view_out_of_a_room_is_not_burnt(picture):
    from irodori.picture.develop import automatic_exposure

    fragments = picture.structure.fragments
    panes = np.zeros(int(fragments.region.max()) + 1, bool)
    panes[np.bincount(fragments.region[fragments.region > 0]).argmax()] = True
    outside = panes[fragments.region]
    radiance = np.where(outside[:, None], np.float32(900), np.float32(3)) * np.ones((1, 3), np.float32)
    factor = automatic_exposure(fragments, radiance, np.full_like(radiance, 0.3), panes)
    assert outside.mean() > 0.05
    assert FILMS["soft"].curve(np.float32([900 * factor]))[0] < 0.97


@pytest.mark.parametrize("factor", [-0.1, float("nan")])
def test_wrong_balances(picture, factor):
    with pytest.raises(iro.IrodoriError, match="factor"):
        picture.rebalanced(lamps=factor)


def test_lamps_say_what_is_white_where_there_is_no_daylight():
    # Of the light's own warmth, measured before development, a part stays: more than none, far less than all.
    hall = iro.open_model(demo_path("landing.glb")).view("hall", width=240)
    picture = iro.render(iro.dress(hall.exact, demo_path("finishes.csv"), "night"), "draft")
    traced = sum(picture.layers[name] for name in picture.layers if name not in ("albedo", "backdrop"))
    albedo, encoded = picture.layers["albedo"], picture.encoded
    surfaces = (albedo.min(axis=2) > 0.02) & (encoded.max(axis=2) < 0.8)
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)

    def warmth(colours):
        light, tone = colours[surfaces].mean(axis=0), albedo[surfaces].mean(axis=0)
        return np.log(light[0] / light[2]) - np.log(tone[0] / tone[2])

    # 2,700 K lamps and what wood adds, hardly any moon.
    assert warmth(traced) > 1.2
    assert 0.15 * warmth(traced) < warmth(linear) < 0.66 * warmth(traced)
