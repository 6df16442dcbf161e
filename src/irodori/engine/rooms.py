"""Rooms behind glazing where the model or capture has none: boxes that shift with the view as real rooms do."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import hash_u32
from irodori.engine.directions import surface_frame

WIDTH, HEIGHT, DEPTH = np.float32(3.4), np.float32(2.75), np.float32(4.2)
LAMP_LUMENS = np.float32(2200.0)
"""lm a room."""


@njit(cache=True)
def _chance(i, j, salt, seed):
    h = hash_u32(np.uint32(i * 73856093) ^ np.uint32(j * 19349663) ^ np.uint32(seed * 83492791 + salt * 2654435761))
    return np.float32(h) * np.float32(1.0 / 4294967296.0)


@njit(cache=True)
def room_radiance(x, y, z, dx, dy, dz, nx, ny, nz, daylight, level, lamp_colour, seed, out):
    """Radiance seen through glazing at (x, y, z), normal towards the viewer, along (dx, dy, dz).

    `daylight` (3,) is the illuminance on the glass, lx; `level` the share of rooms' lamps that burn.
    `out` (9,): radiance by group, cd/m².
    """
    for k in range(9):
        out[k] = np.float32(0)
    tx, ty, tz, bx, by, bz = surface_frame(nx, ny, nz, np.float32(0))
    pu, pv = x * tx + y * ty + z * tz, x * bx + y * by + z * bz
    du, dv, dw = dx * tx + dy * ty + dz * tz, dx * bx + dy * by + dz * bz, -(dx * nx + dy * ny + dz * nz)
    i, j = np.int64(np.floor(pu / WIDTH)), np.int64(np.floor(pv / HEIGHT))
    u, v = pu - np.float32(i) * WIDTH, pv - np.float32(j) * HEIGHT
    w = np.float32(0)
    # Curtains hang just inside, drawn back to a different width in each room.
    drawn = _chance(i, j, 1, seed) * np.float32(0.22)
    at = u + du / max(dw, np.float32(0.05)) * np.float32(0.08)
    if _chance(i, j, 2, seed) < np.float32(0.55) and (at < drawn * WIDTH or at > (np.float32(1) - drawn) * WIDTH):
        fold = np.float32(0.75) + np.float32(0.25) * np.float32(np.sin(at * np.float32(46.0)))
        for k in range(3):
            glow = (
                level
                * lamp_colour[k]
                * np.float32(9.0)
                * (np.float32(1) if _chance(i, j, 3, seed) < 0.75 else np.float32(0.08))
            )
            out[6 + k] = glow * fold
            out[3 + k] = daylight[k] * np.float32(0.10) * fold
        return
    t = DEPTH / max(dw, np.float32(1e-3))
    face = 0
    if du > np.float32(1e-5) and (WIDTH - u) / du < t:
        t, face = (WIDTH - u) / du, 1
    if du < np.float32(-1e-5) and -u / du < t:
        t, face = -u / du, 1
    if dv > np.float32(1e-5) and (HEIGHT - v) / dv < t:
        t, face = (HEIGHT - v) / dv, 2
    if dv < np.float32(-1e-5) and -v / dv < t:
        t, face = -v / dv, 3
    u, v, w = u + du * t, v + dv * t, w + dw * t
    tone = np.float32(0.75) + np.float32(0.25) * _chance(i, j, 5, seed)
    red, green, blue = np.float32(0.66) * tone, np.float32(0.63) * tone, np.float32(0.57) * tone
    if face == 3:
        red, green, blue = np.float32(0.32), np.float32(0.23), np.float32(0.15)
    elif face == 0:
        # Furniture along the back wall, and a picture.
        block = np.floor(u / np.float32(0.85))
        tall = np.float32(0.45) + np.float32(1.5) * _chance(i * 7 + np.int64(block), j, 6, seed) ** 2
        if v < tall:
            red, green, blue = red * np.float32(0.36), green * np.float32(0.30), blue * np.float32(0.26)
        elif abs(u - WIDTH * np.float32(0.5)) < np.float32(0.4) and abs(v - np.float32(1.6)) < np.float32(0.3):
            red, green, blue = red * np.float32(0.5), green * np.float32(0.55), blue * np.float32(0.62)
    ru, rv, rw = u - WIDTH * np.float32(0.5), v - (HEIGHT - np.float32(0.55)), w - DEPTH * np.float32(0.5)
    d2 = ru * ru + rv * rv + rw * rw + np.float32(0.15)
    on = np.float32(1) if _chance(i, j, 3, seed) < np.float32(0.75) else np.float32(0.06)
    lux = on * level * LAMP_LUMENS * (np.float32(0.0796) / d2 * np.float32(0.7) + np.float32(0.010))
    day = np.float32(0.11) * np.float32(np.exp(-w * np.float32(0.5)))
    out[3], out[4], out[5] = daylight[0] * day * red, daylight[1] * day * green, daylight[2] * day * blue
    out[6] = lux * lamp_colour[0] * red / np.float32(np.pi)
    out[7] = lux * lamp_colour[1] * green / np.float32(np.pi)
    out[8] = lux * lamp_colour[2] * blue / np.float32(np.pi)
