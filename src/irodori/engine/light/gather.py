"""Light from the sky and from other surfaces, over the hemisphere of each light point."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.engine.light.directions import add_sky, hemisphere_rays, overcast, sky_place
from irodori.engine.light.light_cache import EACH, LightCache, find_cell
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.surface.tables import LAMP, Tables

GATHERED = 9
"""Columns of each light: its sky, its sun bounced, its sky bounced; they come after the lamps' bounced light."""

CLOSE = np.float32(0.35)
"""m within which what stands beside a place keeps soil and dust there."""


@njit(cache=True, nogil=True)
def _add_hits(
    origins, directions, distance, tri, tri_normal, tri_surface, mean, kind, skies, table, cache_light, spare, eye,
    count, share, first, light, clear,
):  # fmt: skip
    """Add `count` rays a point to its light (P, first + GATHERED · L) and to `clear` (P, 2)."""
    rows, columns, lights, _ = skies.shape
    even = np.float32(np.pi) * share
    for p in range(len(light)):
        for s in range(count):
            ray = p * count + s
            t = tri[ray]
            dx, dy, dz = directions[ray, 0], directions[ray, 1], directions[ray, 2]
            if t < 0:
                clear[p, 0] += overcast(dz) * share
                place = sky_place(rows, columns, dx, dy, dz)
                for n in range(lights):
                    add_sky(skies, n, place, even, first + GATHERED * n, light[p])
                continue
            if distance[ray] < CLOSE:
                clear[p, 1] += share
            surface = tri_surface[t]
            if kind[surface] == LAMP:
                continue
            side = dx * tri_normal[t, 0] + dy * tri_normal[t, 1] + dz * tri_normal[t, 2]
            sign = np.float32(-1.0) if side > 0 else np.float32(1.0)
            row = find_cell(
                table, origins[ray, 0] + dx * distance[ray], origins[ray, 1] + dy * distance[ray],
                origins[ray, 2] + dz * distance[ray],
                sign * tri_normal[t, 0], sign * tri_normal[t, 1], sign * tri_normal[t, 2], eye,
            )  # fmt: skip
            lit = cache_light[row] if row >= 0 else spare[-1 - row]
            for k in range(3):
                tone = mean[surface, k] * share
                for m in range(0, first, 3):
                    light[p, m + k] += lit[m + k] * tone
                for n in range(lights):
                    light[p, first + GATHERED * n + 3 + k] += lit[first + EACH * n + k] * tone
                    light[p, first + GATHERED * n + 6 + k] += lit[first + EACH * n + 3 + k] * tone


def gather_light(
    scene: RayScene, tables: Tables, skies: np.ndarray, cache: LightCache, points: np.ndarray, normals: np.ndarray,
    keys: np.ndarray, lift: np.ndarray, samples: int,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Illuminance at points, (P, 3 M + GATHERED · L) lx, under L `skies` (R, K, L, 3); and (P, 2) the share of an overcast sky's,
    and of the directions in which something is `CLOSE`.

    `samples` rays a point are traced in waves.
    """
    first = cache.light.shape[1] - EACH * skies.shape[2]
    light = np.zeros((len(points), first + GATHERED * skies.shape[2]), np.float32)
    clear = np.zeros((len(points), 2), np.float32)
    per_wave = max(1, min(samples, 65536 // max(len(points), 1)))
    done = 0
    while done < samples:
        count = min(per_wave, samples - done)
        origins = np.empty((len(points) * count, 3), np.float32)
        directions = np.empty_like(origins)
        hemisphere_rays(points, normals, keys, done, count, lift, origins, directions)
        distance, tri = scene.closest(origins, directions)
        _add_hits(
            origins, directions, distance, tri, tables.tri_normal, tables.tri_surface, tables.mean, tables.kind, skies,
            cache.table, cache.light, cache.spare, cache.eye, count, np.float32(1.0 / samples), first, light, clear,
        )  # fmt: skip
        done += count
    return light, clear
