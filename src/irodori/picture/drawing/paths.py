"""Paths that a hand would draw, all of them in a few arrays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from irodori.core.short import Short

SILHOUETTE, FOLD, JOINT, HATCHING, FOLIAGE, SKY, WATER, LETTERING = range(8)
KINDS = ("silhouette", "fold", "joint", "hatching", "foliage", "sky", "water", "lettering")
"""What paths are of, by their number."""


@dataclass(frozen=True, eq=False, repr=False)
class Paths(Short):
    """Paths in picture positions.

    Attributes
    ----------
    points
        (P, 2) float32, px.
    width
        (P,) float32, px: the width of the stroke at each point.
    starts
        (N + 1,) int64: path i has the points starts[i] … starts[i + 1].
    kind
        (N,) int8, one of `KINDS`.
    surface
        (N,) int32, the id of the surface that a path lies on, or that ends there; 0 for the sky.
    colour
        (N, 3) float32, sRGB-encoded; None where one ink draws all.
    """

    points: np.ndarray
    width: np.ndarray
    starts: np.ndarray
    kind: np.ndarray
    surface: np.ndarray
    colour: np.ndarray | None = None

    def __len__(self) -> int:
        return len(self.kind)

    @property
    def path_of(self) -> np.ndarray:
        """(P,) int64: the path of each point."""
        return np.repeat(np.arange(len(self)), np.diff(self.starts))

    def take(self, chosen: np.ndarray) -> Paths:
        """The `chosen` paths, (N,) bool or numbers."""
        index = np.flatnonzero(chosen) if np.asarray(chosen).dtype == bool else np.asarray(chosen)
        count = np.diff(self.starts)[index]
        at = np.repeat(self.starts[index] - (np.cumsum(count) - count), count) + np.arange(int(count.sum()))
        return Paths(
            self.points[at], self.width[at], np.concatenate([[0], np.cumsum(count)]), self.kind[index], self.surface[index],
            None if self.colour is None else self.colour[index],
        )  # fmt: skip

    def scaled(self, factor: float) -> Paths:
        """The same in a picture `factor` times as large."""
        return replace(self, points=self.points * np.float32(factor), width=self.width * np.float32(factor))

    @classmethod
    def none(cls) -> Paths:
        """No paths."""
        return cls(
            np.zeros((0, 2), np.float32), np.zeros(0, np.float32), np.zeros(1, np.int64), np.zeros(0, np.int8), np.zeros(0, np.int32)
        )  # fmt: skip


def joined(several: Sequence[Paths]) -> Paths:
    """All paths of several together; their colours go where not all have any."""
    if not several:
        return Paths.none()
    offsets = np.cumsum([0] + [len(p.points) for p in several])
    starts = np.concatenate([p.starts[:-1] + o for p, o in zip(several, offsets)] + [offsets[-1:]])
    coloured = all(p.colour is not None for p in several)
    return Paths(
        np.concatenate([p.points for p in several]), np.concatenate([p.width for p in several]), starts,
        np.concatenate([p.kind for p in several]), np.concatenate([p.surface for p in several]),
        np.concatenate([p.colour for p in several if p.colour is not None]) if coloured else None,
    )  # fmt: skip


def middles_of(paths: Paths, picture: np.ndarray) -> np.ndarray:
    """What a picture (H, W) or (H, W, C) has under the middle of each path, (N,) or (N, C)."""
    height, width = picture.shape[:2]
    middle = paths.points[(paths.starts[:-1] + paths.starts[1:]) // 2]
    x, y = middle.astype(int).T.clip(0, [[width - 1], [height - 1]])
    return picture[y, x]


@njit(cache=True, nogil=True)
def with_room(points, width, filled):
    """Points and widths as they are where two more fit behind the first `filled`, else copies twice as long."""
    if filled + 2 < len(points):
        return points, width
    more, wider = np.empty((2 * len(points), 2), np.float32), np.empty(2 * len(points), np.float32)
    more[:filled], wider[:filled] = points[:filled], width[:filled]
    return more, wider
