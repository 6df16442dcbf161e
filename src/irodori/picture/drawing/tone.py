"""The tone that a drawing has to reach: the light of the scene as greys, from paper white to the darkest ink."""

from __future__ import annotations

import numpy as np
from numba import njit

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

DARK_PANE = 0.4
"""Darkness of what glazing shows from which it is toned."""

IN_CORNERS = 0.16
"""How much darker than its surface a place is that things shade."""

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


def even(buffers: Buffers, values: np.ndarray, reach: float, *, within: np.ndarray | None = None) -> np.ndarray:
    """Values of pixels, (H, W) or (H, W, C), or of fragments, (N,), as each pixel's first one has them; float32, evened over `reach` px
    within each surface, or each of the areas `within` (H, W) int: what remains of noise and grain would make a hand tremble."""
    import cv2

    width, height = buffers.size
    if values.shape[:2] != (height, width):
        values = values[buffers.fragments.first()].reshape(height, width)
    out = np.array(values, np.float32, order="C").reshape(height, width, -1)
    size = int(max(round(reach), 1))
    if size >= 2:
        # What a border crosses is of both its sides and tells little of either.
        told = np.where(buffers.border_cover > 0, np.float32(BESIDE), np.float32(1))
        areas = buffers.region if within is None else within
        # A cross of two passes, each along one axis and no further than the surface goes.
        for axes in ((1, 0, 2), (0, 1, 2)):
            plain = axes[:2]
            out = _along(
                *(
                    np.ascontiguousarray(one.transpose(order))
                    for one, order in ((out, axes), (told, plain), (areas, plain))
                ),
                size,
            )
            out = np.ascontiguousarray(out.transpose(axes))
        if reach > 2:
            out = cv2.medianBlur(out, 3).reshape(out.shape)
    return out[..., 0] if values.ndim == 2 else out


def blurred_within(values: np.ndarray, place: np.ndarray, across: float, down: float) -> np.ndarray:
    """Values (H, W) or (H, W, C) blurred over what lies in a place (H, W) bool alone, by sigmas in px."""
    import cv2

    share = place.astype(np.float32)
    near = cv2.GaussianBlur(share, (0, 0), sigmaX=across, sigmaY=down)
    own = cv2.GaussianBlur(
        values * (share[..., None] if values.ndim > 2 else share), (0, 0), sigmaX=across, sigmaY=down
    )
    return own / np.maximum(near[..., None] if values.ndim > 2 else near, 1e-3)


@njit(cache=True, nogil=True)
def _along(values, told, areas, reach):
    """Means, weighed by `told`, over up to `reach` pixels to each side in a row, within runs of one area."""
    height, width, count = values.shape
    out = np.empty_like(values)
    total = np.zeros((width + 1, count))
    weight = np.zeros(width + 1)
    for y in range(height):
        for x in range(width):
            weight[x + 1] = weight[x] + told[y, x]
            for k in range(count):
                total[x + 1, k] = total[x, k] + told[y, x] * values[y, x, k]
        start = 0
        while start < width:
            stop = start + 1
            while stop < width and areas[y, stop] == areas[y, start]:
                stop += 1
            for x in range(start, stop):
                low, high = max(x - reach, start), min(x + reach + 1, stop)
                for k in range(count):
                    out[y, x, k] = (total[high, k] - total[low, k]) / (weight[high] - weight[low])
            start = stop
    return out


def in_shade(buffers: Buffers, dark: np.ndarray, *, by_tone: bool = True) -> np.ndarray:
    """(H, W) bool: what the sun does not reach, and what is dark by itself; by tone alone, if at all, where there is no sun: surfaces
    that are darker than usual, and what lies in the shade of things on lighter ones."""
    sunlit = even(buffers, buffers.sun_seen, 2 * buffers.scale)
    surfaces = buffers.region > 0
    glazed = buffers.panes[buffers.region] & surfaces
    usual = mean_of_surfaces(buffers, dark)[buffers.region].astype(np.float32)
    water = buffers.role == ROLES.index("water")
    if float((sunlit[surfaces] > 0.5).mean() if surfaces.any() else 0) < LEAST_SUN:
        broad = even(buffers, dark, 60 * buffers.scale)
        near = even(buffers, dark, 6 * buffers.scale)
        shade = ((usual > SHADE) | (near > broad + IN_CORNERS)) & (sunlit < 0.5) & ~glazed & by_tone
    else:
        shade = (surfaces & (sunlit < 0.5)) | (dark > DARK_ITSELF)
    # What is brighter behind glazing than here is light.
    glazed &= usual > DARK_PANE
    written = buffers.role == ROLES.index("sign")
    return np.where(water, dark > DARK_ITSELF, (shade | glazed) & ~written)


def mean_of_surfaces(buffers: Buffers, values: np.ndarray) -> np.ndarray:
    """The mean of values (H, W) over the pixels that each surface fills most of, (S,) by its id, 0 where it fills none."""
    number = buffers.region.ravel()
    count = np.bincount(number, minlength=len(buffers.role_of))
    return np.bincount(number, values.ravel(), len(count)) / np.maximum(count, 1)
