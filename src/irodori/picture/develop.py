"""Photographic development: exposure, white balance, glare and a filmic curve.

Each fragment is developed on its own and the results are blended by coverage in display space, as viewports do:
a bright sky then does not eat into a dark eave, and edges stay where the capture has them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.colour import luminance
from irodori.core.fragments import Fragments
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.picture.dodge import dodge
from irodori.picture.film import FILMS, GREY, SRGB_BY_ROOT, USUAL, Film, expose
from irodori.picture.joints import joint_depth

METERED = 60_000
"""Fragments that the exposure is metered on."""

USUAL_ALBEDO = 0.25
"""Luminous reflectance of what a meter expects; what is paler is meant to look so."""

LEAST_VIEW, VIEW_OUT = 0.02, 3.0
"""Share of the picture that makes a view through glazing, and the exposed light at which its bright parts are held."""

OUTDOORS = 0.02
"""Share of the picture that is sky, not seen through panes, from which it is one of the open."""

IN_THE_OPEN = 0.18
"""Exposure, in the light of layers, that shows a grey card in the open as it is: pale places do not darken the rest."""

OUTSHONE, SUNLIT = 0.12, 0.13
"""Metered exposures below the first mean that lamps outshine the daylight, and above the second that they do not."""

SHARE = 0.93
BRIGHTEST, LIT = 1.7, 0.85
"""Light that `SHARE` of the picture is to lie below, and the same of its surfaces alone: what lamps light is not to burn."""

WHITE, WHITE_ALBEDO = 1.3, 0.8
"""Exposed light at which a white wall in the picture's brightest light is held, and what it reflects."""

TOLD_BY, LEAST_ALBEDO, LEAST_SHARE = 0.93, 0.28, 0.04
"""Share of the surfaces that get less than that light; surfaces darker than the second tell nothing of it, nor does less than the
third of a picture."""

BURNING = np.float32(24.0)
"""Where light is held before glare spreads it: the sun itself would veil all."""


@dataclass(frozen=True)
class Development:
    """Settings of a development: `exposure` in stops beyond automatic, `warmth` 0 … 1, illuminant (3,) RGB.

    `metered` is the exposure factor before that, from `automatic_exposure` or an earlier picture; `white` the illuminant that such a
    picture was balanced for, or None; `film` what it is developed on.
    """

    exposure: float
    warmth: float
    illuminant: tuple[float, float, float]
    metered: float | None = None
    white: tuple[float, float, float] | None = None
    film: Film = FILMS[USUAL]

    @property
    def gain(self) -> np.ndarray:
        """Channel factors (3,) float32 from the light of layers to that which the film gets."""
        factor = (self.metered or 1.0) * 2.0**self.exposure
        balance = white_balance(np.array(self.illuminant), self.warmth) * self.film.filter
        return np.float32(factor) * balance.astype(np.float32)


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
            factor = min(factor, limit / max(_quantile(seen, counted, SHARE), 1e-7))
    if (sunlit := _sunlit_white(value, albedo[::stride], weight * ((region > 0) & ~panes[region]))) is not None:
        factor = min(factor, WHITE / max(sunlit, 1e-7))
    through = panes[region]
    if through.mean() > LEAST_VIEW:
        factor = min(factor, VIEW_OUT / max(float(np.percentile(value[through], 80)), 1e-7))
    return float(factor)


def _sunlit_white(value: np.ndarray, albedo: np.ndarray, weight: np.ndarray) -> float | None:
    """Light of a white wall where the light that falls is brightest; None where too little tells."""
    reflects = luminance(albedo)
    weight = weight * (reflects > LEAST_ALBEDO)
    if weight.sum() < LEAST_SHARE * len(value):
        return None
    white = value / np.maximum(reflects, LEAST_ALBEDO) * WHITE_ALBEDO
    return float(_quantile(white, weight, TOLD_BY))


def _quantile(values: np.ndarray, weight: np.ndarray, share: float) -> float:
    """The value that a `share` of all weight lies below."""
    order = np.argsort(values, kind="stable")
    running = np.cumsum(weight[order])
    return values[order[np.searchsorted(running, share * running[-1]).clip(0, len(order) - 1)]]


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


def fragment_colours(
    fragments: Fragments, size: tuple[int, int], radiance: np.ndarray, settings: Development
) -> np.ndarray:
    """What each fragment is developed to, (N, 3) float32, sRGB-encoded 0 … 1; the parameters are those of `develop`."""
    film, gain = settings.film, settings.gain
    # What is held back is told by the metered light: who asks for more exposure gets it.
    metered = luminance(radiance * gain) / np.float32(2.0**settings.exposure)
    indoors = float(fragments.weight[fragments.region == 0].sum()) < OUTDOORS * size[0] * size[1]
    dodged = dodge(metered, fragments.pixel, size, indoors=indoors)
    veil = spread_glare(fragments.resolve(radiance * dodged[:, None], size), gain).reshape(-1, 3)
    colours, curve = np.empty_like(radiance), film.by_root

    def work(span: tuple[int, int]) -> None:
        a, b = span
        expose(
            radiance[a:b], fragments.pixel[a:b], veil, gain, np.float32(film.glare), np.float32(film.colour), dodged[a:b],
            curve, SRGB_BY_ROOT, colours[a:b],
        )  # fmt: skip

    for_each_tile(split_tiles(len(radiance), 1 << 17), work)
    return colours


def develop(
    fragments: Fragments,
    size: tuple[int, int],
    radiance: np.ndarray,
    settings: Development,
    loose: np.ndarray,
    lines: np.ndarray | None = None,
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
        (H, W, 1) or (H, W, 3) float32 or None: factor of what is carried over from the capture.

    Returns
    -------
    (H, W, 3) float32, sRGB-encoded 0 … 1.
    """
    colours = fragment_colours(fragments, size, radiance, settings)
    depth = joint_depth(fragments, colours, size, loose).reshape(-1)
    starts = np.append(fragments.first(), len(fragments))
    out = np.empty((len(depth), 3), np.float32)
    for_each_tile(
        split_tiles(len(depth), 1 << 17), lambda span: _lay_down(colours, fragments.weight, starts, depth, out, *span)
    )
    out = out.reshape(size[1], size[0], 3)
    return out if lines is None else np.clip(out * lines, 0, 1)


@njit(cache=True, nogil=True)
def _lay_down(colours, weight, starts, joints, out, begin, end):
    """Pixels `begin` … `end` − 1 from their fragments, with their joints."""
    for p in range(begin, end):
        for k in range(3):
            total = -joints[p]
            for i in range(starts[p], starts[p + 1]):
                total += weight[i] * colours[i, k]
            out[p, k] = min(max(total, np.float32(0)), np.float32(1))
