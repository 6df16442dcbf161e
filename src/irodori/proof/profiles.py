"""Profiles across each piece of edge, pooled along it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.work.tiles import for_each_tile
from irodori.proof.edges import EdgePieces

STEP = 0.25
REACH = 7.0
NEAR = 1.0
"""px within which an edge counts as found."""

S = np.arange(-REACH, REACH + STEP / 2, STEP)

WIDE, SLIM = 0.75, 0.3
"""px over which gradient energy is gathered: a drawn line has two flanks; gathered over a pixel and a half they peak at its centre."""

GATHERED = 3.0
"""px within which energy is gathered."""

SHARE = 2048
"""Pieces a thread takes at once."""


@dataclass(frozen=True, eq=False)
class Profiles:
    """Pooled profiles across pieces, at `S` px: `value` (P, S, 3) encoded, `energy` and `fine` (P, S) of its gradient, gathered
    widely, so that a line has one peak, and barely, so that an edge beside a stronger one has its own."""

    value: np.ndarray
    energy: np.ndarray
    fine: np.ndarray

    def take(self, keep: np.ndarray) -> Profiles:
        return Profiles(self.value[keep], self.energy[keep], self.fine[keep])


def pool_profiles(image: np.ndarray, pieces: EdgePieces, places: np.ndarray | None = None) -> Profiles:
    """Profiles across each piece, averaged along it: textures cancel, edges stay.

    Parameters
    ----------
    image
        (H, W, 3) float32, encoded.
    places
        (N, 2) px: where to look instead of at the pieces' own points.
    """
    places = pieces.point if places is None else places
    order = np.argsort(pieces.piece, kind="stable")
    starts = np.searchsorted(pieces.piece[order], np.arange(len(pieces) + 1))
    found = Profiles(
        np.zeros((len(pieces), len(S), 3)), np.zeros((len(pieces), len(S))), np.zeros((len(pieces), len(S)))
    )
    image = np.ascontiguousarray(image, np.float32)

    def share(first: int) -> None:
        own = slice(first, first + SHARE)
        _pool(
            image, places, order, starts[first : first + SHARE + 1], pieces.normal[own],
            _kernel(WIDE), _kernel(SLIM), found.value[own], found.energy[own], found.fine[own],
        )  # fmt: skip

    for_each_tile(range(0, len(pieces), SHARE), share)
    return found


def _kernel(reach: float) -> np.ndarray:
    kernel = np.exp(-0.5 * (np.arange(-GATHERED, GATHERED + STEP / 2, STEP) / reach) ** 2)
    return kernel / kernel.sum()


@njit(cache=True, nogil=True)
def _pool(image, places, order, starts, normal, wide, slim, value, energy, fine):
    """Fill `value`, `energy` and `fine` of the pieces whose points are `order` from each of `starts` to the next."""
    height, width = image.shape[:2]
    samples, half = value.shape[1], len(wide) // 2
    squared = np.zeros(samples)
    for p in range(len(value)):
        points = starts[p + 1] - starts[p]
        if points == 0:
            continue
        for row in order[starts[p] : starts[p + 1]]:
            for s in range(samples):
                away = (s - (samples - 1) // 2) * STEP
                x = min(max(places[row, 0] + normal[p, 0] * away - 0.5, 0.0), width - 1.0)
                y = min(max(places[row, 1] + normal[p, 1] * away - 0.5, 0.0), height - 1.0)
                x0, y0 = int(x), int(y)
                x1, y1 = min(x0 + 1, width - 1), min(y0 + 1, height - 1)
                fx, fy = x - x0, y - y0
                for k in range(3):
                    top = image[y0, x0, k] + fx * (image[y0, x1, k] - image[y0, x0, k])
                    low = image[y1, x0, k] + fx * (image[y1, x1, k] - image[y1, x0, k])
                    value[p, s, k] += top + fy * (low - top)
        for s in range(samples):
            for k in range(3):
                value[p, s, k] /= points
        for s in range(1, samples - 1):
            squared[s] = 0.0
            for k in range(3):
                squared[s] += ((value[p, s + 1, k] - value[p, s - 1, k]) / (2 * STEP)) ** 2
        for s in range(samples):
            for t in range(-half, half + 1):
                own = squared[min(max(s + t, 0), samples - 1)]
                energy[p, s] += wide[t + half] * own
                fine[p, s] += slim[t + half] * own
