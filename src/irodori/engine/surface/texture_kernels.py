"""Textures of a model's file, filtered: which of their pixels a place on a triangle shows, over the footprint of a pixel of the picture."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.colour import OF_BYTES
from irodori.core.file_looks import MIRROR, REPEAT

SRGB = OF_BYTES.astype(np.float32)

TAPS = 8
"""Looks along a drawn-out footprint at most."""

BASE, GLOSS, NORMALS = range(3)
"""What textures are of."""

NOTHING = -1


class Pyramids(NamedTuple):
    """Textures at every size, one after the other: `texels` (N, 4) uint8; of each level of each its `start`, `width` and `height` (K, L),
    and how many `levels` (K,) there are."""

    texels: np.ndarray
    start: np.ndarray
    width: np.ndarray
    height: np.ndarray
    levels: np.ndarray


class Placings(NamedTuple):
    """Maps of looks: of each of the three maps of look l its pyramid `picture` (L, 3), its `matrix` (L, 3, 2, 3), `uv_set` (L, 3) and
    `wrap` (L, 3, 2)."""

    picture: np.ndarray
    matrix: np.ndarray
    uv_set: np.ndarray
    wrap: np.ndarray


@njit(cache=True, nogil=True)
def _wrapped(i, count, mode):
    if mode == REPEAT:
        return i % count
    if mode == MIRROR:
        i = i % (2 * count)
        return i if i < count else 2 * count - 1 - i
    return min(max(i, 0), count - 1)


@njit(cache=True, nogil=True)
def _add_level(pyramids, picture, level, u, v, wrap_u, wrap_v, as_colour, share, table, out):
    """Add what one level shows at (u, v), blended between its four nearest texels."""
    texels, start, width, height, _ = pyramids
    wide, high = width[picture, level], height[picture, level]
    x, y = u * wide - 0.5, v * high - 0.5
    i, j = np.int64(np.floor(x)), np.int64(np.floor(y))
    fx, fy = np.float32(x - i), np.float32(y - j)
    for dj in range(2):
        row = start[picture, level] + _wrapped(j + dj, high, wrap_v) * wide
        wy = fy if dj else np.float32(1) - fy
        for di in range(2):
            weight = share * wy * (fx if di else np.float32(1) - fx)
            at = row + _wrapped(i + di, wide, wrap_u)
            for k in range(3):
                value = texels[at, k]
                out[k] += weight * (table[value] if as_colour else np.float32(value) / np.float32(255))


@njit(cache=True, nogil=True)
def look_up(pyramids, picture, matrix, wrap, u, v, along, across, as_colour, table, out):
    """Write what a texture shows at texture coordinates (u, v) to `out` (3,), over a footprint that reaches `along` and `across` (2,)."""
    for k in range(3):
        out[k] = np.float32(0)
    wide, high = pyramids.width[picture, 0], pyramids.height[picture, 0]
    pu = matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]
    pv = matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]
    au, av = matrix[0, 0] * along[0] + matrix[0, 1] * along[1], matrix[1, 0] * along[0] + matrix[1, 1] * along[1]
    cu, cv = matrix[0, 0] * across[0] + matrix[0, 1] * across[1], matrix[1, 0] * across[0] + matrix[1, 1] * across[1]
    long, short = np.sqrt((au * wide) ** 2 + (av * high) ** 2), np.sqrt((cu * wide) ** 2 + (cv * high) ** 2)
    if short > long:
        long, short, au, av = short, long, cu, cv
    taps = min(max(np.int64(np.ceil(long / max(short, 1.0))), 1), TAPS)
    level = np.log2(max(max(short, long / taps), 1.0))
    last = pyramids.levels[picture] - 1
    lower = min(np.int64(level), last)
    upper, blend = min(lower + 1, last), np.float32(min(level - lower, 1.0))
    for tap in range(taps):
        t = (tap + 0.5) / taps - 0.5
        for which in range(2):
            share = (blend if which else np.float32(1) - blend) / np.float32(taps)
            if share > 0:
                _add_level(
                    pyramids, picture, upper if which else lower, pu + t * au, pv + t * av, wrap[0], wrap[1], as_colour, share,
                    table, out,
                )  # fmt: skip


@njit(cache=True, nogil=True)
def look_at_textures(
    tri, position, view, normal, foot, triangles, at, uv, tone, row_of, placings, pyramids, factors, table,
    colour, rough, bent,
):  # fmt: skip
    """What the file shows at N places on triangles `tri` (N,): linear `colour` (N, 3), `rough` (N,) roughness, and the
    `bent` normal (N, 3). Factors of look l (L, 5): its colour, roughness, how strongly normals lean. Places that have no texture
    are left as they are."""
    found = np.zeros(3, np.float32)
    along, across = np.zeros(2), np.zeros(2)
    for i in range(len(tri)):
        t = tri[i]
        if t < 0 or at[t] < 0 or row_of[t] < 0:
            continue
        row, look = at[t], row_of[t]
        e1, e2 = np.zeros(3), np.zeros(3)
        p = np.zeros(3)
        for k in range(3):
            e1[k] = triangles[t, 1, k] - triangles[t, 0, k]
            e2[k] = triangles[t, 2, k] - triangles[t, 0, k]
            p[k] = position[i, k] - triangles[t, 0, k]
        g11, g12, g22 = (e1 * e1).sum(), (e1 * e2).sum(), (e2 * e2).sum()
        whole = g11 * g22 - g12 * g12
        if whole <= 0:
            continue
        # Contravariant sides: a step in the plane has the weights step · c1 and step · c2 (any text on tensors).
        c1, c2 = (g22 * e1 - g12 * e2) / whole, (g11 * e2 - g12 * e1) / whole
        b1, b2 = min(max((p * c1).sum(), -0.01), 1.01), min(max((p * c2).sum(), -0.01), 1.01)
        for k in range(3):
            colour[i, k] = factors[look, k]
        if len(tone) > 0:
            for k in range(3):
                shade = (1 - b1 - b2) * tone[row, 0, k] + b1 * tone[row, 1, k] + b2 * tone[row, 2, k]
                colour[i, k] *= np.float32(max(shade, 0.0))
        # The footprint: along the view's projection on the surface, and square to it.
        n = np.zeros(3)
        d = np.zeros(3)
        for k in range(3):
            n[k], d[k] = normal[i, k], view[i, k]
        cosine = (n * d).sum()
        d -= cosine * n
        size = np.sqrt((d * d).sum())
        if size > 1e-6:
            d /= size
        else:
            d = e1 / np.sqrt(g11)
        a = np.array([n[1] * d[2] - n[2] * d[1], n[2] * d[0] - n[0] * d[2], n[0] * d[1] - n[1] * d[0]])
        d *= foot[i] / max(abs(cosine), 0.04)
        a *= foot[i]
        for which in range(3):
            picture = placings.picture[look, which]
            if picture < 0:
                continue
            o = 2 * placings.uv_set[look, which]
            ua, va = uv[row, 0, o], uv[row, 0, o + 1]
            u1, v1 = uv[row, 1, o] - ua, uv[row, 1, o + 1] - va
            u2, v2 = uv[row, 2, o] - ua, uv[row, 2, o + 1] - va
            along[0] = (d * c1).sum() * u1 + (d * c2).sum() * u2
            along[1] = (d * c1).sum() * v1 + (d * c2).sum() * v2
            across[0] = (a * c1).sum() * u1 + (a * c2).sum() * u2
            across[1] = (a * c1).sum() * v1 + (a * c2).sum() * v2
            look_up(
                pyramids, picture, placings.matrix[look, which], placings.wrap[look, which],
                ua + b1 * u1 + b2 * u2, va + b1 * v1 + b2 * v2, along, across, which == BASE, table, found,
            )  # fmt: skip
            if which == BASE:
                for k in range(3):
                    colour[i, k] *= found[k]
            elif which == GLOSS:
                rough[i] = factors[look, 3] * found[1]
            else:
                area = u1 * v2 - u2 * v1
                if area == 0:
                    continue
                # The texture's own axes on the surface: how far one goes where u or v grows.
                tangent, upward = (e1 * v2 - e2 * v1) / area, (e2 * u1 - e1 * u2) / area
                tangent /= np.sqrt((tangent * tangent).sum())
                upward /= np.sqrt((upward * upward).sum())
                # v runs down in the picture, and a normal map's green leans up.
                x = factors[look, 4] * (2 * found[0] - 1)
                y = -factors[look, 4] * (2 * found[1] - 1)
                z = max(2 * found[2] - 1, 0.05)
                b = x * tangent + y * upward + z * n
                length = np.sqrt((b * b).sum())
                for k in range(3):
                    bent[i, k] = np.float32(b[k] / length)
