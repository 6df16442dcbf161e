"""The scene as flat tables that kernels read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.model import Mesh
from irodori.core.sampling import hash_u32
from irodori.core.scene import Scene
from irodori.finishes.slots import KINDS, SLOT

OPAQUE, GLASS, WATER, LAMP = (KINDS.index(k) for k in ("opaque", "glass", "water", "lamp"))


@dataclass(frozen=True, eq=False)
class Tables:
    """Per-triangle and per-surface arrays; surface 0 is the sky.

    `tri_normal` (T, 3) unit, `tri_surface` (T,), `finish` (S,) row in `rows` (F, P), `base` (S, 3) base colour
    with the surface's own tone, `mean` (S, 3) mean albedo (the base until `with_mean_albedo`), `kind` (S,), `axis` (S,) radians, `emission` (S, 3)
    cd/m², `loose` (S,) planting lit from above, `low`, `high` (S,) m, the heights it reaches from and to;
    `front` (S, 3) unit normal of flat upright surfaces (else 0), `left`, `width` (S,) m, where they begin along their
    level axis, and how long they are: masons start at the corner.
    """

    tri_normal: np.ndarray
    tri_surface: np.ndarray
    finish: np.ndarray
    rows: np.ndarray
    base: np.ndarray
    mean: np.ndarray
    kind: np.ndarray
    axis: np.ndarray
    emission: np.ndarray
    loose: np.ndarray
    low: np.ndarray
    high: np.ndarray
    front: np.ndarray
    left: np.ndarray
    width: np.ndarray


def build_tables(scene: Scene) -> Tables:
    """Tables of a dressed scene."""
    count = len(scene.finish_of)
    rows = scene.finishes[scene.finish_of]
    own = rows[:, SLOT["as_found"]] > 0.5
    base = np.where(own[:, None], scene.tint, rows[:, SLOT["red"] : SLOT["blue"] + 1]).astype(np.float32)
    # Two neighbouring parts are never of one batch; this also keeps their border readable.
    base *= (1 + 0.07 * (_tones(count, scene.seed) - 0.5))[:, None]
    base = np.clip(base, 0.004, 0.9).astype(np.float32)
    kind = rows[:, SLOT["kind"]].astype(np.int32)
    emission = (scene.lamps.luminance[:, None] * scene.lamps.colour).astype(np.float32)
    loose = scene.shown.loose
    low, high = np.full(count, np.inf, np.float32), np.full(count, -np.inf, np.float32)
    heights = scene.mesh.triangles[..., 2]
    np.minimum.at(low, scene.mesh.surface, heights.min(axis=1))
    np.maximum.at(high, scene.mesh.surface, heights.max(axis=1))
    return Tables(
        scene.mesh.normals(), scene.mesh.surface.astype(np.int32), scene.finish_of.astype(np.int32),
        scene.finishes.astype(np.float32), base, base, kind, scene.axis.astype(np.float32), emission, loose, low, high,
        *_corners(scene.mesh, count),
    )  # fmt: skip


FLAT = 0.9994
"""Cosine between triangles of one flat surface."""


def _corners(mesh: Mesh, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Fronts (S, 3), left ends (S,) and widths (S,), m, of flat upright surfaces."""
    t, surface = mesh.triangles, mesh.surface
    cross = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]).astype(np.float64)
    total = np.stack([np.bincount(surface, cross[:, k], minlength=count)[:count] for k in range(3)], axis=1)
    front = total / np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-12)
    size = np.linalg.norm(cross, axis=1)
    bent = (cross * front[surface]).sum(axis=1) < FLAT * size
    flat = np.bincount(surface, bent & (size > 1e-9), minlength=count)[:count] == 0
    level = np.hypot(front[:, 0], front[:, 1])
    flat &= level > 0.95
    front[~flat] = 0
    along = np.stack([-front[:, 1], front[:, 0]], axis=1) / np.maximum(level, 1e-9)[:, None]
    places = (t[..., :2] * along[surface][:, None]).sum(axis=2)
    left, right = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(left, surface, places.min(axis=1))
    np.maximum.at(right, surface, places.max(axis=1))
    flat &= right > left
    left, width = np.where(flat, left, 0.0), np.where(flat, right - left, 0.0)
    return front.astype(np.float32), left.astype(np.float32), width.astype(np.float32)


@njit(cache=True)
def _tones(count, seed):
    out = np.empty(count, np.float32)
    for i in range(count):
        out[i] = np.float32(hash_u32(np.uint32(i) * np.uint32(747796405) + np.uint32(seed))) / np.float32(4294967296.0)
    return out
