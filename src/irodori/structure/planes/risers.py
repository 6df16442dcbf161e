"""Strips taken for level that must be risers.

Seen from above, a level strip that joins a level surface behind it cannot lie lower: the drop to it would be hidden by
what is in front of nothing. Where the depths say that it does, and a wall goes down from its near edge, the strip is the
edge of the slab behind, and part of the wall.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.structure.planes.choose import LEVEL, UPRIGHT, Planes
from irodori.structure.regions.measure import Regions

SLIM = 0.1
"""Most height of a strip, of its length."""

SHORTEST_STRIP = 40
"""px a strip must be long."""

ALONG = 0.6
"""Share of a strip's length along which it must join the level surface, and the wall."""

DROP = 0.02
"""Share of its distance by which a strip must lie lower for the depths to say so."""

SAME = 0.5
"""8-bit steps within which another strip is of the same colour as one found."""


def level_risers(regions: Regions, planes: Planes, distance: np.ndarray) -> Planes | None:
    """The planes with such strips made part of the walls under them; None when there are none.

    `distance` (R,) m of the planes from the camera, as solved with them level. For views from above in perspective.
    """
    level = (planes.kind == LEVEL) & (planes.normal[:, 2] > 0)
    length = regions.box[:, 2] - regions.box[:, 0]
    slim = level & (length >= SHORTEST_STRIP) & (regions.area < SLIM * length**2)
    behind, front, size = regions.stacked
    pairs = {}
    for strip in np.flatnonzero(slim):
        long = size >= ALONG * length[strip]
        above = behind[(front == strip) & long & level[behind]]
        below = front[(behind == strip) & long & (planes.kind[front] == UPRIGHT)]
        if len(above) and len(below):
            pairs[int(strip)] = int(above[0]), int(below[0])
    found = [s for s, (above, _) in pairs.items() if distance[s] > (1 + DROP) * distance[above]]
    if not found:
        return None
    kind, normal = planes.kind.copy(), planes.normal.copy()
    for strip, (above, below) in pairs.items():
        unlike_above = np.abs(regions.colour[strip] - regions.colour[above]).max()
        like_found = np.abs(regions.colour[strip] - regions.colour[found]).max(axis=1).min()
        if strip in found or (like_found < SAME <= unlike_above):
            kind[strip], normal[strip] = UPRIGHT, normal[below]
    return replace(planes, kind=kind, normal=normal)
