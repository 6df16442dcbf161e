"""What a pen draws under an eave: rafters part the boards above them into cells that look like panes, but do not stand upright."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irodori.structure.regions.measure import Regions
from irodori.structure.roles.building_pieces import stands_upright

CELL = 0.005
"""Share of the picture up to which a cell under an eave is large."""

UPRIGHT = 0.66
"""Share of its rows in which both sides of a pane stand where they usually do."""

NEAR = 0.055
"""Share of the picture's height within which the roof is right above."""

ROOFED = 0.5
"""Share of its columns that have roof right above them, for a cell under an eave."""

HANGS = -0.3
"""Upward part of the normal below which a roof is seen from beneath."""


def under_eaves(
    roles: Sequence[str], sure: np.ndarray, regions: Regions, normals: np.ndarray
) -> tuple[list[str], np.ndarray]:
    """Roles and their confidence in a drawing by hand, in which slanting cells right under a roof are its soffit.

    `normals` (R, 3) face the camera. Slanting cells elsewhere that were taken for panes are walls.
    """
    roles, sure = list(roles), sure.copy()
    labels = regions.labels
    roof = np.isin(labels, [r for r, role in enumerate(roles) if role == "roof" and normals[r, 2] > HANGS])
    reach = max(2, round(NEAR * labels.shape[0]))
    for region, role in enumerate(roles):
        if role == "roof" and normals[region, 2] < HANGS:
            roles[region] = "soffit"
            continue
        area = regions.area[region]
        if role not in ("glazing", "door", "wall", "frame") or not 0 < area < CELL * labels.size:
            continue
        left, top, right, bottom = regions.box[region].astype(int)
        own = labels[top:bottom, left:right] == region
        if stands_upright(own) > UPRIGHT:
            continue
        first = own.argmax(axis=0) + top
        columns = np.flatnonzero(own.any(axis=0))
        above = [roof[max(first[x] - reach, 0) : first[x], left + x].any() for x in columns]
        if np.mean(above) > ROOFED:
            roles[region], sure[region] = "soffit", 0.4
        elif role in ("glazing", "door"):
            roles[region], sure[region] = "wall", 0.35
    return roles, sure
