"""The sky as a table of radiance: clear by scattering, overcast by the CIE standard, night by moonlight."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irodori.core.colour import luminance
from irodori.core.scene import SKY_COLUMNS, SKY_ROWS, SkyDome, row_elevations, sky_illuminance
from irodori.light.atmosphere import Atmosphere
from irodori.light.spectrum import SOLAR_IRRADIANCE, SPECTRUM_TO_RGB
from irodori.light.sun_position import sun_direction

SUN_RADIUS = 0.2666
"""Degrees, mean angular radius of the sun and, near enough, of the moon."""

MOON_SHARE = 1.0 / 400_000.0
"""Illuminance of the full moon over that of the sun (Allen's Astrophysical Quantities)."""

AIRGLOW = np.array([0.9e-3, 1.1e-3, 1.6e-3], np.float32)
"""cd/m² per channel: night sky of a small settlement without moon."""


@lru_cache(maxsize=4)
def _atmosphere(turbidity: float, ozone: float) -> Atmosphere:
    return Atmosphere(turbidity, ozone)


@lru_cache(maxsize=16)
def clear_sky(
    azimuth: float, elevation: float, *, turbidity: float = 2.5, ozone: float = 1.0, north: float = 0.0,
    moon: bool = False,
) -> SkyDome:  # fmt: skip
    """Clear sky with the sun (or the full moon) at `azimuth`, `elevation`, degrees.

    Below the horizon the table holds a dim, hazy ground, so that rays that leave the scene find something.
    """
    air = _atmosphere(round(turbidity, 3), round(ozone, 3))
    elevations = row_elevations()
    azimuths = np.arange(SKY_COLUMNS) * 2 * np.pi / SKY_COLUMNS
    upper = elevations >= 0
    solar = SOLAR_IRRADIANCE * (MOON_SHARE if moon else 1.0)
    spectral = air.radiance(elevation, azimuth - north, elevations[upper], azimuths) * solar
    table = np.zeros((SKY_ROWS, SKY_COLUMNS, 3), np.float32)
    table[upper] = np.maximum(spectral @ SPECTRUM_TO_RGB, 0.0)
    table += AIRGLOW
    direct = np.maximum((air.transmittance(elevation) * solar) @ SPECTRUM_TO_RGB, 0.0)
    if elevation < -SUN_RADIUS:
        direct = np.zeros(3)
    return _finish(table, sun_direction(azimuth, elevation, north), direct)


def overcast_sky(*, zenith_luminance: float = 4500.0, kelvin_tint: tuple = (0.97, 1.0, 1.07)) -> SkyDome:
    """CIE standard overcast sky (CIE S 011/E:2003, type 1 traditional): L = Lz (1 + 2 sin γ) / 3, cd/m²."""
    gamma = np.maximum(row_elevations(), 0.0)
    profile = zenith_luminance * (1 + 2 * np.sin(gamma)) / 3
    tint = np.array(kelvin_tint)
    tint /= luminance(tint)
    table = np.repeat((profile[:, None] * tint)[:, None, :], SKY_COLUMNS, axis=1).astype(np.float32)
    return _finish(table, np.array([0, 0, 1], np.float32), np.zeros(3))


def overcast_zenith(clear: SkyDome) -> float:
    """Zenith luminance, cd/m², under a closed cover where the sky would be `clear`.

    Clouds pass about a quarter of the daylight (Kasten and Czeplak, Solar Energy 24, 1980); a CIE overcast sky gives
    E = 7 π / 9 · Lz.
    """
    daylight = luminance(sky_illuminance(clear.table)) + luminance(clear.sun_illuminance) * max(
        float(clear.sun_direction[2]), 0.0
    )
    return float(0.25 * daylight * 9 / (7 * np.pi))


def _finish(table: np.ndarray, direction: np.ndarray, direct: np.ndarray) -> SkyDome:
    elevations = row_elevations()
    upper = elevations >= 0
    horizon = table[np.flatnonzero(upper)[1]].mean(axis=0)
    fade = np.exp(np.minimum(elevations, 0) * 14)[~upper, None, None]
    # Seen from above the rim of the modelled ground, distance turns into haze.
    table[~upper] = table[np.flatnonzero(upper)[1]] * fade + horizon * 0.28 * (1 - fade)
    cosine = float(np.cos(np.radians(SUN_RADIUS)))
    solid_angle = 2 * np.pi * (1 - cosine)
    return SkyDome(
        np.ascontiguousarray(table, np.float32), direction, (direct / solid_angle).astype(np.float32), cosine,
        direct.astype(np.float32),
    )  # fmt: skip
