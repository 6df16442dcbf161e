"""The denoiser of light: noise goes, what is no noise stays, and nothing crosses from one surface to the next."""

import numpy as np
import pytest

from irodori.engine.image.denoise import denoise_light

GRID = 60, 80


def flat_points(region=None, depth=5.0):
    """A grid of points on one level plane, a centimetre apart: position, normal, region, depth."""
    rows, columns = GRID
    y, x = np.mgrid[:rows, :columns]
    position = np.stack([0.01 * x, 0.01 * y, np.zeros(GRID)], axis=-1).reshape(-1, 3).astype(np.float32)
    normal = np.tile(np.float32([[0, 0, 1]]), (rows * columns, 1))
    region = np.ones(GRID, np.int32) if region is None else region
    return position, normal, region.ravel().astype(np.int32), np.full(rows * columns, depth, np.float32)


def denoised(light, points, *, noise=0.3, passes=3, loose=(False, False, False)):
    light = np.ascontiguousarray(light.reshape(-1, light.shape[-1]), np.float32)
    out = denoise_light(light, *points, np.array(loose), GRID, scale=0.002, passes=passes, noise=noise)
    return out.reshape(*GRID, -1)


def noisy(level, spread, seed=1):
    grain = np.random.default_rng(seed).lognormal(0, spread, (*GRID, 1))
    return np.broadcast_to(level, (*GRID, 3)) * grain


@pytest.mark.parametrize("spread", [0.03, 0.1, 0.25])
def test_noise_goes_however_much_there_is(spread):
    light = noisy(np.float32([200.0, 240.0, 300.0]), spread)
    out = denoised(light, flat_points())
    inner = slice(12, -12), slice(12, -12)
    assert out[inner].std(axis=(0, 1)).max() < 0.3 * light[inner].std(axis=(0, 1)).max()
    assert out.mean(axis=(0, 1)) == pytest.approx(light.mean(axis=(0, 1)), rel=0.02)
    # Hues are those of the light: all channels are weighed alike.
    assert np.allclose(out / out[..., :1], light / light[..., :1], rtol=1e-3)


def test_light_without_noise_stays_as_it_is():
    x = np.arange(GRID[1]) / GRID[1]
    slope = np.broadcast_to((100 + 80 * x)[None, :, None], (*GRID, 3))
    out = denoised(slope, flat_points())
    assert np.abs(out / slope - 1)[10:-10, 10:-10].max() < 2e-3


def test_a_contact_shadow_stays_where_it_is():
    # A step that fine noise cannot explain: before, the expected noise of few rays would have smeared it.
    clean = np.full((*GRID, 3), 400.0)
    clean[:, :40] = 250.0
    light = clean * noisy(np.float32([1.0, 1.0, 1.0]), 0.01)
    out = denoised(light, flat_points())
    profile = out[10:-10].mean(axis=(0, 2))
    assert profile[:38] == pytest.approx(np.full(38, 250.0), rel=0.04)
    assert profile[42:] == pytest.approx(np.full(GRID[1] - 42, 400.0), rel=0.04)
    where = np.interp(325.0, profile[36:44], np.arange(36, 44))
    assert where == pytest.approx(39.5, abs=0.25)


def test_surfaces_that_face_elsewhere_share_nothing():
    position, normal, region, depth = flat_points()
    upright = np.arange(len(region)) % GRID[1] >= 40
    normal[upright], region[upright] = (1, 0, 0), 2
    light = np.where(upright[:, None], np.float32(900), np.float32(30)) * np.ones(3, np.float32)
    light *= np.random.default_rng(4).lognormal(0, 0.1, (len(light), 1))
    out = denoised(light.reshape(*GRID, 3), (position, normal, region, depth))
    assert out[:, :40].max() < 50 and out[:, 40:].min() > 600


def test_a_surface_lower_down_shares_nothing():
    position, normal, region, depth = flat_points()
    below = np.arange(len(region)) % GRID[1] >= 40
    position[below, 2], region[below] = -0.5, 2
    light = np.where(below[:, None], np.float32(900), np.float32(30)) * np.ones(3, np.float32)
    out = denoised(light.reshape(*GRID, 3), (position, normal, region, depth))
    assert np.allclose(out[:, :40], 30, rtol=1e-4) and np.allclose(out[:, 40:], 900, rtol=1e-4)


def test_leaves_share_their_light_whichever_way_they_face():
    position, normal, region, depth = flat_points()
    way = np.random.default_rng(6).normal(size=normal.shape)
    normal[:] = way / np.linalg.norm(way, axis=1, keepdims=True)
    light = noisy(np.float32([100.0, 100.0, 100.0]), 0.2)
    points = position, normal, region, depth
    apart, together = denoised(light, points), denoised(light, points, loose=(False, True, False))
    assert together.std() < 0.35 * light.std() < apart.std()


def test_the_sky_has_no_light_of_its_own():
    region = np.ones(GRID, np.int32)
    region[:20] = 0
    light = noisy(np.float32([100.0, 100.0, 100.0]), 0.1)
    light[:20] = 1e6
    out = denoised(light, flat_points(region))
    assert out[20:].max() < 150 and not out[:20].any()


def test_no_passes_change_nothing():
    light = noisy(np.float32([5.0, 6.0, 7.0]), 0.3).astype(np.float32)
    assert np.array_equal(denoised(light, flat_points(), passes=0), light)


def test_black_stays_black():
    out = denoised(np.zeros((*GRID, 3)), flat_points())
    assert np.isfinite(out).all() and not out.any()


def test_a_few_points_of_a_surface_take_the_noise_that_is_expected():
    # A post two points wide: too little of it shows to measure any noise.
    region = np.ones(GRID, np.int32)
    region[:, 40:42] = 2
    light = noisy(np.float32([100.0, 100.0, 100.0]), 0.2)
    points = flat_points(region)
    points[1][region.ravel() == 2] = (1, 0, 0)
    still, smooth = (denoised(light, points, noise=noise)[5:-5, 40:42].std() for noise in (0.001, 0.3))
    assert smooth < 0.7 * light[5:-5, 40:42].std() and smooth < 0.7 * still
