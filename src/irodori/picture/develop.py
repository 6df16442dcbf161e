"""Photographic development: exposure, white balance, glare and a filmic curve.

Each fragment is developed on its own and the results are blended by coverage in display space, as viewports do:
a bright sky then does not eat into a dark eave, and edges stay where the capture has them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.colour import encode_srgb, luminance
from irodori.core.fragments import Fragments
from irodori.picture.joints import joint_depth

CONTRAST = 1.28
SHOULDER = 1.06
GREY = 0.18
GLARE = 0.035
"""Share of light that the eye's or lens's glare spreads."""


@dataclass(frozen=True)
class Development:
    """Settings of a development: `exposure` in stops beyond automatic, `warmth` 0 … 1, illuminant (3,) RGB."""

    exposure: float
    warmth: float
    illuminant: tuple[float, float, float]


def film_curve(scene: np.ndarray) -> np.ndarray:
    """Scene light to display light, both linear; middle grey stays middle grey.

    The saturating response of Naka and Rushton (J. Physiology 185, 1966) with an exponent for contrast.
    """
    x = np.maximum(scene, 0.0) ** np.float32(CONTRAST)
    grey = GREY**CONTRAST
    half = np.float32(grey * (SHOULDER / GREY - 1.0))
    return np.minimum(np.float32(SHOULDER) * x / (x + half), 1.0)


def automatic_exposure(fragments: Fragments, radiance: np.ndarray) -> float:
    """Factor that brings the scene to middle grey, as a photographer's matrix metering would.

    The mean is taken in stops over what is neither black nor burnt; the sky counts little.
    """
    value = luminance(radiance)
    weight = fragments.weight * np.where(fragments.region > 0, 1.0, 0.25)
    bright = np.log2(np.maximum(value, 1e-7))
    order = np.argsort(bright)
    running = np.cumsum(weight[order])
    low, high = np.searchsorted(running, [0.10 * running[-1], 0.97 * running[-1]])
    middle = order[low : max(high, low + 1)]
    mean = np.average(bright[middle], weights=np.maximum(weight[middle], 1e-9))
    return float(GREY * 0.95 / 2.0**mean)


def white_balance(illuminant: np.ndarray, warmth: float) -> np.ndarray:
    """Channel factors that take away `1 − warmth` of the illuminant's colour, luminance kept."""
    colour = np.asarray(illuminant, np.float32) / max(float(luminance(np.asarray(illuminant))), 1e-9)
    factors = np.maximum(colour, 0.05) ** np.float32(-(1.0 - warmth))
    return (factors / luminance(factors * colour) * luminance(colour)).astype(np.float32)


def spread_glare(picture: np.ndarray, limit: float) -> np.ndarray:
    """The veil that bright places throw around them, (H, W, 3): a sum of wide Gaussians."""
    import cv2

    height, width = picture.shape[:2]
    small = cv2.resize(
        np.minimum(picture, limit), (max(width // 4, 1), max(height // 4, 1)), interpolation=cv2.INTER_AREA
    )
    veil = np.zeros_like(small)
    for share, reach in ((0.5, 0.006), (0.3, 0.02), (0.2, 0.07)):
        veil += np.float32(share) * cv2.GaussianBlur(small, (0, 0), max(reach * small.shape[1], 0.6))
    return cv2.resize(veil, (width, height), interpolation=cv2.INTER_LINEAR)


def develop(
    fragments: Fragments, size: tuple[int, int], radiance: np.ndarray, settings: Development, loose: np.ndarray
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

    Returns
    -------
    (H, W, 3) float32, sRGB-encoded 0 … 1.
    """
    factor = automatic_exposure(fragments, radiance) * 2.0**settings.exposure
    balance = white_balance(np.array(settings.illuminant), settings.warmth)
    exposed = radiance * (np.float32(factor) * balance)
    veil = spread_glare(fragments.resolve(exposed, size), 24.0).reshape(-1, 3)
    exposed += (veil[fragments.pixel] - exposed) * np.float32(GLARE)
    colours = encode_srgb(_film(exposed))
    depth = joint_depth(fragments, colours, size, loose)
    return np.clip(fragments.resolve(colours, size) - depth[..., None], 0.0, 1.0)


def _film(exposed: np.ndarray) -> np.ndarray:
    # Film layers talk to each other: very bright colours pale instead of turning neon.
    value = luminance(exposed)[:, None]
    crossed = exposed + (value - exposed) * np.float32(0.06)
    shown = film_curve(crossed)
    grey = luminance(shown)[:, None]
    return np.clip(grey + (shown - grey) * np.float32(1.06), 0.0, 1.0)
