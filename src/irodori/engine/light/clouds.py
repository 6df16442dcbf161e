"""Fair-weather clouds: a thin, broken layer seen from below, in the sky and in what mirrors it."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.tiles import for_each_tile, split_tiles
from irodori.engine.light.directions import sky_radiance
from irodori.finishes.noise import layered_noise

PIXEL_WIDTH = np.float32(0.0015)
"""Angle, radians, that the camera sees clouds over."""


LOWEST = np.float32(0.015)
"""Height, as a sine, of the lowest clouds."""


@njit(cache=True)
def cloud_body(dx, dy, dz, seed, width):
    """How thick clouds may be along a unit direction above `LOWEST`, whatever share of the sky they cover.

    `width` is the angle, radians, over which they are seen as one. The layer hangs at unit height over the eye; towards
    the horizon it thickens and fades into haze.
    """
    # A curved layer, so that clouds crowd at the horizon without vanishing into a point.
    reach = np.float32(1.0) / (dz + np.float32(0.12))
    x, y = dx * reach, dy * reach
    foot = width * reach * reach
    warp = layered_noise(x, y, np.float32(1.4), foot, 2, seed + 40)
    return layered_noise(
        x * np.float32(0.62) + warp * np.float32(0.22), y + warp * np.float32(0.22), np.float32(0.95), foot, 6, seed
    )


@njit(cache=True, nogil=True)
def cloud_bodies(view, seed, out):
    """`cloud_body` along the views (N, 3), as the camera sees it."""
    for i in range(len(view)):
        if view[i, 2] >= LOWEST:
            out[i] = cloud_body(view[i, 0], view[i, 1], view[i, 2], seed, PIXEL_WIDTH)


@njit(cache=True)
def add_clouds(body, dx, dy, dz, sun, sun_lux, cover, out):
    """Add clouds of a `cloud_body` along a unit direction to the sky's own radiance in `out` (3,), cd/m².

    `cover` 0 … 1 is the share of the sky under them.
    """
    if cover <= 0 or dz < LOWEST:
        return
    density = min(
        max((body + cover * np.float32(1.1) - np.float32(0.62)) * np.float32(1.9), np.float32(0)), np.float32(1)
    )
    if density <= 0:
        return
    density *= min(dz / np.float32(0.09), np.float32(1.0))
    towards = dx * sun[0] + dy * sun[1] + dz * sun[2]
    # Thin rims scatter forwards, thick hearts are grey.
    rim = np.float32(0.50) + np.float32(0.40) * max(towards, np.float32(0)) ** 6
    heart = np.float32(1.0) - np.float32(0.40) * density
    for k in range(3):
        lit = sun_lux[k] * rim * np.float32(0.318) + np.float32(1.25) * out[k]
        out[k] += (lit * heart - out[k] * np.float32(0.55)) * density * np.float32(0.80)


def sky_under_clouds(table, rows: int, columns: int, sun, sun_lux, cover, seed) -> np.ndarray:
    """The sky with its clouds as a table of `rows` × `columns`, laid out as `SkyDome.table` is."""
    out = np.empty((rows, columns, 3), np.float32)
    for_each_tile(split_tiles(rows, 16), lambda span: _fill_sky(table, out, sun, sun_lux, cover, seed, *span))
    return out


@njit(cache=True, nogil=True)
def _fill_sky(table, out, sun, sun_lux, cover, seed, begin, end):
    rows, columns = out.shape[:2]
    tint = np.zeros(3, np.float32)
    width = np.float32(np.pi) / np.float32(rows)
    for i in range(begin, end):
        t = np.float32(2.0) * np.float32(i) / np.float32(rows - 1) - np.float32(1.0)
        elevation = t * abs(t) * np.float32(np.pi / 2)
        up, flat = np.float32(np.sin(elevation)), np.float32(np.cos(elevation))
        for j in range(columns):
            azimuth = np.float32(j) / np.float32(columns) * np.float32(2 * np.pi)
            dx, dy = flat * np.float32(np.sin(azimuth)), flat * np.float32(np.cos(azimuth))
            sky_radiance(table, dx, dy, up, tint)
            if cover > 0 and up >= LOWEST:
                add_clouds(cloud_body(dx, dy, up, seed, width), dx, dy, up, sun, sun_lux, cover, tint)
            for k in range(3):
                out[i, j, k] = tint[k]
