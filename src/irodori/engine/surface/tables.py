"""The scene as flat tables that kernels read."""

from __future__ import annotations

from dataclasses import dataclass
from zlib import crc32

import numpy as np
from numba import njit

from irodori.core.sampling import hash_u32
from irodori.core.scene import Scene
from irodori.core.structure import Structure
from irodori.finishes.slots import KINDS, SLOT

OPAQUE, GLASS, WATER, LAMP = (KINDS.index(k) for k in ("opaque", "glass", "water", "lamp"))


AS_FOUND = "as found"
"""The finish of what looks as its file says."""

FLUSH, BURIED, LEAST_WALL = 0.05, 0.4, 1.2
"""m that a floor may lie under the foot of a wall that stands on it, and over it; and that the wall rises over it at least."""


@dataclass(frozen=True, eq=False)
class Tables:
    """Per-triangle and per-surface arrays; surface 0 is the sky.

    `tri_normal` (T, 3) unit, `tri_surface` (T,), `finish` (S,) row in `rows` (F, P), `batch` (F,) int64 what
    their patterns are drawn from, `base` (S, 3) base colour with the surface's own tone, `mean` (S, 3) mean albedo (the base until `with_mean_albedo`), `kind` (S,), `axis` (S,) radians, `emission` (S, 3)
    cd/m², `loose` (S,) planting lit from above, `low`, `high` (S,) m, the heights it reaches from and to;
    `front` (S, 3) unit normal of flat upright surfaces (else 0), `left`, `width` (S,) m, where they begin along their
    level axis, and how long they are: masons start at the corner. `begin` (S,) m is the height at which courses begin,
    `stretch` (S,) their height over that of the finish. `card` (S, 3) is the unit normal by which finishes are laid out on surfaces read
    from pixels, whose curves have no sides of their own; 0 for surfaces of a model. `floor` (S,) m is the level of the floor that a
    wall stands on, −inf for all else.
    """

    tri_normal: np.ndarray
    tri_surface: np.ndarray
    finish: np.ndarray
    rows: np.ndarray
    batch: np.ndarray
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
    begin: np.ndarray
    stretch: np.ndarray
    card: np.ndarray
    floor: np.ndarray


def build_tables(scene: Scene) -> Tables:
    """Tables of a dressed scene."""
    count = len(scene.finish_of)
    rows = scene.finishes[scene.finish_of]
    own = rows[:, SLOT["as_found"]] > 0.5
    base = np.where(own[:, None], scene.tint, rows[:, SLOT["red"] : SLOT["blue"] + 1]).astype(np.float32)
    # Two neighbouring parts are never of one batch; this also keeps their border readable.
    tones = _tones(count, scene.seed)
    for part, whole in scene.mesh.parts.items():
        tones[part] = tones[whole]
    if scene.mesh.looks is not None:
        # What looks as its file says does so to the tone: its finish has no grain of its own.
        tones[kept_as_found(scene) & (rows[:, SLOT["grain"]] == 0)] = 0.5
    base *= (1 + 0.07 * (tones - 0.5))[:, None]
    base = np.clip(base, 0.004, 0.9).astype(np.float32)
    kind = rows[:, SLOT["kind"]].astype(np.int32)
    emission = (scene.lamps.luminance[:, None] * scene.lamps.colour).astype(np.float32)
    loose = scene.shown.loose
    size = scene.mesh.measures.upto(count)
    return Tables(
        scene.mesh.normals(), scene.mesh.surface.astype(np.int32), scene.finish_of.astype(np.int32),
        scene.finishes.astype(np.float32), _batches(scene.finish_names), base, base, kind,
        scene.axis.astype(np.float32), emission, loose,
        size.low[:, 2].copy(), size.high[:, 2].copy(), size.front, size.left, size.width,
        *scene.courses, _cards(scene.structure, count), _floors(scene.structure, size.low[:, 2], size.high[:, 2]),
    )  # fmt: skip


def kept_as_found(scene: Scene) -> np.ndarray:
    """Surfaces (S,) bool whose finish is the one that they came with."""
    return np.array([name == AS_FOUND for name in scene.finish_names])[scene.finish_of]


def _cards(structure: Structure, count: int) -> np.ndarray:
    out = np.zeros((count, 3), np.float32)
    if structure.mesh is None:
        out[structure.surfaces["id"]] = structure.surfaces[["nx", "ny", "nz"]]
    return out


def _floors(structure: Structure, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """The level of the floor that each wall stands on, from where all surfaces reach, `low` to `high` (S,) m."""
    out = np.full(len(low), -np.inf, np.float32)
    table = structure.surfaces
    level = np.unique(table.loc[(table["role"] == "floor") & (table["nz"] > 0.95), "offset"].to_numpy(float))
    for wall in structure.of_role("wall"):
        under = level[(level > low[wall] - FLUSH) & (level < min(low[wall] + BURIED, high[wall] - LEAST_WALL))]
        if len(under):
            out[wall] = under.max()
    return out


def _batches(names: tuple[str, ...]) -> np.ndarray:
    """A number for each finish by its name, 0 for *as found*: it looks the same in every view, whatever else is there."""
    return np.array([crc32(name.encode()) ^ crc32(b"as found") for name in names], np.int64)


@njit(cache=True)
def _tones(count, seed):
    out = np.empty(count, np.float32)
    for i in range(count):
        out[i] = np.float32(hash_u32(np.uint32(i) * np.uint32(747796405) + np.uint32(seed))) / np.float32(4294967296.0)
    return out
