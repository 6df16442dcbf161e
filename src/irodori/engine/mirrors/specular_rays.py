"""Where rays go from mirrors, water and gloss, and what share of the light they bring."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.sampling import MIRRORED, lattice_point
from irodori.engine.light.directions import any_frame
from irodori.engine.surface.fresnel import fresnel_dielectric, fresnel_double_glazing
from irodori.engine.surface.tables import GLASS
from irodori.finishes.slots import SLOT

_F0, _METAL = SLOT["f0"], SLOT["metalness"]


@njit(cache=True, nogil=True)
def mirror_rays(
    region, view, normal, bent, rough, albedo, keys, sample, samples, finish, rows, kind, pixel_angle, out, weight
):  # fmt: skip
    """Reflected directions and their weights: microfacet normals by their visibility.

    E. Heitz, "Sampling the GGX distribution of visible normals", JCGT 7(4), 2018.
    """
    for i in range(len(region)):
        s = region[i]
        row = rows[finish[s]]
        mx, my, mz = bent[i, 0], bent[i, 1], bent[i, 2]
        vx, vy, vz = -view[i, 0], -view[i, 1], -view[i, 2]
        facing = mx * vx + my * vy + mz * vz
        if facing < np.float32(0.02):
            # What leans away is hidden by what stands before it: show the nearest slope that can be seen.
            short = np.float32(0.02) - facing
            mx, my, mz = mx + short * vx, my + short * vy, mz + short * vz
            length = np.float32(1) / np.float32(np.sqrt(mx * mx + my * my + mz * mz))
            mx, my, mz = mx * length, my * length, mz * length
            facing = max(mx * vx + my * vy + mz * vz, np.float32(0.001))
        a, b = lattice_point(sample, keys[i], MIRRORED)
        alpha = rough[i]
        hx, hy, hz = mx, my, mz
        if kind[s] != GLASS and alpha > np.float32(0.0015):
            tx, ty, tz, bx, by, bz = any_frame(mx, my, mz)
            ex, ey = vx * tx + vy * ty + vz * tz, vx * bx + vy * by + vz * bz
            sx, sy, sz = alpha * ex, alpha * ey, facing
            length = np.float32(1) / np.float32(np.sqrt(sx * sx + sy * sy + sz * sz))
            sx, sy, sz = sx * length, sy * length, sz * length
            flat = sx * sx + sy * sy
            if flat > np.float32(1e-12):
                inv = np.float32(1) / np.float32(np.sqrt(flat))
                ax, ay, az = -sy * inv, sx * inv, np.float32(0)
            else:
                ax, ay, az = np.float32(1), np.float32(0), np.float32(0)
            cx, cy, cz = sy * az - sz * ay, sz * ax - sx * az, sx * ay - sy * ax
            r = np.float32(np.sqrt(a))
            p1 = r * np.float32(np.cos(6.2831853 * b))
            p2 = r * np.float32(np.sin(6.2831853 * b))
            blend = np.float32(0.5) * (np.float32(1) + sz)
            p2 = (np.float32(1) - blend) * np.float32(np.sqrt(max(np.float32(1) - p1 * p1, np.float32(0)))) + blend * p2
            p3 = np.float32(np.sqrt(max(np.float32(1) - p1 * p1 - p2 * p2, np.float32(0))))
            lx = alpha * (p1 * ax + p2 * cx + p3 * sx)
            ly = alpha * (p1 * ay + p2 * cy + p3 * sy)
            lz = max(p1 * az + p2 * cz + p3 * sz, np.float32(1e-4))
            length = np.float32(1) / np.float32(np.sqrt(lx * lx + ly * ly + lz * lz))
            lx, ly, lz = lx * length, ly * length, lz * length
            hx, hy, hz = lx * tx + ly * bx + lz * mx, lx * ty + ly * by + lz * my, lx * tz + ly * bz + lz * mz
        cosine = max(hx * vx + hy * vy + hz * vz, np.float32(0.001))
        dx = np.float32(2) * cosine * hx - vx
        dy = np.float32(2) * cosine * hy - vy
        dz = np.float32(2) * cosine * hz - vz
        if samples > 1 and kind[s] != GLASS:
            # Within the pixel, so that mirrored edges are smooth too; rays to panes come from all over theirs.
            dx += (b - np.float32(0.5)) * pixel_angle
            dz += (a - np.float32(0.5)) * pixel_angle
        below = dx * normal[i, 0] + dy * normal[i, 1] + dz * normal[i, 2]
        if below < np.float32(0.005):
            lift = np.float32(0.01) - np.float32(2) * below if below < 0 else np.float32(0.01)
            dx, dy, dz = dx + lift * normal[i, 0], dy + lift * normal[i, 1], dz + lift * normal[i, 2]
        length = np.float32(1) / np.float32(np.sqrt(dx * dx + dy * dy + dz * dz))
        out[i, 0], out[i, 1], out[i, 2] = dx * length, dy * length, dz * length
        if kind[s] == GLASS:
            f = fresnel_double_glazing(cosine, row[_F0])
            weight[i, 0], weight[i, 1], weight[i, 2] = f, f, f
            continue
        f = fresnel_dielectric(cosine, row[_F0])
        # Masking of the reflected direction (Smith, height-uncorrelated).
        away = max(out[i, 0] * mx + out[i, 1] * my + out[i, 2] * mz, np.float32(0.02))
        tan2 = (np.float32(1) - away * away) / (away * away)
        mask = np.float32(2) / (np.float32(1) + np.float32(np.sqrt(np.float32(1) + alpha * alpha * tan2)))
        metal = row[_METAL]
        schlick = (np.float32(1) - cosine) ** 5
        for k in range(3):
            tinted = albedo[i, k] + (np.float32(1) - albedo[i, k]) * schlick
            weight[i, k] = (f * (np.float32(1) - metal) + tinted * metal) * mask
