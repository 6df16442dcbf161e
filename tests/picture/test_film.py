"""Development pixel by pixel against the formulas written out."""

from dataclasses import replace

import numpy as np
import pytest

from irodori.core.colour import LUMINANCE, decode_srgb, encode_srgb
from irodori.core.errors import IrodoriError
from irodori.core.fragments import Fragments
from irodori.picture.develop import Development, develop, spread_glare
from irodori.picture.dodge import dodge
from irodori.picture.film import FILMS, GREY, HELD_PURITY, HUE_KEPT, SHOULDER, WARM_KEPT, find_film

SIZE = 40, 24
NEUTRAL = Development(exposure=0.0, warmth=1.0, illuminant=(1.0, 1.0, 1.0), metered=1.0)


def one_surface(count=SIZE[0] * SIZE[1]):
    return Fragments(
        np.arange(count, dtype=np.int32), np.ones(count, np.int32), np.ones(count, np.float32), np.ones(count, np.float32),
        np.tile(np.float32([[0, 0, 1]]), (count, 1)), np.full((count, 2), 0.5, np.float32),
    )  # fmt: skip


def developed(radiance, settings=NEUTRAL):
    return develop(one_surface(), SIZE, np.ascontiguousarray(radiance, np.float32), settings, np.zeros(2, bool))


PLAIN = FILMS["plain"]


def film_by_hand(light, film=PLAIN):
    """Layers that talk to each other, the saturating response, the hue kept, a little more colour, sRGB (IEC 61966-2-1).

    Of light without much blue or green, which are treated as they are remembered.
    """
    light = np.asarray(light, float)
    weight = np.array(LUMINANCE, float)
    light = light + ((light @ weight)[..., None] - light) * 0.06
    half = GREY**film.exponent * (SHOULDER / GREY - 1)
    x = np.maximum(light, 0) ** film.exponent
    shown = np.minimum(SHOULDER * x / (x + half), 1)
    low, high = light.min(-1, keepdims=True), light.max(-1, keepdims=True)
    place = (light - low) / np.maximum(high - low, 1e-12)
    warm = (light[..., :1] >= light[..., 1:2]) & (light[..., 1:2] >= light[..., 2:])
    share = np.where(warm, WARM_KEPT, HUE_KEPT)
    kept = shown.min(-1, keepdims=True) + np.ptp(shown, axis=-1, keepdims=True) * place
    shown = np.where(high - low < 1e-4 * high, shown, shown + (kept - shown) * share)
    grey = (shown @ weight)[..., None]
    purity = np.ptp(shown, axis=-1, keepdims=True) / shown.max(-1, keepdims=True)
    richer = film.colour * (1 - HELD_PURITY * purity**2)
    return encode_srgb(np.clip(grey + (shown - grey) * richer, 0, 1).astype(np.float32))


@pytest.mark.parametrize("level", [1e-5, 1e-3, 0.02, 0.18, 0.7, 0.95])
@pytest.mark.parametrize("hue", [(1.0, 1.0, 1.0), (1.0, 0.5, 0.2), (1.0, 0.3, 0.6)])
def test_an_even_picture_is_the_films_formula(level, hue):
    # Glare spreads an even picture into itself.
    light = np.float32(level) * np.float32(hue)
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
    assert beside < film_by_hand(np.full(3, PLAIN.glare * 8.0))[1]


def hue(linear):
    """Degrees, in IPT (Ebner and Fairchild, "Development and testing of a color space (IPT) with improved hue uniformity", 1998)."""
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ linear
    cones = np.array([[0.4002, 0.7075, -0.0807], [-0.2280, 1.15, 0.0612], [0, 0, 0.9184]]) @ xyz
    _, red, yellow = (
        np.array([[0.4, 0.4, 0.2], [4.455, -4.851, 0.396], [0.8056, 0.3572, -1.1628]]) @ (np.sign(cones) * np.abs(cones) ** 0.43)
    )  # fmt: skip
    return np.degrees(np.arctan2(yellow, red))


@pytest.mark.parametrize("colour", [(1, 0.45, 0.15), (1, 0.2, 0.1), (0.3, 0.6, 1), (0.6, 0.4, 0.9), (1, 0.75, 0.5)])
def test_brighter_light_keeps_its_hue(colour):
    light = np.array(colour, float)
    for level in (0.1, 0.4, 0.9):
        shown = decode_srgb(developed(np.tile(level * light, (SIZE[0] * SIZE[1], 1)))[12, 20].astype(float))
        assert abs((hue(shown) - hue(light) + 180) % 360 - 180) < (7.5 if colour[0] > colour[1] > colour[2] else 3.2), (
            level
        )


def test_crisp_has_more_contrast_than_plain_and_plain_than_soft():
    light = np.geomspace(0.01, 0.9, SIZE[0] * SIZE[1])[:, None] * np.ones(3)
    spread = [np.ptp(developed(light, replace(NEUTRAL, film=FILMS[n]))) for n in ("soft", "plain", "crisp")]
    assert spread[0] < spread[1] < spread[2]
    more = developed(light, replace(NEUTRAL, film=find_film("plain", contrast=0.5)))
    assert np.ptp(more) > spread[1] + 0.01


def test_grass_is_never_neon_and_a_sky_is_enriched():
    neon = developed(np.tile(np.float32([0.05, 0.5, 0.02]), (SIZE[0] * SIZE[1], 1)))[12, 20]
    assert neon[1] > neon[0] and 1 - decode_srgb(neon).min() / decode_srgb(neon).max() < 0.8
    sky = np.float32([0.12, 0.2, 0.34])
    shown = developed(np.tile(sky, (SIZE[0] * SIZE[1], 1)))[12, 20]
    assert np.ptp(shown) > np.ptp(film_by_hand(sky)) + 0.005


@pytest.mark.parametrize(
    ("name", "how", "word"), [("velvet", {}, "development"), ("plain", {"contrast": 3}, "contrast"), ("soft", {"glare": -1}, "glare")]
)  # fmt: skip
def test_wrong_developments(name, how, word):
    with pytest.raises(IrodoriError, match=word):
        find_film(name, **how)


def test_a_view_out_is_held_and_keeps_its_detail():
    """A room with a window in it: outside, dark joints on bright paving; the frame between lies on the pixel."""
    width, height = 160, 120
    light = np.full((height, width), 0.2, np.float32)
    outside = np.zeros((height, width), bool)
    outside[30:90, 40:120] = True
    light[outside] = 6.0
    joints = outside & (np.arange(width) % 8 == 0)
    light[joints] = 4.5
    held = light * dodge(light.ravel(), np.arange(light.size), (width, height)).reshape(light.shape)
    assert np.array_equal(held[~outside], light[~outside])
    assert held[outside & ~joints].max() < 2.2
    ratio = held[outside & ~joints].mean() / held[joints].mean()
    assert 6 / 4.5 < ratio < (6 / 4.5) ** 1.6  # it is crisper, or it would drown in light
    # Without sky it is held more, for it is a view out.
    inside = dodge(light.ravel(), np.arange(light.size), (width, height), indoors=True).reshape(light.shape) * light
    assert np.array_equal(inside[~outside], light[~outside])
    assert inside[outside & ~joints].mean() < 1.01 * held[outside & ~joints].mean() and inside[outside].max() < 1.0
    assert np.array_equal(dodge(light.ravel() * 0.1, np.arange(light.size), (width, height)), np.ones(light.size))


def test_a_night_is_lightened_and_its_lights_stay():
    """A dark place with lit windows: the dark keeps its order and its joints, the windows their light; a day is left alone."""
    width, height = 160, 120
    light = np.full((height, width), 2.0**-9, np.float32)
    light[:, 80:] = 2.0**-10.5
    lit = np.zeros((height, width), bool)
    lit[50:70, 20:60] = True
    light[lit] = 0.8

    def developed_from(light):
        return light * dodge(light.ravel(), np.arange(light.size), (width, height)).reshape(light.shape)

    shown = developed_from(light)
    assert np.array_equal(shown[lit], light[lit])
    assert shown[10, 40] > 4 * light[10, 40] and shown[10, 120] < 0.8 * shown[10, 40]
    dark = np.where(lit, 2.0**-8, light)
    assert np.array_equal(developed_from(dark), dark), "without a light it is merely dark"
