"""Mirrors, water, gloss and glass: what is reflected and what lies behind, shaded like any other surface."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.sampling import lattice_point
from irodori.engine.directions import any_frame, sky_radiance
from irodori.engine.fresnel import fresnel_dielectric, fresnel_double_glazing
from irodori.engine.light_cache import LightCache, find_cell
from irodori.engine.rays import RayScene
from irodori.engine.rooms import room_radiance
from irodori.engine.specular_rays import mirror_rays, rays_through_glass
from irodori.engine.sunlight import sun_visibility
from irodori.engine.surface_look import look_at_surfaces
from irodori.engine.tables import GLASS, LAMP, WATER, Tables

WAVE_LEAN = np.float32(0.11)
"""Mean slope of the ripples, radians."""


@dataclass(frozen=True, eq=False)
class Surroundings:
    """All that a secondary ray may meet. `open` has everything but the glass, which is in `panes` if there is any, with
    `pane_normal` (G, 3) and `pane_surface` (G,) of its triangles. `sky` has its clouds in it."""

    open: RayScene
    open_tables: Tables
    panes: RayScene | None
    pane_normal: np.ndarray
    pane_surface: np.ndarray
    cache: LightCache
    sky: np.ndarray
    sun: np.ndarray
    sun_lux: np.ndarray
    rooms: np.ndarray
    room_level: float
    room_colour: np.ndarray
    haze: float
    seed: int
    open_lux: float
    wet: float
    snow: float


@njit(cache=True, nogil=True)
def _places(
    origins,
    directions,
    distance,
    tri,
    tri_normal,
    tri_surface,
    travelled,
    angle,
    spread,
    region,
    position,
    normal,
    foot,
):
    for i in range(len(tri)):
        t = tri[i]
        region[i] = 0
        if t < 0:
            continue
        region[i] = tri_surface[t]
        side = np.float32(0)
        for k in range(3):
            position[i, k] = origins[i, k] + directions[i, k] * distance[i]
            side += directions[i, k] * tri_normal[t, k]
        sign = np.float32(-1.0) if side > 0 else np.float32(1.0)
        for k in range(3):
            normal[i, k] = sign * tri_normal[t, k]
        foot[i] = (travelled[i] + distance[i]) * angle + distance[i] * spread[i]


@njit(cache=True, nogil=True)
def _open_air(region, position, normal, table, light, eye, scale, out):
    """The sky's light at each hit over that in the open, from the cache; 0 where it is not known."""
    for i in range(len(region)):
        if region[i] == 0:
            continue
        row = find_cell(
            table, position[i, 0], position[i, 1], position[i, 2], normal[i, 0], normal[i, 1], normal[i, 2], eye
        )
        if row >= 0:
            out[i] = scale * (
                np.float32(0.2126) * light[row, 3]
                + np.float32(0.7152) * light[row, 4]
                + np.float32(0.0722) * light[row, 5]
            )


@njit(cache=True, nogil=True)
def _outgoing(
    directions, distance, region, position, normal, albedo, relief, cavity, seen, kind, emission, table, light, direct,
    spare, eye, keys, sample, sky, sun, sun_lux, haze, radiance,
):  # fmt: skip
    """Radiance (N, 9) of what each ray met, by light group."""
    tint = np.zeros(3, np.float32)
    for i in range(len(region)):
        for k in range(9):
            radiance[i, k] = np.float32(0)
        dx, dy, dz = directions[i, 0], directions[i, 1], directions[i, 2]
        s = region[i]
        if s == 0:
            sky_radiance(sky, dx, dy, dz, tint)
            for k in range(3):
                radiance[i, 3 + k] = tint[k]
            continue
        if kind[s] == LAMP:
            for k in range(3):
                radiance[i, 6 + k] = emission[s, k]
            continue
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        # Look up a little aside, so that the cells' borders dissolve.
        a, b = lattice_point(np.uint32(sample), np.uint32(keys[i]) ^ np.uint32(0x68BC21EB))
        tx, ty, tz, bx, by, bz = any_frame(nx, ny, nz)
        ju, jv = (a - np.float32(0.5)) * np.float32(0.4), (b - np.float32(0.5)) * np.float32(0.4)
        row = find_cell(
            table, position[i, 0] + tx * ju + bx * jv, position[i, 1] + ty * ju + by * jv,
            position[i, 2] + tz * ju + bz * jv, nx, ny, nz, eye,
        )  # fmt: skip
        facing = max(nx * sun[0] + ny * sun[1] + nz * sun[2], np.float32(0)) * seen[i] * relief[i]
        for k in range(3):
            reflect = albedo[i, k] / np.float32(np.pi)
            for g in range(3):
                value = light[row, 3 * g + k] if row >= 0 else spare[-1 - row, 3 * g + k]
                if g == 0 and row >= 0:
                    value -= direct[row, k]
                radiance[i, 3 * g + k] = reflect * value * cavity[i]
            radiance[i, k] += reflect * facing * sun_lux[k]
        if kind[s] == WATER:
            # At grazing angles the waves that show are those that lean towards the viewer: they mirror higher sky.
            mirror = fresnel_dielectric(abs(dx * nx + dy * ny + dz * nz) + WAVE_LEAN, np.float32(0.02))
            up = abs(dz) + np.float32(2) * WAVE_LEAN
            flat = np.float32(
                np.sqrt(max(np.float32(1) - up * up, np.float32(0)) / max(dx * dx + dy * dy, np.float32(1e-6)))
            )
            sky_radiance(sky, dx * flat, dy * flat, min(up, np.float32(1)), tint)
            for k in range(3):
                radiance[i, 3 + k] += mirror * tint[k]
        veil = np.float32(1) - np.float32(np.exp(-haze * distance[i]))
        if veil > np.float32(0.004):
            sky_radiance(sky, dx, dy, np.float32(0.02), tint)
            for k in range(9):
                radiance[i, k] *= np.float32(1) - veil
            for k in range(3):
                radiance[i, 3 + k] += veil * tint[k]


@njit(cache=True, nogil=True)
def _add(index, weight, radiance, share, limit, total):
    """Add weighted radiance; what is far beyond white is held, or single rays that meet a lamp leave specks."""
    for i in range(len(index)):
        brightest = np.float32(0)
        for g in range(3):
            for k in range(3):
                brightest = max(brightest, weight[i, k] * radiance[i, 3 * g + k])
        held = share if brightest <= limit else share * limit / brightest
        for g in range(3):
            for k in range(3):
                total[index[i], 3 * g + k] += weight[i, k] * radiance[i, 3 * g + k] * held


@njit(cache=True, nogil=True)
def _glass_share(directions, tri, tri_normal, tri_surface, kind, share):
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
def _rooms(index, region, position, view, normal, frames, daylight, level, colour, seed, weight, share, total):
    out = np.zeros(9, np.float32)
    for i in range(len(index)):
        room_radiance(
            position[i, 0], position[i, 1], position[i, 2], view[i, 0], view[i, 1], view[i, 2], normal[i, 0],
            normal[i, 1], normal[i, 2], frames[region[i]], daylight[i], level, colour, seed, out,
        )  # fmt: skip
        for g in range(3):
            for k in range(3):
                total[index[i], 3 * g + k] += weight[i, k] * out[3 * g + k] * share


def shade_hits(
    around: Surroundings, tables: Tables, origins, directions, distance, tri, travelled, angle, spread, keys, sample
):
    """Radiance (N, 9) of what rays met in the scene without glass.

    `angle` is a pixel's, `spread` (N,) what a rough mirror adds to it: finishes are averaged over both.
    """
    count = len(tri)
    region = np.empty(count, np.int32)
    position, normal = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
    foot = np.zeros(count, np.float32)
    _places(
        origins, directions, distance, tri, tables.tri_normal, tables.tri_surface, travelled, np.float32(angle), spread, region,
        position, normal, foot,
    )  # fmt: skip
    cache = around.cache
    open_air = np.zeros(count, np.float32)
    # Wear is too fine to show in a mirror; rain and snow are not.
    if around.wet > 0 or around.snow > 0:
        _open_air(
            region, position, normal, cache.table, cache.light, cache.eye, np.float32(1 / around.open_lux), open_air
        )
    look = look_at_surfaces(
        tables, region, position, directions, normal, foot, around.sun, around.seed, None, open_air, around.wet,
        around.snow,
    )  # fmt: skip
    seen = np.zeros(count, np.float32)
    if around.sun_lux.max() > 0:
        hit = np.flatnonzero(region > 0)
        lift = 1e-3 + 2e-4 * (travelled[hit] + distance[hit])
        seen[hit] = sun_visibility(
            around.open, position[hit], normal[hit], keys[hit], around.sun, 1.0, 1, lift.astype(np.float32)
        )
    radiance = np.empty((count, 9), np.float32)
    _outgoing(
        directions, np.where(tri >= 0, distance, np.float32(0)), region, position, normal, look.albedo, look.relief,
        look.cavity, seen, tables.kind, tables.emission, cache.table, cache.light, cache.sun_direct, cache.spare,
        cache.eye, keys, sample, around.sky, around.sun, around.sun_lux,
        np.float32(around.haze), radiance,
    )  # fmt: skip
    return radiance


def trace_specular(
    around: Surroundings,
    tables: Tables,
    region,
    position,
    view,
    normal,
    look,
    keys,
    depth,
    lift,
    daylight,
    samples,
    angle,
    limit,
) -> np.ndarray:
    """Radiance (N, 9) by light group, reflected by and seen through N places.

    `daylight` (N, 3) is the illuminance there, for rooms; `angle` the width of a pixel at 1 m;
    `limit` the radiance, cd/m², at which a single ray is held.
    """
    total = np.zeros((len(region), 9), np.float32)
    everyone = np.arange(len(region))
    glass = np.flatnonzero(tables.kind[region] == GLASS)
    share, limit = np.float32(1.0 / samples), np.float32(limit)
    travelled = depth.astype(np.float32)
    clear = np.zeros(len(region), np.float32)
    spread = np.where(tables.kind[region] == GLASS, clear, 0.5 * look.rough).astype(np.float32)
    start = position + normal * lift[:, None]
    weight = np.zeros((len(region), 3), np.float32)
    directions = np.zeros_like(position)
    for sample in range(samples):
        mirror_rays(
            region, view, normal, look.bent, look.rough, look.albedo, keys, sample, samples, tables.finish, tables.rows,
            tables.kind, np.float32(angle), directions, weight,
        )  # fmt: skip
        # Reflections that would hardly show are not worth a ray.
        use = everyone if samples == 1 else np.flatnonzero(weight.max(axis=1) > 0.002)
        _reflect(
            around,
            tables,
            use,
            start[use],
            directions[use],
            weight[use],
            travelled[use],
            angle,
            spread[use],
            keys[use],
            sample,
            share,
            limit,
            total,
        )
    if not len(glass):
        return total
    virtual = around.rooms[region[glass], 1] > 0
    weight, directions = np.zeros((len(glass), 3), np.float32), np.zeros((len(glass), 3), np.float32)
    for sample in range(samples):
        rays_through_glass(
            region[glass], view[glass], keys[glass], look.cavity[glass], sample, samples, tables.finish, tables.rows, tables.base,
            np.float32(angle), normal[glass], directions, weight,
        )  # fmt: skip
        rooms, real = glass[virtual], glass[~virtual]
        _rooms(
            rooms, region[rooms], position[rooms], directions[virtual], normal[rooms], around.rooms, daylight[rooms],
            np.float32(around.room_level), around.room_colour, around.seed, weight[virtual], share, total,
        )  # fmt: skip
        if len(real):
            behind = position[real] - normal[real] * lift[real, None]
            ways = np.ascontiguousarray(directions[~virtual])
            distance, tri = around.open.closest(behind, ways)
            radiance = shade_hits(
                around,
                around.open_tables,
                behind,
                ways,
                distance,
                tri,
                travelled[real],
                angle,
                clear[real],
                keys[real],
                sample,
            )
            _add(real, weight[~virtual], radiance, share, limit, total)
    return total


def _reflect(
    around, tables, index, start, directions, weight, travelled, angle, spread, keys, sample, share, limit, total
) -> None:
    start, directions = np.ascontiguousarray(start), np.ascontiguousarray(directions)
    distance, tri = around.open.closest(start, directions)
    met = np.zeros(0, np.int64)
    if around.panes is not None:
        before, pane = around.panes.closest(start, directions)
        pane[before >= distance] = -1
        mirrored = np.empty(len(index), np.float32)
        _glass_share(directions, pane, around.pane_normal, around.pane_surface, tables.kind, mirrored)
        met = np.flatnonzero(mirrored > 0)
    radiance = shade_hits(
        around, around.open_tables, start, directions, distance, tri, travelled, angle, spread, keys, sample
    )
    if len(met):
        _bend_in_panes(met, directions, pane, around.pane_normal, around.sky, mirrored, radiance)
    _add(index, weight, radiance, share, limit, total)


@njit(cache=True, nogil=True)
def _bend_in_panes(panes, directions, pane, tri_normal, sky, mirrored, radiance):
    """Glass met by a reflected ray mirrors the sky in turn; what lies behind it shows the rest."""
    tint = np.zeros(3, np.float32)
    for i in panes:
        n = tri_normal[pane[i]]
        dot = directions[i, 0] * n[0] + directions[i, 1] * n[1] + directions[i, 2] * n[2]
        dx = directions[i, 0] - np.float32(2) * dot * n[0]
        dy = directions[i, 1] - np.float32(2) * dot * n[1]
        dz = directions[i, 2] - np.float32(2) * dot * n[2]
        sky_radiance(sky, dx, dy, max(dz, np.float32(0.02)), tint)
        for k in range(9):
            radiance[i, k] *= np.float32(1) - mirrored[i]
        for k in range(3):
            radiance[i, 3 + k] += mirrored[i] * tint[k]
