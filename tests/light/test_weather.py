"""Weather, night and lamps, seen in pictures of small made-up places."""

from types import SimpleNamespace

import numpy as np
import pytest
from test_engine import level, quad, scene_of

import irodori as iro
from irodori.core.colour import luminance
from irodori.core.model import ViewSpec
from irodori.core.scene import sky_illuminance
from irodori.engine.light.night_sky import add_disc, add_stars
from irodori.finishes import FINISHES
from irodori.formats.model.parts import Part
from irodori.light import LIGHTS, WEATHERS, make_light
from irodori.scene.detail import colours_of_leaves

VIEW = ViewSpec("yard", (0.0, -9.0, 3.0), (0.0, 2.0, 0.6), field=60.0, ground=False)


def yard(light):
    """Open paving, and paving under a wide roof."""
    roof = Part("roof", "", (0.4,) * 3, 1.0, quad((-9, 2, 2.2), (9, 2, 2.2), (9, 16, 2.2), (-9, 16, 2.2)))
    back = Part("wall", "", (0.4,) * 3, 1.0, quad((-9, 16, 0), (9, 16, 0), (9, 16, 2.2), (-9, 16, 2.2)))
    scene, structure = scene_of([level(0.3), roof, back], light, VIEW)
    return iro.render(scene, "draft"), structure


def near_and_sheltered(picture, structure, layer):
    """Means of a layer on the floor in the open and deep under the roof."""
    floor = structure.surfaces.loc[structure.surfaces["name"] == "floor slab", "id"].iloc[0]
    values = picture.layers[layer].mean(axis=2)
    depth = np.where(structure.regions == floor, structure.depth, np.nan)
    third = depth.shape[1] // 3
    depth[:, :third] = depth[:, -third:] = np.nan  # the roof is only so wide
    return np.nanmean(values[depth < 7]), np.nanmean(values[(depth > 15) & (depth < 20)])


def test_every_light_goes_with_every_weather():
    for weather in WEATHERS:
        light = make_light(f"golden hour, {weather}")
        assert light.name.endswith(weather) and np.isfinite(light.dome.table).all()
        assert light.parameters["light"] == f"golden hour, {weather}"
        again = make_light(light.parameters["light"])
        assert np.array_equal(again.dome.table, light.dome.table)
    moment = make_light("2026-06-21 18:30+02:00 @ 46.5, 8.1, after rain")
    assert moment.wet == 1.0 and moment.dome.sun_direction[2] > 0


@pytest.mark.parametrize("text, words", [("noon, after rian", "after rain"), ("noon, ", "weather"), ("fog", "light")])
def test_wrong_weathers_say_what_is_right(text, words):
    with pytest.raises(iro.IrodoriError, match=words):
        make_light(text)


def test_a_closed_cover_takes_the_sun_and_three_quarters_of_the_light():
    # Kasten and Czeplak (1980): a closed cover passes a quarter of the daylight.
    clear, closed = make_light("noon, clear").dome, make_light("noon, overcast").dome
    assert luminance(closed.sun_illuminance) == 0
    open_air = luminance(sky_illuminance(clear.table)) + luminance(clear.sun_illuminance) * clear.sun_direction[2]
    assert luminance(sky_illuminance(closed.table)) == pytest.approx(0.25 * open_air, rel=0.05)


def test_rain_darkens_what_lies_open_and_spares_what_is_sheltered():
    dry, structure = yard("noon, overcast")
    wet, _ = yard("noon, overcast, after rain")
    (dry_open, dry_under), (wet_open, wet_under) = (near_and_sheltered(p, structure, "albedo") for p in (dry, wet))
    assert wet_open < 0.8 * dry_open
    assert wet_under == pytest.approx(dry_under, rel=0.02)
    shine = near_and_sheltered(wet, structure, "reflection sky")[0]
    assert shine > 5 * max(near_and_sheltered(dry, structure, "reflection sky")[0], 1e-6)


def test_snow_lies_on_level_ground_and_not_under_a_roof():
    bare, structure = yard("noon, overcast")
    white, _ = yard("noon, light snow")
    (_, bare_under), (open_air, under) = (near_and_sheltered(p, structure, "albedo") for p in (bare, white))
    assert open_air > 0.6 and under == pytest.approx(bare_under, rel=0.02)


def test_fog_hides_what_is_far_by_koschmieders_law():
    light = make_light("noon, fog")
    # Two in a hundred of the contrast is left at the distance of sight.
    assert np.exp(-light.haze * WEATHERS["fog"]["sight"]) == pytest.approx(0.02, rel=0.02)
    assert make_light("noon").haze < 0.01 * light.haze


def test_the_moons_disc_has_the_moons_size():
    moon = np.float32([0.6, 0.0, 0.8])
    east, up = np.float32([0.8, 0.0, -0.6]), np.float32([0.0, 1.0, 0.0])
    radius, step = np.radians(0.2666), np.radians(0.02)
    total = 0.0
    for a in np.arange(-30, 31) * step:
        for b in np.arange(-30, 31) * step:
            way = moon + np.float32(a) * east + np.float32(b) * up
            way = (way / np.linalg.norm(way)).astype(np.float32)
            out = np.zeros(3, np.float32)
            add_disc(*way, moon, np.float32(np.cos(radius)), np.ones(3, np.float32), np.float32(step), out)
            total += out[0] * step * step
    # The limb is darker: the mean over the disc is 0.4 + 0.6 · 2/3.
    assert total == pytest.approx(np.pi * radius**2 * 0.8, rel=0.03)


def test_stars_shine_at_night_only():
    rng = np.random.default_rng(2)
    ways = rng.normal(size=(60_000, 3)).astype(np.float32)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    ways = ways[ways[:, 2] > 0.1]
    found = {}
    for sky in (1e-3, 2000.0):
        lit = 0
        for way in ways:
            out = np.full(3, sky, np.float32)
            add_stars(*way, np.float32(2e-3), 11, out)
            lit += out[1] > 1.2 * sky
        found[sky] = lit
    assert found[2000.0] == 0 and 0 < found[1e-3] < 0.05 * len(ways)


def test_lamps_light_up_at_night_without_specks():
    lamp = Part("lamp", "", (1.0, 0.9, 0.7), 1.0, np.concatenate([
        quad((-0.2, 0.8, 2.0), (0.2, 0.8, 2.0), (0.2, 1.2, 2.0), (-0.2, 1.2, 2.0))[:, ::-1],
    ]))  # fmt: skip
    scene, structure = scene_of([level(0.3), lamp], "night", VIEW)
    picture = iro.render(scene, "review")
    assert scene.light.lamp_level == 1.0 and scene.lamps.luminance.max() > 0
    values = luminance(picture.layers["lamps"])
    floor = (structure.regions > 0) & (values < 0.2 * values.max())
    bright = values[floor]
    assert bright.max() > 100 * luminance(picture.layers["sky"])[floor].max()
    # Unhidden light is smooth: neighbours differ by little.
    left, right = values[:, :-1], values[:, 1:]
    both = floor[:, 1:] & floor[:, :-1] & (np.minimum(left, right) > 0.05 * bright.mean())
    left, right = left[both], right[both]
    assert np.percentile(np.abs(left - right) / np.maximum(left, right), 95) < 0.25


def test_leaves_are_darker_than_a_modellers_green():
    from irodori.scene.dress import as_leaves

    bright = np.array([[0.24, 0.40, 0.08], [0.05, 0.08, 0.02]])
    leaves = as_leaves(bright)
    assert luminance(leaves)[0] == pytest.approx(0.15, rel=1e-6)
    assert luminance(leaves)[1] == pytest.approx(luminance(bright)[1], rel=1e-6)
    assert (leaves.argmax(axis=1) == 1).all() and "foliage" in FINISHES and "night" in LIGHTS


def test_what_shines_through_a_crown_does_not_pale_its_leaves():
    # Half of a crown's pixels are leaves, in the others sky of all shares shines through.
    rng = np.random.default_rng(3)
    leaf, sky = np.array([0.10, 0.22, 0.04]), np.array([0.75, 0.80, 0.86])
    through = np.where(rng.random((60, 60, 1)) < 0.5, 0, rng.random((60, 60, 1)))
    crown = SimpleNamespace(image=leaf + (sky - leaf) * through, regions=np.ones((60, 60), int))
    assert colours_of_leaves(crown, np.array([1]))[1] == pytest.approx(leaf, rel=0.02)
    assert crown.image.mean(axis=(0, 1))[0] > 2 * leaf[0]
    assert colours_of_leaves(SimpleNamespace(image=None), np.array([1])) == {}
