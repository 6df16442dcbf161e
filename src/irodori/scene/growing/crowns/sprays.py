"""Sprays of leaves: what crowns are grown from, wherever they came from."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from irodori.core.geometry.frames import unit_rows
from irodori.entourage.leaves import lay_leaves

LEAF = 0.11
"""Length of a leaf, m; small leaves stand in sprays that are seen as one."""

SHARPEST = 2.4
"""Least length of a leaf in the picture, px."""

UNSEEN = 0.4
"""Length of a leaf of what stands outside the picture, m: only its shadow and mirror image are seen."""

LEAF_AREA = 0.42
"""Area of a leaf over its length squared."""

DENSE, OF_CARDS = 4.5, 3.0
"""Area of a crown's leaves over that of its outline; and over that of cards that stood for them."""

MOST = 45_000
"""Leaves of one crown; where more would be needed they are larger."""

SPRAY = 0.34
"""Radius of a spray of leaves, m."""


class Sprays(NamedTuple):
    """Sprays of leaves: `place`, `outward` (N, 3); `radius`, `leaf` (N,) m; `count` (N,) leaves; `surface` (N,)."""

    place: np.ndarray
    outward: np.ndarray
    radius: np.ndarray
    leaf: np.ndarray
    count: np.ndarray
    surface: np.ndarray


def leaves_of(sprays: Sprays, rng) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (T, 3, 3) float32 of all leaves, and the surface of each (T,)."""
    spray = np.repeat(np.arange(len(sprays.place)), sprays.count)
    aside = rng.normal(size=(len(spray), 3)) * [0.6, 0.6, 0.42]
    at = sprays.place[spray] + aside * sprays.radius[spray, None]
    outward = unit_rows(sprays.outward[spray] + 0.6 * aside)
    size = sprays.leaf[spray] * rng.uniform(0.75, 1.25, len(spray))
    triangles = lay_leaves(at, outward, size, "broad", rng)
    return triangles.astype(np.float32), np.tile(sprays.surface[spray], 2).astype(np.int32)
