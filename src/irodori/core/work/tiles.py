"""Work in tiles on all cores, with results that do not depend on thread order."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from functools import lru_cache
from threading import local

from irodori.core.work.progress import Progress, report

WAVE = 65536
"""Items a tile: large enough to hide the call, small enough to stay in cache."""


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
    except BaseException as stop:
        # A cancelled one is never told to be done when no thread comes to it any more: only the running are waited for.
        running = [future for future in futures if not future.cancel()]
        if not isinstance(stop, Exception):
            # Ctrl-C may come while a thread is being started, of which the pool then does not know: it would wait for ever.
            pool.shutdown(wait=False, cancel_futures=True)
            _pool.cache_clear()
        wait(running)
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
