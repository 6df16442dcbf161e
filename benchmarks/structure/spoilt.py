"""What spoils a reading at first sight: the errors that nobody forgives, each with how bad it is."""

from __future__ import annotations

import numpy as np
from draw import Truth

from irodori.core.structure import Structure

MOST = 0.02
"""Share of the picture over which sky may be lost or invented, and water and glazing invented."""

TILT, FOCAL, FOCAL_OF_TWO = 2.0, 20.0, 12.0
"""Degrees that up may be off; per cent that the focal length may be, and where two vanishing points show."""

FAR, MOST_FAR = 60.0, 0.10
"""Degrees off from which a normal is wrong altogether, and the share of pixels that may be."""

ROOM = 0.02
"""Share of ceiling or floor from which a view is of a room."""

SQUARE_ON = np.radians(8.0)
"""What faces no more than this off the view's axis or across it shows no second vanishing point."""


def spoilt(read: Structure, truth: Truth) -> dict[str, float]:
    """Why a reading is spoilt, by reason with its size; empty when it is not."""
    found: dict[str, float] = {}
    roles = np.array(["", *truth.roles], dtype=object)[truth.role + 1]
    names = np.full(int(read.regions.max(initial=0)) + 1, "", dtype=object)
    for row in read.surfaces.itertuples():
        if row.id < len(names):
            names[row.id] = row.role
    told = names[read.regions]
    sky, shown = truth.surface == 0, read.regions == 0
    room = is_room(roles)
    alone = is_alone(np.where(sky, "sky", roles), room)
    if not alone:
        # Behind a thing on its own is nothing: a ground, a wall or a sky there are all one.
        found["sky lost"] = float((sky & ~shown).mean())
        found["sky invented"] = float((shown & ~sky).mean())
    for role, also in (("water", ()), ("glazing", ("mirror", "frame", "door"))):
        wrong = (told == role) & ~np.isin(roles, (role, *also))
        found[f"{role} invented"] = float((wrong & ~(sky & alone)).mean())
    out = {name: share for name, share in found.items() if share > MOST}
    if read.camera.projection != truth.camera.projection:
        out["projection"] = 1.0
    else:
        tilt = _degrees(read.camera.rotation[:, 2], truth.camera.rotation[:, 2])
        if tilt > TILT:
            out["tilt"] = tilt
        if truth.camera.projection == "perspective":
            off = abs(read.camera.focal / truth.camera.focal - 1) * 100
            if off > (FOCAL_OF_TWO if _two_vanishing_points(truth) else FOCAL):
                out["focal"] = off
    far = _far_off(read, truth)
    if far > MOST_FAR:
        out["normals"] = far
    if (
        not alone
        and room != (is_room(told) and not shown.mean() > MOST)
        and room != bool((told == "ceiling").mean() > 0.005)
    ):
        out["room as outdoors" if room else "outdoors as room"] = 1.0
    return out


def is_room(roles: np.ndarray) -> bool:
    """Whether pixels of these roles show a room."""
    return bool(
        np.isin(roles, ("ceiling",)).mean() > ROOM
        or (np.isin(roles, ("ceiling", "floor")).mean() > 2 * ROOM and not (roles == "sky").any())
    )


def is_alone(roles: np.ndarray, room: bool) -> bool:
    """Whether pixels of these roles show a thing on its own, before nothing."""
    return (
        not room and bool((roles == "sky").any()) and not np.isin(roles, ("wall", "roof", "planting", "context")).any()
    )


def _degrees(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.degrees(np.arccos(np.clip(a @ b, -1, 1))))


def _two_vanishing_points(truth: Truth) -> bool:
    """Whether upright surfaces of 5 % of the picture face neither along the view's axis nor across it."""
    ahead = truth.camera.rotation[2] * [1, 1, 0]
    ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-9)
    upright = (truth.surface > 0) & (np.abs(truth.normal[..., 2]) < 0.1)
    turn = np.arccos(np.clip(np.abs(truth.normal[upright] @ ahead), 0, 1))
    return bool(((turn > SQUARE_ON) & (turn < np.pi / 2 - SQUARE_ON)).sum() > 0.05 * truth.surface.size)


def _far_off(read: Structure, truth: Truth) -> float:
    """Share of the solid pixels whose normal, as seen, is wrong altogether."""
    solid = (truth.surface > 0) & ~np.isin(
        truth.role, [n for n, r in enumerate(truth.roles) if r in ("planting", "person")]
    )
    if not solid.any():
        return 0.0
    theirs, ours = read.normal[solid] @ read.camera.rotation.T, truth.normal[solid] @ truth.camera.rotation.T
    wrong = (theirs * ours).sum(axis=1) < np.cos(np.radians(FAR))
    return float((wrong | (read.regions[solid] == 0)).mean())
