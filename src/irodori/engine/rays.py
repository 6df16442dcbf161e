"""Ray queries against the scene's triangles, through Embree's general kernels."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from functools import lru_cache
from threading import local

import numpy as np

from irodori.core.progress import Progress, report

WAVE = 65536
"""Rays per query: large enough to hide the call, small enough to stay in cache."""


class RayScene:
    """Triangles prepared for ray queries.

    Parameters
    ----------
    triangles
        (T, 3, 3) float32, metres.

    """

    def __init__(self, triangles: np.ndarray) -> None:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        self.triangles = np.ascontiguousarray(triangles, np.float32)
        self._asked: list[int] = []
        self._scene = EmbreeScene()
        if len(self.triangles):
            TriangleMesh(self._scene, self.triangles)
            # The tree is built by the first query; do it here, in one thread.
            self.closest(np.zeros((1, 3), np.float32), np.array([[0, 0, 1]], np.float32))

    @property
    def traced(self) -> int:
        """Rays asked for so far."""
        return sum(self._asked)

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Nearest hit: distance in units of the direction's length (N,) float32, triangle (N,) int32, −1 = none."""
        if not len(self.triangles) or not len(origins):
            return np.full(len(origins), np.inf, np.float32), np.full(len(origins), -1, np.int32)
        self._asked.append(len(origins))
        hit = self._scene.run(origins, directions, output=1)
        return hit["tfar"], hit["primID"]

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        """Whether anything lies within `reach` (N,), bool. A negative reach asks nothing and answers False."""
        if not len(self.triangles) or not len(origins):
            return np.zeros(len(origins), bool)
        self._asked.append(len(origins))
        return self._scene.run(origins, directions, np.maximum(reach, 0.0), query="OCCLUDED") != -1


_kept: list[tuple[np.ndarray, np.ndarray, RayScene, RayScene | None]] = []


def scene_rays(triangles: np.ndarray, solid: np.ndarray) -> tuple[RayScene, RayScene | None]:
    """Ray scenes of the triangles in `solid` (T,), and of the rest (glass); None where there is no rest.

    The last ones are kept: every light of a view uses the same.
    """
    for known, mask, without, rest in _kept:
        if (known is triangles or np.array_equal(known, triangles)) and np.array_equal(mask, solid):
            return without, rest
    without = RayScene(triangles if solid.all() else triangles[solid])
    rest = None if solid.all() else RayScene(triangles[~solid])
    _kept[:] = [(triangles, solid, without, rest)]
    return without, rest


def workers() -> int:
    """How many threads to use: all cores this process may run on."""
    try:
        return max(1, len(os.sched_getaffinity(0)))
    except AttributeError:
        return os.cpu_count() or 1


def for_each_tile(tiles: Sequence, work: Callable, *, stage: str = "Tracing", progress: Progress | None = None) -> list:
    """Run `work(tile)` for every tile on all cores and return the results in the tiles' order.

    The first error, or a stop asked for by `progress`, ends the rest. Results do not depend on thread order.
    Called from within `work`, or with a single tile, it stays in that thread.
    """
    results = []
    if len(tiles) <= 1 or getattr(_thread, "busy", False):
        for tile in tiles:
            results.append(work(tile))
            report(progress, stage, len(results) / len(tiles))
        return results
    pool, futures = _pool(workers()), []
    try:
        for tile in tiles:
            futures.append(pool.submit(work, tile))
        for future in futures:
            results.append(future.result())
            report(progress, stage, len(results) / len(tiles))
    except BaseException:
        for future in futures:
            future.cancel()
        wait(futures)
        raise
    return results


_thread = local()


def _belong_to_pool() -> None:
    _thread.busy = True


@lru_cache(maxsize=1)
def _pool(threads: int) -> ThreadPoolExecutor:
    # Kept: a picture goes through some thirty stages, and starting threads for each costs more than the short ones take.
    return ThreadPoolExecutor(threads, thread_name_prefix="irodori", initializer=_belong_to_pool)


if hasattr(os, "register_at_fork"):
    # A forked process has none of its parent's threads.
    os.register_at_fork(after_in_child=_pool.cache_clear)


def split_tiles(count: int, size: int = WAVE) -> list[tuple[int, int]]:
    """Half-open index ranges that cover `count` items."""
    return [(a, min(a + size, count)) for a in range(0, count, size)]
