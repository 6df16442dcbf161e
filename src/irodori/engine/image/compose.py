"""What the camera sees of surfaces and sky: the layers of a picture, but for mirrors."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.engine.image.layers import BACKDROP, BOUNCE, CHANNELS, LAMPS, REFLECTION, SKY, SUN
from irodori.engine.light.clouds import add_clouds, between
from irodori.engine.light.directions import sky_radiance
from irodori.engine.light.light_points import FROM_BOUNCES, FROM_LAMPS, FROM_SKY
from irodori.engine.light.night_sky import add_disc, add_stars
from irodori.engine.mirrors.panes import FRIT
from irodori.engine.surface.fresnel import fresnel_dielectric
from irodori.engine.surface.tables import GLASS, LAMP, WATER
from irodori.finishes.slots import SLOT

STARS_SEED = 11
"""The same stars over every picture."""

LEAST_RIM = np.float32(0.3)
"""Radiance at the rim of a lamp's shade over that at its middle."""

_METAL, _F0, _TRANSLUCENT, _PATTERN = SLOT["metalness"], SLOT["f0"], SLOT["translucency"], SLOT["pattern"]


@njit(cache=True, nogil=True)
def is_shiny(region, kind, finish, rows, rough):
    out = np.zeros(len(region), np.bool_)
    for i in range(len(region)):
        s = region[i]
        if kind[s] == LAMP:
            continue
        row = rows[finish[s]]
        out[i] = kind[s] == GLASS or kind[s] == WATER or rough[i] < np.float32(0.16) or row[_METAL] > np.float32(0.2)
    return out


@njit(cache=True, nogil=True)
def compose_sky(view, at, clouds, sky, sun, disc, angle, scale, target, out):
    """The sky itself along the views that meet no surface, into rows `target` (N,) of the layers `out`.

    `at` (N, 2) are the views' places in the picture, px; `clouds` the grid of `clouds_before` (no rows without), the light they get
    from sun and sky, (3,) each; `sun` its direction, `disc` its radiance and the cosine of its radius.
    """
    tint, seen = np.zeros(3, np.float32), np.zeros(3, np.float32)
    grid, sun_lux, around = clouds
    radiance, disc_cosine = disc
    for i in range(len(view)):
        sky_radiance(sky, view[i, 0], view[i, 1], view[i, 2], tint)
        add_stars(view[i, 0], view[i, 1], view[i, 2], angle, STARS_SEED, tint)
        add_disc(view[i, 0], view[i, 1], view[i, 2], sun, disc_cosine, radiance, angle, tint)
        if len(grid):
            between(grid, at[i, 0], at[i, 1], seen)
            add_clouds(seen, sun_lux, around, tint)
        for k in range(3):
            out[target[i], BACKDROP + k] = tint[k] * scale


class Shown(NamedTuple):
    """What is seen at N places: as `Places` and `Look` have it, and whether it is `shiny`."""

    region: np.ndarray
    sight: np.ndarray
    normal: np.ndarray
    bent: np.ndarray
    albedo: np.ndarray
    rough: np.ndarray
    cavity: np.ndarray
    shiny: np.ndarray


class Fallen(NamedTuple):
    """The light there: the shares of the sun past the `relief` and `seen`, (N,), what was carried there, `light` (N, CARRIED), and
    the sun's direction and `lux`, (3,)."""

    relief: np.ndarray
    seen: np.ndarray
    light: np.ndarray
    sun: np.ndarray
    lux: np.ndarray


@njit(cache=True, nogil=True)
def compose(shown, fallen, surfaces, emission, target, out):
    """Diffuse layers, lamps that are seen, and the sun's highlight (GGX, Walter et al., EGSR 2007) on surfaces.

    `surfaces` are the finish, rows and kind of `Tables`. Place i is written to row `target[i]` of the layers `out`.
    """
    region, view, normal, bent, albedo, rough, cavity, shiny = shown
    relief, seen, light, sun, sun_lux = fallen
    finish, rows, kind = surfaces
    inverse_pi = np.float32(1 / np.pi)
    for i in range(len(region)):
        s, o = region[i], target[i]
        row = rows[finish[s]]
        for k in range(3):
            out[o, k] = albedo[i, k]
        if kind[s] == LAMP:
            # Shades are brightest where one looks straight at them; their rims show that they are round.
            facing = abs(view[i, 0] * normal[i, 0] + view[i, 1] * normal[i, 1] + view[i, 2] * normal[i, 2])
            rim = LEAST_RIM + (np.float32(1) - LEAST_RIM) * facing
            for k in range(3):
                out[o, LAMPS + k] = emission[s, k] * rim
        printed = np.float32(1)
        if kind[s] == GLASS:
            if row[_PATTERN] != FRIT:
                continue
            printed = cavity[i]
        mx, my, mz = bent[i, 0], bent[i, 1], bent[i, 2]
        towards = -(view[i, 0] * mx + view[i, 1] * my + view[i, 2] * mz)
        towards = max(towards, np.float32(0.02))
        metal = row[_METAL]
        keep = np.float32(1) - metal
        if shiny[i]:
            # A rough surface mirrors less at a glancing view than a smooth one (after Lagarde, 2011).
            gloss = max(np.float32(1) - np.float32(np.sqrt(rough[i])), row[_F0])
            keep *= np.float32(1) - row[_F0] - (gloss - row[_F0]) * (np.float32(1) - towards) ** 5
        through = row[_TRANSLUCENT]
        cosine = mx * sun[0] + my * sun[1] + mz * sun[2]
        geometric = normal[i, 0] * sun[0] + normal[i, 1] * sun[1] + normal[i, 2] * sun[2]
        if through > 0:
            lit = cosine * (np.float32(1) - np.float32(0.5) * through) if cosine > 0 else -cosine * through
        else:
            lit = max(cosine, np.float32(0)) if geometric > 0 else np.float32(0)
        lit *= seen[i] * relief[i]
        # What leans towards the sky gets more of it.
        lean = np.float32(1) + np.float32(0.8) * (mz - normal[i, 2])
        keep *= printed
        dim = (cavity[i] if printed == np.float32(1) else np.float32(1)) * lean * inverse_pi * keep
        for k in range(3):
            colour = albedo[i, k]
            out[o, SUN + k] = colour * lit * sun_lux[k] * inverse_pi * keep
            out[o, SKY + k] = colour * light[i, FROM_SKY + k] * dim
            out[o, LAMPS + k] += colour * light[i, FROM_LAMPS + k] * dim
            for g in range(3):
                out[o, BOUNCE + 3 * g + k] = colour * light[i, FROM_BOUNCES + 3 * g + k] * dim
        if seen[i] <= 0 or cosine <= 0 or geometric <= 0:
            continue
        alpha = max(rough[i], np.float32(0.02))
        hx, hy, hz = sun[0] - view[i, 0], sun[1] - view[i, 1], sun[2] - view[i, 2]
        length = np.float32(1) / np.float32(np.sqrt(hx * hx + hy * hy + hz * hz))
        hx, hy, hz = hx * length, hy * length, hz * length
        nh = max(mx * hx + my * hy + mz * hz, np.float32(0))
        vh = max(-(view[i, 0] * hx + view[i, 1] * hy + view[i, 2] * hz), np.float32(0.001))
        a2 = alpha * alpha
        lobe = nh * nh * (a2 - np.float32(1)) + np.float32(1)
        d = a2 * inverse_pi / (lobe * lobe)
        gv = towards + np.float32(np.sqrt(a2 + (np.float32(1) - a2) * towards * towards))
        gl = cosine + np.float32(np.sqrt(a2 + (np.float32(1) - a2) * cosine * cosine))
        base = d / (gv * gl) * cosine * seen[i] * relief[i]
        f = fresnel_dielectric(vh, row[_F0]) * (np.float32(1) - metal)
        for k in range(3):
            # A highlight brighter than this is the sun itself, and would only be a speck.
            value = base * (f + metal * albedo[i, k]) * sun_lux[k]
            out[o, REFLECTION + k] += min(value, np.float32(12.0) * sun_lux[k])


@njit(cache=True, nogil=True)
def add_haze(view, depth, haze, sky, scale, target, out):
    """Veil surfaces that are far with the sky at the horizon, and scale all light to its unit."""
    tint = np.zeros(3, np.float32)
    for i in range(len(view)):
        o = target[i]
        veil = np.float32(1) - np.float32(np.exp(-haze * depth[i]))
        if veil < np.float32(0.003):
            for k in range(SUN, CHANNELS):
                out[o, k] *= scale
            continue
        sky_radiance(sky, view[i, 0], view[i, 1], np.float32(0.02), tint)
        for k in range(SUN, BACKDROP):
            out[o, k] *= (np.float32(1) - veil) * scale
        for k in range(3):
            out[o, SKY + k] += veil * tint[k] * scale
