"""Work shared among threads: in order, stopped by the first error, and alive again afterwards."""

import multiprocessing
import sys
import threading
import time

import numpy as np
import pytest

from irodori.core.errors import Cancelled
from irodori.core.work.tiles import for_each_tile, split_tiles


def test_results_come_in_the_order_of_the_tiles():
    def slow_first(tile):
        time.sleep(0.02 if tile == 0 else 0)
        return tile * tile

    assert for_each_tile(range(12), slow_first) == [n * n for n in range(12)]
    assert for_each_tile([], slow_first) == []


@pytest.mark.parametrize(("count", "size"), [(0, 4), (1, 4), (4, 4), (5, 4), (1000, 7)])
def test_tiles_cover_everything_once(count, size):
    spans = split_tiles(count, size)
    assert [i for a, b in spans for i in range(a, b)] == list(range(count))
    assert all(0 < b - a <= size for a, b in spans)


def test_work_within_work_does_not_wait_for_itself():
    def outer(tile):
        return sum(for_each_tile(range(50), lambda inner: inner + tile))

    found = []
    runner = threading.Thread(target=lambda: found.append(for_each_tile(range(16), outer)), daemon=True)
    runner.start()
    runner.join(timeout=20)
    assert found == [[sum(range(50)) + 50 * tile for tile in range(16)]]


def test_the_first_error_ends_the_rest():
    begun = []

    def work(tile):
        begun.append(tile)
        if tile == 3:
            raise KeyError("tile three")
        time.sleep(0.005)

    with pytest.raises(KeyError, match="tile three"):
        for_each_tile(range(400), work)
    count = len(begun)
    assert count < 400
    time.sleep(0.05)
    assert len(begun) == count, "nothing goes on behind the caller's back"
    assert for_each_tile(range(5), lambda tile: -tile) == [0, -1, -2, -3, -4]


def test_a_stop_asked_for_ends_the_rest():
    heard = []

    def progress(stage, share):
        heard.append((stage, share))
        return share < 0.1

    with pytest.raises(Cancelled):
        for_each_tile(range(200), lambda tile: time.sleep(0.002), stage="Lighting", progress=progress)
    assert {stage for stage, _ in heard} == {"Lighting"}
    assert heard[-1][1] == pytest.approx(0.1, abs=0.006)


def _in_a_forked_process(queue) -> None:
    queue.put(for_each_tile(range(6), lambda tile: tile + 1))


@pytest.mark.skipif(sys.platform == "win32", reason="no fork")
@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_forked_process_has_threads_of_its_own():
    for_each_tile(range(6), lambda tile: tile)
    context = multiprocessing.get_context("fork")
    queue = context.Queue()
    child = context.Process(target=_in_a_forked_process, args=(queue,), daemon=True)
    child.start()
    try:
        assert queue.get(timeout=20) == [1, 2, 3, 4, 5, 6]
    finally:
        child.kill()


def test_sky_and_surfaces_keep_to_their_layers(model_picture):
    fragments, layers = model_picture.shown.fragments, model_picture.layers
    width = model_picture.size[0]
    alone = np.bincount(fragments.pixel, minlength=width * model_picture.size[1]) == 1
    shown = np.zeros(alone.size, int)
    shown[fragments.pixel] = fragments.region
    sky, surface = (alone & (shown == 0)), (alone & (shown > 0))
    assert sky.sum() > 1000 and surface.sum() > 1000
    for name, values in layers.items():
        values = values.reshape(-1, 3)
        if name == "backdrop":
            assert values[sky].max() > 0 and not values[surface].any()
        else:
            assert not values[sky].any(), name
