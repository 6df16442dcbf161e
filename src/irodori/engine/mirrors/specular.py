"""Mirrors, water, gloss and glass: what is reflected and what lies behind, shaded like any other surface."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.sampling import ASIDE_IN_CELLS, lattice_point
from irodori.engine.light.directions import add_sky, add_veil, any_frame, sky_place
from irodori.engine.light.light_cache import LightCache, find_cell
from irodori.engine.light.sunlight import FRONT, NONE, Sun, sun_visibility
from irodori.engine.mirrors.panes import (
    Ahead,
    bend_in_panes,
    glass_share,
    over_pixels,
    passing_glass,
    rooms_behind,
    rooms_in_panes,
    sky_ahead,
    uneven,
)  # fmt: skip
from irodori.engine.mirrors.specular_rays import mirror_rays
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.surface.file_textures import FileTextures, lay_textures
from irodori.engine.surface.fresnel import fresnel_dielectric
from irodori.engine.surface.surface_look import Look, Places, Weather, look_at_surfaces, relief_under
from irodori.engine.surface.tables import GLASS, LAMP, WATER, Tables

LEAN = np.float32(1.5)
"""Mean slope, radians, of the ripples that show at a glancing view, over their microfacet alpha."""


@dataclass(frozen=True, eq=False)
class Surroundings:
    """All that a secondary ray may meet. `open` has everything but the glass, which is in `panes` if there is any, with
    `pane_normal` (G, 3) and `pane_surface` (G,) of its triangles; `textures` are those of the open triangles."""

    tables: Tables
    open: RayScene
    open_tables: Tables
    textures: FileTextures | None
    panes: RayScene | None
    pane_normal: np.ndarray
    pane_surface: np.ndarray
    cache: LightCache
    rooms: np.ndarray
    room_colour: np.ndarray
    seed: int
    angle: float


@dataclass(frozen=True, eq=False)
class Shining:
    """Lights as secondary rays see them.

    `number` (L,) in the cache, and `lamps` (L,) the first column there of their lamps; `skies` (R, K, L, 3) with clouds in
    them, `suns` and for each the first that stands `alike`, the levels (L,) of `lamp_level` and `room_level`, `haze` (L,) 1/m, and the radiance (L,), cd/m², at
    which a single ray is held.
    """

    number: np.ndarray
    lamps: np.ndarray
    skies: np.ndarray
    suns: tuple[Sun, ...]
    alike: tuple[int, ...]
    lamp_level: np.ndarray
    room_level: np.ndarray
    haze: np.ndarray
    limit: np.ndarray


@dataclass(frozen=True, eq=False)
class Met:
    """What rays met, whatever the light and the weather: their `directions` and `distance`, the open triangle `tri`, the `places`, the
    cache's `row`, and how far shadow rays start off the surface."""

    places: Places
    tri: np.ndarray
    directions: np.ndarray
    distance: np.ndarray
    row: np.ndarray
    lift: np.ndarray
    keys: np.ndarray


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
def _find_rows(region, position, normal, table, clear, eye, keys, sample, row, open_air):
    """The cache's cell of each hit, looked up a little aside so that the cells' borders dissolve; the sky seen there."""
    for i in range(len(region)):
        if region[i] == 0:
            continue
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        a, b = lattice_point(sample, keys[i], ASIDE_IN_CELLS)
        tx, ty, tz, bx, by, bz = any_frame(nx, ny, nz)
        ju, jv = (a - np.float32(0.5)) * np.float32(0.4), (b - np.float32(0.5)) * np.float32(0.4)
        row[i] = find_cell(
            table, position[i, 0] + tx * ju + bx * jv, position[i, 1] + ty * ju + by * jv,
            position[i, 2] + tz * ju + bz * jv, nx, ny, nz, eye,
        )  # fmt: skip
        open_air[i] = clear[row[i]] if row[i] >= 0 else np.float32(0)


class _Hits(NamedTuple):
    """What `_outgoing` takes of N rays' ends: where they came from and what they met."""

    directions: np.ndarray
    distance: np.ndarray
    region: np.ndarray
    normal: np.ndarray
    row: np.ndarray


class _Surfaces(NamedTuple):
    """How the places look; `relief` and `seen` (L, N): shares of each light's sun."""

    albedo: np.ndarray
    rough: np.ndarray
    cavity: np.ndarray
    relief: np.ndarray
    seen: np.ndarray


class _Lights(NamedTuple):
    """L lights: their `number` and the `first` column in the cache, and the rest as `Shining` has it; `sun`, `lux` (L, 3)."""

    number: np.ndarray
    first: np.ndarray
    lamps: np.ndarray
    level: np.ndarray
    skies: np.ndarray
    sun: np.ndarray
    lux: np.ndarray
    haze: np.ndarray


@njit(cache=True, nogil=True)
def _outgoing(hits, surfaces, lights, cached, kind, emission, radiance):
    """Radiance (L, N, 9) of what each ray met, by light group; `cached`: the cache's light, sun's direct part and spare cells."""
    directions, distance, region, normal, row = hits
    albedo, rough, cavity, relief, seen = surfaces
    numbers, first, lamps, level, skies, sun, sun_lux, haze = lights
    light, direct, spare = cached
    rows, columns, count, _ = skies.shape
    one = np.float32(1)
    for i in range(len(region)):
        for n in range(count):
            for k in range(9):
                radiance[n, i, k] = np.float32(0)
        dx, dy, dz = directions[i, 0], directions[i, 1], directions[i, 2]
        s = region[i]
        if s == 0:
            place = sky_place(rows, columns, dx, dy, dz)
            for n in range(count):
                add_sky(skies, n, place, one, 3, radiance[n, i])
            continue
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        known = row[i] >= 0
        lit = light[row[i]] if known else spare[-1 - row[i]]
        for n in range(count):
            own = first[n]
            facing = max(nx * sun[n, 0] + ny * sun[n, 1] + nz * sun[n, 2], np.float32(0)) * seen[n, i] * relief[n, i]
            for k in range(3):
                reflect = albedo[i, k] / np.float32(np.pi)
                bounced = lit[own + k] - (direct[row[i], 3 * numbers[n] + k] if known else np.float32(0))
                radiance[n, i, k] = reflect * (bounced * cavity[i] + facing * sun_lux[n, k])
                radiance[n, i, 3 + k] = reflect * lit[own + 3 + k] * cavity[i]
                radiance[n, i, 6 + k] = reflect * lit[lamps[n] + k] * level[n] * cavity[i]
        if kind[s] == LAMP:
            for n in range(count):
                for k in range(3):
                    radiance[n, i, 6 + k] += emission[s, k] * level[n]
        if kind[s] == WATER:
            # At grazing angles the waves that show are those that lean towards the viewer: they mirror higher sky.
            lean = LEAN * rough[i]
            mirror = fresnel_dielectric(abs(dx * nx + dy * ny + dz * nz) + lean, np.float32(0.02))
            up = abs(dz) + np.float32(2) * lean
            flat = np.float32(np.sqrt(max(one - up * up, np.float32(0)) / max(dx * dx + dy * dy, np.float32(1e-6))))
            place = sky_place(rows, columns, dx * flat, dy * flat, min(up, one))
            for n in range(count):
                add_sky(skies, n, place, mirror, 3, radiance[n, i])
        place = sky_place(rows, columns, dx, dy, np.float32(0.02))
        for n in range(count):
            add_veil(distance[i], haze[n], skies, n, place, radiance[n, i])


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


def meet(around: Surroundings, origins, directions, distance, tri, travelled, spread, keys, sample) -> Met:
    """What rays met in the scene without glass.

    `spread` (N,) is what a rough mirror adds to a pixel's angle: finishes are averaged over both.
    """
    count, tables, cache = len(tri), around.open_tables, around.cache
    region = np.empty(count, np.int32)
    position, normal = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
    foot, open_air = np.zeros(count, np.float32), np.zeros(count, np.float32)
    _places(
        origins, directions, distance, tri, tables.tri_normal, tables.tri_surface, travelled, np.float32(around.angle),
        spread, region, position, normal, foot,
    )  # fmt: skip
    row = np.zeros(count, np.int64)
    _find_rows(region, position, normal, cache.table, cache.open, cache.eye, keys, sample, row, open_air)
    distance = np.where(tri >= 0, distance, np.float32(0))
    lift = (1e-3 + 2e-4 * (travelled + distance)).astype(np.float32)
    return Met(Places(region, position, directions, normal, foot, open_air), tri, directions, distance, row, lift, keys)


def light_met(around: Surroundings, met: Met, lights: Shining, weather: Weather) -> np.ndarray:
    """Radiance (L, N, 9) of what rays met, in each light of one weather."""
    tables, cache, places = around.open_tables, around.cache, met.places
    if weather.dry:
        # Wear is too fine to show in a mirror; rain and snow are not.
        places = replace(places, open_air=np.zeros_like(places.open_air))
    looked = lights.suns[0].direction
    look = look_at_surfaces(tables, places, looked, around.seed, weather)
    if around.textures is not None:
        look = lay_textures(around.textures, met.tri, places, tables, look)
    shape = len(lights.suns), len(met.row)
    seen, relief = np.zeros(shape, np.float32), np.empty(shape, np.float32)
    sides = np.where(places.region > 0, FRONT, NONE).astype(np.int8)
    for n, (sun, first) in enumerate(zip(lights.suns, lights.alike)):
        relief[n] = look.relief
        if not sun.shines:
            continue
        if first < n:
            seen[n], relief[n] = seen[first], relief[first]
            continue
        seen[n] = sun_visibility(around.open, places.position, places.normal, met.keys, sun, 1, met.lift, sides=sides)
        if not np.array_equal(sun.direction, looked):
            relief[n] = relief_under(tables, places, look, seen[n], sun.direction, around.seed, weather)
    radiance = np.empty((*shape, 9), np.float32)
    _outgoing(
        _Hits(met.directions, met.distance, places.region, places.normal, met.row),
        _Surfaces(look.albedo, look.rough, look.cavity, relief, seen),
        _Lights(
            lights.number, cache.first_columns(lights.number), lights.lamps, lights.lamp_level, lights.skies,
            np.stack([sun.direction for sun in lights.suns]), np.stack([sun.lux for sun in lights.suns]), lights.haze,
        ),
        (cache.light, cache.sun_direct, cache.spare), tables.kind, tables.emission, radiance,
    )  # fmt: skip
    return radiance


def trace_specular(
    around: Surroundings, lights: Mapping[Weather, Shining], places: Places, look: Look, keys, depth, lift, cover,
    daylight: Mapping[Weather, Sequence[np.ndarray]], ahead: Mapping[Weather, Sequence[Ahead]], at: np.ndarray, samples: int,
) -> dict[Weather, list[np.ndarray]]:  # fmt: skip
    """Radiance (N, 9) by light group, reflected by and seen through N places, for each light of each weather.

    The places look the same in all of these weathers, so the rays are the same too. `daylight` holds the illuminance in each light of
    those that are panes of imagined rooms, (R, 3); `ahead` the sky that the eye sees past panes, `at` (N, 2) px where the places
    are in the picture and `cover` (N,) the share of it that each fills.
    """
    tables, region, position, normal = around.tables, places.region, places.position, places.normal
    totals = {w: [np.zeros((len(region), 9), np.float32) for _ in shining.suns] for w, shining in lights.items()}
    everyone = np.arange(len(region))
    is_glass = tables.kind[region] == GLASS
    glass = np.flatnonzero(is_glass)
    share, angle = np.float32(1.0 / samples), np.float32(around.angle)
    travelled = depth.astype(np.float32)
    spread = np.where(is_glass, 0, 0.5 * look.rough).astype(np.float32)
    start = position + normal * lift[:, None]
    weight = np.zeros((len(region), 3), np.float32)
    directions = np.zeros_like(position)
    view = places.view.copy()
    middle, sight, facing = position[glass], places.view[glass], normal[glass]
    on_pane, along = np.empty_like(middle), np.empty_like(middle)
    foot, bent, leaning = places.foot[glass], look.bent.copy(), np.empty_like(middle)
    # From other places of the pixel only where it is of one piece.
    extent = np.float32(samples > 1) * np.sqrt(cover[glass]).astype(np.float32)

    def spread_out(sample: int) -> None:
        over_pixels(middle, sight, facing, foot, extent, sample, angle, on_pane, along)

    for sample in range(samples):
        if len(glass):
            spread_out(sample)
            start[glass], view[glass] = on_pane + facing * lift[glass, None], along
            uneven(on_pane, facing, region[glass], sample % 2, around.seed, leaning)
            bent[glass] = leaning
        mirror_rays(
            region, view, normal, bent, look.rough, look.albedo, keys, sample, samples, tables.finish,
            tables.rows, tables.kind, angle, directions, weight,
        )  # fmt: skip
        # Reflections that would hardly show are not worth a ray.
        use = everyone
        if samples > 1:
            use = np.flatnonzero(np.maximum(np.maximum(weight[:, 0], weight[:, 1]), weight[:, 2]) > 0.002)
        _reflect(
            around, lights, use, start[use], directions[use], weight[use], travelled[use], spread[use], keys[use], sample,
            share, totals,
        )  # fmt: skip
    if not len(glass):
        return totals
    virtual = around.rooms[region[glass], 1] > 0
    weight = np.zeros((len(glass), 3), np.float32)
    rooms, real = glass[virtual], glass[~virtual]
    for sample in range(samples):
        spread_out(sample)
        passing_glass(region[glass], along, look.cavity[glass], tables.finish, tables.rows, tables.base, facing, weight)
        for weather, shining in lights.items():
            for level, lux, total in zip(shining.room_level, daylight[weather], totals[weather]):
                rooms_behind(
                    rooms, region[rooms], on_pane[virtual], along[virtual], normal[rooms], around.rooms, lux, level,
                    around.room_colour, around.seed, weight[virtual], share, total,
                )  # fmt: skip
        if not len(real):
            continue
        behind = on_pane[~virtual] - normal[real] * lift[real, None]
        ways = np.ascontiguousarray(along[~virtual])
        met = meet(
            around, behind, ways, *around.open.closest(behind, ways), travelled[real], spread[real], keys[real], sample
        )
        for weather, shining in lights.items():
            seen = light_met(around, met, shining, weather)
            for one, sky, limit, total in zip(seen, ahead[weather], shining.limit, totals[weather]):
                sky_ahead(met.places.region, ways, at[real], sky, one)
                _add(real, weight[~virtual], one, share, limit, total)
    return totals


def _reflect(around, lights, index, start, directions, weight, travelled, spread, keys, sample, share, totals) -> None:
    start, directions = np.ascontiguousarray(start), np.ascontiguousarray(directions)
    distance, tri = around.open.closest(start, directions)
    panes = np.zeros(0, np.int64)
    if around.panes is not None:
        before, pane = around.panes.closest(start, directions)
        pane[before >= distance] = -1
        mirrored = np.empty(len(index), np.float32)
        glass_share(directions, pane, around.pane_normal, around.pane_surface, around.tables.kind, mirrored)
        panes = np.flatnonzero(mirrored > 0)
    met = meet(around, start, directions, distance, tri, travelled, spread, keys, sample)
    for weather, shining in lights.items():
        radiance = light_met(around, met, shining, weather)
        if len(panes):
            cache = around.cache
            rooms_in_panes(
                panes, (start, directions, before, pane), (around.pane_normal, around.pane_surface),
                (around.rooms, around.room_colour, around.seed), (cache.table, cache.eye, cache.light, cache.spare),
                (shining.room_level, cache.first_columns(shining.number), shining.skies, shining.haze), radiance,
            )  # fmt: skip
            bend_in_panes(panes, directions, pane, around.pane_normal, shining.skies, mirrored, radiance)
        for one, limit, total in zip(radiance, shining.limit, totals[weather]):
            _add(index, weight, one, share, limit, total)
