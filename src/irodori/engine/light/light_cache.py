"""Irradiance at the places that indirect rays hit.

Space is cut into cells by distance from the camera and by facing; each cell that the first rays find keeps the
light of sun, sky and lamps, direct and bounced. Looking a hit up instead of tracing on removes the noise of
later bounces. (In the spirit of irradiance caching: Ward, Rubinstein, Clear, SIGGRAPH 1988.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.sampling import hash_u32, place_keys
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.light.directions import add_sky, hemisphere_rays, overcast, sky_place
from irodori.engine.light.lamps import LampSet, lamp_irradiance
from irodori.engine.light.sunlight import Sun, sun_visibility
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.surface.tables import LAMP, Tables

CELL, ASIDE = 0.4, 0.0917
"""Edge of the smallest cell, m; cells start so far aside that round dimensions do not lie on their borders."""

NEAR = 16.0
"""Metres within which cells are smallest; they double with every doubling of the distance."""

COARSER = 2
"""Levels between a cell and the coarse cell that answers when it is missing."""

BOUNCES = 60
SETTLED = 1e-3
"""Light is bounced on until a bounce adds less than this share of what is there, at most `BOUNCES` times."""

EACH = 6
"""Columns of each light in a cache: its sun's light, and its sky's. Those of the lamps, burning in full, come first."""


@dataclass(frozen=True, eq=False)
class LightCache:
    """Irradiance, lx, by cell.

    `table` (K, 2) int64 open-addressed keys and rows; `light` (C, 3 M + EACH · L) float32 for M ways to count lamps and
    L lights, of which `sun_direct` (C, 3 L) is direct sun; `spare` (6, 3 M + EACH · L) by facing; `open` (C,) the share of an overcast
    sky's light that reaches a cell.
    """

    table: np.ndarray
    light: np.ndarray
    sun_direct: np.ndarray
    spare: np.ndarray
    open: np.ndarray
    eye: np.ndarray

    def first_columns(self, number: np.ndarray) -> np.ndarray:
        """The first column of `light` that holds each light's sun, its sky three after, (L,); `number` (L,) of the lights."""
        return self.light.shape[1] - EACH * (self.sun_direct.shape[1] // 3 - number)


@njit(cache=True)
def facing_code(nx, ny, nz):
    """0 … 5: the axis that a normal points along most."""
    ax, ay, az = abs(nx), abs(ny), abs(nz)
    if az >= ax and az >= ay:
        return 0 if nz > 0 else 1
    if ax >= ay:
        return 2 if nx > 0 else 3
    return 4 if ny > 0 else 5


@njit(cache=True)
def cell_key(x, y, z, code, eye, coarser):
    """The cell of a place that faces `code`, as a 63-bit key."""
    dx, dy, dz = x - eye[0], y - eye[1], z - eye[2]
    square, level = dx * dx + dy * dy + dz * dz, 0
    while square >= np.float32(NEAR * NEAR) and level < 15:
        square *= np.float32(0.25)
        level += 1
    level = min(level + coarser, 15)
    per_metre = np.float32(1 / CELL) / np.float32(1 << level)
    aside = np.float32(ASIDE)
    i = np.int64(np.floor((x + aside) * per_metre)) & 0x1FFFF
    j = np.int64(np.floor((y + aside) * per_metre)) & 0x1FFFF
    k = np.int64(np.floor((z + aside) * per_metre)) & 0x1FFFF
    return (i << 44) | (j << 27) | (k << 10) | (level << 4) | np.int64(code + 1)


@njit(cache=True)
def _find(table, key):
    mask = len(table) - 1
    at = np.int64(hash_u32(np.uint32(key) ^ hash_u32(np.uint32(key >> 32)))) & mask
    while True:
        if table[at, 0] == key:
            return table[at, 1]
        if table[at, 0] == 0:
            return np.int64(-1)
        at = (at + 1) & mask


@njit(cache=True)
def find_cell(table, x, y, z, nx, ny, nz, eye):
    """Row of the cell at a hit, −1 − facing when neither it nor its coarse cell is known."""
    code = facing_code(nx, ny, nz)
    row = _find(table, cell_key(x, y, z, code, eye, 0))
    if row < 0:
        row = _find(table, cell_key(x, y, z, code, eye, COARSER))
    return row if row >= 0 else np.int64(-1 - code)


@njit(cache=True)
def _build_table(keys, table):
    mask = len(table) - 1
    for row in range(len(keys)):
        key = keys[row]
        at = np.int64(hash_u32(np.uint32(key) ^ hash_u32(np.uint32(key >> 32)))) & mask
        while table[at, 0] != 0:
            at = (at + 1) & mask
        table[at, 0] = key
        table[at, 1] = row


@njit(cache=True, nogil=True)
def _keys_of_hits(origins, directions, distance, tri, tri_normal, eye, positions, normals, keys):
    """Positions, facing normals and the fine and coarse key of every hit; key 0 where nothing was hit."""
    for i in range(len(tri)):
        t = tri[i]
        if t < 0:
            keys[i, 0] = 0
            keys[i, 1] = 0
            continue
        side = np.float32(0)
        for k in range(3):
            positions[i, k] = origins[i, k] + directions[i, k] * distance[i]
            side += directions[i, k] * tri_normal[t, k]
        sign = np.float32(-1.0) if side > 0 else np.float32(1.0)
        for k in range(3):
            normals[i, k] = sign * tri_normal[t, k]
        code = facing_code(normals[i, 0], normals[i, 1], normals[i, 2])
        keys[i, 0] = cell_key(positions[i, 0], positions[i, 1], positions[i, 2], code, eye, 0)
        keys[i, 1] = cell_key(positions[i, 0], positions[i, 1], positions[i, 2], code, eye, COARSER)


@njit(cache=True, nogil=True)
def _first_light(
    directions, distance, origins, tri, tri_normal, tri_surface, mean, kind, skies, table, eye, count, light, first, clear, cells,
    albedo,
):  # fmt: skip
    """Light of the `skies` (R, K, L, 3) in each cell, from column `first` on, and which cells its rays hit with what albedo."""
    rows, columns, lights, _ = skies.shape
    even, up = np.float32(np.pi) / np.float32(count), np.float32(1) / np.float32(count)
    for c in range(len(light)):
        for s in range(count):
            ray = c * count + s
            t = tri[ray]
            cells[c, s] = -100
            dx, dy, dz = directions[ray, 0], directions[ray, 1], directions[ray, 2]
            if t < 0:
                clear[c] += overcast(dz) * up
                place = sky_place(rows, columns, dx, dy, dz)
                for n in range(lights):
                    add_sky(skies, n, place, even, first + EACH * n + 3, light[c])
                continue
            surface = tri_surface[t]
            if kind[surface] == LAMP:
                continue
            x = origins[ray, 0] + dx * distance[ray]
            y = origins[ray, 1] + dy * distance[ray]
            z = origins[ray, 2] + dz * distance[ray]
            side = dx * tri_normal[t, 0] + dy * tri_normal[t, 1] + dz * tri_normal[t, 2]
            sign = np.float32(-1.0) if side > 0 else np.float32(1.0)
            cells[c, s] = find_cell(
                table, x, y, z, sign * tri_normal[t, 0], sign * tri_normal[t, 1], sign * tri_normal[t, 2], eye
            )
            for k in range(3):
                albedo[c, s, k] = mean[surface, k]


@njit(cache=True, nogil=True)
def _bounce(direct, before, after, spare, cells, albedo, colours, begin, end):
    """One more bounce of some cells' RGB triples that begin at the columns `colours`.

    Returns (2, C / 3): what it added to their light, and that light.
    """
    share = np.float32(1) / np.float32(cells.shape[1])
    sums = np.zeros((2, direct.shape[1] // 3))
    for c in range(begin, end):
        for g in colours:
            for k in range(3):
                after[c, g + k] = direct[c, g + k]
        for s in range(cells.shape[1]):
            row = cells[c, s]
            if row == -100:
                continue
            lit = before[row] if row >= 0 else spare[-1 - row]
            for g in colours:
                for k in range(3):
                    after[c, g + k] += lit[g + k] * albedo[c, s, k] * share
        for g in colours:
            for k in range(3):
                sums[0, g // 3] += abs(after[c, g + k] - before[c, g + k])
                sums[1, g // 3] += abs(before[c, g + k])
    return sums


@njit(cache=True, nogil=True)
def _fill_spare(codes, light, spare):
    """The mean light of all cells that face one way; ways that none faces keep theirs."""
    count = np.zeros(len(spare), np.int64)
    total = np.zeros(spare.shape)
    for c in range(len(codes)):
        count[codes[c]] += 1
        for k in range(light.shape[1]):
            total[codes[c], k] += light[c, k]
    for code in range(len(spare)):
        for k in range(light.shape[1]):
            if count[code] > 0:
                spare[code, k] = np.float32(total[code, k] / count[code])


@njit(cache=True)
def _smooth_cells(table, keys, source, target):
    """Average every cell with those beside it in its own plane."""
    for c in range(len(keys)):
        key = keys[c]
        code = (key & 15) - 1
        level = (key >> 4) & 0x3F
        at = ((key >> 44) & 0x1FFFF, (key >> 27) & 0x1FFFF, (key >> 10) & 0x1FFFF)
        across = 2 if code < 2 else 0 if code < 4 else 1
        weight = np.float32(2)
        slots = source.shape[1]
        for g in range(slots):
            target[c, g] = source[c, g] * np.float32(2)
        for a in range(-1, 2):
            for b in range(-1, 2):
                if a == 0 and b == 0:
                    continue
                i, j, k = at
                if across == 2:
                    i, j = i + a, j + b
                elif across == 0:
                    j, k = j + a, k + b
                else:
                    i, k = i + a, k + b
                near = ((i & 0x1FFFF) << 44) | ((j & 0x1FFFF) << 27) | ((k & 0x1FFFF) << 10) | (level << 4) | (code + 1)
                row = _find(table, near)
                if row >= 0:
                    weight += np.float32(1)
                    for g in range(slots):
                        target[c, g] += source[row, g]
        for g in range(slots):
            target[c, g] /= weight


def build_cache(
    scene: RayScene, tables: Tables, skies: np.ndarray, suns: Sequence[Sun], lamps: LampSet, least: Sequence[float],
    seeds: tuple[np.ndarray, np.ndarray], sights: tuple[np.ndarray, np.ndarray], eye: np.ndarray, *, rays: int, seed: int,
) -> LightCache:  # fmt: skip
    """Find cells from `seeds` (points and normals where light will be wanted), and where `sights` end (origins and directions of
    rays that will be followed), and light them.

    `skies` (R, K, L, 3) and `suns` are those of L lights; the lamps are counted from each of the M `least` lx on; `rays` is
    the number of hemisphere rays a cell. What a light gives does not depend on the others.
    """
    eye = np.asarray(eye, np.float32)
    points, normals, keys = _discover(scene, tables, *seeds, eye, 8, seed)
    more = _discover(scene, tables, points[::2].copy(), normals[::2].copy(), eye, 4, seed + 1)
    ends = _ends_of(scene, tables, *sights, eye)
    points, normals, keys = (np.concatenate(some) for some in zip((points, normals, keys), more, ends))
    keys, first = np.unique(keys, return_index=True)
    points, normals = points[first], normals[first]
    size = 1 << max(int(np.ceil(np.log2(len(keys) * 2 + 2))), 4)
    table = np.zeros((size, 2), np.int64)
    _build_table(keys, table)
    first_sky = 3 * len(least)
    slots = first_sky + EACH * len(suns)
    spare = np.zeros((6, slots), np.float32)
    if not len(keys):
        none = np.zeros((1, slots), np.float32)
        return LightCache(table, none, none[:, : 3 * len(suns)], spare, none[:, 0], eye)

    direct = np.zeros((len(keys), slots), np.float32)
    sun_direct = np.zeros((len(keys), 3 * len(suns)), np.float32)
    clear = np.zeros(len(keys), np.float32)
    cells = np.empty((len(keys), rays), np.int32)
    albedo = np.zeros((len(keys), rays, 3), np.float32)

    def work(span: tuple[int, int]) -> None:
        a, b = span
        origins = np.empty(((b - a) * rays, 3), np.float32)
        directions = np.empty_like(origins)
        lift = np.full(b - a, 2e-3, np.float32)
        ids = place_keys(np.arange(a, b), np.zeros(b - a), seed)
        hemisphere_rays(points[a:b], normals[a:b], ids, 0, rays, lift, origins, directions)
        distance, tri = scene.closest(origins, directions)
        _first_light(
            directions, distance, origins, tri, tables.tri_normal, tables.tri_surface, tables.mean, tables.kind,
            skies, table, eye, rays, direct[a:b], first_sky, clear[a:b], cells[a:b], albedo[a:b],
        )  # fmt: skip
        for n, sun in enumerate(suns):
            if not sun.shines:
                continue
            seen = sun_visibility(scene, points[a:b], normals[a:b], ids, sun, 1, lift)
            facing = np.maximum(normals[a:b] @ sun.direction, 0.0) * seen
            sun_direct[a:b, 3 * n : 3 * n + 3] = facing[:, None] * sun.lux
        direct[a:b, :first_sky] = lamp_irradiance(
            scene, lamps, points[a:b], normals[a:b], ids, max(4, rays // 8), lift, least
        )

    for_each_tile(split_tiles(len(keys), max(65536 // rays, 64)), work)
    sun_columns = np.concatenate([first_sky + EACH * n + np.arange(3) for n in range(len(suns))])
    direct[:, sun_columns] += sun_direct
    light = _bounced(direct, spare, cells, albedo, (keys & 15) - 1)
    # Smooth all but the direct sun, which has true edges.
    light[:, sun_columns] -= sun_direct
    smooth = np.empty_like(light)
    _smooth_cells(table, keys, light, smooth)
    smooth[:, sun_columns] += sun_direct
    return LightCache(table, smooth, sun_direct, spare, clear, eye)


def _bounced(direct, spare, cells, albedo, codes) -> np.ndarray:
    """Direct light with all its bounces; fills `spare`. Each colour triple is bounced until it has settled itself."""
    light, after = direct.copy(), direct.copy()
    colours = np.arange(0, direct.shape[1], 3)
    tiles = split_tiles(len(direct), 2048)
    for _ in range(BOUNCES):
        _fill_spare(codes, light, spare)
        sums = for_each_tile(
            tiles, lambda span, of=colours: _bounce(direct, light, after, spare, cells, albedo, of, *span)
        )
        added, total = np.sum(sums, axis=0)
        for g in colours:
            light[:, g : g + 3] = after[:, g : g + 3]
        colours = colours[added[colours // 3] > SETTLED * total[colours // 3]]
        if not len(colours):
            break
    _fill_spare(codes, light, spare)
    return light


def _ends_of(scene, tables, origins, directions, eye):
    """Points, normals and keys of the cells where rays end."""
    return _once(
        *_hits(
            scene, tables, np.ascontiguousarray(origins, np.float32), np.ascontiguousarray(directions, np.float32), eye
        )
    )


def _hits(scene, tables, origins, directions, eye):
    distance, tri = scene.closest(origins, directions)
    positions, facing = np.empty_like(origins), np.empty_like(origins)
    keys = np.empty((len(origins), 2), np.int64)
    _keys_of_hits(origins, directions, distance, tri, tables.tri_normal, eye, positions, facing, keys)
    hit = keys[:, 0] != 0
    return positions[hit], facing[hit], keys[hit]


def _once(positions, facing, keys):
    flat = keys.T.reshape(-1)
    unique, first = np.unique(flat, return_index=True)
    at = first % max(len(positions), 1)
    return positions[at], facing[at], unique


def _discover(scene, tables, points, normals, eye, rays, seed):
    if not len(points):
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.float32), np.zeros(0, np.int64)
    found = []

    def work(span: tuple[int, int]):
        a, b = span
        origins = np.empty(((b - a) * rays, 3), np.float32)
        directions = np.empty_like(origins)
        ids = place_keys(np.arange(a, b), np.zeros(b - a), seed)
        hemisphere_rays(points[a:b], normals[a:b], ids, 0, rays, np.full(b - a, 2e-3, np.float32), origins, directions)
        return _hits(scene, tables, origins, directions, eye)

    found = for_each_tile(split_tiles(len(points), 16384 // rays), work)
    return _once(*(np.concatenate(column) for column in zip(*found)))
