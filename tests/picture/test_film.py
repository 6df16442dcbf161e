"""Development pixel by pixel against the formulas written out, and the sky with its clouds."""

import numpy as np
import pytest

from irodori.core.colour import LUMINANCE, encode_srgb
from irodori.core.fragments import Fragments
from irodori.core.scene import SKY_COLUMNS, SKY_ROWS
from irodori.engine.light.clouds import sky_under_clouds
from irodori.picture.develop import CONTRAST, GLARE, GREY, SHOULDER, Development, develop, spread_glare

SIZE = 40, 24
NEUTRAL = Development(exposure=0.0, warmth=1.0, illuminant=(1.0, 1.0, 1.0), metered=1.0)


def one_surface(count=SIZE[0] * SIZE[1]):
    return Fragments(
        np.arange(count, dtype=np.int32), np.ones(count, np.int32), np.ones(count, np.float32), np.ones(count, np.float32),
        np.tile(np.float32([[0, 0, 1]]), (count, 1)), np.full((count, 2), 0.5, np.float32),
    )  # fmt: skip


def developed(radiance, settings=NEUTRAL):
    return develop(one_surface(), SIZE, np.ascontiguousarray(radiance, np.float32), settings, np.zeros(2, bool))


def film_by_hand(light):
    """Layers that talk to each other, the saturating response, a little more colour, sRGB (IEC 61966-2-1)."""
    light = np.asarray(light, float)
    weight = np.array(LUMINANCE, float)
    light = light + ((light @ weight)[..., None] - light) * 0.06
    half = GREY**CONTRAST * (SHOULDER / GREY - 1)
    x = np.maximum(light, 0) ** CONTRAST
    shown = np.minimum(SHOULDER * x / (x + half), 1)
    grey = (shown @ weight)[..., None]
    return encode_srgb(np.clip(grey + (shown - grey) * 1.06, 0, 1).astype(np.float32))


@pytest.mark.parametrize("level", [1e-5, 1e-3, 0.02, 0.18, 0.7, 1.5, 6.0, 500.0])
@pytest.mark.parametrize("hue", [(1.0, 1.0, 1.0), (1.0, 0.5, 0.2), (0.3, 0.6, 1.0)])
def test_an_even_picture_is_the_films_formula(level, hue):
    # Glare spreads an even picture into itself, up to where what burns is held.
    light = np.minimum(np.float32(level) * np.float32(hue), 24.0)
    shown = developed(np.tile(light, (SIZE[0] * SIZE[1], 1)))
    assert np.abs(shown - film_by_hand(light)).max() < 4e-4
    assert np.ptp(shown.reshape(-1, 3), axis=0).max() < 1e-5


def test_stops_are_factors_of_two():
    light = np.random.default_rng(1).uniform(0.01, 0.6, (SIZE[0] * SIZE[1], 3))
    brighter = Development(1.0, 1.0, NEUTRAL.illuminant, 1.0)
    assert np.allclose(developed(light, brighter), developed(2 * light), atol=1e-5)
    metered = Development(0.0, 1.0, NEUTRAL.illuminant, 0.25)
    assert np.allclose(developed(light, metered), developed(light / 4), atol=1e-5)


def test_more_light_is_never_darker():
    levels = np.geomspace(1e-6, 1e4, 400)
    shown = np.array([developed(np.full((SIZE[0] * SIZE[1], 3), level))[0, 0, 1] for level in levels[::8]])
    assert (np.diff(shown) >= -1e-6).all() and shown[0] < 1e-3 and shown[-1] == pytest.approx(1.0, abs=1e-3)


def test_glare_spreads_light_and_makes_none():
    picture = np.zeros((160, 240, 3), np.float32)
    picture[80, 120] = 20.0
    veil = spread_glare(picture, np.ones(3, np.float32))
    assert veil.sum() == pytest.approx(picture.sum(), rel=0.05)
    assert veil[80, 120].max() < 5.0 and veil[80, 126].min() > veil[80, 150].min() > 0
    # The gain comes with it, and what burns is held whatever the gain.
    twice = spread_glare(picture, np.full(3, 2.0, np.float32))
    assert twice.sum() == pytest.approx(24.0 / 20.0 * picture.sum(), rel=0.05)
    assert spread_glare(1e6 * picture, np.ones(3, np.float32)).sum() == pytest.approx(1.2 * picture.sum(), rel=0.05)


def test_a_bright_place_lifts_the_dark_around_it_by_its_glare():
    light = np.full((SIZE[1], SIZE[0], 3), 0.001)
    light[8:16, 15:25] = 10.0
    shown = developed(light.reshape(-1, 3))
    beside, far = shown[12, 26, 1], shown[0, 0, 1]
    assert beside > far > film_by_hand(np.full(3, 0.001))[1]
    assert beside < film_by_hand(np.full(3, GLARE * 10.0))[1]


def clear_sky(level=4000.0):
    return np.full((SKY_ROWS, SKY_COLUMNS, 3), level, np.float32)


def skies(cover, *, seed=3, lux=(90_000.0, 88_000.0, 80_000.0), height=0.7):
    sun = np.float32([0.0, np.sqrt(1 - height**2), height])
    return sky_under_clouds(clear_sky(), 64, 128, sun, np.float32(lux), np.float32(cover), seed)


def test_a_sky_without_clouds_is_the_sky():
    assert np.allclose(skies(0.0), 4000.0, rtol=1e-5)


def test_clouds_cover_about_as_much_as_is_asked_for():
    plain = skies(0.0)
    shares = []
    for cover in (0.2, 0.4, 0.7, 0.95):
        above = skies(cover)[34:]
        shares.append(np.mean(np.abs(above / plain[34:] - 1).max(axis=2) > 0.02))
    assert (np.diff(shares) > 0).all() and shares[0] < 0.5 and shares[-1] > 0.85
    assert np.array_equal(skies(0.4)[:30], plain[:30]), "there are none below the horizon"


def test_clouds_in_the_sun_are_brighter_than_the_blue_and_none_shines_by_itself():
    sunny, moonless = skies(0.5), skies(0.5, lux=(0.0, 0.0, 0.0))
    above = slice(34, None)
    assert sunny[above].max() > 8_000
    # White: no brighter than a white wall in that sun.
    assert sunny[above].max() < 0.9 * 90_000 / np.pi
    assert moonless[above].max() < 1.8 * 4000


def test_the_same_seed_gives_the_same_clouds():
    assert np.array_equal(skies(0.5), skies(0.5))
    assert not np.array_equal(skies(0.5), skies(0.5, seed=4))
