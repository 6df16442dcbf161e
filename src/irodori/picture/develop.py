"""Photographic development: exposure, white balance, glare and a filmic curve.

Each fragment is developed on its own and the results are blended by coverage in display space, as viewports do:
a bright sky then does not eat into a dark eave, and edges stay where the capture has them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.colour import LUMINANCE, luminance
from irodori.core.fragments import Fragments
from irodori.core.tiles import for_each_tile, split_tiles
from irodori.picture.carried_lines import CarriedLines
from irodori.picture.joints import joint_depth

CONTRAST = 1.28
SHOULDER = 1.06
GREY = 0.18
METERED = 60_000
"""Fragments that the exposure is metered on."""

USUAL_ALBEDO = 0.25
"""Luminous reflectance of what a meter expects; what is paler is meant to look so."""

LEAST_VIEW, VIEW_OUT = 0.02, 3.0
"""Share of the picture that makes a view through glazing, and the exposed light at which its bright parts are held."""

IN_THE_OPEN = 0.19
"""Exposure, in the light of layers, that shows a grey card in the open as it is: pale places do not darken the rest."""

OUTSHONE, SUNLIT = 0.12, 0.13
"""Metered exposures below the first mean that lamps outshine the daylight, and above the second that they do not."""

SHARE = 0.93
BRIGHTEST, LIT = 1.7, 0.85
"""Light that `SHARE` of the picture is to lie below, and the same of its surfaces alone: what lamps light is not to burn."""

GLARE, BURNING = 0.035, np.float32(24.0)
"""Share of light that the eye's or lens's glare spreads, and where it is held: the sun itself would veil all."""


@dataclass(frozen=True)
class Development:
    """Settings of a development: `exposure` in stops beyond automatic, `warmth` 0 … 1, illuminant (3,) RGB.

    `metered` is the exposure factor before that, from `automatic_exposure` or an earlier picture; `white` the illuminant that such a
    picture was balanced for, or None.
    """

    exposure: float
    warmth: float
    illuminant: tuple[float, float, float]
    metered: float | None = None
    white: tuple[float, float, float] | None = None


def film_curve(scene: np.ndarray) -> np.ndarray:
    """Scene light to display light, both linear, float32; middle grey stays middle grey.

    The saturating response of Naka and Rushton (J. Physiology 185, 1966) with an exponent for contrast.

    >>> film_curve(np.float32([0.0, 0.18, 1e6])).round(3).tolist()
    [0.0, 0.18000000715255737, 1.0]
    """
    half = np.float32(GREY**CONTRAST * (SHOULDER / GREY - 1.0))
    x = np.maximum(np.asarray(scene, np.float32), 0) ** np.float32(CONTRAST)
    return np.minimum(np.float32(SHOULDER) * x / (x + half), np.float32(1))


def film_exposure(display: np.ndarray) -> np.ndarray:
    """The scene light that `film_curve` shows as `display`, both linear; what is burnt comes back as just burnt.

    >>> film_exposure(film_curve(np.float32([0.01, 0.18, 0.9]))).round(3).tolist()
    [0.009999999776482582, 0.18000000715255737, 0.8999999761581421]
    """
    half = GREY**CONTRAST * (SHOULDER / GREY - 1.0)
    shown = np.clip(np.asarray(display, np.float64), 0, 1)
    return ((shown * half / (SHOULDER - shown)) ** (1 / CONTRAST)).astype(np.float32)


def automatic_exposure(fragments: Fragments, radiance: np.ndarray, albedo: np.ndarray, panes: np.ndarray) -> float:
    """Factor that brings the scene to middle grey, as a photographer's matrix metering would.

    `radiance` (N, 3) and the factor are in units of a mid grey's light in the open.

    The mean is taken in stops over what is neither black nor burnt; the sky counts little, and so
    do `panes` (S,) bool, glazing that shows it: a room is exposed for the room. Where lamps stand in the
    dark that mean would burn all they light, so their light is held below white. What is paler than usual is
    meant to look so (snow, a white model): it is metered by the light that falls on it, `albedo` (N, 3). A view
    out of a room may be bright, but not gone.
    """
    stride = max(1, len(fragments) // METERED)
    value = luminance(radiance[::stride])
    pale = np.clip(luminance(albedo[::stride]) / USUAL_ALBEDO, 1.0, None)
    region = fragments.region[::stride]
    weight = fragments.weight[::stride] * np.where((region > 0) & ~panes[region], 1.0, 0.25)
    bright = np.log2(np.maximum(value / pale, 1e-7))
    order = np.argsort(bright, kind="stable")
    running = np.cumsum(weight[order])
    low, high = np.searchsorted(running, [0.10 * running[-1], 0.97 * running[-1]])
    middle = order[low : max(high, low + 1)]
    mean = np.average(bright[middle], weights=np.maximum(weight[middle], 1e-9))
    factor = GREY * 0.95 / 2.0**mean
    if factor < IN_THE_OPEN:
        factor += (IN_THE_OPEN - factor) * float(np.clip((factor - OUTSHONE) / (SUNLIT - OUTSHONE), 0, 1))
    for limit, counted, seen in ((BRIGHTEST, weight, value), (LIT, weight * (region > 0), value / pale)):
        if counted.any():
            order = np.argsort(seen, kind="stable")
            running = np.cumsum(counted[order])
            high = order[np.searchsorted(running, SHARE * running[-1]).clip(0, len(order) - 1)]
            factor = min(factor, limit / max(seen[high], 1e-7))
    through = panes[region]
    if through.mean() > LEAST_VIEW:
        factor = min(factor, VIEW_OUT / max(float(np.percentile(value[through], 80)), 1e-7))
    return float(factor)


def white_balance(illuminant: np.ndarray, warmth: float) -> np.ndarray:
    """Channel factors that take away `1 − warmth` of the illuminant's colour, luminance kept."""
    colour = np.asarray(illuminant, np.float32) / max(float(luminance(np.asarray(illuminant))), 1e-9)
    factors = np.maximum(colour, 0.05) ** np.float32(-(1.0 - warmth))
    return (factors / luminance(factors * colour) * luminance(colour)).astype(np.float32)


def spread_glare(picture: np.ndarray, gain: np.ndarray) -> np.ndarray:
    """The veil that the bright places of `picture` · `gain` throw around them, (H, W, 3): a sum of wide Gaussians."""
    import cv2

    height, width = picture.shape[:2]
    small = (max(width // 4, 1), max(height // 4, 1))
    small = cv2.resize(np.minimum(picture, BURNING / gain), small, interpolation=cv2.INTER_AREA) * gain
    veil = np.zeros_like(small)
    for share, reach in ((0.5, 0.006), (0.3, 0.02), (0.2, 0.07)):
        veil += np.float32(share) * cv2.GaussianBlur(small, (0, 0), max(reach * small.shape[1], 0.6))
    return cv2.resize(veil, (width, height), interpolation=cv2.INTER_LINEAR)


def develop(
    fragments: Fragments,
    size: tuple[int, int],
    radiance: np.ndarray,
    settings: Development,
    loose: np.ndarray,
    lines: CarriedLines | None = None,
) -> np.ndarray:
    """Develop a picture.

    Parameters
    ----------
    fragments, size
        Edge coverage, (width, height).
    radiance
        (N, 3) float32, scene light of each fragment in any unit.
    loose
        (S,) bool by surface id: planting, which has no joints.
    lines
        What is carried over from the capture.

    Returns
    -------
    (H, W, 3) float32, sRGB-encoded 0 … 1.
    """
    factor = (settings.metered or 1.0) * 2.0**settings.exposure
    balance = white_balance(np.array(settings.illuminant), settings.warmth)
    gain = np.float32(factor) * balance.astype(np.float32)
    veil = spread_glare(fragments.resolve(radiance, size), gain).reshape(-1, 3)
    colours = np.empty_like(radiance)

    def work(span: tuple[int, int]) -> None:
        a, b = span
        _film(
            radiance[a:b], fragments.pixel[a:b], veil, gain, np.float32(GLARE), FILM_BY_ROOT, SRGB_BY_ROOT, colours[a:b]
        )

    for_each_tile(split_tiles(len(radiance), 1 << 17), work)
    depth, parted = joint_depth(fragments, colours, size, loose)
    depth = depth.reshape(-1)
    starts = np.append(fragments.first(), len(fragments))
    out = np.empty((len(depth), 3), np.float32)
    for_each_tile(
        split_tiles(len(depth), 1 << 17), lambda span: _lay_down(colours, fragments.weight, starts, depth, out, *span)
    )
    out = out.reshape(size[1], size[0], 3)
    return out if lines is None else lines.draw_on(out, parted)


@njit(cache=True, nogil=True)
def _lay_down(colours, weight, starts, joints, out, begin, end):
    """Pixels `begin` … `end` − 1 from their fragments, with their joints."""
    for p in range(begin, end):
        for k in range(3):
            total = -joints[p]
            for i in range(starts[p], starts[p + 1]):
                total += weight[i] * colours[i, k]
            out[p, k] = min(max(total, np.float32(0)), np.float32(1))


ROOTS = np.linspace(0.0, 1.0, 4097)
FILM_BY_ROOT = film_curve(GREY * ROOTS**2 / np.maximum(1 - ROOTS**2, 1e-9))
"""The film curve by the square root of x / (x + GREY), which spreads its bend evenly; straight
lines between are 1e-6 exact up to white."""

SRGB_BY_ROOT = np.where(ROOTS**2 <= 0.0031308, ROOTS**2 * 12.92, 1.055 * ROOTS ** (2 / 2.4) - 0.055).astype(np.float32)
"""sRGB encoding (IEC 61966-2-1) by the square root of display light; straight lines between are 1e-5 exact."""


@njit(cache=True, nogil=True)
def _between(table, root):
    """The table's value at `root`, 0 … 1."""
    place = root * np.float32(4096)
    step = min(int(place), 4095)
    return table[step] + (place - np.float32(step)) * (table[step + 1] - table[step])


@njit(cache=True, nogil=True)
def _film(radiance, pixel, veil, gain, glare, film, encoded, out):
    """Glare, film and sRGB encoding (IEC 61966-2-1) of fragments."""
    red, green, blue = np.float32(LUMINANCE[0]), np.float32(LUMINANCE[1]), np.float32(LUMINANCE[2])
    exposed, shown = np.empty(3, np.float32), np.empty(3, np.float32)
    for i in range(len(radiance)):
        for k in range(3):
            own = radiance[i, k] * gain[k]
            exposed[k] = own + (veil[pixel[i], k] - own) * glare
        value = red * exposed[0] + green * exposed[1] + blue * exposed[2]
        for k in range(3):
            # Film layers talk to each other: very bright colours pale instead of turning neon.
            light = max(exposed[k] + (value - exposed[k]) * np.float32(0.06), np.float32(0))
            shown[k] = _between(film, np.float32(np.sqrt(light / (light + np.float32(GREY)))))
        grey = red * shown[0] + green * shown[1] + blue * shown[2]
        for k in range(3):
            c = min(max(grey + (shown[k] - grey) * np.float32(1.06), np.float32(0)), np.float32(1))
            out[i, k] = _between(encoded, np.float32(np.sqrt(c)))
