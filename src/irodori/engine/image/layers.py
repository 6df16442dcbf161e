"""The layers of a traced picture, by name."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import accumulate

import numpy as np
from numba import njit

from irodori.core.short import Short
from irodori.core.work.tiles import for_each_tile, split_tiles

LAYERS = {
    "albedo": 3, "sun": 3, "sky": 3, "lamps": 3, "bounce sun": 3, "bounce sky": 3, "bounce lamps": 3,
    "reflection sun": 3, "reflection sky": 3, "reflection lamps": 3, "backdrop": 3,
}  # fmt: skip
"""Layers of a traced picture and their channels; radiance in cd/m² per channel, albedo as a ratio."""

SPANS = {
    name: slice(end - width, end) for (name, width), end in zip(LAYERS.items(), accumulate(LAYERS.values()))
}  # fmt: skip
"""Where the channels of each layer lie."""

CHANNELS = sum(LAYERS.values())
FALLEN = ("sun", "sky", "lamps", "bounce sun", "bounce sky", "bounce lamps")
"""Layers of light that fell on matt surfaces: not mirrored, nor seen in the sky."""

SUN, SKY, LAMPS = (SPANS[name].start for name in ("sun", "sky", "lamps"))
BOUNCE, REFLECTION, BACKDROP = SPANS["bounce sun"].start, SPANS["reflection sun"].start, SPANS["backdrop"].start
"""First channels of layers, for kernels."""


@dataclass(frozen=True, eq=False, repr=False)
class Traced(Short):
    """What was traced of a scene in one light.

    Attributes
    ----------
    layers
        (N, CHANNELS) float32 on the fragments shown, light in units of `unit`; `of` gives one by its name.
    unit
        cd/m².
    white
        What is white in the picture, cd/m²: by it rays are held.
    rays
        How many were traced.
    sun_direction, sun_lux
        (3,) float32 each: unit, towards the sun or moon; lx on what faces it.
    axis
        (S,) float32, radians from east: the laying of level surfaces, by surface id.
    metal
        (S,) float32, 0 … 1: metalness by surface id; of what falls on metal so much is mirrored.
    """

    layers: np.ndarray
    unit: float
    white: float
    rays: int
    sun_direction: np.ndarray
    sun_lux: np.ndarray
    axis: np.ndarray
    metal: np.ndarray

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(LAYERS)

    def of(self, name: str) -> np.ndarray:
        """One layer, (N, 3) float32, light in units of `unit`. Raises KeyError."""
        return self.layers[:, SPANS[name]]

    def light(self) -> np.ndarray:
        """All light together, (N, 3) float32, in units of `unit`."""
        return total_light(self.layers, SUN)

    def fallen(self, chosen: np.ndarray | slice) -> np.ndarray:
        """Light that fell on the fragments `chosen`, as radiance of a white surface in units of `unit` · albedo, (n, 3)."""
        span = slice(SPANS[FALLEN[0]].start, SPANS[FALLEN[-1]].stop)
        return self.layers[chosen, span].reshape(-1, len(FALLEN), 3).sum(axis=1)

    def times(self, gains: dict[str, float]) -> Traced:
        """These layers, each times its gain; those not named stay."""
        factors = np.ones(CHANNELS, np.float32)
        for name, gain in gains.items():
            factors[SPANS[name]] = gain
        return replace(self, layers=self.layers * factors)


@njit(cache=True, nogil=True)
def _sum_light(layers, first, out):
    for i in range(len(layers)):
        for k in range(3):
            total = np.float32(0)
            for c in range(first + k, layers.shape[1], 3):
                total += layers[i, c]
            out[i, k] = total


def total_light(layers: np.ndarray, first: int) -> np.ndarray:
    """Sum of the RGB triples of `layers` (N, C) from channel `first` on, (N, 3) float32."""
    out = np.empty((len(layers), 3), np.float32)

    def work(span: tuple[int, int]) -> None:
        _sum_light(layers[span[0] : span[1]], first, out[span[0] : span[1]])

    for_each_tile(split_tiles(len(layers), 1 << 17), work)
    return out
