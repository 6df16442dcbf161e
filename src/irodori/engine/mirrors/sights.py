"""Where the eye's views go on to, past panes and by way of mirrors."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.engine.light.light_points import fragment_positions
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.surface.tables import GLASS, WATER

Lift = Callable[[np.ndarray], np.ndarray]
"""How far rays start off surfaces, m, by the depth of the places (N,)."""


def sights(
    camera: Camera, fragments: Fragments, kind: np.ndarray, clear: np.ndarray, lift: Lift, most: int
) -> tuple[np.ndarray, np.ndarray]:
    """Views that go on past panes and by way of water and panes, at most that many each: origins and directions.

    `kind` (S,) is that of `Tables`; `clear` (S,) bool are the panes without an imagined room.
    """
    shown = kind[fragments.region]
    mirrors = np.flatnonzero((shown == GLASS) | (shown == WATER))
    part = fragments.take(mirrors[:: max(1, len(mirrors) // most)])
    position, view = fragment_positions(camera, part, slice(None))
    off = lift(part.depth)[:, None]
    facing = (view * part.normal).sum(axis=1, keepdims=True)
    past = clear[part.region]
    origins = np.concatenate([(position + view * off)[past], position + part.normal * off])
    return origins, np.concatenate([view[past], view - 2 * facing * part.normal])


def sky_past_panes(camera: Camera, fragments: Fragments, clear: np.ndarray, lift: Lift, scene: RayScene) -> np.ndarray:
    """Pixels (N,) whose panes, `clear` (S,) bool, show the sky beyond all of `scene`."""
    part = fragments.take(np.flatnonzero(clear[fragments.region]))
    if not len(part):
        return part.pixel
    position, view = fragment_positions(camera, part, slice(None))
    behind = position + view * lift(part.depth)[:, None]
    _, met = scene.closest(np.ascontiguousarray(behind, np.float32), np.ascontiguousarray(view, np.float32))
    return part.pixel[met < 0]
