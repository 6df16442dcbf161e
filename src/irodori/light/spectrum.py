"""Spectra: the sun outside the atmosphere, scattering and absorption coefficients, and the eye.

Twelve wavelengths stand for the visible range; three bands turn dusk magenta.
"""

from __future__ import annotations

import numpy as np

from irodori.core.colour import XYZ_TO_RGB

WAVELENGTHS = np.array([390, 420, 450, 480, 505, 530, 555, 580, 605, 630, 660, 700], np.float64)
"""nm."""

_STEP = np.gradient(WAVELENGTHS)

SOLAR_IRRADIANCE = np.array([1.10, 1.68, 2.04, 2.06, 1.93, 1.89, 1.86, 1.84, 1.76, 1.66, 1.56, 1.42], np.float64)
"""W/(m² nm) outside the atmosphere, band averages after ASTM E490 (2000)."""

OZONE_CROSS_SECTION = 1e-25 * np.array(
    [0.00, 0.04, 0.17, 0.71, 1.55, 2.70, 3.55, 4.60, 5.15, 3.75, 2.15, 0.87], np.float64
)
"""m², Chappuis band at about 230 K, after Serdyuchenko et al., Atmos. Meas. Tech. 7 (2014) 625-636."""

RAYLEIGH_SEA_LEVEL = 1.0973e-5 * (555.0 / WAVELENGTHS) ** 4.08
"""1/m, scattering of clear air at sea level, after Bucholtz, Applied Optics 34 (1995) 2765-2773."""


def _lobe(wavelength, mean, below, above):
    width = np.where(wavelength < mean, below, above)
    return np.exp(-0.5 * ((wavelength - mean) * width) ** 2)


def colour_matching(wavelength: np.ndarray) -> np.ndarray:
    """CIE 1931 x̄ȳz̄, (N, 3), multi-lobe fit of Wyman, Sloan, Shirley, JCGT 2(2) (2013)."""
    w = np.asarray(wavelength, np.float64)
    x = 1.056 * _lobe(w, 599.8, 0.0264, 0.0323) + 0.362 * _lobe(w, 442.0, 0.0624, 0.0374)
    x -= 0.065 * _lobe(w, 501.1, 0.0490, 0.0382)
    y = 0.821 * _lobe(w, 568.8, 0.0213, 0.0247) + 0.286 * _lobe(w, 530.9, 0.0613, 0.0322)
    z = 1.217 * _lobe(w, 437.0, 0.0845, 0.0278) + 0.681 * _lobe(w, 459.0, 0.0385, 0.0725)
    return np.stack([x, y, z], axis=-1)


SPECTRUM_TO_RGB = (XYZ_TO_RGB @ (colour_matching(WAVELENGTHS) * _STEP[:, None] * 683.0).T).T
"""(12, 3): spectral radiance, W/(m² sr nm), to linear Rec.709 in cd/m² per channel."""
