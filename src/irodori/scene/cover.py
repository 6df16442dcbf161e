"""What additions hide: their pieces are laid before the structure's, pixel by pixel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.work.tiles import for_each_tile
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage.catalogue import corner_normals

GRID = 3
"""Samples along each side of a pixel."""

SAMPLES = GRID * GRID
MOST_PIECES = 6
THIN = np.float32(1e-3)
"""Share of a pixel below which a piece is dropped."""


@dataclass(frozen=True, eq=False)
class Added:
    """Triangles of the additions.

    `triangles`, `corner_normals` (T, 3, 3) float32; `surface`, `owner` (T,) int32: surface id and addition. By addition:
    `opacity` (A,) float32, `over` (A,) bool (may cover what is protected), `stands_on` (A,) int32 surface, `outline` (A,)
    bool (only its outline is drawn), `far` (A,) bool (lies behind all but the sky).
    """

    triangles: np.ndarray
    corner_normals: np.ndarray
    surface: np.ndarray
    owner: np.ndarray
    opacity: np.ndarray
    over: np.ndarray
    stands_on: np.ndarray
    outline: np.ndarray
    far: np.ndarray


def as_added(
    triangles: np.ndarray, surface: np.ndarray, owner: np.ndarray, stands_on: np.ndarray, *, over: bool
) -> Added:  # fmt: skip
    """Leaves or blades as additions, as they are cut, solid and near; the arguments are fields of `Added`."""
    count, none = len(stands_on), np.zeros(len(stands_on), bool)
    return Added(
        triangles, corner_normals(triangles, 0.0), surface, owner, np.ones(count, np.float32), np.full(count, over),
        stands_on.astype(np.int32), none, none,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Cover:
    """`fragments` with the additions' pieces; `covered` (H, W) share hidden; by addition `shown`, `withheld` (A,) px."""

    fragments: Fragments
    covered: np.ndarray
    shown: np.ndarray
    withheld: np.ndarray


def cover_structure(fragments: Fragments, camera: Camera, added: Added, protected: np.ndarray) -> Cover:
    """Lay additions before a structure.

    Parameters
    ----------
    fragments
        The structure's.
    added
        The additions' triangles.
    protected
        (S,) bool by surface id: what may not be covered unless asked.
    """
    width, height = camera.size
    scene = RayScene(added.triangles)
    first = np.append(fragments.first(), len(fragments))
    bands = [(a, min(a + 24, height)) for a in range(0, height, 24)]
    near = _near_additions(camera, added)
    steps = (np.arange(GRID) + 0.5) / GRID
    offsets = np.array([(x, y) for y in steps for x in steps])

    def work(band: tuple[int, int]):
        import cv2

        touched = near[band[0] : band[1]]
        y, x = np.nonzero(touched)
        hit = np.zeros(touched.shape, np.uint8)
        for dx, dy in ((0.25, 0.25), (0.75, 0.75), (0.75, 0.25), (0.25, 0.75)):
            hit[y, x] |= scene.closest(*camera.rays(x + dx, y + band[0] + dy))[1] >= 0
        touched = touched & (cv2.dilate(hit, np.ones((3, 3), np.uint8)) > 0)
        # A thin thing may begin just over the band's edge.
        if hit.any():
            touched[[0, -1]] |= near[band[0] : band[1]][[0, -1]]
        y, x = np.nonzero(touched)
        y += band[0]
        px, py = x[:, None] + offsets[None, :, 0], y[:, None] + offsets[None, :, 1]
        origins, ways = camera.rays(px.ravel(), py.ravel())
        depth, tri = scene.closest(origins, ways)
        slot = np.full(touched.size, -1, np.int32)
        slot[(y - band[0]) * width + x] = np.arange(len(y))
        points = np.where((tri >= 0)[:, None], origins + ways * np.where(tri >= 0, depth, 0)[:, None], 0).astype(
            np.float32
        )
        span = slice(first[band[0] * width], first[band[1] * width])
        edge = _outlines(tri.reshape(-1, SAMPLES), added.owner, added.outline, slot, width)
        below = _Below(*(getattr(fragments, name)[span] for name in _Below._fields))
        samples = _Samples(
            slot, band[0] * width, tri.reshape(-1, SAMPLES), depth.reshape(-1, SAMPLES), points.reshape(-1, SAMPLES, 3),
            ways.reshape(-1, SAMPLES, 3), edge,
        )  # fmt: skip
        return _merge(below, samples, _AddedRows(*(getattr(added, name) for name in _AddedRows._fields)), protected)

    parts = for_each_tile(bands, work, stage="Placing the entourage")
    joined = Fragments(*(np.concatenate([p[0][i] for p in parts]) for i in range(6)))
    covered = np.concatenate([p[1] for p in parts]).reshape(height, width)
    return Cover(joined, covered, sum(p[2] for p in parts), sum(p[3] for p in parts))


def _near_additions(camera: Camera, added: Added) -> np.ndarray:
    """Pixels in the boxes that additions fill in the picture, (H, W) bool."""
    width, height = camera.size
    spots, depth = camera.project(added.triangles.reshape(-1, 3))
    behind = (depth < 0.05) & (camera.projection == "perspective")
    mask = np.zeros((height, width), bool)
    starts = np.flatnonzero(np.diff(added.owner, prepend=-1)) * 3
    for corners, back, away in zip(*(np.split(a, starts[1:]) for a in (spots, behind, depth))):
        if back.any() and np.abs(away[back]).max() < 60:
            # It reaches past the camera: look everywhere.
            mask[:] = True
            break
        corners = corners[~back]
        if len(corners):
            low, high = np.floor(corners.min(axis=0)) - 1, np.ceil(corners.max(axis=0)) + 2
            (left, top), (right, bottom) = (
                np.clip(low, 0, (width, height)).astype(int),
                np.clip(high, 0, (width, height)).astype(int),
            )
            mask[top:bottom, left:right] = True
    return mask


@njit(cache=True, nogil=True)
def _outlines(tri, owner, outline, slot, width):
    """How much of its opacity each pixel keeps, (n,): the inside of figures that are only drawn keeps little."""
    full = np.zeros(len(tri), np.bool_)
    for i in range(len(tri)):
        inside = True
        for s in range(tri.shape[1]):
            t = tri[i, s]
            if t < 0 or not outline[owner[t]]:
                inside = False
        full[i] = inside
    keep = np.ones(len(tri), np.float32)
    for p in range(len(slot)):
        i = slot[p]
        if i < 0 or not full[i]:
            continue
        y, x = p // width, p % width
        inside = True
        for ny, nx in ((y - 1, x), (y + 1, x), (y, x - 1), (y, x + 1)):
            q = ny * width + nx
            if nx < 0 or nx >= width or q < 0 or q >= len(slot) or slot[q] < 0 or not full[slot[q]]:
                inside = False
        if inside:
            keep[i] = np.float32(0.14)
    return keep


@njit(cache=True, nogil=True)
def _normal_at(t, point, triangles, corner_normals, way, out):
    """Normal at a hit, between those of the corners, facing the viewer."""
    ax, ay, az = triangles[t, 0]
    e0x, e0y, e0z = triangles[t, 1, 0] - ax, triangles[t, 1, 1] - ay, triangles[t, 1, 2] - az
    e1x, e1y, e1z = triangles[t, 2, 0] - ax, triangles[t, 2, 1] - ay, triangles[t, 2, 2] - az
    px, py, pz = point[0] - ax, point[1] - ay, point[2] - az
    d00, d01 = e0x * e0x + e0y * e0y + e0z * e0z, e0x * e1x + e0y * e1y + e0z * e1z
    d11 = e1x * e1x + e1y * e1y + e1z * e1z
    d20, d21 = px * e0x + py * e0y + pz * e0z, px * e1x + py * e1y + pz * e1z
    scale = d00 * d11 - d01 * d01
    v, w = np.float32(0.33), np.float32(0.33)
    if abs(scale) > np.float32(1e-16):
        v, w = (d11 * d20 - d01 * d21) / scale, (d00 * d21 - d01 * d20) / scale
    length = np.float32(0)
    for k in range(3):
        n = corner_normals[t]
        out[k] = (np.float32(1) - v - w) * n[0, k] + v * n[1, k] + w * n[2, k]
        length += out[k] * out[k]
    facing = out[0] * way[0] + out[1] * way[1] + out[2] * way[2]
    scale = np.float32(1) / np.float32(np.sqrt(max(length, np.float32(1e-12))))
    if facing > 0:
        scale = -scale
    for k in range(3):
        out[k] *= scale


class _Below(NamedTuple):
    """The structure's fragments of some rows of pixels."""

    pixel: np.ndarray
    region: np.ndarray
    weight: np.ndarray
    depth: np.ndarray
    normal: np.ndarray
    offset: np.ndarray


class _Samples(NamedTuple):
    """What several rays through each touched pixel met: `slot` (pixels,) is a pixel's row, or −1, `base` the first pixel; per row
    and sample the triangle, its depth, place and the ray's way; and how much of its opacity the pixel keeps."""

    slot: np.ndarray
    base: int
    tri: np.ndarray
    depth: np.ndarray
    points: np.ndarray
    ways: np.ndarray
    keep: np.ndarray


class _AddedRows(NamedTuple):
    """What of `Added` says what its triangles are, and what each addition may do."""

    triangles: np.ndarray
    corner_normals: np.ndarray
    surface: np.ndarray
    owner: np.ndarray
    opacity: np.ndarray
    over: np.ndarray
    stands_on: np.ndarray
    far: np.ndarray


@njit(cache=True, nogil=True)
def _merge(below, samples, added, protected):
    """Lay additions before the structure: the fragments of both, how far each pixel is covered, and what of each addition
    is shown and what is withheld, as it would cover what is `protected` (S,)."""
    pixel, region, weight, depth, normal, offset = below
    slot, base, tri, sample_depth, points, ways, keep = samples
    triangles, corner_normals, surface, owner, opacity, over, stands_on, far = added
    additions = len(opacity)
    most = len(pixel) + MOST_PIECES * len(tri)
    o_pixel, o_region = np.empty(most, np.int32), np.empty(most, np.int32)
    o_weight, o_depth = np.empty(most, np.float32), np.empty(most, np.float32)
    o_normal, o_offset = np.zeros((most, 3), np.float32), np.empty((most, 2), np.float32)
    covered = np.zeros(len(slot), np.float32)
    shown, withheld = np.zeros(additions, np.float64), np.zeros(additions, np.float64)
    c_surface, c_sample = np.empty(MOST_PIECES, np.int32), np.empty(MOST_PIECES, np.int32)
    c_weight, c_near = np.empty(MOST_PIECES, np.float32), np.empty(MOST_PIECES, np.float32)
    left = np.empty(64, np.float32)
    count, i = 0, 0
    while i < len(pixel):
        end = i + 1
        while end < len(pixel) and pixel[end] == pixel[i]:
            end += 1
        place = slot[pixel[i] - base]
        begin = count
        clusters = 0
        n = min(end - i, 64)
        if place >= 0:
            for j in range(n):
                left[j] = weight[i + j]
            for s in range(SAMPLES):
                t = tri[place, s]
                if t < 0:
                    continue
                who = owner[t]
                taken = np.float32(0)
                for j in range(n):
                    if sample_depth[place, s] >= depth[i + j] or (far[who] and region[i + j] != 0):
                        continue
                    piece = weight[i + j] / np.float32(SAMPLES)
                    if protected[region[i + j]] and not over[who] and region[i + j] != stands_on[who]:
                        withheld[who] += piece
                        continue
                    shown[who] += piece
                    piece *= opacity[who] * keep[place]
                    left[j] -= piece
                    taken += piece
                if taken <= 0:
                    continue
                found = -1
                for c in range(clusters):
                    if c_surface[c] == surface[t]:
                        found = c
                if found < 0:
                    if clusters == MOST_PIECES:
                        found = MOST_PIECES - 1
                    else:
                        found = clusters
                        clusters += 1
                        c_surface[found], c_weight[found], c_near[found] = surface[t], np.float32(0), np.float32(9)
                c_weight[found] += taken
                covered[pixel[i] - base] += taken
                sx, sy = s % GRID - (GRID - 1) / 2, s // GRID - (GRID - 1) / 2
                distance = np.float32(sx * sx + sy * sy)
                if distance < c_near[found] and c_surface[found] == surface[t]:
                    c_near[found], c_sample[found] = distance, s
        if clusters == 0:
            for j in range(i, end):
                o_pixel[count], o_region[count], o_weight[count] = pixel[j], region[j], weight[j]
                o_depth[count], o_normal[count], o_offset[count] = depth[j], normal[j], offset[j]
                count += 1
            i = end
            continue
        for j in range(n):
            if left[j] > THIN:
                o_pixel[count], o_region[count], o_weight[count] = pixel[i + j], region[i + j], left[j]
                o_depth[count], o_normal[count], o_offset[count] = depth[i + j], normal[i + j], offset[i + j]
                count += 1
        for c in range(clusters):
            s = c_sample[c]
            t = tri[place, s]
            o_pixel[count], o_region[count], o_weight[count] = pixel[i], c_surface[c], c_weight[c]
            o_depth[count] = sample_depth[place, s]
            o_offset[count, 0], o_offset[count, 1] = (s % GRID + 0.5) / GRID, (s // GRID + 0.5) / GRID
            _normal_at(t, points[place, s], triangles, corner_normals, ways[place, s], o_normal[count])
            count += 1
        _largest_first(o_pixel, o_region, o_weight, o_depth, o_normal, o_offset, begin, count)
        i = end
    return (
        (o_pixel[:count].copy(), o_region[:count].copy(), o_weight[:count].copy(), o_depth[:count].copy(),
         o_normal[:count].copy(), o_offset[:count].copy()),
        covered, shown, withheld,
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _largest_first(pixel, region, weight, depth, normal, offset, begin, end):
    """Sort one pixel's pieces by weight, and let the weights add up to 1."""
    total = np.float32(0)
    for a in range(begin, end):
        total += weight[a]
        b = a
        while b > begin and weight[b] > weight[b - 1]:
            region[b], region[b - 1] = region[b - 1], region[b]
            weight[b], weight[b - 1] = weight[b - 1], weight[b]
            depth[b], depth[b - 1] = depth[b - 1], depth[b]
            for k in range(3):
                normal[b, k], normal[b - 1, k] = normal[b - 1, k], normal[b, k]
            for k in range(2):
                offset[b, k], offset[b - 1, k] = offset[b - 1, k], offset[b, k]
            b -= 1
    for a in range(begin, end):
        weight[a] /= total
