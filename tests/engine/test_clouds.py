"""Clouds: how much they hide, what lights them, and that every view of a project shows the same ones."""

import numpy as np
import pytest

from irodori.core.camera import Camera
from irodori.core.scene import SKY_COLUMNS, SKY_ROWS, CloudKind, Light, SkyDome
from irodori.engine.light.clouds import GRID, between, clouds_before, clouds_of, follow, sky_under_clouds
from irodori.light import make_light
from irodori.light.clouds import CLOUDS, cloud_kind

SUN = np.float32([0.0, 0.7141, 0.7])
LUX = np.float32([90_000.0, 88_000.0, 80_000.0])
BLUE = 4000.0


def light(cover, kind="cumulus", sun=SUN, lux=LUX):
    table = np.full((SKY_ROWS, SKY_COLUMNS, 3), BLUE, np.float32)
    dome = SkyDome(table, sun, lux / 7e-5, 0.99999, lux)
    return Light("made up", dome, 0.0, 0.0, 0.0, 0.5, 1e-4, cover, {}, clouds=cloud_kind(kind))


def skies(cover, kind="cumulus", *, seed=3, lux=LUX):
    one = light(cover, kind, lux=lux)
    return sky_under_clouds(one.dome.table, 64, 128, clouds_of(one, one.dome.table, lux, seed))


def test_a_sky_without_clouds_is_the_sky():
    assert np.allclose(skies(0.0), BLUE, rtol=1e-5)


@pytest.mark.parametrize("kind", CLOUDS)
def test_clouds_cover_more_as_more_is_asked_for(kind):
    plain, shares = skies(0.0), []
    for cover in (0.2, 0.5, 0.8):
        above = skies(cover, kind)[36:]
        shares.append(np.mean(np.abs(above / plain[36:] - 1).max(axis=2) > 0.05))
    assert (np.diff(shares) > 0.02).all() and shares[0] < 0.55 and shares[-1] > 0.3
    assert np.array_equal(skies(0.5, kind)[:30], plain[:30]), "there are none below the horizon"


@pytest.mark.parametrize("kind", CLOUDS)
def test_clouds_in_the_sun_are_brighter_than_the_blue_and_none_shines_by_itself(kind):
    above = slice(36, None)
    sunny = skies(0.6, kind)[above]
    assert sunny.max() > 1.8 * BLUE
    # Away from the sun no brighter than a white wall that faces it.
    away = skies(0.6, kind)[above, 48:80]
    assert away.max() < 0.95 * 90_000 / np.pi
    dark = light(0.6, kind, lux=np.zeros(3, np.float32))
    dark.dome.table[:] = 1.0
    assert sky_under_clouds(dark.dome.table, 64, 128, clouds_of(dark, dark.dome.table, np.zeros(3), 3)).max() < 1.8


def test_feet_are_darker_than_heads():
    """Looking up at a thick cloud its foot hides the sun; at its side, away from the sun, one looks at what is lit."""
    row = CloudKind(*map(np.float32, cloud_kind("towers")))
    up, side, out = [], [], np.zeros(3, np.float32)
    for seed, azimuth in [(s, a) for s in range(8) for a in np.linspace(0, 2 * np.pi, 12)]:
        for high, found in ((0.9, up), (0.2, side)):
            flat = np.sqrt(1 - high**2)
            # The sun stands behind whoever looks.
            sun = np.float32([-np.sin(azimuth) * 0.7, -np.cos(azimuth) * 0.7, 0.7141])
            follow(
                np.float32(flat * np.sin(azimuth)), np.float32(flat * np.cos(azimuth)), np.float32(high), row, np.float32(0.8), seed,
                sun, 0, 6, out,
            )  # fmt: skip
            if out[0] > 0.9:
                found.append(out[1])
    assert len(up) > 5 and len(side) > 5
    assert np.median(side) > 1.3 * np.median(up)


def test_rims_glow_towards_the_sun():
    row, out, sun = (
        CloudKind(*map(np.float32, cloud_kind("veils"))),
        np.zeros(3, np.float32),
        np.float32([0.0, 0.954, 0.3]),
    )
    found = []
    for way in (1.0, -1.0):
        total = 0.0
        for aside in np.linspace(-0.4, 0.4, 40):
            view = np.float32([aside, way * 0.9, 0.3])
            view /= np.linalg.norm(view)
            follow(*view, row, np.float32(0.8), 5, sun, 0, 6, out)
            total += float(out[1]) / max(float(out[0]), 1e-3)
        found.append(total)
    assert found[0] > 1.5 * found[1]


def test_after_sunset_clouds_take_the_colour_of_the_glow():
    dusk = make_light("dusk")
    clouds = clouds_of(dusk, dusk.dome.table, dusk.dome.sun_illuminance, 3)
    assert clouds.lux[0] > 1.05 * clouds.lux[2] and 0 < clouds.sun[2] < 0.1
    towards = dusk.dome.sun_direction[:2] / np.linalg.norm(dusk.dome.sun_direction[:2])
    assert clouds.sun[:2] @ towards > 0.99


def test_every_view_shows_the_same_clouds_and_another_seed_others():
    one = light(0.6, "mackerel sky")
    clouds = clouds_of(one, one.dome.table, LUX, 3)
    camera = Camera.look((0, 0, 2), (0, 10, 5), size=(120, 90), field=60.0)
    grid = clouds_before(camera, clouds, np.ones((90, 120), bool))
    assert np.array_equal(grid, clouds_before(camera, clouds, np.ones((90, 120), bool)))
    here, direct = np.zeros(3, np.float32), np.zeros(3, np.float32)
    pairs = []
    for x, y in ((30, 12), (60, 21), (93, 33), (15, 45), (75, 6), (105, 24), (48, 39)):
        _, view = camera.rays(np.array([float(x)]), np.array([float(y)]))
        way = np.float32(view[0] / np.linalg.norm(view[0]))
        between(grid, np.float32(x), np.float32(y), here)
        follow(*way, clouds.kind, clouds.cover, clouds.seed, clouds.sun, 0, 6, direct)
        pairs.append((here[0], direct[0]))
    assert np.corrcoef(np.array(pairs).T)[0, 1] > 0.9
    assert not np.array_equal(skies(0.5), skies(0.5, seed=4)) and np.array_equal(skies(0.5), skies(0.5))


def test_only_where_sky_is_seen_views_are_followed():
    one = light(0.6)
    camera = Camera.look((0, 0, 2), (0, 10, 5), size=(120, 90), field=60.0)
    seen = np.zeros((90, 120), bool)
    seen[:30] = True
    grid = clouds_before(camera, clouds_of(one, one.dome.table, LUX, 3), seen)
    assert grid[: 30 // GRID].any() and not grid[30 // GRID + 2 :].any()


def test_kinds_are_complete():
    assert len(CLOUDS) >= 6
    for kind in CLOUDS.values():
        assert set(kind) == {"about", *CloudKind._fields}
