"""Panes: what passes them, what they mirror, and the rooms and the sky behind them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.sampling import THROUGH_GLASS, lattice_point
from irodori.engine.light.clouds import add_clouds, between
from irodori.engine.light.directions import add_sky, add_veil, any_frame, sky_place, sky_radiance
from irodori.engine.light.light_cache import find_cell
from irodori.engine.surface.fresnel import fresnel_double_glazing
from irodori.engine.surface.imagined_rooms import room_radiance
from irodori.engine.surface.tables import GLASS
from irodori.finishes.noise import cell_hash, value_noise
from irodori.finishes.registry import pattern_number
from irodori.finishes.slots import SLOT

ASKEW, BOWED, RIPPLED, ROLLERS = 0.0012, 0.0016, 0.0004, 0.35
"""Slopes, radians, by which a leaf of insulating glass is set askew, bows, and ripples, and m between the crests of ripples: within
what EN 12150-1 allows for toughened glass (3 mm over a metre, 0.3 mm of roller wave)."""

_F0, _PATTERN = SLOT["f0"], SLOT["pattern"]
FRIT = pattern_number("frit")


class Ahead(NamedTuple):
    """The sky of a light as the eye sees it: the grid of `clouds_before` (no rows without), the light that clouds get from sun and
    sky, (3,) each, and `SkyDome.table`."""

    grid: np.ndarray
    lux: np.ndarray
    around: np.ndarray
    table: np.ndarray


@njit(cache=True, nogil=True)
def over_pixels(position, view, normal, foot, extent, sample, pixel_angle, at, direction):
    """Another place on each plane (N, 3) within its pixel, and the view that goes there: what lies close behind glass is seen
    with smooth edges only if rays start all over the pixel. `extent` (N,) 0 … 1 is how far they may be from its middle."""
    # At the same places of all pixels: edges are even then.
    a, b = lattice_point(sample, 0, THROUGH_GLASS)
    for i in range(len(position)):
        vx, vy, vz = view[i, 0], view[i, 1], view[i, 2]
        ju, jv = (a - np.float32(0.5)) * extent[i], (b - np.float32(0.5)) * extent[i]
        tx, ty, tz, bx, by, bz = any_frame(vx, vy, vz)
        ox, oy, oz = (tx * ju + bx * jv), (ty * ju + by * jv), (tz * ju + bz * jv)
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        facing = vx * nx + vy * ny + vz * nz
        facing = min(facing, np.float32(-0.1)) if facing < 0 else max(facing, np.float32(0.1))
        back = (ox * nx + oy * ny + oz * nz) / facing
        at[i, 0] = position[i, 0] + (ox - back * vx) * foot[i]
        at[i, 1] = position[i, 1] + (oy - back * vy) * foot[i]
        at[i, 2] = position[i, 2] + (oz - back * vz) * foot[i]
        dx, dy, dz = vx + ox * pixel_angle, vy + oy * pixel_angle, vz + oz * pixel_angle
        length = np.float32(1) / np.float32(np.sqrt(dx * dx + dy * dy + dz * dz))
        direction[i, 0], direction[i, 1], direction[i, 2] = dx * length, dy * length, dz * length


@njit(cache=True, nogil=True)
def uneven(position, normal, region, leaf, seed, bent):
    """Normals (N, 3) as one of a pane's two leaves has them: set a little askew, bowed, and rippled by the rollers of its oven.

    Nothing is bent so far that a straight line breaks; but two leaves mirror two images, and far edges waver.
    """
    for i in range(len(position)):
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        tx, ty, tz, bx, by, bz = any_frame(nx, ny, nz)
        u = position[i, 0] * tx + position[i, 1] * ty + position[i, 2] * tz
        v = position[i, 0] * bx + position[i, 1] * by + position[i, 2] * bz
        own = np.int64(region[i]) * 2 + leaf
        across = (cell_hash(own, 1, seed) - np.float32(0.5)) * np.float32(2 * ASKEW)
        up = (cell_hash(own, 2, seed) - np.float32(0.5)) * np.float32(2 * ASKEW)
        across += (value_noise(u * np.float32(0.9), v * np.float32(0.6), own + 5)) * np.float32(BOWED)
        up += (value_noise(u * np.float32(0.6), v * np.float32(0.9), own + 9)) * np.float32(BOWED)
        up += np.float32(np.sin(v * np.float32(6.2831853 / ROLLERS) + own)) * np.float32(RIPPLED)
        mx, my, mz = nx + tx * across + bx * up, ny + ty * across + by * up, nz + tz * across + bz * up
        length = np.float32(1) / np.float32(np.sqrt(mx * mx + my * my + mz * mz))
        bent[i, 0], bent[i, 1], bent[i, 2] = mx * length, my * length, mz * length


@njit(cache=True, nogil=True)
def passing_glass(region, view, cover, finish, rows, base, normal, weight):
    """What passes panes along views; where dots are printed on them, `cover` (N,) is their share."""
    for i in range(len(region)):
        row = rows[finish[region[i]]]
        cosine = abs(view[i, 0] * normal[i, 0] + view[i, 1] * normal[i, 1] + view[i, 2] * normal[i, 2])
        passed = np.float32(1) - fresnel_double_glazing(cosine, row[_F0])
        if row[_PATTERN] == FRIT:
            passed *= np.float32(1) - cover[i]
        for k in range(3):
            weight[i, k] = passed * base[region[i], k]


@njit(cache=True, nogil=True)
def glass_share(directions, tri, tri_normal, tri_surface, kind, share):
    """Reflectance of the glass that rays met, 0 elsewhere."""
    for i in range(len(tri)):
        t = tri[i]
        share[i] = np.float32(0)
        if t >= 0 and kind[tri_surface[t]] == GLASS:
            cosine = abs(
                directions[i, 0] * tri_normal[t, 0]
                + directions[i, 1] * tri_normal[t, 1]
                + directions[i, 2] * tri_normal[t, 2]
            )
            share[i] = fresnel_double_glazing(cosine, np.float32(0.043))


@njit(cache=True, nogil=True)
def rooms_behind(index, region, position, view, normal, frames, daylight, level, colour, seed, weight, share, total):
    out = np.zeros(9, np.float32)
    for i in range(len(index)):
        room_radiance(
            position[i, 0], position[i, 1], position[i, 2], view[i, 0], view[i, 1], view[i, 2], normal[i, 0],
            normal[i, 1], normal[i, 2], frames[region[i]], daylight[i], level, colour, seed, out,
        )  # fmt: skip
        for g in range(3):
            for k in range(3):
                total[index[i], 3 * g + k] += weight[i, k] * out[3 * g + k] * share


@njit(cache=True, nogil=True)
def sky_ahead(region, view, at, sky, radiance):
    """The sky as the eye sees it, where rays through panes met nothing: finer than the one that mirrors see."""
    grid, lux, around, table = sky
    tint, seen = np.zeros(3, np.float32), np.zeros(3, np.float32)
    for i in range(len(region)):
        if region[i] != 0:
            continue
        sky_radiance(table, view[i, 0], view[i, 1], view[i, 2], tint)
        if len(grid):
            between(grid, at[i, 0], at[i, 1], seen)
            add_clouds(seen, lux, around, tint)
        for k in range(3):
            radiance[i, 3 + k] = tint[k]


@njit(cache=True, nogil=True)
def rooms_in_panes(panes, rays, glass, rooms, cached, lights, radiance):
    """Where glass met by a reflected ray has an imagined room behind it, the ray sees that.

    `rays` are origins, directions, how far the glass is and the triangle met; `glass` its triangles' normals and surfaces; `rooms` their
    frames, lamps' colour and seed; `cached` the cache's table, eye, light and spare cells; `lights` the room level, the `first` column
    in the cache, the skies and the haze of each, (L, …).
    """
    origins, directions, distance, tri = rays
    tri_normal, tri_surface = glass
    frames, colour, seed = rooms
    table, eye, light, spare = cached
    level, first, skies, haze = lights
    rows, columns, lights, _ = skies.shape
    daylight = np.empty(3, np.float32)
    for i in panes:
        t, dx, dy, dz = tri[i], directions[i, 0], directions[i, 1], directions[i, 2]
        frame = frames[tri_surface[t]]
        if frame[1] <= 0:
            continue
        nx, ny, nz = tri_normal[t, 0], tri_normal[t, 1], tri_normal[t, 2]
        if dx * nx + dy * ny + dz * nz > 0:
            nx, ny, nz = -nx, -ny, -nz
        far = distance[i]
        x, y, z = origins[i, 0] + dx * far, origins[i, 1] + dy * far, origins[i, 2] + dz * far
        row = find_cell(table, x, y, z, nx, ny, nz, eye)
        lit = light[row] if row >= 0 else spare[-1 - row]
        place = sky_place(rows, columns, dx, dy, np.float32(0.02))
        for n in range(lights):
            for k in range(3):
                daylight[k] = lit[first[n] + k] + lit[first[n] + 3 + k]
            room_radiance(
                x, y, z, dx, dy, dz, nx, ny, nz, frame, daylight, level[n], colour, seed, radiance[n, i]
            )  # fmt: skip
            add_veil(far, haze[n], skies, n, place, radiance[n, i])


@njit(cache=True, nogil=True)
def bend_in_panes(panes, directions, pane, tri_normal, skies, mirrored, radiance):
    """Glass met by a reflected ray mirrors the sky in turn; what lies behind it shows the rest."""
    rows, columns, lights, _ = skies.shape
    for i in panes:
        t = tri_normal[pane[i]]
        dot = directions[i, 0] * t[0] + directions[i, 1] * t[1] + directions[i, 2] * t[2]
        dx = directions[i, 0] - np.float32(2) * dot * t[0]
        dy = directions[i, 1] - np.float32(2) * dot * t[1]
        dz = directions[i, 2] - np.float32(2) * dot * t[2]
        place = sky_place(rows, columns, dx, dy, max(dz, np.float32(0.02)))
        for n in range(lights):
            for k in range(9):
                radiance[n, i, k] *= np.float32(1) - mirrored[i]
            add_sky(skies, n, place, mirrored[i], 3, radiance[n, i])
