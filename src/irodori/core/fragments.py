"""Fragments: which surfaces share each pixel, and by how much."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit

from irodori.core.short import Short


@dataclass(frozen=True, eq=False, repr=False)
class Fragments(Short):
    """The visible pieces of surface, pixel by pixel: the edge coverage.

    Most pixels hold one fragment; a pixel on a border holds one for each surface it shows. Fragments are
    sorted by pixel, the largest first; the weights of a pixel add up to 1 (sky included).

    Attributes
    ----------
    pixel
        (N,) int32, row-major pixel index.
    region
        (N,) int32, surface id, 0 = sky.
    weight
        (N,) float32, share of the pixel, 0 … 1.
    depth
        (N,) float32, metres along the optical axis at the sample; inf in the sky.
    normal
        (N, 3) float32, unit, world frame, facing the camera; zero in the sky.
    offset
        (N, 2) float32, the sample's place inside its pixel, 0 … 1 in x and y.
    """

    pixel: np.ndarray
    region: np.ndarray
    weight: np.ndarray
    depth: np.ndarray
    normal: np.ndarray
    offset: np.ndarray

    def __len__(self) -> int:
        return len(self.pixel)

    def take(self, index: np.ndarray) -> Fragments:
        """The fragments at `index` (int or bool array). Raises IndexError beyond the last one."""
        index = np.flatnonzero(index) if np.asarray(index).dtype == bool else np.asarray(index)
        if len(index) and (index.min() < 0 or index.max() >= len(self)):
            raise IndexError(f"There are {len(self)} fragments, from 0 on")
        return Fragments(*_take(self.pixel, self.region, self.weight, self.depth, self.normal, self.offset, index))

    def first(self) -> np.ndarray:
        """Index of each pixel's largest fragment, (H·W,) int64."""
        return self._first

    @cached_property
    def _first(self) -> np.ndarray:
        starts = np.ones(len(self.pixel), bool)
        starts[1:] = self.pixel[1:] != self.pixel[:-1]
        return np.flatnonzero(starts)

    def positions(self, width: int) -> tuple[np.ndarray, np.ndarray]:
        """Picture positions (x, y), px, of the samples."""
        y, x = np.divmod(self.pixel, width)
        return x + self.offset[:, 0], y + self.offset[:, 1]

    def resolve(self, values: np.ndarray, size: tuple[int, int]) -> np.ndarray:
        """Blend per-fragment `values` (N, C) into a picture (H, W, C) float32 by weight.

        Raises ValueError when the number of values differs from the number of fragments.
        """
        if len(values) != len(self):
            raise ValueError(f"{len(values)} values for {len(self)} fragments")
        values = np.ascontiguousarray(values, np.float32)
        out = np.zeros((size[0] * size[1], values.shape[1]), np.float32)
        _blend(values, self.weight, self.pixel, out)
        return out.reshape(size[1], size[0], -1)


@njit(cache=True, nogil=True)
def _blend(values, weight, pixel, out):
    for i in range(len(values)):
        for k in range(values.shape[1]):
            out[pixel[i], k] += weight[i] * values[i, k]


@njit(cache=True, nogil=True)
def _take(pixel, region, weight, depth, normal, offset, index):
    count = len(index)
    pixels, regions = np.empty(count, pixel.dtype), np.empty(count, region.dtype)
    weights, depths = np.empty(count, weight.dtype), np.empty(count, depth.dtype)
    normals, offsets = np.empty((count, 3), normal.dtype), np.empty((count, 2), offset.dtype)
    for j in range(count):
        i = index[j]
        pixels[j], regions[j], weights[j], depths[j] = pixel[i], region[i], weight[i], depth[i]
        normals[j, 0], normals[j, 1], normals[j, 2] = normal[i, 0], normal[i, 1], normal[i, 2]
        offsets[j, 0], offsets[j, 1] = offset[i, 0], offset[i, 1]
    return pixels, regions, weights, depths, normals, offsets
