"""Sun and sky against pvlib and published figures."""

from datetime import UTC, datetime

import numpy as np
import pandas as pd
import pvlib
import pytest

import irodori as iro
from irodori.core.colour import luminance
from irodori.core.errors import LightError
from irodori.engine.light.directions import sky_radiance
from irodori.light import LIGHTS, make_light
from irodori.light.in_recipes import light_decisions, light_from
from irodori.light.sky import clear_sky, overcast_sky
from irodori.light.sun_position import sun_position


@pytest.mark.parametrize("latitude, longitude", [(46.5, 8.1), (-33.9, 18.4), (64.1, -21.9), (1.3, 103.8)])
def test_sun_position_agrees_with_pvlib(latitude, longitude):
    for month in (1, 3, 6, 9, 12):
        for hour in (0, 5, 9, 13, 17, 21):
            moment = datetime(2026, month, 21, hour, 20, tzinfo=UTC)
            azimuth, elevation = sun_position(moment, latitude, longitude)
            theirs = pvlib.solarposition.get_solarposition(pd.DatetimeIndex([moment]), latitude, longitude).iloc[0]
            assert elevation == pytest.approx(theirs["elevation"], abs=0.02)
            if abs(elevation) < 85:
                away = (azimuth - theirs["azimuth"] + 180) % 360 - 180
                assert abs(away) * np.cos(np.radians(elevation)) < 0.02


def illuminance(dome):
    """lx on level ground from the dome alone, by its own quadrature."""
    from irodori.core.scene import row_elevations

    elevation = row_elevations(dome.table.shape[0])
    value = luminance(dome.table)
    up = elevation > 0
    step = np.gradient(elevation)
    ring = value.mean(axis=1) * 2 * np.pi * np.cos(elevation) * np.sin(elevation) * step
    return float(ring[up].sum())


def test_clear_noon_has_daylight_of_published_size():
    dome = clear_sky(180, 60, turbidity=2.5)
    # CIE S 011 and the IES daylight model put clear-sky diffuse light at 8 to 20 klx and the sun at 70 to 110 klx.
    assert 6e3 < illuminance(dome) < 25e3
    assert 60e3 < float(luminance(dome.sun_illuminance)) < 120e3


def test_twilight_is_blue_and_weak():
    dusk, noon = clear_sky(290, -5, turbidity=2.4), clear_sky(180, 60, turbidity=2.4)
    zenith = dusk.table[-6:].mean(axis=(0, 1))
    assert zenith[2] > 1.3 * zenith[0]
    assert illuminance(dusk) < 0.01 * illuminance(noon)
    assert luminance(dusk.sun_illuminance) == 0


def test_overcast_sky_is_three_times_brighter_at_the_zenith():
    # CIE standard overcast sky: L(z) / L(horizon) = 3.
    dome = overcast_sky(zenith_luminance=5000.0)
    rows = luminance(dome.table).mean(axis=1)
    horizon = rows[len(rows) // 2 + 1]
    assert rows[-1] / horizon == pytest.approx(3.0, rel=0.05)


def test_all_nine_lights_exist_and_differ():
    assert set(LIGHTS) == {
        "dawn", "morning", "noon", "afternoon", "golden hour", "dusk", "blue hour", "night", "overcast"
    }  # fmt: skip
    zeniths = {name: tuple(make_light(name).dome.table[-1, 0].round(2)) for name in LIGHTS}
    assert len(set(zeniths.values())) == 9


def test_a_moment_turns_with_north():
    text = "2026-06-21 18:30+02:00 @ 46.5, 8.1"
    plain, turned = make_light(text), make_light(text, north=30.0)
    a, b = plain.dome.sun_direction, turned.dome.sun_direction
    assert a[2] == pytest.approx(b[2], abs=1e-6)
    turn = np.degrees(np.arctan2(b[0], b[1]) - np.arctan2(a[0], a[1]))
    assert abs((turn + 180) % 360 - 180) == pytest.approx(30.0, abs=0.01)


@pytest.mark.parametrize(
    "text, words",
    [
        ("goldn hour", "golden hour"),
        ("2026-13-40 18:30 @ 46.5, 8.1", "date"),
        ("2026-06-21 18:30 @ 146.5, 8.1", "latitude"),
        ("soon @ here", "write it like"),
    ],
)
def test_wrong_lights_say_what_is_right(text, words):
    with pytest.raises(iro.IrodoriError, match=words):
        make_light(text)


def test_looking_up_the_sky_is_exact():
    """A table that holds its own row and column: what is looked up is the place itself."""
    rows, columns = 64, 128
    table = np.zeros((rows, columns, 3), np.float32)
    table[..., 0] = np.arange(rows)[:, None]
    table[..., 1] = np.sin(np.arange(columns) * 2 * np.pi / columns)
    rng = np.random.default_rng(4)
    ways = rng.normal(size=(500, 3))
    ways = np.concatenate([ways, np.eye(3), -np.eye(3), ways * [1, 1, 1e-3]])
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    out = np.zeros(3, np.float32)
    for way in ways.astype(np.float32):
        sky_radiance(table, *way, out)
        x, y, z = way.astype(float)
        height = np.arcsin(np.clip(z, -1, 1)) / (np.pi / 2)
        row = (np.sign(height) * np.sqrt(abs(height)) / 2 + 0.5) * (rows - 1)
        assert out[0] == pytest.approx(row, abs=1e-3)
        if np.hypot(x, y) > 1e-4:
            # Straight lines between the columns cut the curve by 0.3 thousandths at most.
            assert out[1] == pytest.approx(np.sin(np.arctan2(x, y)), abs=6e-4)


@pytest.mark.parametrize("facing", [0.0, 75.0, 230.0])
def test_the_sun_stands_on_the_side_of_the_view_that_was_asked(facing):
    from irodori.core.camera import Camera

    ahead = np.array([np.sin(np.radians(facing)), np.cos(np.radians(facing)), 0.0])
    camera = Camera.look(np.zeros(3), ahead, size=(64, 48))
    assert camera.facing == pytest.approx(facing)
    x, _, z = np.eye(3)
    for side, axis, sign in (("left", x, -1), ("right", x, 1), ("behind", z, -1), ("ahead", z, 1)):
        light = make_light(f"afternoon, cumulus, sun {side}", north=30.0, facing=camera.facing)
        assert sign * (camera.rotation @ light.dome.sun_direction) @ axis > 0.5
        kept, exposure = light_decisions(light)
        assert kept.facing == pytest.approx(facing)
        assert np.array_equal(light_from(kept, exposure).dome.table, light.dome.table)


def test_a_sun_that_has_its_place_takes_no_side():
    for text in ("overcast, sun left", "2026-06-21 12:00 @ 46.5, 8.1, sun left", "noon, sun above"):
        with pytest.raises(LightError, match="sun"):
            make_light(text)
