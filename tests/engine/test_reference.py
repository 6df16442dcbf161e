"""Fast code against slow, plain references: NumPy, SciPy, OpenCV and closed forms."""

import cv2
import numpy as np
import pytest

from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.pixels.borders import border_pairs, stacked_pairs
from irodori.engine.light.light_cache import _bounced
from irodori.engine.light.light_points import Asking, Grid, carry_light, find_carriers, fragment_positions
from irodori.engine.surface.waves import WAVES, _cosine, wave_slopes, wave_trains
from irodori.finishes.noise import layered_noise, pulse_train, value_noise
from irodori.picture.carried_lines import CarriedLines
from irodori.picture.joints import joint_depth
from irodori.structure.regions.measure import measure_regions, under_sky


def some_fragments(width=12, height=9, seed=4):
    """Two or one fragments a pixel, of five surfaces."""
    rng = np.random.default_rng(seed)
    pixel = np.sort(np.concatenate([np.arange(width * height), rng.choice(width * height, 40, replace=False)]))
    count = len(pixel)
    first = np.append(True, pixel[1:] != pixel[:-1])
    weight = np.where(first, 1.0, 0.3)
    weight[np.flatnonzero(~first) - 1] = 0.7
    normal = rng.normal(size=(count, 3))
    return Fragments(
        pixel.astype(np.int32), rng.integers(0, 5, count).astype(np.int32), weight.astype(np.float32),
        rng.uniform(2, 9, count).astype(np.float32),
        (normal / np.linalg.norm(normal, axis=1, keepdims=True)).astype(np.float32),
        rng.uniform(0, 1, (count, 2)).astype(np.float32),
    )  # fmt: skip


@pytest.mark.parametrize("index", [[3, 3, 0, 7], [], np.arange(20)[::-3]])
def test_fragments_taken_are_those_at_the_index(index):
    fragments, index = some_fragments(), np.array(index, np.int64)
    part = fragments.take(index)
    for name in ("pixel", "region", "weight", "depth", "normal", "offset"):
        taken, whole = getattr(part, name), getattr(fragments, name)
        assert taken.dtype == whole.dtype and np.array_equal(taken, whole[index])


def test_fragments_are_taken_by_mask_too():
    fragments = some_fragments()
    mask = fragments.region == 2
    assert np.array_equal(fragments.take(mask).depth, fragments.depth[mask])


@pytest.mark.parametrize("index", [[-1], [10**6], [0, 5, 999]])
def test_fragments_that_are_not_there_are_not_taken(index):
    with pytest.raises(IndexError, match="fragments"):
        some_fragments().take(np.array(index))


def test_fragments_blend_by_weight():
    fragments = some_fragments()
    values = np.random.default_rng(1).uniform(size=(len(fragments), 2)).astype(np.float32)
    want = np.zeros((9 * 12, 2))
    for i in range(len(fragments)):
        want[fragments.pixel[i]] += fragments.weight[i] * values[i]
    assert np.allclose(fragments.resolve(values, (12, 9)).reshape(-1, 2), want, atol=1e-6)


def test_neighbours_one_above_the_other():
    labels = np.random.default_rng(2).integers(0, 4, (7, 6)).astype(np.int32)
    want = [
        (int(labels[y, x]), int(labels[y + 1, x]))
        for y in range(6)
        for x in range(6)
        if labels[y, x] != labels[y + 1, x]
    ]
    assert list(zip(*(side.tolist() for side in stacked_pairs(labels)))) == want


def test_border_places_lie_between_their_regions():
    labels = np.random.default_rng(3).integers(0, 5, (8, 9)).astype(np.int32)
    low, high, place, stacked = border_pairs(labels)
    assert len(low) == (labels[1:] != labels[:-1]).sum() + (labels[:, 1:] != labels[:, :-1]).sum()
    for a, b, (x, y), over in zip(low, high, place, stacked):
        if over:
            pair = labels[int(y) - 1, int(x)], labels[int(y), int(x)]
            assert (over > 0) == (pair[0] == a)
        else:
            pair = labels[int(y), int(x) - 1], labels[int(y), int(x)]
        assert sorted(pair) == [a, b]


def test_what_lies_under_the_sky_and_under_trees():
    labels = np.array([[1, 1, 1, 1], [1, 2, 2, 1], [3, 2, 2, 4], [3, 5, 5, 4]], np.int32)
    regions = measure_regions(labels, np.zeros((6, 3)))
    assert under_sky(regions, 1)[2:].tolist() == [1, 1, 1, 0]
    assert under_sky(regions, 1, [2])[3:].tolist() == [1, 1, 1]
    assert not under_sky(regions, 0).any()


@pytest.mark.parametrize("seed", range(4))
def test_a_camera_projects_as_opencv_does(seed):
    rng = np.random.default_rng(seed)
    camera = Camera.look(
        rng.uniform(-9, 9, 3) + [0, -14, 3], rng.uniform(-2, 2, 3), size=(640, 400), field=rng.uniform(35, 80),
        centre=tuple(rng.uniform(0.35, 0.65, 2)),
    )  # fmt: skip
    points = rng.uniform(-3, 3, (50, 3))
    turn = cv2.Rodrigues(camera.rotation)[0]
    shift = -camera.rotation @ camera.position
    want = cv2.projectPoints(points, turn, shift, camera.matrix, None)[0].reshape(-1, 2)
    place, ahead = camera.project(points)
    assert np.allclose(place, want, atol=1e-3)
    assert np.allclose(ahead, (points - camera.position) @ camera.rotation[2], atol=1e-5)


@pytest.mark.parametrize("projection", ["perspective", "parallel"])
def test_rays_go_back_to_the_points_they_came_from(projection):
    how = {"field": 55.0} if projection == "perspective" else {"span": 14.0}
    camera = Camera.look((-8, -12, 4), (0, 1, 2), size=(640, 400), **how)
    points = np.random.default_rng(6).uniform(-3, 3, (40, 3))
    place, _ = camera.project(points)
    origins, ways = camera.rays(*place.T)
    across = np.cross(points - origins, ways)
    assert camera.projection == projection
    assert np.abs(across).max() < 1e-3


def test_fragments_lie_on_their_rays():
    camera = Camera.look((-8, -12, 4), (0, 1, 2), size=(12, 9), field=55.0)
    fragments = some_fragments()
    points, view = fragment_positions(camera, fragments, slice(None))
    place, ahead = camera.project(points)
    assert np.allclose(place, np.stack(fragments.positions(12), axis=1), atol=1e-3)
    assert np.allclose(ahead, fragments.depth, atol=1e-4)
    assert np.allclose(np.linalg.norm(view, axis=1), 1, atol=1e-5)


def test_the_sky_behind_a_level_parallel_view_goes_up():
    camera = Camera.look((0, -20, 4), (0, 0, 4), size=(12, 9), span=14.0)
    fragments = some_fragments()
    object.__setattr__(fragments, "depth", np.full(len(fragments), np.inf, np.float32))
    _, view = fragment_positions(camera, fragments, slice(None))
    height = -fragments.positions(12)[1]
    assert np.allclose(np.linalg.norm(view, axis=1), 1, atol=1e-5)
    assert (view[:, 2] > 0).all() and np.corrcoef(view[:, 2], height)[0, 1] > 0.8


def carriers_by_hand(i, pixel, region, position, normal, depth, grid, step, width, scale, loose):
    """Points and shares of one fragment, as the paper on joint bilateral look-up would have them."""
    (rows, columns), g_position, g_normal, g_region = grid
    x, y = pixel[i] % width, pixel[i] // width
    fx, fy = (x - step // 2) / step, (y - step // 2) / step
    shares = []
    for dy in (0, 1):
        for dx in (0, 1):
            column, row = np.clip(np.floor(fx) + dx, 0, columns - 1), np.clip(np.floor(fy) + dy, 0, rows - 1)
            g = int(row * columns + column)
            near = abs(1 - dx - (fx - np.floor(fx))) * abs(1 - dy - (fy - np.floor(fy)))
            dot = normal[i] @ g_normal[g]
            gap, most = abs((g_position[g] - position[i]) @ normal[i]), 0.04 + 3 * scale * depth[i]
            like = max(dot - 0.92, 0) / 0.08 * max(1 - gap / most, 0) if g_region[g] else 0.0
            like *= 1.0 if g_region[g] == region[i] else 0.3
            if g_region[g] == region[i] and loose[region[i]]:
                like = 1.0
            shares.append((g, (near + 0.02) * like))
    total = sum(share for _, share in shares)
    return [(g, share / total if total else 0.0) for g, share in shares]


def test_light_is_carried_by_shares_of_the_points_around():
    rng = np.random.default_rng(8)
    width, step, rows, columns = 16, 4, 3, 4
    count, points = 160, rows * columns
    up = np.array([0, 0, 1.0]) + rng.normal(0, 0.08, (count + points, 3))
    up = (up / np.linalg.norm(up, axis=1, keepdims=True)).astype(np.float32)
    place = rng.uniform(0, 1, (count + points, 3)).astype(np.float32) * np.float32([1, 1, 0.05])
    pixel = rng.integers(0, width * step * rows, count).astype(np.int32)
    region, g_region = rng.integers(1, 3, count).astype(np.int32), rng.integers(0, 3, points).astype(np.int32)
    depth, loose = rng.uniform(2, 9, count).astype(np.float32), np.array([False, False, True])
    own = np.full(count, -1, np.int32)
    own[::9] = points - 1
    clear = rng.uniform(0, 1, points).astype(np.float32)
    point, share = np.empty((count, 4), np.int32), np.empty((count, 4), np.float32)
    open_air = np.empty(count, np.float32)
    find_carriers(
            Asking(pixel, region, place[:count], up[:count], depth),
            Grid(place[count:], up[count:], g_region, columns, rows, step, width, np.float32(0.001)), loose, own, clear, point, share,
            open_air,
        )  # fmt: skip
    grid = (rows, columns), place[count:].astype(float), up[count:].astype(float), g_region
    for i in range(count):
        if own[i] >= 0:
            assert point[i, 0] == own[i] and share[i].tolist() == [1, 0, 0, 0] and open_air[i] == clear[own[i]]
        else:
            want = carriers_by_hand(i, pixel, region, place.astype(float), up.astype(float), depth, grid, step, width, 0.001, loose)  # fmt: skip
            assert point[i].tolist() == [g for g, _ in want]
            assert np.allclose(share[i], [s for _, s in want], atol=2e-4)
            assert open_air[i] == pytest.approx(sum(s * clear[g] for g, s in want), abs=2e-4)


def test_carried_light_is_a_weighted_mean():
    rng = np.random.default_rng(9)
    light = rng.uniform(size=(6, 15)).astype(np.float32)
    point = rng.integers(0, 6, (10, 4)).astype(np.int32)
    share = rng.dirichlet(np.ones(4), 10).astype(np.float32)
    out = np.zeros((10, 15), np.float32)
    carry_light(point, share, light, out)
    assert np.allclose(out, np.einsum("np,npk->nk", share, light[point]), atol=1e-5)


def test_bounces_add_up_to_the_solution_of_the_linear_system():
    # Radiosity: B = E + ρ F B, so B = (1 − ρ F)⁻¹ E.
    rng = np.random.default_rng(10)
    count, rays = 30, 24
    cells = rng.integers(0, count, (count, rays)).astype(np.int32)
    albedo = rng.uniform(0.2, 0.6, (count, rays, 3)).astype(np.float32)
    direct = rng.uniform(0, 5, (count, 6)).astype(np.float32)
    got = _bounced(direct, np.zeros((6, 6), np.float32), cells, albedo, np.zeros(count, np.int64))
    for k in range(3):
        share = np.zeros((count, count))
        for c in range(count):
            np.add.at(share[c], cells[c], albedo[c, :, k] / rays)
        for column in (k, 3 + k):
            want = np.linalg.solve(np.eye(count) - share, direct[:, column])
            assert np.allclose(got[:, column], want, rtol=0.03)


def test_spare_light_is_the_mean_of_those_that_face_alike():
    direct = np.arange(12, dtype=np.float32).reshape(4, 3)
    spare = np.full((6, 3), 7, np.float32)
    cells = np.full((4, 2), -100, np.int32)
    light = _bounced(direct, spare, cells, np.zeros((4, 2, 3), np.float32), np.array([0, 0, 3, 3]))
    assert np.array_equal(light, direct)
    assert np.allclose(spare[0], direct[:2].mean(axis=0)) and np.allclose(spare[3], direct[2:].mean(axis=0))
    assert (spare[[1, 2, 4, 5]] == 7).all()


def test_noise_is_smooth_centred_and_bounded():
    rng = np.random.default_rng(11)
    x, y = rng.uniform(-60, 60, (2, 6000)).astype(np.float32)
    values = np.array([value_noise(a, b, 5) for a, b in zip(x, y)])
    near = np.array([value_noise(np.float32(a + 1e-3), b, 5) for a, b in zip(x, y)])
    assert abs(values.mean()) < 0.04 and np.abs(values).max() <= 1.0
    assert np.abs(values - near).max() < 0.01


def test_noise_fades_as_the_pixel_outgrows_it():
    places = np.random.default_rng(12).uniform(0, 50, (800, 2)).astype(np.float32)
    spread = [np.std([layered_noise(u, v, np.float32(1.0), np.float32(foot), 4, 3) for u, v in places]) for foot in (0.0, 0.2, 0.4, 0.7)]  # fmt: skip
    assert spread[0] > spread[1] > spread[2] > spread[3] == 0


@pytest.mark.parametrize("foot", [0.004, 0.05, 0.31, 2.0])
def test_pulses_are_box_filtered_exactly(foot):
    period, width = 0.25, 0.06
    fine = np.linspace(-0.5, 0.5, 20001)
    for x in (0.0, 0.03, 0.061, 0.2, 7.77):
        share = np.mean(((x + fine * foot) % period) < width)
        assert pulse_train(np.float32(x), np.float32(period), np.float32(width), np.float32(foot)) == pytest.approx(
            share, abs=6e-3
        )


def test_waves_lose_no_slope_between_what_shows_and_what_does_not():
    # Resolved variance and roughness together are that of all waves, whatever the distance.
    trains = wave_trains(np.float32(1.0), 3)
    assert trains.shape == (WAVES, 4) and (np.diff(trains[:, 0]) < 0).all()
    assert np.allclose(np.hypot(trains[:, 1], trains[:, 2]), 1, atol=1e-5)
    places = np.random.default_rng(13).uniform(0, 400, (4000, 2)).astype(np.float32)
    out, hidden = np.zeros(3, np.float32), []
    for foot in (0.001, 0.1, 30.0):
        slopes = []
        for x, y in places:
            wave_slopes(
                x, y, np.float32(0), np.float32(1), np.float32(0.5), np.float32(foot), np.float32(0.08), trains, 3, out
            )
            slopes.append(out.copy())
        slopes = np.array(slopes)
        assert np.abs(slopes[:, :2].mean(axis=0)).max() < 0.01
        hidden.append((slopes[:, 0].var() + slopes[:, 1].var(), slopes[:, 2].mean()))
    assert hidden[0][1] < 0.1 * hidden[0][0]
    for turns in np.linspace(-60, 60, 997, dtype=np.float32):
        assert _cosine(turns) == pytest.approx(np.cos(2 * np.pi * float(turns)), abs=2e-6)
    assert hidden[2][0] == 0 and hidden[0][1] < hidden[1][1] < hidden[2][1]


def halves(left, right, share=0.4, width=30, height=8):
    """Two surfaces side by side whose border lies `share` into the column at the middle, and their fragments' colours."""
    middle = width // 2
    pixel, region, weight = [], [], []
    for p in range(width * height):
        x = p % width
        parts = [(1, 1 - share), (2, share)] if x == middle else [(1 if x < middle else 2, 1.0)]
        for surface, part in sorted(parts, key=lambda item: -item[1]):
            pixel.append(p), region.append(surface), weight.append(part)
    count = len(pixel)
    fragments = Fragments(
        np.array(pixel, np.int32), np.array(region, np.int32), np.array(weight, np.float32), np.ones(count, np.float32),
        np.zeros((count, 3), np.float32), np.full((count, 2), 0.5, np.float32),
    )  # fmt: skip
    return fragments, np.where(np.array(region)[:, None] == 1, np.float32(left), np.float32(right)) * np.ones(
        3, np.float32
    )


@pytest.mark.parametrize("share", [0.1, 0.25, 0.4])
def test_a_joint_lies_on_the_border(share):
    fragments, colours = halves(0.7, 0.7, share)
    depth = joint_depth(fragments, colours, (30, 8), np.zeros(3, bool))
    row = depth[4]
    assert row.sum() == pytest.approx(0.2 * (0.6 + 0.4 * 0.7), rel=0.02)
    assert (row * (np.arange(30) + 0.5)).sum() / row.sum() == pytest.approx(16 - share, abs=0.01)


def test_no_joint_where_the_sides_differ():
    fragments, colours = halves(0.7, 0.3)
    depth = joint_depth(fragments, colours, (30, 8), np.zeros(3, bool))
    assert not depth.any()


def test_leaves_have_no_joints_among_each_other():
    fragments, colours = halves(0.5, 0.5)
    depth = joint_depth(fragments, colours, (30, 8), np.array([False, True, True]))
    assert not depth.any()


def test_each_way_with_lines_multiplies_by_its_own():
    fine, drawn = (np.full((2, 3, 1), value, np.float32) for value in (0.8, 0.4))
    always = np.ones((2, 3, 1), np.float32)
    always[0, 0] = 0.5
    lines = CarriedLines(always, fine, drawn)
    assert np.array_equal(lines.factor("none"), always)
    assert lines.factor("fine")[0, :2, 0].tolist() == pytest.approx([0.5, 0.8])
    assert lines.factor("as drawn")[0, :2, 0].tolist() == pytest.approx([0.4, 0.4])


def test_lines_give_way_to_additions():
    half = np.full((2, 3, 1), 0.5, np.float32)
    covered = np.array([[0, 0.5, 1], [0, 0, 0]], np.float32)
    left = CarriedLines(half, half, half).beside(covered)
    for lines in ("none", "fine", "as drawn"):
        assert np.allclose(left.factor(lines)[..., 0], [[0.5, 0.75, 1], [0.5, 0.5, 0.5]])
