"""Samples: even over every neighbourhood, and light that is smoothed is neither lost nor made."""

import numpy as np
import pytest

from irodori.core.fragments import Fragments
from irodori.core.sampling import lattice_point, place_keys
from irodori.engine.image.specular_filter import smooth_reflections
from irodori.engine.light.lamps import LampSet, lamp_irradiance, lamps_to_settle, settle_lamps
from irodori.engine.light.sunlight import Sun, first_alike
from irodori.engine.rays.ray_scene import RayScene

SIDE = 64


def keys(seed=7, side=SIDE):
    y, x = np.mgrid[:side, :side]
    return place_keys(x.ravel(), y.ravel(), seed).reshape(side, side)


def points(places, index=0, purpose=3):
    return np.array([lattice_point(np.uint32(index), k, purpose) for k in places.ravel()])


@pytest.mark.parametrize("seed", [0, 7, 123456])
@pytest.mark.parametrize("block", [2, 4, 8])
def test_every_block_of_places_covers_the_square_evenly(block, seed):
    places = keys(seed)
    for top, left in ((0, 0), (24, 40), (56, 16)):
        shifts = places[top : top + block, left : left + block].ravel()
        column = (shifts & 0xFFFF) * block >> 16
        row = (shifts >> 16) * block >> 16
        assert sorted((row * block + column).tolist()) == list(range(block * block))


def test_keys_depend_on_the_seed_and_on_the_place_alone():
    assert not np.array_equal(keys(1), keys(2))
    y, x = np.mgrid[10:20, 30:40]
    assert np.array_equal(place_keys(x.ravel(), y.ravel(), 5).reshape(10, 10), keys(5)[10:20, 30:40])
    assert len(np.unique(keys())) == SIDE * SIDE
    # Purposes do not share their samples.
    assert np.abs(points(keys(side=8), purpose=1) - points(keys(side=8), purpose=2)).min() > 1e-6


def test_the_mean_over_a_neighbourhood_is_nearer_than_by_chance():
    # The mean of a product, one sample a place, over all squares of 8 × 8 places wherever they begin.
    product = points(keys()).reshape(SIDE, SIDE, 2).prod(axis=2)
    chance = np.random.default_rng(1).random((SIDE, SIDE, 2)).prod(axis=2)
    window = np.lib.stride_tricks.sliding_window_view
    rms = [float(np.sqrt(((window(a, (8, 8)).mean(axis=(2, 3)) - 0.25) ** 2).mean())) for a in (product, chance)]
    assert rms[0] < 0.6 * rms[1]
    assert abs(product.mean() - 0.25) < 0.002


def test_no_row_or_column_of_places_repeats():
    u = points(keys())[:, 0].reshape(SIDE, SIDE) - 0.5
    spectrum = np.abs(np.fft.fft2(u - u.mean())) ** 2
    # A lattice would put most of its power on a few frequencies.
    assert spectrum.max() < 0.02 * spectrum.sum()
    low = np.hypot(*np.meshgrid(np.fft.fftfreq(SIDE), np.fft.fftfreq(SIDE))) < 0.06
    assert spectrum[low].mean() < 0.3 * spectrum.mean()


def picture_of(values, rough):
    """One fragment a pixel of one level surface, its reflections in the first nine channels."""
    height, width = values.shape[:2]
    count = height * width
    fragments = Fragments(
        pixel=np.arange(count), region=np.ones(count, np.int32), weight=np.ones(count, np.float32),
        depth=np.full(count, 5, np.float32), normal=np.tile(np.float32([[0, 0, 1]]), (count, 1)),
        offset=np.full((count, 2), 0.5, np.float32),
    )  # fmt: skip
    layers = np.ascontiguousarray(values.reshape(count, 9), np.float32)
    smooth_reflections(
        layers, slice(0, 9), fragments, (width, height), np.full(count, rough, np.float32), passes=3, noise=0.8,
        black=0.01, broad=0.08,
    )  # fmt: skip
    return layers.reshape(values.shape)


@pytest.mark.parametrize("rough", [0.03, 0.2])
def test_a_lone_bright_ray_is_spread_not_lost(rough):
    values = np.full((48, 64, 9), 1.0)
    rng = np.random.default_rng(2)
    spots = rng.integers(6, 42, 30), rng.integers(6, 58, 30)
    values[spots] = 25.0
    out = picture_of(values, rough)
    assert out.mean() == pytest.approx(values.mean(), rel=0.04)
    assert out.max() < 0.4 * values.max()


def test_smoothing_grain_keeps_its_mean():
    # Rays that are mostly dark and seldom bright, as those into waves: their median is far below the mean.
    grain = np.random.default_rng(3).lognormal(0, 0.8, (48, 64, 1))
    values = np.broadcast_to(grain, (48, 64, 9)).copy()
    out = picture_of(values, 0.2)
    assert out[4:-4, 4:-4].mean() == pytest.approx(values[4:-4, 4:-4].mean(), rel=0.06)
    assert out.std() < 0.45 * values.std()


def test_a_sharp_mirror_is_left_alone():
    values = np.random.default_rng(4).random((20, 30, 9)).astype(np.float32)
    assert np.array_equal(picture_of(values, 0.001), values)


def lamp_over_a_board(rows=60, columns=80):
    """A lamp of 0.4 m at 2.4 m over a floor, a board of 0.8 m between, and a grid of points on the floor."""
    board = np.float32(
        [[[-0.4, -4, 1.2], [0.4, -4, 1.2], [0.4, 4, 1.2]], [[-0.4, -4, 1.2], [0.4, 4, 1.2], [-0.4, 4, 1.2]]]
    )
    rng = np.random.default_rng(0)
    spots = np.stack([rng.uniform(-0.2, 0.2, 24), rng.uniform(-0.2, 0.2, 24), np.full(24, 2.4)], axis=1)[None]
    down = np.tile(np.float32([[[0, 0, -1]]]), (1, 24, 1))
    lamps = LampSet(
        spots.astype(np.float32), down, np.float32([[0, 0, 2.4]]), np.float32([[300, 300, 300]]),
        np.float32([0.01]), np.int32([-1]), np.eye(3, dtype=np.float32)[None], np.zeros((1, 2, 1), np.float32),
    )  # fmt: skip
    x, y = np.meshgrid(np.linspace(-2, 2, columns), np.linspace(-0.5, 0.5, rows))
    at = np.stack([x.ravel(), y.ravel(), np.zeros(rows * columns)], axis=1).astype(np.float32)
    up = np.tile(np.float32([[0, 0, 1]]), (len(at), 1))
    iy, ix = np.mgrid[:rows, :columns]
    return RayScene(board), lamps, at, up, place_keys(ix.ravel(), iy.ravel(), 7)


def test_half_shadows_of_lamps_get_more_rays_and_the_rest_none():
    rows, columns, count = 60, 80, 4
    scene, lamps, at, up, places = lamp_over_a_board(rows, columns)
    lift = np.full(len(at), 1e-3, np.float32)
    truth = lamp_irradiance(scene, lamps, at, up, places, 400, lift)[:, 0]
    seen = np.full((len(at), 1), 255, np.uint8)
    light = lamp_irradiance(scene, lamps, at, up, places, count, lift, seen=seen)
    before = light[:, 0].copy()
    wanted = lamps_to_settle(lamps, seen, np.ones(len(at), np.int32), (rows, columns), count)
    edges = np.flatnonzero(wanted)
    # By similar triangles the half shadows lie 0.6 … 1.0 m from the middle: over twice that length of 4 m, and two steps.
    assert 0.15 < len(edges) / len(at) < 0.35
    assert np.abs(np.abs(at[edges, 0]) - 0.8).max() < 0.2 + 3 * 4 / columns
    part = light[edges]
    settle_lamps(
        scene, lamps, at[edges], up[edges], places[edges], count, lift[edges], (0.0,), seen[edges], wanted[edges], part
    )
    light[edges] = part
    errors = [float(np.sqrt(((a - truth) ** 2).mean())) for a in (before, light[:, 0])]
    assert errors[1] < 0.6 * errors[0]
    settled = np.setdiff1d(np.arange(len(at)), edges)
    assert np.array_equal(light[settled, 0], before[settled])
    assert light[:, 0].mean() == pytest.approx(truth.mean(), rel=0.01)


def test_suns_that_stand_alike_are_asked_once():
    eye = np.zeros(3, np.float32)

    def sun(way, lux, reach=np.inf):
        return Sun(np.float32(way), 0.99999, np.full(3, lux, np.float32), eye, reach)

    suns = [sun((0, 0, 1), 9), sun((0, 1, 0), 9), sun((0, 0, 1), 5), sun((0, 0, 1), 0), sun((0, 0, 1), 9, 100.0)]
    assert first_alike(suns) == [0, 1, 0, 3, 4]
