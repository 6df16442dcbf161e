"""Where indirect light is computed, and how it is carried to every fragment.

Light varies slowly over a surface, so it is computed at every second or third pixel, and again at fragments that
no such pixel stands for (small and thin members); each fragment then takes the light of its own surface's
neighbours (joint bilateral, after Kopf et al., SIGGRAPH 2007).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.sampling import place_keys
from irodori.core.work.tiles import for_each_tile, split_tiles

CARRIED = 15
"""Channels of light at a point: sky, sun, sky and lamps bounced, lamps; a number known when compiled runs faster."""

FROM_SKY, FROM_BOUNCES, FROM_LAMPS = 0, 3, 12
"""First channels of these."""

BACKDROP_FOCAL, LEVEL = 0.9, 0.26
"""Focal length, of the picture's width, that the sky behind a parallel view is seen with, and how far it may look up or
down (sine) to have one."""


@dataclass(frozen=True, eq=False)
class LightPoints:
    """Points of light: the first `grid[0] · grid[1]` lie on a grid of `step` pixels, then come the orphans.

    `position` (P, 3), `normal` (P, 3), `region` (P,), `depth` (P,), `key` (P,) uint32; `own` (N,) int32 the orphan
    of each fragment or −1.
    """

    step: int
    grid: tuple[int, int]
    position: np.ndarray
    normal: np.ndarray
    region: np.ndarray
    depth: np.ndarray
    key: np.ndarray
    own: np.ndarray


def fragment_positions(camera: Camera, fragments: Fragments, span: slice) -> tuple[np.ndarray, np.ndarray]:
    """World positions (N, 3) and unit view directions (N, 3) of the fragments in `span`; sky lies at 1 m.

    A level parallel view looks at one point of the horizon: its sky is that of a normal lens, or it would be one flat tone.
    """
    pixel = fragments.pixel[span]
    points = np.empty((len(pixel), 3), np.float32)
    unit = np.empty((len(pixel), 3), np.float32)
    inverse = np.linalg.inv(camera.matrix)
    _place(
        pixel, fragments.offset[span], fragments.depth[span], camera.size[0], inverse[0, 0], inverse[0, 2],
        inverse[1, 1], inverse[1, 2], camera.rotation, camera.position, camera.projection == "parallel",
        np.float32(camera.focal / (BACKDROP_FOCAL * camera.size[0]) * (abs(camera.rotation[2, 2]) < LEVEL)), points, unit,
    )  # fmt: skip
    return points, unit


@njit(cache=True, nogil=True)
def _place(pixel, offset, depth, width, ax, bx, ay, by, rotation, eye, parallel, spread, points, unit):
    for i in range(len(pixel)):
        u = (pixel[i] % width + offset[i, 0]) * ax + bx
        v = (pixel[i] // width + offset[i, 1]) * ay + by
        reach = depth[i] if depth[i] < np.inf else np.float32(1)
        length = 1.0 if parallel else 1.0 / np.sqrt(u * u + v * v + 1.0)
        backdrop = parallel and spread > 0 and depth[i] == np.inf
        for k in range(3):
            aside = u * rotation[0, k] + v * rotation[1, k]
            if parallel:
                points[i, k] = eye[k] + aside + reach * rotation[2, k]
                unit[i, k] = rotation[2, k]
                if backdrop:
                    way = rotation[2, k] + spread * aside
                    unit[i, k] = max(way, np.float32(0.01)) if k == 2 else way
            else:
                way = aside + rotation[2, k]
                points[i, k] = eye[k] + reach * way
                unit[i, k] = way * length
        if backdrop:
            length = 1.0 / np.sqrt(unit[i, 0] ** 2 + unit[i, 1] ** 2 + unit[i, 2] ** 2)
            for k in range(3):
                unit[i, k] *= length


def lighting_normals(normal: np.ndarray, region: np.ndarray, loose: np.ndarray) -> np.ndarray:
    """Normals for lighting: planting is lit mostly from above, or every leaf would be a speckle."""
    soft = loose[region]
    if not soft.any():
        return normal
    out = normal.copy()
    lifted = out[soft] * np.float32(0.45) + np.array([0, 0, 0.75], np.float32)
    out[soft] = lifted / np.linalg.norm(lifted, axis=1, keepdims=True)
    return out


def place_light_points(
    camera: Camera, fragments: Fragments, wanted: np.ndarray, loose: np.ndarray, step: int, seed: int
) -> LightPoints:
    """Choose the grid, and the orphans among the fragments at `wanted` (W,), which light is carried to."""
    width, height = camera.size
    columns, rows = (width + step - 1) // step, (height + step - 1) // step
    first = fragments.first()
    ys = np.minimum(np.arange(rows) * step + step // 2, height - 1)
    xs = np.minimum(np.arange(columns) * step + step // 2, width - 1)
    chosen = first[(ys[:, None] * width + xs[None, :]).ravel()]
    position, region, normal = (
        _positions_of(camera, fragments, chosen),
        fragments.region[chosen],
        fragments.normal[chosen],
    )
    normal = lighting_normals(normal, region, loose)
    grid = Grid(position, normal, region, columns, rows, step, width, np.float32(camera.footprint(np.float32(1.0))))

    def lonely_ones(bounds: tuple[int, int]) -> tuple[np.ndarray, ...]:
        part = fragments.take(wanted[slice(*bounds)])
        at, _ = fragment_positions(camera, part, slice(None))
        bent = lighting_normals(part.normal, part.region, loose)
        lonely = np.zeros(len(at), np.bool_)
        _mark_orphans(Asking(part.pixel, part.region, at, bent, part.depth), grid, loose, lonely)
        index = np.flatnonzero(lonely)
        return at[index], bent[index], part.region[index], part.depth[index], wanted[bounds[0] + index]

    points = for_each_tile(split_tiles(len(wanted), 1 << 16), lonely_ones)
    extra = [np.concatenate(column) for column in zip(*points)]
    own = np.full(len(fragments), -1, np.int32)
    own[extra[4]] = len(chosen) + np.arange(len(extra[4]))
    at = fragments.pixel[extra[4]]
    y, x = np.mgrid[:rows, :columns].reshape(2, -1)
    keys = place_keys(np.append(x, at % width), np.append(y, at // width), seed)
    return LightPoints(
        step, (rows, columns), np.concatenate([position, extra[0]]), np.concatenate([normal, extra[1]]),
        np.concatenate([region, extra[2]]).astype(np.int32),
        np.concatenate([fragments.depth[chosen], extra[3]]).astype(np.float32), keys, own,
    )  # fmt: skip


def _positions_of(camera: Camera, fragments: Fragments, index: np.ndarray) -> np.ndarray:
    part = fragments.take(index)
    return fragment_positions(camera, part, slice(None))[0]


@njit(cache=True)
def _grid_place(pixel, width, step):
    """Where a pixel lies among the grid's points, (x, y) in steps."""
    half, per_pixel = np.float32(step // 2), np.float32(1) / np.float32(step)
    y = pixel // width
    return (np.float32(pixel - y * width) - half) * per_pixel, (np.float32(y) - half) * per_pixel


@njit(cache=True)
def _likeness(surface, other, soft, normal, position, g_normal, g_position, i, g, tolerance):
    """How well light point g on the surface `other` stands for fragment i on `surface`, `soft` or not, 0 … 1."""
    if other == surface and soft:
        return np.float32(1)
    if other == 0:
        return np.float32(0)
    nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
    dot = nx * g_normal[g, 0] + ny * g_normal[g, 1] + nz * g_normal[g, 2]
    gap = abs(
        (g_position[g, 0] - position[i, 0]) * nx
        + (g_position[g, 1] - position[i, 1]) * ny
        + (g_position[g, 2] - position[i, 2]) * nz
    )
    if dot < np.float32(0.92) or gap > tolerance:
        return np.float32(0)
    weight = (dot - np.float32(0.92)) * np.float32(1 / 0.08) * (np.float32(1) - gap / tolerance)
    return weight if other == surface else weight * np.float32(0.3)


class Asking(NamedTuple):
    """Fragments that ask for light: N rows each, normals as `lighting_normals` has them."""

    pixel: np.ndarray
    region: np.ndarray
    position: np.ndarray
    normal: np.ndarray
    depth: np.ndarray


class Grid(NamedTuple):
    """The points of the grid, (P, …), one every `step` px of a picture of `width` px, and the width of a pixel at 1 m, `scale`."""

    position: np.ndarray
    normal: np.ndarray
    region: np.ndarray
    columns: int
    rows: int
    step: int
    width: int
    scale: np.float32


@njit(cache=True, nogil=True)
def find_carriers(asking, grid, loose, own, clear, point, share, open_air):
    """The points that fragments of surfaces take their light from, and their shares: `point` (N, 4) int32, `share` (N, 4).

    `own` (N,) is the point made for a fragment alone, −1 for none. `open_air` (N,) is what they say of `clear` (P,).
    A fragment that nothing near stands for keeps shares of 0.
    """
    pixel, region, position, normal, depth = asking
    g_position, g_normal, g_region, columns, rows, step, width, scale = grid
    for i in range(len(pixel)):
        surface = region[i]
        open_air[i] = np.float32(0)
        if own[i] >= 0:
            for n in range(4):
                point[i, n] = 0
                share[i, n] = np.float32(0)
            point[i, 0], share[i, 0], open_air[i] = own[i], np.float32(1), clear[own[i]]
            continue
        fx, fy = _grid_place(pixel[i], width, step)
        cx, cy = int(np.floor(fx)), int(np.floor(fy))
        ax, ay = fx - np.float32(cx), fy - np.float32(cy)
        tolerance = np.float32(0.04) + np.float32(3.0) * scale * depth[i]
        total, seen = np.float32(0), np.float32(0)
        for n in range(4):
            dx, dy = n & 1, n >> 1
            gx, gy = min(max(cx + dx, 0), columns - 1), min(max(cy + dy, 0), rows - 1)
            g = gy * columns + gx
            weight = _likeness(
                surface, g_region[g], loose[surface], normal, position, g_normal, g_position, i, g, tolerance
            )
            near = (ax if dx == 1 else np.float32(1) - ax) * (ay if dy == 1 else np.float32(1) - ay)
            weight *= near + np.float32(0.02)
            point[i, n] = g
            share[i, n] = weight
            total += weight
            seen += weight * clear[g]
        if total > 0:
            open_air[i] = seen / total
            for n in range(4):
                share[i, n] /= total


@njit(cache=True, nogil=True)
def _mark_orphans(asking, grid, loose, lonely):
    """Which fragments have no point near that stands for them, `lonely` (N,)."""
    pixel, region, position, normal, depth = asking
    g_position, g_normal, g_region, columns, rows, step, width, scale = grid
    for i in range(len(pixel)):
        surface = region[i]
        lonely[i] = True
        fx, fy = _grid_place(pixel[i], width, step)
        cx, cy = int(np.floor(fx)), int(np.floor(fy))
        tolerance = np.float32(0.04) + np.float32(3.0) * scale * depth[i]
        for n in range(4):
            gx, gy = min(max(cx + (n & 1), 0), columns - 1), min(max(cy + (n >> 1), 0), rows - 1)
            g = gy * columns + gx
            weight = _likeness(
                surface, g_region[g], loose[surface], normal, position, g_normal, g_position, i, g, tolerance
            )
            if weight >= np.float32(0.02):
                lonely[i] = False
                break


@njit(cache=True, nogil=True)
def carry_light(point, share, light, out):
    """Take the light (P, CARRIED) of points to fragments, out (N, CARRIED), by what `find_carriers` found."""
    for i in range(len(point)):
        for n in range(4):
            weight, p = share[i, n], point[i, n]
            if weight > 0:
                for k in range(CARRIED):
                    out[i, k] += weight * light[p, k]
