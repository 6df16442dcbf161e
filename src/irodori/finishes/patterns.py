"""Procedural patterns in metres: what a finish looks like at one place.

The small functions are inlined into one kernel, `evaluate_finish`; this file is compiled as a whole.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.scene import FINISH_PARAMETERS
from irodori.finishes.noise import cell_hash, layered_noise, pulse_train, value_noise
from irodori.finishes.slots import SLOT

assert len(SLOT) == FINISH_PARAMETERS
_PATTERN, _JOINT_RGB = SLOT["pattern"], SLOT["joint_red"]
_UNIT_U, _UNIT_V, _JOINT, _BOND = SLOT["unit_u"], SLOT["unit_v"], SLOT["joint"], SLOT["bond"]
_VARIATION, _GRAIN, _GRAIN_SIZE, _STRETCH = SLOT["variation"], SLOT["grain"], SLOT["grain_size"], SLOT["grain_stretch"]
_ROUGH, _RELIEF, _TURN, _MOTTLE = SLOT["roughness"], SLOT["relief"], SLOT["turn"], SLOT["mottle"]

OUTPUTS = 8
"""Albedo (3), roughness, share of direct light that reaches past the relief, slope along u and v, cavity."""


@njit(cache=True)
def _fade(foot, size):
    """1 while a pixel resolves `size`, 0 when it averages over it."""
    return min(max(np.float32(1.6) - np.float32(1.2) * foot / size, np.float32(0)), np.float32(1))


@njit(cache=True)
def _unit_tone(i, j, seed, variation, fade, out):
    """Tone of one brick, board or tile: mostly lightness, a little hue."""
    light = (cell_hash(i, j, seed) - np.float32(0.5)) * np.float32(2) * variation * fade
    warm = (cell_hash(i, j, seed + 51) - np.float32(0.5)) * variation * np.float32(0.5) * fade
    out[0] *= np.float32(1) + light + warm
    out[1] *= np.float32(1) + light
    out[2] *= np.float32(1) + light - warm


@njit(cache=True)
def _mix_joint(row, out, cover):
    for k in range(3):
        out[k] += (row[_JOINT_RGB + k] - out[k]) * cover


@njit(cache=True)
def _cast(x, period, width, drop, slope, foot):
    """Share of direct light lost to the shadow that an edge at k·period casts over `drop`·`slope` metres."""
    reach = min(abs(slope) * drop, period * np.float32(0.9))
    if reach <= 0:
        return np.float32(0)
    start = x - width if slope < 0 else x + reach
    return pulse_train(start, period, reach, foot)


@njit(cache=True)
def _courses(row, u, v, fu, fv, seed, lu, lv, ln, out):
    unit_u, unit_v, joint, bond = row[_UNIT_U], row[_UNIT_V], row[_JOINT], row[_BOND]
    course = np.floor(v / unit_v)
    along = u + bond * unit_u * course
    if bond > np.float32(0.9):  # random bond: each course starts anywhere
        along = u + cell_hash(np.int64(course), 77, seed) * unit_u
    brick = np.floor(along / unit_u)
    fade = _fade(max(fu / unit_u, fv / unit_v), np.float32(1.0))
    _unit_tone(np.int64(brick), np.int64(course), seed, row[_VARIATION], fade, out)
    bed = pulse_train(v, unit_v, joint, fv)
    head = pulse_train(along, unit_u, joint, fu)
    cover = np.float32(1) - (np.float32(1) - bed) * (np.float32(1) - head)
    _mix_joint(row, out, cover)
    if row[_RELIEF] > 0 and ln > np.float32(0.02):
        lost = _cast(v, unit_v, joint, row[_RELIEF], -lv / ln, fv) * np.float32(0.9)
        lost += _cast(along, unit_u, joint, row[_RELIEF], -lu / ln, fu) * np.float32(0.5)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9))
    out[7] = np.float32(1) - np.float32(0.35) * cover
    # A slightly different lean for each unit makes a wall glitter instead of looking printed.
    out[5] += (cell_hash(np.int64(brick), np.int64(course), seed + 5) - np.float32(0.5)) * np.float32(0.03) * fade
    out[6] += (cell_hash(np.int64(brick), np.int64(course), seed + 6) - np.float32(0.5)) * np.float32(0.03) * fade


@njit(cache=True)
def _boards(row, u, v, fu, fv, seed, lu, lv, ln, out):
    width, length, gap = row[_UNIT_U], row[_UNIT_V], row[_JOINT]
    board = np.int64(np.floor(u / width))
    start = v + cell_hash(board, 3, seed) * length
    piece = np.int64(np.floor(start / length))
    fade = _fade(fu, width)
    _unit_tone(board, piece, seed, row[_VARIATION], fade, out)
    # Grain runs along the board; the growth rings wander.
    wander = value_noise(v * np.float32(0.7), np.float32(board) * np.float32(3.7), seed + 9) * np.float32(0.02)
    rings = layered_noise(
        (u + wander) * row[_STRETCH], v, row[_GRAIN_SIZE], max(fu * row[_STRETCH], fv), 3, seed + board * 131
    )
    for k in range(3):
        out[k] *= np.float32(1) + row[_GRAIN] * rings * (np.float32(1) + np.float32(0.25) * np.float32(k))
    cover = pulse_train(u, width, gap, fu)
    end = pulse_train(start, length, gap * np.float32(0.6), fv)
    cover = max(cover, end * np.float32(0.8))
    _mix_joint(row, out, cover)
    if row[_RELIEF] > 0 and ln > np.float32(0.02):
        lost = _cast(u, width, gap, row[_RELIEF], -lu / ln, fu)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9)) * np.float32(0.85)
    out[7] = np.float32(1) - np.float32(0.6) * cover
    out[5] += (cell_hash(board, piece, seed + 5) - np.float32(0.5)) * np.float32(0.05) * fade


@njit(cache=True)
def _seams(row, u, v, fu, fv, seed, lu, lv, ln, out):
    tray, rib, height = row[_UNIT_U], row[_JOINT], row[_RELIEF]
    sheet = np.int64(np.floor(u / tray))
    fade = _fade(fu, tray)
    _unit_tone(sheet, np.int64(np.floor(v / row[_UNIT_V])), seed, row[_VARIATION], fade, out)
    # Thin metal is never flat: the tray cups a little and oil-cans along its length.
    across = u / tray - np.floor(u / tray) - np.float32(0.5)
    cup = np.float32(0.025) * across * fade
    can = value_noise(np.float32(sheet) * np.float32(5.3), v * np.float32(0.8), seed + 3) * np.float32(0.012) * fade
    out[5] += cup + can
    out[6] += value_noise(v * np.float32(1.1), np.float32(sheet) * np.float32(2.1), seed + 8) * np.float32(0.010) * fade
    if ln > np.float32(0.02) and height > 0:
        lost = _cast(u, tray, rib, height, -lu / ln, fu)
        out[4] *= np.float32(1) - min(lost, np.float32(0.95)) * np.float32(0.9)
    cover = pulse_train(u, tray, rib, fu)
    lit = np.float32(0.10) if lu > 0 else np.float32(-0.12)
    for k in range(3):
        out[k] *= np.float32(1) + cover * lit
    out[7] = np.float32(1) - np.float32(0.35) * pulse_train(u - rib, tray, height, fu)


@njit(cache=True)
def _shingles(row, u, v, fu, fv, seed, lu, lv, ln, out):
    width, reach, gap = row[_UNIT_U], row[_UNIT_V], row[_JOINT]
    course = np.int64(np.floor(v / reach))
    along = u + cell_hash(course, 11, seed) * width
    if row[_BOND] > 0:
        along = u + row[_BOND] * width * np.float32(course)
    tile = np.int64(np.floor(along / width))
    fade = _fade(max(fu / width, fv / reach), np.float32(1.0))
    _unit_tone(tile, course, seed, row[_VARIATION], fade, out)
    grain = layered_noise(u * row[_STRETCH], v, row[_GRAIN_SIZE], max(fu * row[_STRETCH], fv), 3, seed + tile * 17)
    for k in range(3):
        out[k] *= np.float32(1) + row[_GRAIN] * grain
    # The lower edge of each course throws a line of shadow onto the one below.
    drop = row[_RELIEF]
    edge = pulse_train(v + drop * np.float32(0.6), reach, drop * np.float32(0.6), fv)
    _mix_joint(row, out, max(edge * np.float32(0.7), pulse_train(along, width, gap, fu) * np.float32(0.8)))
    if ln > np.float32(0.02):
        lost = pulse_train(v + drop * max(lv / ln, np.float32(0.0)), reach, drop * max(lv / ln, np.float32(0.0)), fv)
        out[4] *= np.float32(1) - min(lost, np.float32(0.9))
    out[7] = np.float32(1) - np.float32(0.3) * edge
    out[6] -= np.float32(0.06) * fade
    out[5] += (cell_hash(tile, course, seed + 5) - np.float32(0.5)) * np.float32(0.08) * fade


@njit(cache=True)
def _aggregate(row, u, v, fu, fv, seed, out):
    """Stones or chips in a bed: nearest of jittered cell centres."""
    size = row[_UNIT_U]
    foot = max(fu, fv)
    fade = _fade(foot, size)
    if fade <= 0:
        _mix_joint(row, out, np.float32(0.3) * row[_BOND])
        return
    x, y = u / size, v / size
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    best, second = np.float32(9), np.float32(9)
    bi, bj = i, j
    for di in range(-1, 2):
        for dj in range(-1, 2):
            cx = np.float32(i + di) + np.float32(0.15) + np.float32(0.7) * cell_hash(i + di, j + dj, seed)
            cy = np.float32(j + dj) + np.float32(0.15) + np.float32(0.7) * cell_hash(i + di, j + dj, seed + 1)
            distance = np.float32(np.sqrt((cx - x) ** 2 + (cy - y) ** 2))
            if distance < best:
                second = best
                best = distance
                bi, bj = i + di, j + dj
            elif distance < second:
                second = distance
    _unit_tone(bi, bj, seed, row[_VARIATION], fade, out)
    bed = min(max(np.float32(1) - (second - best) * np.float32(3.2), np.float32(0)), np.float32(1)) * row[_BOND]
    _mix_joint(row, out, bed * fade + np.float32(0.3) * row[_BOND] * (np.float32(1) - fade))
    out[7] = np.float32(1) - np.float32(0.4) * bed * fade
    out[5] += (cell_hash(bi, bj, seed + 5) - np.float32(0.5)) * row[_RELIEF] * fade
    out[6] += (cell_hash(bi, bj, seed + 6) - np.float32(0.5)) * row[_RELIEF] * fade


@njit(cache=True)
def _grass(row, u, v, fu, fv, seed, out):
    foot = max(fu, fv)
    patches = layered_noise(u, v, np.float32(2.6), foot, 3, seed)
    tufts = layered_noise(u, v, np.float32(0.22), foot, 3, seed + 3)
    # Blades stand up, so from the side they draw out along the view's depth, which is the longer footprint.
    blades = layered_noise(u * np.float32(1.0), v * np.float32(1.0), np.float32(0.03), min(fu, fv), 2, seed + 6)
    tone = np.float32(1) + np.float32(0.42) * patches + np.float32(0.55) * tufts + np.float32(0.5) * blades
    dry = min(max(patches * np.float32(0.9) - np.float32(0.05), np.float32(0)), np.float32(1))
    tone = max(tone, np.float32(0.25))
    for k in range(3):
        out[k] = (out[k] + (row[_JOINT_RGB + k] - out[k]) * dry) * tone
    out[5] += tufts * np.float32(0.35)
    out[6] += blades * np.float32(0.3)


@njit(cache=True)
def _corrugated(row, u, v, fu, fv, seed, lu, lv, ln, out):
    pitch = row[_UNIT_U]
    fade = _fade(fu, pitch * np.float32(0.5))
    phase = u / pitch * np.float32(2 * np.pi)
    out[5] += np.float32(np.cos(phase)) * row[_RELIEF] / pitch * np.float32(np.pi) * fade
    _unit_tone(
        np.int64(np.floor(u / (pitch * 12))), np.int64(np.floor(v / row[_UNIT_V])), seed, row[_VARIATION], fade, out
    )
    out[7] = np.float32(1) - np.float32(0.12) * (np.float32(1) - np.float32(np.sin(phase))) * fade


@njit(cache=True, nogil=True)
def evaluate_finish(row, red, green, blue, u, v, fu, fv, seed, lu, lv, ln, out):
    """Evaluate a finish at (u, v), metres, over a footprint fu × fv.

    (red, green, blue) is its base colour, linear; (lu, lv, ln) is the direction of the sun in the surface's frame. `out` receives `OUTPUTS` values.
    """
    if row[_TURN] > 0:
        u, v = v, u
        fu, fv = fv, fu
        lu, lv = lv, lu
    # Very oblique views would stretch the footprint without end; four to one is what the eye accepts.
    fu, fv = max(fu, fv * np.float32(0.25)), max(fv, fu * np.float32(0.25))
    out[0], out[1], out[2] = red, green, blue
    out[3] = row[_ROUGH]
    out[4] = np.float32(1)
    out[5] = np.float32(0)
    out[6] = np.float32(0)
    out[7] = np.float32(1)
    pattern = np.int64(row[_PATTERN])
    if pattern == 1:
        _courses(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 2:
        _boards(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 3:
        _seams(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 4:
        _shingles(row, u, v, fu, fv, seed, lu, lv, ln, out)
    elif pattern == 5:
        _aggregate(row, u, v, fu, fv, seed, out)
    elif pattern == 6:
        _grass(row, u, v, fu, fv, seed, out)
    elif pattern == 9:
        _corrugated(row, u, v, fu, fv, seed, lu, lv, ln, out)
    foot = max(fu, fv)
    if row[_GRAIN] > 0 and pattern != 2 and pattern != 4:
        fine = layered_noise(u * row[_STRETCH], v, row[_GRAIN_SIZE], foot, 3, seed + 101)
        for k in range(3):
            out[k] *= np.float32(1) + row[_GRAIN] * fine
        out[5] += fine * row[_GRAIN] * np.float32(0.10)
    if row[_MOTTLE] > 0:
        # Weather and hands: slow, large tones that no surface outside escapes.
        slow = layered_noise(u, v * np.float32(0.6), np.float32(1.9), foot, 4, seed + 211)
        for k in range(3):
            out[k] *= np.float32(1) + row[_MOTTLE] * slow
        out[3] *= np.float32(1) + row[_MOTTLE] * slow * np.float32(0.6)
    for k in range(3):
        out[k] = min(max(out[k], np.float32(0.003)), np.float32(0.92))
    if row[_TURN] > 0:
        swap = out[5]
        out[5] = out[6]
        out[6] = swap
