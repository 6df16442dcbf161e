"""Clouds as bodies in a layer of air: lit side, grey base, rims that glow towards the sun, crowded towards the horizon.

Each view is followed through the layer in steps; at each the light that comes through the cloud from the sun is found by a few more
(single scattering by Beer's law, with what scatters on added as Wrenninge, Kulla and Lundqvist do in "Oz: the great and volumetric",
SIGGRAPH talks 2013), and that of the sky by the height within the layer.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy.ndimage import gaussian_filter

from irodori.core.camera import Camera
from irodori.core.colour import luminance
from irodori.core.sampling import hash_u32, unit_float
from irodori.core.scene import CloudKind, Light
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.light.directions import sky_radiance

LOWEST = np.float32(0.012)
"""Height, as a sine, of the lowest clouds."""

CURVED = np.float32(0.045)
"""How far the layer curves down, as a sine: clouds crowd at the horizon without vanishing into a point."""

FADED = np.float32(0.10)
"""Height, as a sine, under which haze takes clouds."""

STEP, FEWEST, MOST = np.float32(0.09), 12, 72
"""Length of a step through the layer, over the size of a body; how many there are at least and at most, as the camera sees it."""

COARSE = 8
"""Steps as mirrors and surfaces see it."""

LIT = np.float32(0.34)
"""Radiance of a cloud that is wholly lit over the sunlight that falls on it: an albedo of 0.7, and forward scattering beside it."""

TO_SUN = 4
"""Steps towards the sun."""

SCATTERED_ON = np.float32(0.22)
"""Share of its depth that light scattered many times meets."""

GRID = 3
"""px between the views that are followed; clouds are even between them."""

EVENED = 0.65
"""Views of the grid over which clouds are evened out."""

UNDER_SUN = 0.06
"""Height, as a sine, of the glow that lights clouds once the sun is down."""

GROUP = np.float32(4.7)
"""Size of groups over that of a body."""

WIND = np.float32(0.7), np.float32(0.714)
"""Where the wind blows, level."""


@dataclass(frozen=True, eq=False)
class Clouds:
    """The clouds of one light: their `kind`, how much sky they `cover` 0 … 1, `seed`, where light comes from
    (`sun` (3,) unit) and how much (`lux` (3,)), and the sky's mean radiance `around` (3,), cd/m²."""

    kind: CloudKind
    cover: np.float32
    seed: int
    sun: np.ndarray
    lux: np.ndarray
    around: np.ndarray


def clouds_of(light: Light, table: np.ndarray, lux: np.ndarray, seed: int) -> Clouds | None:
    """Clouds under a sky `table` whose sun gives `lux` (3,); None where the light has none.

    Once the sun is down its glow over the horizon lights them.
    """
    if light.cover <= 0 or light.clouds is None:
        return None
    around = table[table.shape[0] // 2 + 4 :].mean(axis=(0, 1)).astype(np.float32)
    sun, lux = np.asarray(light.dome.sun_direction, np.float32), np.asarray(lux, np.float32)
    if luminance(lux) <= 0 or sun[2] < 0:
        level = sun[:2] / max(float(np.hypot(*sun[:2])), 1e-6)
        glow = np.zeros(3, np.float32)
        sky_radiance(table, np.float32(level[0]), np.float32(level[1]), np.float32(UNDER_SUN), glow)
        lux = glow * np.float32(np.pi * 0.45)
        sun = np.array([*(level * np.sqrt(1 - UNDER_SUN**2)), UNDER_SUN], np.float32)
    return Clouds(CloudKind(*map(np.float32, light.clouds)), np.float32(light.cover), int(seed), sun, lux, around)


@njit(cache=True)
def _corner(i, j, k, seed):
    h = hash_u32(
        np.uint32(i) * np.uint32(0x8DA6B343) ^ np.uint32(j) * np.uint32(0xD8163841) ^ np.uint32(k) * np.uint32(0xCB1AB31F)
        ^ np.uint32(seed)
    )  # fmt: skip
    return np.float32(h >> np.uint32(8)) * np.float32(1.0 / 16777216.0)


@njit(cache=True)
def _noise(x, y, z, seed):
    """Smooth noise in space, 0 … 1, one feature a unit."""
    xf, yf, zf = np.floor(x), np.floor(y), np.floor(z)
    fx, fy, fz = np.float32(x - xf), np.float32(y - yf), np.float32(z - zf)
    i, j, k = np.int64(xf), np.int64(yf), np.int64(zf)
    sx, sy, sz = (
        fx * fx * (np.float32(3) - np.float32(2) * fx), fy * fy * (np.float32(3) - np.float32(2) * fy),
        fz * fz * (np.float32(3) - np.float32(2) * fz),
    )  # fmt: skip
    total = np.float32(0)
    for c in range(2):
        a, b = _corner(i, j, k + c, seed), _corner(i + 1, j, k + c, seed)
        d, e = _corner(i, j + 1, k + c, seed), _corner(i + 1, j + 1, k + c, seed)
        low, high = a + (b - a) * sx, d + (e - d) * sx
        total += (low + (high - low) * sy) * (sz if c else np.float32(1) - sz)
    return total


@njit(cache=True)
def _density(x, y, z, kind, cover, seed, octaves):
    """Share of the heart's density at a place, m over the eye, 0 … 1."""
    h = (z - kind.base) / kind.thick
    if h <= 0 or h >= 1:
        return np.float32(0)
    least = np.float32(0.70) - np.float32(0.27) * cover
    least += kind.billow * np.float32(0.30) * h * h
    least += (np.float32(1) - kind.billow) * np.float32(0.28) * (np.float32(2) * h - np.float32(1)) ** 2
    along, across = x * WIND[0] + y * WIND[1], y * WIND[0] - x * WIND[1]
    u, v = along / (kind.size * kind.drawn), across / kind.size
    w = z / kind.size * kind.flat
    # Whole groups come and go over the sky.
    group = _noise(x / (kind.size * GROUP), y / (kind.size * GROUP), np.float32(0.5), seed + 977) - np.float32(0.5)
    least -= np.float32(0.22) * group
    total, gain, scale = np.float32(0), np.float32(1), np.float32(1)
    fall = np.float32(0.35) + np.float32(0.3) * kind.fine
    norm = (np.float32(1) - fall**octaves) / (np.float32(1) - fall)
    left = norm
    for octave in range(octaves):
        total += gain * _noise(u * scale, v * scale, w * scale, seed + octave * 7919)
        left -= gain
        if total + np.float32(0.9) * left < least * norm:
            return np.float32(0)
        gain *= fall
        scale *= np.float32(2.13)
    body = total / norm
    foot = min(h / np.float32(0.10), np.float32(1))
    over = (body - least) / (np.float32(0.03) + np.float32(0.25) * kind.soft)
    return min(max(over, np.float32(0)), np.float32(1)) * foot


@njit(cache=True)
def follow(dx, dy, dz, kind, cover, seed, sun, steps, octaves, out):
    """What clouds do along a unit direction: out = (share of the sky that is hidden, sunlight scattered, skylight scattered).

    `steps` is how many are made, 0 for as many as the bodies ask for. The latter are radiance over sunlight / π and over the sky's own.
    """
    out[0] = out[1] = out[2] = np.float32(0)
    if dz < LOWEST:
        return
    lift = dz + CURVED * (np.float32(1) - dz)
    near, long = kind.base / lift, kind.thick / lift
    if steps == 0:
        steps = min(max(int(long / (kind.size * STEP)), FEWEST), MOST)
    step = long / np.float32(steps)
    # Steps begin at other places along every view, or their slices would show as lines.
    start = unit_float(
        np.uint32(
            np.int64(dx * np.float32(8192)) * 73856093
            ^ np.int64(dy * np.float32(8192)) * 19349663
            ^ np.int64(dz * np.float32(8192)) * 83492791
        )
    )
    towards = dx * sun[0] + dy * sun[1] + dz * sun[2]
    # Forward and even scattering mixed (Henyey and Greenstein, 1941), times 4π.
    g = np.float32(0.72)
    forward = (np.float32(1) - g * g) / np.float32((np.float32(1) + g * g - np.float32(2) * g * towards) ** 1.5)
    phase = np.float32(0.62) + kind.glow * np.float32(0.38) * min(forward, np.float32(6))
    passed = np.float32(1)
    reach = kind.thick * np.float32(0.16)
    for n in range(steps):
        t = near + (np.float32(n) + start) * step
        x, y, z = dx * t, dy * t, lift * t
        here = _density(x, y, z, kind, cover, seed, octaves)
        if here <= 0:
            continue
        depth = np.float32(0)
        far = reach
        px, py, pz = x, y, z
        for _ in range(TO_SUN):
            px, py, pz = px + sun[0] * far, py + sun[1] * far, pz + max(sun[2], np.float32(0.05)) * far
            depth += _density(px, py, pz, kind, cover, seed, octaves - 1) * far
            far *= np.float32(1.7)
        depth *= kind.dense
        lit = np.float32(0.6) * np.float32(np.exp(-depth)) + np.float32(0.4) * np.float32(np.exp(-depth * SCATTERED_ON))
        h = (z - kind.base) / kind.thick
        gone = np.float32(1) - np.float32(np.exp(-here * kind.dense * step))
        out[1] += passed * gone * lit * phase
        out[2] += passed * gone * (np.float32(0.42) + np.float32(0.5) * h)
        passed *= np.float32(1) - gone
        if passed < np.float32(0.02):
            break
    haze = min((dz - LOWEST) / FADED, np.float32(1))
    out[0] = (np.float32(1) - passed) * haze
    out[1] *= haze
    out[2] *= haze


@njit(cache=True)
def add_clouds(seen, lux, around, out):
    """Put clouds of what `follow` found before the sky's own radiance in `out` (3,), cd/m²."""
    for k in range(3):
        light = lux[k] * LIT * seen[1] + around[k] * seen[2]
        out[k] += light - out[k] * seen[0]


def clouds_before(camera: Camera, clouds: Clouds, open_sky: np.ndarray) -> np.ndarray:
    """What `follow` finds along views `GRID` px apart, (rows, columns, 3) float32, where `open_sky` (H, W) bool is near; zero
    elsewhere. `between` reads it."""
    height, width = open_sky.shape
    rows, columns = height // GRID + 2, width // GRID + 2
    padded = np.zeros((rows * GRID, columns * GRID), bool)
    padded[:height, :width] = open_sky
    near = padded.reshape(rows, GRID, columns, GRID).any(axis=(1, 3))
    wanted = near.copy()
    wanted[1:] |= near[:-1]
    wanted[:, 1:] |= near[:, :-1]
    wanted[1:, 1:] |= near[:-1, :-1]
    y, x = np.nonzero(wanted)
    out = np.zeros((rows, columns, 3), np.float32)
    if not len(y):
        return out
    _, view = camera.rays(x * float(GRID), y * float(GRID))
    view = np.ascontiguousarray(view / np.linalg.norm(view, axis=1, keepdims=True), np.float32)
    found = np.empty((len(y), 3), np.float32)
    for_each_tile(
        split_tiles(len(y), 2048),
        lambda span: _follow_all(view, clouds.kind, clouds.cover, clouds.seed, clouds.sun, found, *span),
    )
    out[y, x] = found
    # What differs from view to view by where their steps begin is evened out.
    share = gaussian_filter(wanted.astype(np.float32), EVENED, mode="nearest")[..., None]
    even = gaussian_filter(out, (EVENED, EVENED, 0), mode="nearest") / np.maximum(share, 1e-3)
    return np.where(wanted[..., None], even, 0).astype(np.float32)


@njit(cache=True, nogil=True)
def _follow_all(view, kind, cover, seed, sun, found, begin, end):
    for i in range(begin, end):
        follow(view[i, 0], view[i, 1], view[i, 2], kind, cover, seed, sun, 0, 6, found[i])


@njit(cache=True)
def between(grid, x, y, out):
    """What clouds do at a place of the picture, px, from the grid of `clouds_before`, to `out` (3,)."""
    fx, fy = x / np.float32(GRID), y / np.float32(GRID)
    j, i = min(int(fx), grid.shape[1] - 2), min(int(fy), grid.shape[0] - 2)
    fx, fy = fx - np.float32(j), fy - np.float32(i)
    for k in range(3):
        low = grid[i, j, k] + (grid[i, j + 1, k] - grid[i, j, k]) * fx
        high = grid[i + 1, j, k] + (grid[i + 1, j + 1, k] - grid[i + 1, j, k]) * fx
        out[k] = low + (high - low) * fy


def sky_under_clouds(table: np.ndarray, rows: int, columns: int, clouds: Clouds | None) -> np.ndarray:
    """The sky with its clouds as a table of `rows` × `columns`, laid out as `SkyDome.table` is."""
    out = np.empty((rows, columns, 3), np.float32)
    black = np.zeros(3, np.float32)
    c = clouds or Clouds(CloudKind(*np.ones(len(CloudKind._fields), np.float32)), np.float32(0), 0, black, black, black)
    for_each_tile(
        split_tiles(rows, 4), lambda span: _fill_sky(table, out, c.kind, c.cover, c.seed, c.sun, c.lux, c.around, *span)
    )
    return out


@njit(cache=True, nogil=True)
def _fill_sky(table, out, kind, cover, seed, sun, lux, around, begin, end):
    rows, columns = out.shape[:2]
    tint, seen = np.zeros(3, np.float32), np.zeros(3, np.float32)
    for i in range(begin, end):
        t = np.float32(2.0) * np.float32(i) / np.float32(rows - 1) - np.float32(1.0)
        elevation = t * abs(t) * np.float32(np.pi / 2)
        up, flat = np.float32(np.sin(elevation)), np.float32(np.cos(elevation))
        for j in range(columns):
            azimuth = np.float32(j) / np.float32(columns) * np.float32(2 * np.pi)
            dx, dy = flat * np.float32(np.sin(azimuth)), flat * np.float32(np.cos(azimuth))
            sky_radiance(table, dx, dy, up, tint)
            if cover > 0 and up >= LOWEST:
                follow(dx, dy, up, kind, cover, seed, sun, COARSE, 4, seen)
                add_clouds(seen, lux, around, tint)
            for k in range(3):
                out[i, j, k] = tint[k]
