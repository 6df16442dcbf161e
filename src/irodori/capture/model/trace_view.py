"""Exact passes from a model: primary visibility with several samples a pixel, gathered into fragments."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.work.progress import Progress
from irodori.core.work.tiles import for_each_tile
from irodori.engine.rays.ray_scene import RayScene, rays_of

GRID = 4
"""Samples along each side of a pixel on a border; elsewhere 2 × 2 are enough to see that there is none."""

MOST_FRAGMENTS = 6


@dataclass(frozen=True, eq=False)
class TracedView:
    """`fragments`, and the surface id at GRID × GRID samples a pixel, (H·GRID, W·GRID) int32, if asked for."""

    fragments: Fragments
    samples: np.ndarray | None


def trace_view(
    mesh: Mesh, camera: Camera, *, keep_samples: bool = False, loose: np.ndarray | None = None,
    progress: Progress | None = None, scene: RayScene | None = None,
) -> TracedView:  # fmt: skip
    """Trace what `camera` sees of `mesh`.

    Parameters
    ----------
    mesh, camera
        World frame, metres.
    keep_samples
        Also return the surface ids at every sample (for drawing captures).
    loose
        (S,) bool: surfaces (planting) whose pieces gather by surface alone, whatever their normals.

    Returns
    -------
    TracedView
    """
    width, height = camera.size
    scene = scene or rays_of(mesh)
    normals = mesh.normals()
    if loose is None:
        loose = np.zeros(int(mesh.surface.max(initial=0)) + 1, bool)
    rows = max(1, min(height, 2 * 65536 // (4 * width) + 1))
    bands = [(a, min(a + rows, height)) for a in range(0, height, rows)]

    def work(band: tuple[int, int]) -> tuple:
        return _trace_band(scene, mesh, normals, camera, band, loose, keep_samples)

    parts = for_each_tile(bands, work, stage="Reading the view", progress=progress)
    fragments = Fragments(*(np.concatenate([p[0][i] for p in parts]) for i in range(6)))
    samples = np.concatenate([p[1] for p in parts]) if keep_samples else None
    return TracedView(fragments, samples)


def _trace_band(scene, mesh, normals, camera, band, loose, keep_samples):
    width = camera.size[0]
    y0, y1 = band
    # One row of context above and below, so that borders between bands are refined too.
    top, bottom = max(y0 - 1, 0), min(y1 + 1, camera.size[1])
    ys, xs = np.mgrid[top:bottom, 0:width]
    coarse = [
        _shoot(scene, mesh, camera, (xs + dx).ravel(), (ys + dy).ravel()) for dy in (0.25, 0.75) for dx in (0.25, 0.75)
    ]
    tri = np.stack([c[1] for c in coarse]).reshape(4, bottom - top, width)
    depth = np.stack([c[0] for c in coarse]).reshape(4, bottom - top, width)
    busy = _busy_pixels(tri, depth, mesh.surface, normals)[y0 - top : y1 - top]
    tri, depth = tri[:, y0 - top : y1 - top], depth[:, y0 - top : y1 - top]
    by, bx = np.nonzero(busy)
    steps = (np.arange(GRID) + 0.5) / GRID
    offsets = np.array([(x, y) for y in steps for x in steps])
    fine_x = (bx[:, None] + offsets[None, :, 0]).ravel()
    fine_y = (by[:, None] + y0 + offsets[None, :, 1]).ravel()
    fine_depth, fine_tri = _shoot(scene, mesh, camera, fine_x, fine_y)
    fragments = _gather(
        busy, tri[0], depth[0], fine_tri.reshape(-1, GRID * GRID), fine_depth.reshape(-1, GRID * GRID),
        mesh.surface, normals, loose, camera.rotation[2].astype(np.float32), camera.projection == "parallel",
        camera.rotation.astype(np.float32), camera.matrix.astype(np.float32), y0 * width,
    )  # fmt: skip
    samples = None
    if keep_samples:
        ids = np.where(tri[0] >= 0, mesh.surface[tri[0]], 0)
        samples = np.repeat(np.repeat(ids, GRID, axis=0), GRID, axis=1).astype(np.int32)
        fine = np.where(fine_tri >= 0, mesh.surface[fine_tri], 0).reshape(-1, GRID, GRID)
        blocks = samples.reshape(y1 - y0, GRID, width, GRID)
        blocks[by, :, bx, :] = fine
    return fragments, samples


def _shoot(scene, mesh, camera, x, y):
    origins, directions = camera.rays(x, y)
    depth, tri = scene.closest(origins, directions)
    # Directions are scaled to the optical axis, so the ray parameter is the depth.
    return np.where(tri >= 0, depth, np.inf).astype(np.float32), tri


@njit(cache=True, nogil=True)
def _busy_pixels(tri, depth, surface, normals):
    """Pixels where any of the 2 × 2 samples, or a neighbour's, shows another surface, a fold or a jump."""
    _, height, width = tri.shape
    busy = np.zeros((height, width), np.bool_)
    for y in range(height):
        for x in range(width):
            t0 = tri[0, y, x]
            s0 = surface[t0] if t0 >= 0 else 0
            for ny in range(max(y - 1, 0), min(y + 2, height)):
                for nx in range(max(x - 1, 0), min(x + 2, width)):
                    for k in range(4):
                        t = tri[k, ny, nx]
                        if t == t0:
                            continue
                        s = surface[t] if t >= 0 else 0
                        if s != s0:
                            busy[y, x] = True
                        elif t >= 0:
                            dot = (
                                normals[t, 0] * normals[t0, 0]
                                + normals[t, 1] * normals[t0, 1]
                                + normals[t, 2] * normals[t0, 2]
                            )
                            jump = abs(depth[k, ny, nx] - depth[0, y, x]) > np.float32(0.05) * depth[0, y, x]
                            if dot < np.float32(0.9) or jump:
                                busy[y, x] = True
    return busy


@njit(cache=True, nogil=True)
def _gather(
    busy, tri, depth, fine_tri, fine_depth, surface, normals, loose, axis, parallel, rotation, matrix, base
):  # fmt: skip
    """Cluster samples into fragments: same surface, similar normal."""
    height, width = busy.shape
    most = height * width + fine_tri.shape[0] * (MOST_FRAGMENTS - 1)
    pixel = np.empty(most, np.int32)
    region = np.empty(most, np.int32)
    weight = np.empty(most, np.float32)
    out_depth = np.empty(most, np.float32)
    out_normal = np.zeros((most, 3), np.float32)
    offset = np.empty((most, 2), np.float32)
    count = 0
    samples = GRID * GRID
    c_region = np.empty(MOST_FRAGMENTS, np.int32)
    c_count = np.empty(MOST_FRAGMENTS, np.int32)
    c_best = np.empty(MOST_FRAGMENTS, np.int32)
    c_distance = np.empty(MOST_FRAGMENTS, np.float32)
    c_tri = np.empty(MOST_FRAGMENTS, np.int32)
    fine = 0
    for y in range(height):
        for x in range(width):
            if not busy[y, x]:
                t = tri[y, x]
                pixel[count] = base + y * width + x
                region[count] = surface[t] if t >= 0 else 0
                weight[count] = np.float32(1.0)
                out_depth[count] = depth[y, x]
                offset[count, 0] = np.float32(0.25)
                offset[count, 1] = np.float32(0.25)
                _facing(t, normals, x, y + base // width, parallel, axis, rotation, matrix, out_normal[count])
                count += 1
                continue
            clusters = 0
            for s in range(samples):
                t = fine_tri[fine, s]
                r = surface[t] if t >= 0 else 0
                sx = np.float32((s % GRID) + 0.5) / GRID - np.float32(0.5)
                sy = np.float32((s // GRID) + 0.5) / GRID - np.float32(0.5)
                distance = sx * sx + sy * sy
                found = -1
                for c in range(clusters):
                    if c_region[c] != r:
                        continue
                    if r == 0 or loose[r]:
                        found = c
                        break
                    o = c_tri[c]
                    dot = normals[t, 0] * normals[o, 0] + normals[t, 1] * normals[o, 1] + normals[t, 2] * normals[o, 2]
                    if dot > np.float32(0.85):
                        found = c
                        break
                if found < 0:
                    if clusters < MOST_FRAGMENTS:
                        found = clusters
                        clusters += 1
                        c_region[found] = r
                        c_count[found] = 0
                        c_distance[found] = np.float32(9.0)
                        c_tri[found] = t
                    else:
                        found = MOST_FRAGMENTS - 1
                c_count[found] += 1
                if distance < c_distance[found] and c_region[found] == r:
                    c_distance[found] = distance
                    c_best[found] = s
            used = np.int64(0)
            for _ in range(clusters):
                best = -1
                for c in range(clusters):
                    if (used >> c) & 1 == 0 and (best < 0 or c_count[c] > c_count[best]):
                        best = c
                used |= np.int64(1) << best
                s = c_best[best]
                t = fine_tri[fine, s]
                pixel[count] = base + y * width + x
                region[count] = c_region[best]
                weight[count] = np.float32(c_count[best]) / np.float32(samples)
                out_depth[count] = fine_depth[fine, s]
                offset[count, 0] = np.float32((s % GRID) + 0.5) / GRID
                offset[count, 1] = np.float32((s // GRID) + 0.5) / GRID
                _facing(t, normals, x, y + base // width, parallel, axis, rotation, matrix, out_normal[count])
                count += 1
            fine += 1
    return (
        pixel[:count].copy(), region[:count].copy(), weight[:count].copy(), out_depth[:count].copy(),
        out_normal[:count].copy(), offset[:count].copy(),
    )  # fmt: skip


@njit(cache=True, nogil=True, inline="always")
def _facing(t, normals, x, y, parallel, axis, rotation, matrix, out):
    if t < 0:
        return
    dx, dy, dz = axis[0], axis[1], axis[2]
    if not parallel:
        u = (np.float32(x) + np.float32(0.5) - matrix[0, 2]) / matrix[0, 0]
        v = (np.float32(y) + np.float32(0.5) - matrix[1, 2]) / matrix[1, 1]
        dx += u * rotation[0, 0] + v * rotation[1, 0]
        dy += u * rotation[0, 1] + v * rotation[1, 1]
        dz += u * rotation[0, 2] + v * rotation[1, 2]
    facing = normals[t, 0] * dx + normals[t, 1] * dy + normals[t, 2] * dz
    sign = np.float32(-1.0) if facing > 0 else np.float32(1.0)
    out[0] = sign * normals[t, 0]
    out[1] = sign * normals[t, 1]
    out[2] = sign * normals[t, 2]
