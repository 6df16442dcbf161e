"""Rooms behind glazing where the model or capture has none: furnished boxes that shift with the view as real rooms do.

Each bay of a façade has its own curtains or blind, table, cupboards, lamp and, here and there, somebody at home.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.geometry.frames import surface_frame
from irodori.core.sampling import hash_u32

DEPTH = np.float32(4.2)
"""m of every room."""

LAMP_LUMENS = np.float32(3500.0)
"""lm a room."""


@njit(cache=True)
def _chance(i, j, salt, seed):
    h = hash_u32(np.uint32(i * 73856093) ^ np.uint32(j * 19349663) ^ np.uint32(seed * 83492791 + salt * 2654435761))
    return np.float32(h) * np.float32(1.0 / 4294967296.0)


@njit(cache=True)
def _enter_box(u, v, w, du, dv, dw, left, right, low, high, near, far):
    """Distance along a ray at which it enters a box, and the axis it enters by; (−1, 0) when it misses."""
    enter, leave, axis = np.float32(0), np.float32(1e9), 0
    for k in range(3):
        at, way, a, b = u, du, left, right
        if k == 1:
            at, way, a, b = v, dv, low, high
        elif k == 2:
            at, way, a, b = w, dw, near, far
        if abs(way) < np.float32(1e-6):
            if at < a or at > b:
                return np.float32(-1), 0
            continue
        t0, t1 = (a - at) / way, (b - at) / way
        if t0 > t1:
            t0, t1 = t1, t0
        if t0 > enter:
            enter, axis = t0, k
        leave = min(leave, t1)
    if enter <= 0 or enter >= leave:
        return np.float32(-1), 0
    return enter, axis


@njit(cache=True)
def _enter_ball(u, v, w, du, dv, dw, cu, cv, cw, radius):
    """Distance along a unit ray at which it enters a ball; −1 when it misses."""
    ou, ov, ow = u - cu, v - cv, w - cw
    b = ou * du + ov * dv + ow * dw
    c = ou * ou + ov * ov + ow * ow - radius * radius
    under = b * b - c
    if under < 0:
        return np.float32(-1)
    t = -b - np.float32(np.sqrt(under))
    return t if t > 0 else np.float32(-1)


@njit(cache=True)
def _is_somebody(u, v, middle, tall):
    """Whether a point of an upright plane lies in the outline of a standing person."""
    across = abs(u - middle)
    head = v - (tall - np.float32(0.12))
    if across * across / np.float32(0.0085) + head * head / np.float32(0.0150) < np.float32(1):
        return True
    if v > tall - np.float32(0.27):
        return across < np.float32(0.05)
    if v > tall * np.float32(0.5):
        # Shoulders, then the waist.
        part = (v - tall * np.float32(0.5)) / (tall * np.float32(0.5) - np.float32(0.27))
        return across < np.float32(0.16) + np.float32(0.07) * part * (np.float32(2) - part) * np.float32(0.9)
    return across < np.float32(0.15) and v > 0 and (across > np.float32(0.018) or v > tall * np.float32(0.45))


@njit(cache=True)
def _before_the_room(i, j, u, v, du, dv, dw, wide, high, seed):
    """What hangs in the window: 0 nothing, 1 a curtain, 2 a blind; and the shade of its folds."""
    kind = _chance(i, j, 2, seed)
    inside = np.float32(0.08) / max(dw, np.float32(0.05))
    at, up = u + du * inside, v + dv * inside
    if kind < np.float32(0.5):
        drawn = np.float32(0.05) + _chance(i, j, 1, seed) * np.float32(0.2)
        if at < drawn * wide or at > (np.float32(1) - drawn) * wide:
            fold = np.float32(np.sin(at * np.float32(46.0) + np.float32(3) * np.float32(np.sin(at * np.float32(11)))))
            return 1, np.float32(0.75) + np.float32(0.25) * fold
    elif kind < np.float32(0.72):
        if up > high * (np.float32(0.45) + np.float32(0.5) * _chance(i, j, 1, seed)):
            return 2, np.float32(0.92) + np.float32(0.08) * np.float32(np.sin(up * np.float32(190.0)))
    return 0, np.float32(0)


@njit(cache=True)
def _furnish(i, j, u, v, w, du, dv, dw, t, wide_room, seed, colour):
    """The nearest of table, cupboard, sofa and somebody before distance t: where, and its reflectance in `colour`.

    Returns (distance, kind): kind 0 nothing, 1 a thing, 2 a person's shadow.
    """
    kind = 0
    # A table in the middle, turned aside in some rooms.
    middle = wide_room * (np.float32(0.3) + np.float32(0.4) * _chance(i, j, 11, seed))
    deep = DEPTH * (np.float32(0.35) + np.float32(0.2) * _chance(i, j, 12, seed))
    if _chance(i, j, 10, seed) < np.float32(0.7):
        here, _ = _enter_box(
            u, v, w, du, dv, dw, middle - np.float32(0.7), middle + np.float32(0.7), np.float32(0.70), np.float32(0.745),
            deep - np.float32(0.4), deep + np.float32(0.4),
        )  # fmt: skip
        for side in (-1, 1):
            leg, _ = _enter_box(
                u, v, w, du, dv, dw, middle + side * np.float32(0.6) - np.float32(0.03),
                middle + side * np.float32(0.6) + np.float32(0.03), np.float32(0), np.float32(0.7),
                deep - np.float32(0.35), deep + np.float32(0.35),
            )  # fmt: skip
            if leg > 0 and (here < 0 or leg < here):
                here = leg
        if 0 < here < t:
            t, kind = here, 1
            colour[0], colour[1], colour[2] = np.float32(0.42), np.float32(0.30), np.float32(0.19)
    # Cupboards along the back wall, a sofa by the side.
    wide = np.float32(0.9) + np.float32(1.2) * _chance(i, j, 14, seed)
    left = np.float32(0.15) + (wide_room - wide - np.float32(0.3)) * _chance(i, j, 15, seed)
    tall = np.float32(0.75) + np.float32(1.35) * np.float32(np.floor(_chance(i, j, 6, seed) * np.float32(2)))
    here, axis = _enter_box(
        u, v, w, du, dv, dw, left, left + wide, np.float32(0), tall, DEPTH - np.float32(0.45), DEPTH,
    )  # fmt: skip
    if 0 < here < t:
        t, kind = here, 1
        # Shelves show as lines, books as tones.
        x, y = u + du * here, v + dv * here
        tone = np.float32(0.5)
        if axis == 2 and tall > 1:
            book = _chance(
                np.int64(np.floor(x * np.float32(22))) + 131 * i,
                np.int64(np.floor(y / np.float32(0.35))) + 17 * j,
                16,
                seed,
            )
            tone = np.float32(0.18) + np.float32(0.6) * book
            if y / np.float32(0.35) - np.floor(y / np.float32(0.35)) < np.float32(0.12):
                tone = np.float32(0.7)
        colour[0], colour[1], colour[2] = np.float32(0.55) * tone, np.float32(0.45) * tone, np.float32(0.36) * tone
    if _chance(i, j, 17, seed) < np.float32(0.5):
        x0 = np.float32(0.02) if _chance(i, j, 18, seed) < np.float32(0.5) else wide_room - np.float32(0.87)
        for part in range(2):
            high = np.float32(0.42) if part == 0 else np.float32(0.82)
            x1 = x0 + np.float32(0.85)
            if part == 1:
                x1 = x0 + np.float32(0.2) if x0 < 1 else x1
            from_x = x1 - np.float32(0.2) if part == 1 and x0 > 1 else x0
            here, _ = _enter_box(u, v, w, du, dv, dw, from_x, x1, np.float32(0), high, np.float32(1.1), np.float32(2.9))
            if 0 < here < t:
                t, kind = here, 1
                warm = _chance(i, j, 19, seed)
                colour[0], colour[1] = np.float32(0.20) + np.float32(0.3) * warm, np.float32(0.24)
                colour[2] = np.float32(0.42) - np.float32(0.26) * warm
    if _chance(i, j, 20, seed) < np.float32(0.3) and dw > np.float32(1e-3):
        plane = np.float32(0.9) + np.float32(2.2) * _chance(i, j, 21, seed)
        here = (plane - w) / dw
        if 0 < here < t:
            stands = wide_room * (np.float32(0.2) + np.float32(0.6) * _chance(i, j, 22, seed))
            size = np.float32(1.6) + np.float32(0.22) * _chance(i, j, 23, seed)
            if _is_somebody(u + du * here, v + dv * here, stands, size):
                t, kind = here, 2
                colour[0], colour[1], colour[2] = np.float32(0.10), np.float32(0.095), np.float32(0.10)
    return t, kind


@njit(cache=True)
def room_radiance(x, y, z, dx, dy, dz, nx, ny, nz, frame, daylight, level, lamp_colour, seed, out):
    """Radiance seen through glazing at (x, y, z), normal towards the viewer, along (dx, dy, dz).

    `frame` (4,), m: where a bay begins along the glass and its width, where a floor lies and its height, in the
    surface's own axes. `daylight` (3,) is the illuminance on the glass, lx; `level` the share of rooms' lamps that burn.
    `out` (9,): radiance by group, cd/m².
    """
    for k in range(9):
        out[k] = np.float32(0)
    tx, ty, tz, bx, by, bz = surface_frame(nx, ny, nz, np.float32(0))
    pu, pv = x * tx + y * ty + z * tz, x * bx + y * by + z * bz
    du, dv, dw = dx * tx + dy * ty + dz * tz, dx * bx + dy * by + dz * bz, -(dx * nx + dy * ny + dz * nz)
    wide, high = frame[1], frame[3]
    a, b = np.floor((pu - frame[0]) / wide), np.floor((pv - frame[2]) / high)
    u, v, w = pu - frame[0] - np.float32(a) * wide, pv - frame[2] - np.float32(b) * high, np.float32(0)
    # Named by their place in the world, so that no two windows share a room.
    i, j = np.int64(np.floor(frame[0] * 10)) * 31 + np.int64(a), np.int64(np.floor(frame[2] * 10)) * 31 + np.int64(b)
    on = np.float32(1) if _chance(i, j, 3, seed) < np.float32(0.75) else np.float32(0.06)
    hanging, fold = _before_the_room(i, j, u, v, du, dv, dw, wide, high, seed)
    if hanging > 0:
        through = np.float32(9.0) if hanging == 1 else np.float32(5.0)
        for k in range(3):
            out[6 + k] = level * lamp_colour[k] * through * on * fold
            out[3 + k] = daylight[k] * np.float32(0.10) * fold
        return
    t = DEPTH / max(dw, np.float32(1e-3))
    face = 0
    if du > np.float32(1e-5) and (wide - u) / du < t:
        t, face = (wide - u) / du, 1
    if du < np.float32(-1e-5) and -u / du < t:
        t, face = -u / du, 1
    if dv > np.float32(1e-5) and (high - v) / dv < t:
        t, face = (high - v) / dv, 2
    if dv < np.float32(-1e-5) and -v / dv < t:
        t, face = -v / dv, 3
    colour = np.empty(3, np.float32)
    tone = np.float32(0.75) + np.float32(0.25) * _chance(i, j, 5, seed)
    colour[0], colour[1], colour[2] = np.float32(0.66) * tone, np.float32(0.63) * tone, np.float32(0.57) * tone
    hang = high - np.float32(0.75)
    shade = _enter_ball(u, v, w, du, dv, dw, wide * np.float32(0.5), hang, DEPTH * np.float32(0.5), np.float32(0.17))
    t, kind = _furnish(i, j, u, v, w, du, dv, dw, t, wide, seed, colour)
    if 0 < shade < t:
        for k in range(3):
            # A shade of 0.17 m that gives the room's light all round.
            out[6 + k] = on * level * lamp_colour[k] * LAMP_LUMENS / np.float32(np.pi * 4 * np.pi * 0.17**2)
            out[3 + k] = daylight[k] * np.float32(0.05)
        return
    u, v, w = u + du * t, v + dv * t, w + dw * t
    if kind == 0 and face == 3:
        colour[0], colour[1], colour[2] = np.float32(0.32), np.float32(0.23), np.float32(0.15)
    elif kind == 0 and face == 0:
        # A picture over the table, or a door.
        hung = wide * (np.float32(0.3) + np.float32(0.4) * _chance(i, j, 24, seed))
        if abs(u - hung) < np.float32(0.4) and abs(v - np.float32(1.6)) < np.float32(0.3):
            art = np.float32(0.35) + np.float32(0.5) * _chance(i, j, 25, seed)
            colour[0], colour[1], colour[2] = (
                colour[0] * art,
                colour[1] * np.float32(0.6),
                colour[2] * (np.float32(1.2) - art),
            )
    ru, rv, rw = u - wide * np.float32(0.5), v - hang, w - DEPTH * np.float32(0.5)
    d2 = ru * ru + rv * rv + rw * rw + np.float32(0.15)
    lux = on * level * LAMP_LUMENS * (np.float32(0.0796) / d2 * np.float32(0.7) + np.float32(0.010))
    if kind == 2:
        # Seen against the light.
        lux *= np.float32(0.25)
    day = np.float32(0.11) * np.float32(np.exp(-w * np.float32(0.5)))
    for k in range(3):
        out[3 + k] = daylight[k] * day * colour[k]
        out[6 + k] = lux * lamp_colour[k] * colour[k] / np.float32(np.pi)
