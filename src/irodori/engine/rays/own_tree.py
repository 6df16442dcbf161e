"""Ray queries by a tree of our own, for machines that Embree's kernels have no wheel for."""

from __future__ import annotations

import numpy as np

from irodori.engine.rays.tree_build import build_tree
from irodori.engine.rays.tree_trace import MISS, WIDTH, any_hits, closest_hits


class OwnTree:
    """Triangles (T, 3, 3) float32 in a tree of boxes, four to a node; see `irodori.engine.rays.ray_scene.Kernel`."""

    def __init__(self, triangles: np.ndarray) -> None:
        self._order, box, child, count = build_tree(triangles)
        ordered = triangles[self._order]
        self._corner = np.ascontiguousarray(ordered[:, 0])
        edges = np.concatenate([ordered[:, 1] - ordered[:, 0], ordered[:, 2] - ordered[:, 0]], axis=1)
        self._edges = np.ascontiguousarray(edges)
        self._bounds, self._child, self._count = _four_wide(box, child, count)

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        distance, hit = np.empty(len(origins), np.float32), np.empty(len(origins), np.int32)
        closest_hits(
            self._bounds, self._child, self._count, self._corner, self._edges, *_as_rays(origins, directions), distance, hit
        )  # fmt: skip
        return distance, np.where(hit >= 0, self._order[hit], np.int32(-1))

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        blocked = np.empty(len(origins), np.bool_)
        most = np.ascontiguousarray(np.minimum(reach, MISS), np.float32)
        any_hits(
            self._bounds, self._child, self._count, self._corner, self._edges, *_as_rays(origins, directions), most, blocked
        )  # fmt: skip
        return blocked


def _as_rays(origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.ascontiguousarray(origins, np.float32), np.ascontiguousarray(directions, np.float32)


def _four_wide(box: np.ndarray, child: np.ndarray, count: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The binary tree with grandchildren taken up into their grandparents; as `closest_hits` reads it."""
    inner = np.flatnonzero(count == 0)
    # Of every inner node: its two children, each replaced by its own two where it is no leaf.
    kept = np.full((len(box), WIDTH), -1, np.int32)
    for side in (0, 1):
        one = child[inner, side]
        leaf = count[one] > 0
        kept[inner, 2 * side] = np.where(leaf, one, child[one, 0])
        kept[inner, 2 * side + 1] = np.where(leaf, -1, child[one, 1])
    if not len(inner):
        kept[0, 0] = 0  # a single leaf
    # Nodes that are reached from the root in steps of two levels.
    used, level = [np.zeros(1, np.int32)], np.zeros(1, np.int32)
    while len(level):
        below = kept[level].ravel()
        level = below[(below >= 0) & (count[below] == 0)]
        used.append(level)
    nodes = np.concatenate(used)
    place = np.zeros(len(box), np.int32)
    place[nodes] = np.arange(len(nodes))
    children = kept[nodes]
    present = children >= 0
    bounds = np.empty((len(nodes), 6, WIDTH), np.float32)
    bounds[:, :3] = np.where(present[:, None], np.moveaxis(box[children, 0], 2, 1), np.float32(np.inf))
    bounds[:, 3:] = np.where(present[:, None], np.moveaxis(box[children, 1], 2, 1), np.float32(-np.inf))
    sizes = np.where(present, count[children], -1).astype(np.int32)
    where = np.where(sizes > 0, child[children, 0], place[children]).astype(np.int32)
    return bounds, where, sizes
