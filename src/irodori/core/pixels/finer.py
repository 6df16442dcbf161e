"""Borders between pixels: the surfaces' coverage of a picture some times as large."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.pixels.tangent_planes import on_tangent_planes

SPLIT = 4
"""Samples along the side of each new pixel."""

REACH = 0.7
"""px within which coverage says where inside a pixel a surface lies (standard deviation)."""

MOST = 24
"""Surfaces in one pixel that are told apart."""


def finer(fragments: Fragments, camera: Camera, times: int) -> tuple[Fragments, Camera]:
    """Fragments of the same view `times` as large along each side, and its camera.

    Every surface keeps the very share of each old pixel that it had; where inside it lies is told by its share of the pixels around,
    so straight borders stay straight and slender things whole. Depth goes on along the tangent plane.
    """
    width, height = camera.size
    parent, pixel, weight = split_fragments(fragments, camera.size, times)
    matrix = camera.matrix.copy()
    matrix[:2] *= times
    large = Camera(matrix, camera.rotation, camera.position, camera.projection, (width * times, height * times))
    order = np.lexsort((-weight, pixel))
    parent, pixel, weight = parent[order], pixel[order], weight[order]
    offset = np.full((len(pixel), 2), 0.5, np.float32)
    wide = camera.size[0] * times
    depth = on_tangent_planes(fragments, camera, parent, (pixel % wide + 0.5) / times, (pixel // wide + 0.5) / times, 2.0)
    columns = pixel.astype(np.int32), fragments.region[parent], weight, depth, fragments.normal[parent], offset
    return Fragments(*columns), large


def split_fragments(
    fragments: Fragments, size: tuple[int, int], times: int, only: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Fragments of a picture of `size` (width, height) px parted for one `times` as large, in no order.

    `only`, (H, W) bool, says of which pixels. Returns the fragment that each is part of, its pixel in the large picture, and its share of that.
    """
    start = np.append(fragments.first(), len(fragments)).astype(np.int64)
    wanted = np.ones(size[0] * size[1], bool) if only is None else only.ravel()
    return _split(start, fragments.region, fragments.weight, wanted, size[0], size[1], times)


@njit(cache=True, nogil=True)
def _split(start, region, weight, wanted, width, height, times):
    side = times * SPLIT
    samples = side * side
    wide = width * times
    most = 0
    for p in range(width * height):
        if wanted[p]:
            most += times * times * (start[p + 1] - start[p])
    parent, pixel, share = np.empty(most, np.int64), np.empty(most, np.int64), np.empty(most, np.float32)
    score, gain, taken = np.empty((MOST, samples)), np.empty(samples), np.empty(samples, np.int64)
    count = 0
    for p in range(width * height):
        if not wanted[p]:
            continue
        y, x = p // width, p % width
        first, many = start[p], min(start[p + 1] - start[p], MOST)
        if many == 1:
            for j in range(times):
                for i in range(times):
                    parent[count], pixel[count] = first, (y * times + j) * wide + x * times + i
                    share[count] = 1.0
                    count += 1
            continue
        score[:many] = 0.0
        for v in range(max(y - 2, 0), min(y + 3, height)):
            for u in range(max(x - 2, 0), min(x + 3, width)):
                for f in range(start[v * width + u], start[v * width + u + 1]):
                    for r in range(many):
                        if region[first + r] == region[f]:
                            for s in range(samples):
                                dy = y + (s // side + 0.5) / side - v - 0.5
                                dx = x + (s % side + 0.5) / side - u - 0.5
                                score[r, s] += weight[f] * np.exp(-(dx * dx + dy * dy) / (2 * REACH * REACH))
                            break
        total = 0.0
        for r in range(many):
            total += weight[first + r]
        # The smallest take the samples that speak most for them; the largest keeps the rest.
        taken[:] = 0
        left = samples
        for r in range(many - 1, 0, -1):
            need = min(int(np.floor(weight[first + r] / total * samples + 0.5)), left)
            for s in range(samples):
                other = -1e9
                for q in range(r):
                    other = max(other, score[q, s])
                gain[s] = other - score[r, s] if taken[s] == 0 else 1e9
            order = np.argsort(gain, kind="mergesort")
            for a in range(need):
                taken[order[a]] = r
            left -= need
        for j in range(times):
            for i in range(times):
                for r in range(many):
                    own = 0
                    for b in range(SPLIT):
                        for a in range(SPLIT):
                            own += taken[(j * SPLIT + b) * side + i * SPLIT + a] == r
                    if own > 0:
                        parent[count], pixel[count] = first + r, (y * times + j) * wide + x * times + i
                        share[count] = own / (SPLIT * SPLIT)
                        count += 1
    return parent[:count], pixel[:count], share[:count]
