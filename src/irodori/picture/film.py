"""Films: how scene light becomes display light. Contrast, glare and colour in three developments of our own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from irodori.core.colour import LUMINANCE, blackbody_rgb, luminance
from irodori.core.errors import IrodoriError, unknown_name

GREY = 0.18
"""Scene light that comes out as it is."""

SHOULDER = 1.06
"""Display light that the curve would reach at last; it is white a little before."""

STEEPER = 0.4
"""How much the exponent grows by a contrast of 1, as a share of it."""

DAYLIGHT = 154.0
"""Mired (a million by kelvin) of the light that filters are reckoned from: 6,500 K."""

STEPS = 4096
"""Straight pieces that the curve is made of: 1e-5 exact."""


@dataclass(frozen=True)
class Film:
    """A film: the exponent of its curve, the share of light that `glare` spreads, how far `colour` is enriched, and the filter before the
    lens, `mired` (above 0: warmer).

    The curve is the saturating response of Naka and Rushton (J. Physiology 185, 1966) with an exponent for contrast.
    """

    exponent: float
    glare: float
    colour: float
    mired: float = 0.0

    def curve(self, scene: np.ndarray) -> np.ndarray:
        """Scene light to display light, both linear, float32; middle grey stays middle grey.

        >>> FILMS["plain"].curve(np.float32([0.0, 0.18, 1e6])).round(3).tolist()
        [0.0, 0.18000000715255737, 1.0]
        """
        x = np.maximum(np.asarray(scene, np.float32), 0) ** np.float32(self.exponent)
        return np.minimum(np.float32(SHOULDER) * x / (x + np.float32(self._half)), np.float32(1))

    def exposure(self, display: np.ndarray) -> np.ndarray:
        """The scene light that `curve` shows as `display`, both linear; what is burnt comes back as just burnt.

        >>> plain = FILMS["plain"]
        >>> plain.exposure(plain.curve(np.float32([0.01, 0.18, 0.9]))).round(3).tolist()
        [0.009999999776482582, 0.18000000715255737, 0.8999999761581421]
        """
        shown = np.clip(np.asarray(display, np.float64), 0, 1)
        return ((shown * self._half / (SHOULDER - shown)) ** (1 / self.exponent)).astype(np.float32)

    @property
    def _half(self) -> float:
        """Where the response is half of the shoulder, to the exponent."""
        return GREY**self.exponent * (SHOULDER / GREY - 1.0)

    @property
    def by_root(self) -> np.ndarray:
        """The curve by the square root of x / (x + GREY), which spreads its bend evenly."""
        return self.curve(GREY * ROOTS**2 / np.maximum(1 - ROOTS**2, 1e-9))

    @property
    def filter(self) -> np.ndarray:
        """Factors (3,) of the filter, luminance kept: from daylight's colour to that of the temperature `mired` further on.

        >>> warm = FILMS["plain"].but(0.0, 1.0, 30.0).filter
        >>> bool(warm[0] > 1 > warm[2])
        True
        """
        if not self.mired:
            return np.ones(3, np.float32)
        factors = blackbody_rgb(1e6 / (DAYLIGHT + self.mired)) / blackbody_rgb(1e6 / DAYLIGHT)
        return (factors / luminance(factors)).astype(np.float32)

    def but(self, contrast: float, glare: float, mired: float = 0.0) -> Film:
        """This film with more (above 0) or less contrast, −1 … 1, `glare` times its glare, 0 … 5, and a filter that shifts the light
        by `mired`, −100 … 200, as filters for lenses are named. Raises IrodoriError."""
        if not -100 <= mired <= 200:
            raise IrodoriError(
                f"A filter of {mired:g} mired is out of range; give −100 (cooler) to 200 (warmer), 0 for none"
            )
        if not -1 <= contrast <= 1:
            raise IrodoriError(f"A contrast of {contrast:g} is out of range; give −1 to 1, 0 for the film's own")
        if not 0 <= glare <= 5:
            raise IrodoriError(f"A glare of {glare:g} is out of range; give 0 to 5, 1 for the film's own")
        return replace(self, exponent=self.exponent * (1 + STEEPER * contrast), glare=self.glare * glare, mired=mired)


FILMS = {
    "soft": Film(exponent=1.30, glare=0.035, colour=1.08),
    "plain": Film(exponent=1.54, glare=0.016, colour=1.17),
    "crisp": Film(exponent=1.84, glare=0.006, colour=1.22),
}
"""The named developments."""

USUAL = "plain"


def find_film(name: str, contrast: float = 0.0, glare: float = 1.0, mired: float = 0.0) -> Film:
    """The film of a named development, with its contrast, glare and filter changed. Raises IrodoriError."""
    if name not in FILMS:
        raise IrodoriError(unknown_name("development", name, FILMS))
    return FILMS[name].but(contrast, glare, mired)


ROOTS = np.linspace(0.0, 1.0, STEPS + 1)
SRGB_BY_ROOT = np.where(ROOTS**2 <= 0.0031308, ROOTS**2 * 12.92, 1.055 * ROOTS ** (2 / 2.4) - 0.055).astype(np.float32)
"""sRGB encoding (IEC 61966-2-1) by the square root of display light; straight lines between are 1e-5 exact."""

CROSSTALK = 0.06
"""Share of each channel's light that goes to all: very bright colours pale instead of turning neon."""

PUREST_GREEN = 0.60
"""Purity, 0 … 1, above which the colour of leaves and grass is held: a lawn is never neon."""

REMEMBERED_SKY = 0.08
"""How far blue is enriched: skies are remembered purer than they are (Bartleson, J. Opt. Soc. Am. 50, 1960)."""


@njit(cache=True)
def _between(table, root):
    """The table's value at `root`, 0 … 1."""
    place = root * np.float32(STEPS)
    step = min(int(place), STEPS - 1)
    return table[step] + (place - np.float32(step)) * (table[step + 1] - table[step])


HUE_KEPT, WARM_KEPT = 0.78, 0.5
"""How far the middle channel is put back between the others: with it the hue as the eye has it (IPT; Ebner and Fairchild, 1998)
stays within 3 degrees from dark to three times white; without it orange turns yellow by 23, with all of it pink by 7. Warm colours are
put back less: up to white they turn by 7 degrees."""


@njit(cache=True)
def _keep_hue(light, shown):
    """Put the middle one of the three channels shown near where it was between the others."""
    most, least = max(light[0], light[1], light[2]), min(light[0], light[1], light[2])
    if most - least <= np.float32(1e-4) * most:
        return
    # Light of lamps and timber may grow golden as it brightens, as film lets it: kept as it is it looks pink.
    warm = light[0] >= light[1] and light[1] >= light[2]
    share = np.float32(WARM_KEPT) if warm else np.float32(HUE_KEPT)
    top, bottom = max(shown[0], shown[1], shown[2]), min(shown[0], shown[1], shown[2])
    for k in range(3):
        kept = bottom + (top - bottom) * (light[k] - least) / (most - least)
        shown[k] += (kept - shown[k]) * share


HELD_PURITY = 0.30
"""How far what is wholly pure is held back: contrast enriches colours, and most so those that need it least."""


@njit(cache=True)
def _as_remembered(shown):
    """How far the colour (3,) is to be enriched, as a factor on its distance from grey."""
    r, g, b = shown[0], shown[1], shown[2]
    most = max(r, g, b, np.float32(1e-6))
    purity = (most - min(r, g, b)) / most
    return (np.float32(1) - np.float32(HELD_PURITY) * purity * purity) * _by_hue(r, g, b)


@njit(cache=True)
def _by_hue(r, g, b):
    """Grass held below neon, skies as they are remembered."""
    if g > r and g > b:
        purity = (g - min(r, b)) / g
        over = purity - np.float32(PUREST_GREEN)
        return np.float32(1) if over <= 0 else (np.float32(PUREST_GREEN) + np.float32(0.3) * over) / purity
    if b > g and g >= r:
        return np.float32(1) + np.float32(REMEMBERED_SKY) * min(
            (b - r) / max(b, np.float32(1e-6)) * np.float32(3), np.float32(1)
        )
    return np.float32(1)


@njit(cache=True, nogil=True)
def expose(radiance, pixel, veil, gain, glare, colour, dodged, film, encoded, out):
    """Glare, film and sRGB encoding of fragments: `radiance` (N, 3), the `pixel` of each, the `veil` (P, 3) of light that glare
    spreads, its share `glare`, the `gain` (3,) of the exposure, and what each is `dodged` by (N,)."""
    red, green, blue = np.float32(LUMINANCE[0]), np.float32(LUMINANCE[1]), np.float32(LUMINANCE[2])
    light, shown = np.empty(3, np.float32), np.empty(3, np.float32)
    for i in range(len(radiance)):
        for k in range(3):
            own = radiance[i, k] * gain[k] * dodged[i]
            light[k] = own + (veil[pixel[i], k] - own) * glare
        value = red * light[0] + green * light[1] + blue * light[2]
        for k in range(3):
            light[k] = max(light[k] + (value - light[k]) * np.float32(CROSSTALK), np.float32(0))
            shown[k] = _between(film, np.float32(np.sqrt(light[k] / (light[k] + np.float32(GREY)))))
        _keep_hue(light, shown)
        grey = red * shown[0] + green * shown[1] + blue * shown[2]
        richer = colour * _as_remembered(shown)
        for k in range(3):
            c = min(max(grey + (shown[k] - grey) * richer, np.float32(0)), np.float32(1))
            out[i, k] = _between(encoded, np.float32(np.sqrt(c)))
