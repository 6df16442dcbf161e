"""The tone that a drawing has to reach: the light of the scene as greys, from paper white to the darkest ink."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb, luminance
from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers

OF_COLOUR = 0.4
"""How much of a surface's own darkness a drawing shows: most of its tone is light and shade."""

PAPER = 0.78
"""Luminous reflectance of what surfaces are shown as otherwise."""

LIGHTEST, DARKEST = 0.86, 0.015
"""Shares of all surfaces by area below which tone lies that stays white, and that is as dark as the medium goes."""

SHADE, DARK_ITSELF = 0.42, 0.72
"""Darkness from which a place is in shade where no sun tells it, and from which it is toned in the sun too."""

LEAST_SUN = 0.05
"""Share of the surfaces that the sun reaches from which it tells what is in shade."""

BESIDE = 0.002
"""Weight of pixels that a border crosses beside those within a surface."""

FAINT = 0.02
"""Reflectance below which a surface shows what it mirrors, not what falls on it."""


def light_greys(buffers: Buffers, of_colour: float = OF_COLOUR) -> np.ndarray:
    """Grey of every fragment, (N,) float32 encoded 0 … 1: the light on it, developed as the picture is.

    `of_colour` 0 shows light alone, as on a white model; 1 the surfaces' own colours too.
    """
    own = luminance(buffers.albedo)
    all_light = luminance(buffers.light)
    matt = luminance(buffers.fallen)
    mirrored = np.maximum(all_light - matt, 0)
    told = own > FAINT
    shown = np.where(told, matt / np.maximum(own, FAINT), 0)
    seen_as = np.where(told, np.maximum(own, FAINT) ** of_colour * PAPER ** (1 - of_colour), 0)
    development = buffers.development
    factor = np.float32((development.metered or 1.0) * 2.0**development.exposure)
    value = (shown * seen_as + np.where(told, of_colour, 1.0) * mirrored) * factor
    return encode_srgb(development.film.curve(np.maximum(value, 0)))


def darkness(buffers: Buffers, greys: np.ndarray, *, most: float = 0.9) -> np.ndarray:
    """How dark a drawing is to be, (N,) float32, 0 white paper … `most`: greys between the lightest and darkest surfaces of the
    picture, spread over what the medium can show."""
    surfaces = np.flatnonzero(buffers.fragments.region > 0)[::7]
    if not len(surfaces):
        return np.zeros(len(greys), np.float32)
    order = surfaces[np.argsort(greys[surfaces], kind="stable")]
    running = np.cumsum(buffers.fragments.weight[order])
    low, high = (
        greys[order[min(np.searchsorted(running, share * running[-1]), len(order) - 1)]]
        for share in (DARKEST, LIGHTEST)
    )
    return (np.clip((high - greys) / max(high - low, 0.05), 0, 1) * most).astype(np.float32)


def even(buffers: Buffers, values: np.ndarray, reach: float) -> np.ndarray:
    """Values of fragments, (N,), as the pixel's first one has them, (H, W) float32, evened over `reach` px within each surface: what
    remains of noise and grain would make a hand tremble."""
    import cv2

    first = buffers.fragments.first()
    width, height = buffers.size
    picture = values[first].reshape(height, width).astype(np.float32)
    region = buffers.region
    out = picture.copy()
    # A cross of two passes, each along one axis and no further than the surface goes.
    size = int(max(round(reach), 1))
    if size < 2:
        return out
    # What a border crosses is of both its sides and tells little of either.
    told = np.where(buffers.border_cover > 0, np.float32(BESIDE), np.float32(1))
    for axis in (0, 1):
        out = _along(out * told, region, size, axis) / _along(told, region, size, axis)
    return cv2.medianBlur(out, 3) if reach > 2 else out


def _along(values: np.ndarray, region: np.ndarray, reach: int, axis: int) -> np.ndarray:
    """Means over up to `reach` pixels to each side along an axis, within runs of one surface."""
    if axis == 0:
        return np.ascontiguousarray(_along(np.ascontiguousarray(values.T), np.ascontiguousarray(region.T), reach, 1).T)
    height, width = values.shape
    change = np.ones((height, width), bool)
    change[:, 1:] = region[:, 1:] != region[:, :-1]
    flat = np.flatnonzero(change.ravel())
    start = np.repeat(flat, np.diff(np.append(flat, height * width)))
    stop = np.repeat(np.append(flat[1:], height * width), np.diff(np.append(flat, height * width)))
    at = np.arange(height * width)
    low, high = np.maximum(at - reach, start), np.minimum(at + reach + 1, stop)
    running = np.concatenate([[0.0], np.cumsum(values.ravel(), dtype=np.float64)])
    return ((running[high] - running[low]) / (high - low)).reshape(height, width).astype(np.float32)


def in_shade(buffers: Buffers, dark: np.ndarray, *, by_tone: bool = True) -> np.ndarray:
    """(H, W) bool: what the sun does not reach, and what is dark by itself; by tone alone, if at all, where there is no sun."""
    first = buffers.fragments.first()
    sunlit = buffers.sun_seen[first].reshape(dark.shape)
    surfaces = buffers.region > 0
    glazed = buffers.panes[buffers.region] & surfaces
    water = buffers.role == ROLES.index("water")
    if float((sunlit[surfaces] > 0.5).mean() if surfaces.any() else 0) < LEAST_SUN:
        shade = (dark > SHADE) & by_tone
    else:
        shade = (surfaces & (even(buffers, buffers.sun_seen, 2 * buffers.scale) < 0.5)) | (dark > DARK_ITSELF)
    written = buffers.role == ROLES.index("sign")
    return np.where(water, dark > DARK_ITSELF, (shade | glazed) & ~written)
