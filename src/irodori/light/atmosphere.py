"""A physical sky: Rayleigh and Mie scattering with ozone absorption over a round earth.

Single scattering is integrated along each view ray; light scattered more than once is added by the isotropic
closed series of S. Hillaire, "A scalable and production ready sky and atmosphere rendering technique",
Computer Graphics Forum 39(4) (2020). The sun may stand below the horizon: the earth's shadow is in the geometry.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.light.spectrum import OZONE_CROSS_SECTION, RAYLEIGH_SEA_LEVEL, WAVELENGTHS

EARTH = 6360e3
TOP = 6460e3
RAYLEIGH_HEIGHT = 8000.0
MIE_HEIGHT = 1200.0
OZONE_PEAK = 7.0e18
"""Molecules/m³ at 25 km for about 330 Dobson units in a tent 30 km wide, before the ozone factor."""

ASYMMETRY = 0.55
"""Mean cosine of scattering by haze."""

_BANDS = len(WAVELENGTHS)


@njit(cache=True)
def _extinction(height, band, rayleigh, mie, ozone):
    tent = max(0.0, 1.0 - abs(height - 25e3) / 15e3)
    return (
        rayleigh[band] * np.exp(-height / RAYLEIGH_HEIGHT)
        + mie[band] * 1.11 * np.exp(-height / MIE_HEIGHT)
        + ozone[band] * tent
    )


@njit(cache=True, nogil=True)
def _transmittance_table(rayleigh, mie, ozone, heights, cosines):
    """Transmittance to the top of the atmosphere, (heights, cosines, bands); 0 where the earth is in the way."""
    table = np.zeros((len(heights), len(cosines), _BANDS))
    for i in range(len(heights)):
        r = EARTH + heights[i]
        for j in range(len(cosines)):
            mu = cosines[j]
            if mu < 0 and r * r * (1 - mu * mu) < EARTH * EARTH:
                continue
            length = -r * mu + np.sqrt(max(r * r * (mu * mu - 1) + TOP * TOP, 0.0))
            depth = np.zeros(_BANDS)
            steps = 60
            for s in range(steps):
                # Steps crowd near the start, where the air is dense.
                a, b = (s / steps) ** 1.7 * length, ((s + 1) / steps) ** 1.7 * length
                t = 0.5 * (a + b)
                height = np.sqrt(r * r + t * t + 2 * r * mu * t) - EARTH
                for band in range(_BANDS):
                    depth[band] += _extinction(max(height, 0.0), band, rayleigh, mie, ozone) * (b - a)
            for band in range(_BANDS):
                table[i, j, band] = np.exp(-depth[band])
    return table


@njit(cache=True)
def _look_up(table, height, mu, band):
    """Bilinear in sqrt(height) and in the signed root of the cosine."""
    rows, columns, _ = table.shape
    y = np.sqrt(min(max(height, 0.0), 100e3) / 100e3) * (rows - 1)
    warped = np.sign(mu) * np.sqrt(abs(mu))
    x = (warped * 0.5 + 0.5) * (columns - 1)
    i, j = min(int(y), rows - 2), min(int(x), columns - 2)
    fy, fx = y - i, x - j
    return (
        table[i, j, band] * (1 - fy) * (1 - fx)
        + table[i + 1, j, band] * fy * (1 - fx)
        + table[i, j + 1, band] * (1 - fy) * fx
        + table[i + 1, j + 1, band] * fy * fx
    )


@njit(cache=True, nogil=True)
def _multiple_table(rayleigh, mie, ozone, transmittance, heights, cosines, ground):
    """Light scattered twice and more, per unit sun irradiance and scattering, (heights, cosines, bands)."""
    table = np.zeros((len(heights), len(cosines), _BANDS))
    directions = 32
    for i in range(len(heights)):
        r = EARTH + heights[i] + 1.0
        for j in range(len(cosines)):
            sun = cosines[j]
            sun_side = np.sqrt(max(1 - sun * sun, 0.0))
            second = np.zeros(_BANDS)
            again = np.zeros(_BANDS)
            for d in range(directions):
                mu = 1 - 2 * (d + 0.5) / directions
                side = np.sqrt(1 - mu * mu)
                angle = d * 2.399963
                cosine = mu * sun + side * np.cos(angle) * sun_side
                hits = mu < 0 and r * r * (1 - mu * mu) < EARTH * EARTH
                if hits:
                    length = -r * mu - np.sqrt(max(EARTH * EARTH - r * r * (1 - mu * mu), 0.0))
                else:
                    length = -r * mu + np.sqrt(max(TOP * TOP - r * r * (1 - mu * mu), 0.0))
                through = np.ones(_BANDS)
                steps = 20
                for s in range(steps):
                    t = (s + 0.3) / steps * length
                    rr = np.sqrt(r * r + t * t + 2 * r * mu * t)
                    height = max(rr - EARTH, 0.0)
                    local_sun = (r * sun + t * cosine) / rr
                    for band in range(_BANDS):
                        scatter = rayleigh[band] * np.exp(-height / RAYLEIGH_HEIGHT) + mie[band] * np.exp(
                            -height / MIE_HEIGHT
                        )
                        extinct = _extinction(height, band, rayleigh, mie, ozone)
                        step = np.exp(-extinct * length / steps)
                        gain = through[band] * scatter * (1 - step) / max(extinct, 1e-12)
                        second[band] += gain * _look_up(transmittance, height, local_sun, band) / (4 * np.pi)
                        again[band] += gain
                        through[band] *= step
                if hits:
                    rr = EARTH
                    local_sun = (r * sun + length * cosine) / rr
                    for band in range(_BANDS):
                        light = _look_up(transmittance, 0.0, local_sun, band) * max(local_sun, 0.0)
                        second[band] += through[band] * light * ground / np.pi
            for band in range(_BANDS):
                table[i, j, band] = second[band] / directions / (1 - min(again[band] / directions, 0.98))
    return table


@njit(cache=True, nogil=True)
def _dome(rayleigh, mie, ozone, asymmetry, transmittance, multiple, sun, sun_azimuth, elevations, azimuths, eye):
    """Spectral radiance per unit sun irradiance, (elevations, azimuths, bands)."""
    out = np.zeros((len(elevations), len(azimuths), _BANDS))
    r = EARTH + eye
    sun_side = np.sqrt(max(1 - sun * sun, 0.0))
    for i in range(len(elevations)):
        mu, side = np.sin(elevations[i]), np.cos(elevations[i])
        hits = mu < 0 and r * r * (1 - mu * mu) < EARTH * EARTH
        if hits:
            length = -r * mu - np.sqrt(max(EARTH * EARTH - r * r * (1 - mu * mu), 0.0))
        else:
            length = -r * mu + np.sqrt(max(TOP * TOP - r * r * (1 - mu * mu), 0.0))
        for j in range(len(azimuths)):
            cosine = mu * sun + side * sun_side * np.cos(azimuths[j] - sun_azimuth)
            phase_r = 3.0 / (16 * np.pi) * (1 + cosine * cosine)
            g = asymmetry
            phase_m = (
                3.0 / (8 * np.pi) * (1 - g * g) * (1 + cosine * cosine)
                / ((2 + g * g) * max(1 + g * g - 2 * g * cosine, 1e-4) ** 1.5)
            )  # fmt: skip
            through = np.ones(_BANDS)
            steps = 48
            for s in range(steps):
                a, b = (s / steps) ** 2 * length, ((s + 1) / steps) ** 2 * length
                t = 0.5 * (a + b)
                rr = np.sqrt(r * r + t * t + 2 * r * mu * t)
                height = max(rr - EARTH, 0.0)
                local_sun = (r * sun + t * cosine) / rr
                for band in range(_BANDS):
                    ray = rayleigh[band] * np.exp(-height / RAYLEIGH_HEIGHT)
                    haze = mie[band] * np.exp(-height / MIE_HEIGHT)
                    extinct = _extinction(height, band, rayleigh, mie, ozone)
                    step = np.exp(-extinct * (b - a))
                    source = _look_up(transmittance, height, local_sun, band) * (ray * phase_r + haze * phase_m)
                    source += _look_up(multiple, height, local_sun, band) * (ray + haze)
                    out[i, j, band] += through[band] * source * (1 - step) / max(extinct, 1e-12)
                    through[band] *= step
    return out


class Atmosphere:
    """Tables of an atmosphere, ready to give the sky for any sun.

    Parameters
    ----------
    turbidity
        Haze: 1 pure air, 2 very clear, 3 clear, 6 hazy.
    ozone
        Ozone column relative to 330 Dobson units.
    """

    def __init__(self, turbidity: float = 2.5, ozone: float = 1.0) -> None:
        self.rayleigh = RAYLEIGH_SEA_LEVEL
        # Ångström's law with exponent 1.2; the column grows with turbidity from none at 1. Its size and the
        # asymmetry of the phase function are those that come nearest to the CIE standard clear sky.
        self.mie = 8.0e-5 * max(turbidity - 1.0, 0.02) * (550.0 / WAVELENGTHS) ** 1.2
        self.ozone = OZONE_PEAK * ozone * OZONE_CROSS_SECTION
        heights = np.linspace(0, 1, 24) ** 2 * 100e3
        warped = np.linspace(-1, 1, 96)
        cosines = np.sign(warped) * warped**2
        self._transmittance = _transmittance_table(self.rayleigh, self.mie, self.ozone, heights, cosines)
        coarse_heights = np.linspace(0, 1, 12) ** 2 * 100e3
        coarse = np.linspace(-1, 1, 32)
        self._multiple = _multiple_table(
            self.rayleigh, self.mie, self.ozone, self._transmittance, coarse_heights,
            np.sign(coarse) * coarse**2, 0.2,
        )  # fmt: skip

    def transmittance(self, elevation: float) -> np.ndarray:
        """Share of sunlight that arrives from `elevation` (degrees), (12,)."""
        mu = np.sin(np.radians(elevation))
        return np.array([_look_up(self._transmittance, 2.0, mu, band) for band in range(_BANDS)])

    def radiance(self, sun_elevation: float, sun_azimuth: float, elevations: np.ndarray, azimuths: np.ndarray):
        """Sky radiance per unit sun irradiance, 1/sr, (E, A, 12). Angles of the sun in degrees, grid in radians."""
        return _dome(
            self.rayleigh, self.mie, self.ozone, ASYMMETRY, self._transmittance, self._multiple,
            float(np.sin(np.radians(sun_elevation))), float(np.radians(sun_azimuth)),
            np.asarray(elevations, np.float64), np.asarray(azimuths, np.float64), 200.0,
        )  # fmt: skip
