"""Frames, sampled directions and the sky along them: small functions inlined into kernels."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import OVER_HEMISPHERE, lattice_point

_PI = np.float32(np.pi)

# Coefficients of `_arcsine` and `_azimuth`, highest power but one first: both are asked for by every ray to the sky.
_ARCSINE = tuple(
    np.float32(c)
    for c in (0.00667009, -0.0170881256, 0.030891881, -0.0501743046, 0.0889789874, -0.2145988016, 1.5707963050)
)
_ARCTANGENT = tuple(np.float32(c) for c in (-0.085133, 0.180141, -0.3302995, 0.999866))


@njit(cache=True)
def any_frame(nx, ny, nz):
    """Some orthonormal tangents (Duff et al., "Building an orthonormal basis, revisited", JCGT 6(1), 2017)."""
    sign = np.float32(1.0) if nz >= 0 else np.float32(-1.0)
    a = np.float32(-1.0) / (sign + nz)
    b = nx * ny * a
    return np.float32(1.0) + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny


@njit(cache=True, nogil=True)
def hemisphere_rays(points, normals, keys, first, count, offset, origins, directions):
    """Cosine-weighted rays from every point: `count` samples from index `first` of each point's sequence."""
    ray = 0
    for i in range(len(points)):
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        tx, ty, tz, bx, by, bz = any_frame(nx, ny, nz)
        for s in range(count):
            a, b = lattice_point(first + s, keys[i], OVER_HEMISPHERE)
            radius = np.float32(np.sqrt(a))
            angle = np.float32(2.0) * _PI * b
            x, y = radius * np.float32(np.cos(angle)), radius * np.float32(np.sin(angle))
            z = np.float32(np.sqrt(max(np.float32(1.0) - a, np.float32(1e-6))))
            directions[ray, 0] = x * tx + y * bx + z * nx
            directions[ray, 1] = x * ty + y * by + z * ny
            directions[ray, 2] = x * tz + y * bz + z * nz
            for k in range(3):
                origins[ray, k] = points[i, k] + normals[i, k] * offset[i]
            ray += 1


@njit(cache=True)
def overcast(dz):
    """Radiance of the CIE standard overcast sky (ISO 15469) over what gives level ground an irradiance of π."""
    return (np.float32(1) + np.float32(2) * dz) * np.float32(3 / 7) if dz > 0 else np.float32(0)


@njit(cache=True)
def _arcsine(x):
    """In quarter turns, within 1e-7 (Abramowitz and Stegun, 4.4.46)."""
    size = min(abs(x), np.float32(1))
    if size < np.float32(0.05):
        # Where the difference below would be of nearly equal numbers.
        return x * (np.float32(1) + x * x * np.float32(1 / 6)) * np.float32(2 / np.pi)
    sum_ = np.float32(-0.0012624911)
    for term in _ARCSINE:
        sum_ = sum_ * size + term
    found = np.float32(1) - np.float32(np.sqrt(np.float32(1) - size)) * sum_ * np.float32(2 / np.pi)
    return found if x >= 0 else -found


@njit(cache=True)
def _azimuth(dx, dy):
    """From +y towards +x in turns, 0 … 1, within 2e-6 (Abramowitz and Stegun, 4.4.49)."""
    ax, ay = abs(dx), abs(dy)
    ratio = min(ax, ay) / max(max(ax, ay), np.float32(1e-20))
    square, sum_ = ratio * ratio, np.float32(0.0208351)
    for term in _ARCTANGENT:
        sum_ = sum_ * square + term
    found = sum_ * ratio * np.float32(0.5 / np.pi)
    if ax > ay:
        found = np.float32(0.25) - found
    if dy < 0:
        found = np.float32(0.5) - found
    return np.float32(1) - found if dx < 0 else found


@njit(cache=True)
def sky_place(rows, columns, dx, dy, dz):
    """Where a unit direction falls in a sky table: row, column, the next column, and the shares beyond them."""
    elevation = _arcsine(dz)
    warped = np.float32(np.sqrt(abs(elevation)))
    if elevation < 0:
        warped = -warped
    y = (warped * np.float32(0.5) + np.float32(0.5)) * np.float32(rows - 1)
    x = _azimuth(dx, dy) * np.float32(columns)
    i, j = min(int(y), rows - 2), int(x)
    beyond = x - np.float32(j)
    if j >= columns:
        j -= columns
    return i, j, j + 1 if j + 1 < columns else 0, y - np.float32(i), beyond


@njit(cache=True, nogil=True)
def hide_behind(table, skyline, radiance, veil):
    """Put `radiance` (3,) into the sky table (R, K, 3) where a `skyline` (N,), sines of heights by bearing, hides the sky.

    `veil` is the share of haze before it, which has the sky's own colour.
    """
    rows, columns = table.shape[:2]
    for j in range(columns):
        high = skyline[j * len(skyline) // columns]
        for i in range(rows // 2, rows):
            t = np.float32(2.0) * np.float32(i) / np.float32(rows - 1) - np.float32(1.0)
            if np.float32(np.sin(t * abs(t) * np.float32(np.pi / 2))) >= high:
                break
            # Crowns differ.
            tone = np.float32(0.75) + np.float32(0.5) * np.float32((i * 7 + j * 13) % 11) / np.float32(10)
            for k in range(3):
                table[i, j, k] = table[i, j, k] * veil + radiance[k] * tone * (np.float32(1) - veil)


@njit(cache=True)
def sky_radiance(table, dx, dy, dz, out):
    """Radiance of the sky table along a unit direction into `out` (3,)."""
    i, j, after, fy, fx = sky_place(table.shape[0], table.shape[1], dx, dy, dz)
    for k in range(3):
        low = table[i, j, k] * (np.float32(1) - fx) + table[i, after, k] * fx
        high = table[i + 1, j, k] * (np.float32(1) - fx) + table[i + 1, after, k] * fx
        out[k] = low * (np.float32(1) - fy) + high * fy


@njit(cache=True)
def add_sky(skies, n, place, factor, first, out):
    """Add sky `n` of `skies` (R, K, L, 3) where `sky_place` says, times a factor, to `out` from its column `first` on."""
    i, j, after, fy, fx = place
    for k in range(3):
        low = skies[i, j, n, k] * (np.float32(1) - fx) + skies[i, after, n, k] * fx
        high = skies[i + 1, j, n, k] * (np.float32(1) - fx) + skies[i + 1, after, n, k] * fx
        out[first + k] += (low * (np.float32(1) - fy) + high * fy) * factor


@njit(cache=True)
def add_veil(distance, haze, skies, n, place, radiance):
    """Haze of light n, 1/m, over the radiance (9,) of what lies at a distance, m."""
    veil = np.float32(1) - np.float32(np.exp(-haze * distance))
    if veil > np.float32(0.004):
        for k in range(9):
            radiance[k] *= np.float32(1) - veil
        add_sky(skies, n, place, veil, 3, radiance)
