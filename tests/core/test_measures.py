"""The measuring parts against pictures whose edges are known in closed form."""

from dataclasses import replace

import numpy as np
import pytest

from irodori.core.camera import Camera
from irodori.core.pixels.flatness import is_drawn
from irodori.finishes import FINISHES
from irodori.finishes.evaluate import OUTPUTS, evaluate_finish
from irodori.proof.centres import centre_of_edge
from irodori.proof.changes import find_changes
from irodori.proof.edges import edge_energy, find_pieces
from irodori.proof.peaks import nearest_line, strongest_peak
from irodori.proof.profiles import NEAR, pool_profiles
from irodori.proof.similarity import apply_similarity, coarse_shift, fit_similarity
from irodori.structure.camera.estimate import FrameSearch
from irodori.structure.regions.border_coverage import border_coverage

SIZE = 120


def half_plane(place, angle=0.0, size=SIZE, fine=16):
    """Share of each pixel right of a straight border through (place, size / 2), turned by `angle` degrees."""
    steps = (np.arange(size * fine) + 0.5) / fine
    x, y = np.meshgrid(steps, steps)
    turn = np.radians(angle)
    inside = (x - place) * np.cos(turn) + (y - size / 2) * np.sin(turn) > 0
    return inside.reshape(size, fine, size, fine).mean(axis=(1, 3))


def band(place, width, angle=0.0):
    """Cover of a line `width` px wide."""
    return half_plane(place - width / 2, angle) - half_plane(place + width / 2, angle)


def mixed(cover, left, right):
    left, right = np.array(left, float), np.array(right, float)
    return (left + cover[..., None] * (right - left)).astype(np.float32)


def measured(image, ink=None):
    """Signed distance, px, of every edge piece's centre from the border x = place, and the pieces."""
    pieces = find_pieces(image, 4 / 255)
    profiles = pool_profiles(image, pieces)
    peak, _ = strongest_peak(profiles.energy, NEAR)
    place, plain = centre_of_edge(profiles, peak, ink)
    return pieces, place, plain


def distance_to(pieces, place, border, angle):
    """How far the measured centres lie from the true border."""
    turn = np.radians(angle)
    across = np.array([np.cos(turn), np.sin(turn)])
    at = pieces.centre + place[:, None] * pieces.normal
    return (at - [border, SIZE / 2]) @ across


@pytest.mark.parametrize("border", [60.0, 60.25, 60.5, 60.9])
@pytest.mark.parametrize("angle", [0.0, 7.0, 30.0, 45.0])
def test_a_step_is_placed_within_hundredths(border, angle):
    image = mixed(half_plane(border, angle), (0.2, 0.3, 0.4), (0.7, 0.6, 0.5))
    pieces, place, _ = measured(image)
    assert len(pieces) > 4
    inner = np.abs(pieces.centre - SIZE / 2).max(axis=1) < 40
    assert np.abs(distance_to(pieces, place, border, angle)[inner]).max() < 0.06


@pytest.mark.parametrize("border", [60.0, 60.3, 60.5])
@pytest.mark.parametrize("sides", [(0.9, 0.5), (0.5, 0.9), (0.6, 0.6)])
def test_a_drawn_line_is_placed_at_its_middle_whatever_its_sides(border, sides):
    # The line is darker than both sides; the stronger flank must not pull at it.
    ink = np.float32([0.15, 0.15, 0.15])
    base = mixed(half_plane(border), (sides[0],) * 3, (sides[1],) * 3)
    line = band(border, 1.0)[..., None]
    image = (base * (1 - 0.8 * line) + ink * 0.8 * line).astype(np.float32)
    pieces, place, _ = measured(image, ink)
    assert np.abs(distance_to(pieces, place, border, 0.0)).max() < 0.08


def test_pieces_are_short_straight_and_across():
    image = mixed(half_plane(60.0, 20.0), (0.1,) * 3, (0.8,) * 3)
    pieces = find_pieces(image, 4 / 255)
    assert (pieces.length < 22).all() and (pieces.length > 3).all()
    turn = np.radians(20.0)
    assert np.abs(np.abs(pieces.normal @ [np.cos(turn), np.sin(turn)]) - 1).max() < 0.01
    assert len(find_pieces(np.full((60, 60, 3), 0.5, np.float32), 4 / 255)) == 0


def test_edge_energy_of_a_line_peaks_at_its_middle():
    image = mixed(band(60.5, 1.0), (0.8,) * 3, (0.2,) * 3)
    energy, nx, _ = edge_energy(image)
    assert abs(int(energy[60].argmax()) - 60) <= 0
    assert abs(nx[60, 60]) > 0.99


def test_thin_lines_are_found_beside_strong_steps():
    image = mixed(half_plane(64.0), (0.3,) * 3, (0.9,) * 3) - 0.05 * band(60.5, 1.0)[..., None].astype(np.float32)
    reference = mixed(half_plane(60.5), (0.3,) * 3, (0.5,) * 3)
    pieces = find_pieces(reference, 4 / 255)
    found = nearest_line(pool_profiles(image, pieces).value, np.zeros(len(pieces)), 1.0)
    assert np.isfinite(found).mean() > 0.9
    flat = nearest_line(pool_profiles(np.full_like(image, 0.4), pieces).value, np.zeros(len(pieces)), 1.0)
    assert not np.isfinite(flat).any()


@pytest.mark.parametrize("truth", [(1.5, -0.7, 0.0, 0.0), (0.0, 0.0, 0.004, 0.0), (0.3, 0.2, -0.002, 0.003)])
def test_similarity_is_recovered_from_motions_across_edges(truth):
    rng = np.random.default_rng(5)
    middle = np.array([640.0, 400.0])
    centre = rng.random((400, 2)) * [1280, 800]
    angle = rng.random(400) * np.pi
    normal = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    motion = apply_similarity(np.array(truth), centre, middle) - centre
    drift = (motion * normal).sum(axis=1) + rng.normal(0, 0.02, 400)
    drift[::10] += rng.normal(0, 5, 40)  # a tenth is wrong altogether
    found = fit_similarity(centre, normal, drift, np.ones(400), middle)
    assert np.allclose(found[:2], truth[:2], atol=0.02)
    assert np.allclose(found[2:], truth[2:], atol=5e-5)


def test_coarse_shift_of_a_large_move():
    rng = np.random.default_rng(2)
    plane = np.zeros((200, 320), np.float32)
    for x, y, w, h in (rng.random((25, 4)) * [280, 170, 40, 30]).astype(int):
        plane[y : y + h + 2, x : x + w + 2] = rng.random()
    a = edge_energy(np.repeat(plane[..., None], 3, axis=2))[0]
    b = edge_energy(np.repeat(np.roll(plane, (6, -14), axis=(0, 1))[..., None], 3, axis=2))[0]
    assert np.abs(coarse_shift(a, b) - [-14, 6]).max() < 1.5
    assert not coarse_shift(a, a).any()


def test_changes_gather_into_one_spot():
    image = np.full((200, 200, 3), 0.2, np.float32)
    image[40:90, 50:120] = 0.8
    image[120:180, 30:160] = 0.6
    pieces = find_pieces(image, 4 / 255)
    lost = pieces.centre[:, 1] < 100
    spots = find_changes(pieces, lost, np.zeros(len(pieces)), "lost")
    assert len(spots) == 1
    x0, y0, x1, y1 = spots[0].box
    assert x0 < 52 and y0 < 42 and x1 > 118 and y1 > 88 and y1 < 110
    assert "lost" in str(spots[0])
    assert not find_changes(pieces, np.zeros(len(pieces), bool), np.zeros(len(pieces)), "lost")


@pytest.mark.parametrize("border", [60.0, 60.2, 60.5, 60.7])
@pytest.mark.parametrize("with_line", [False, True])
def test_coverage_follows_the_captures_own_mixing(border, with_line):
    cover = half_plane(border)
    left, right, ink = np.array([200.0, 190, 180]), np.array([90.0, 110, 140]), np.array([30.0, 30, 30])
    image = left + cover[..., None] * (right - left)
    if with_line:
        line = band(border, 1.0)[..., None]
        image = image * (1 - 0.8 * line) + ink * 0.8 * line
    labels = np.where(np.arange(SIZE) < 60, 1, 2)[None].repeat(SIZE, axis=0).astype(np.int32)
    mean = np.stack([ink, left, right])
    coverage = border_coverage(np.rint(image).astype(np.uint8), labels, mean, ink)
    settled, second, share = coverage.labels, coverage.second, coverage.share
    right_share = np.where(settled == 2, 1 - share, np.where(second == 2, share, 0.0))
    place = SIZE - right_share[20:100].sum(axis=1)
    assert np.abs(place - border).max() < 0.06


def seen_from_above(focal, pitch):
    """A camera that looks down on things 30 m off, `pitch` degrees."""
    size, away = (1280, 800), 30.0
    target = np.array([0.0, 0.0, 2.0])
    rise = away * np.tan(np.radians(-pitch))
    field = 2 * np.degrees(np.arctan(size[0] / 2 / focal))
    return Camera.look(np.array([18.0, -away, 2.0 + rise]), target, size=size, field=field)


def edges_of_boxes(camera, rng, boxes, turned=0.0):
    """Segments (N, 4) of three edges each of some boxes, turned by some degrees about the vertical."""
    c, s = np.cos(np.radians(turned)), np.sin(np.radians(turned))
    segments = []
    for _ in range(boxes):
        start = rng.uniform([-8, -6, 0], [8, 6, 6])
        for axis in np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]]):
            ends, depth = camera.project(np.stack([start, start + axis * rng.uniform(1.5, 5)]))
            if (depth > 1).all():
                segments.append((ends + rng.normal(0, 0.15, (2, 2))).ravel())
    return np.array(segments, np.float32)


def check_lens(segments, camera, focal, turns=(0.0,), within=(0.03, 0.6)):
    """The frame has the camera's focal length and up and stands as one of the `turns`, degrees: a share and degrees `within`."""
    frame = FrameSearch(segments, camera.size).best()
    assert frame is not None and frame.observed
    assert frame.focal == pytest.approx(focal, rel=within[0])
    up = camera.rotation @ [0, 0, 1]
    assert abs(frame.axes[2] @ up) > np.cos(np.radians(within[1]))
    ways = [camera.rotation @ [np.cos(t), np.sin(t), 0] for t in np.radians(turns)]
    assert max(np.abs(frame.axes[:2] @ way).max() for way in ways) > np.cos(np.radians(within[1]))


@pytest.mark.parametrize("focal, pitch", [(900.0, 0.0), (1300.0, -8.0), (1000.0, -25.0)])
def test_vanishing_points_give_the_lens(focal, pitch):
    # Edges of boxes seen by a known camera.
    camera = seen_from_above(focal, pitch)
    check_lens(edges_of_boxes(camera, np.random.default_rng(4), 60), camera, focal)


@pytest.mark.parametrize("seed", range(5))
def test_the_lens_is_found_among_lines_that_run_every_way(seed):
    # Few edges of boxes among the twigs of trees and as many of a wing that stands at another angle.
    camera, rng = seen_from_above(1200.0, -22.0), np.random.default_rng(seed)
    start = rng.uniform([0, 0], [1280, 800], (200, 2))
    way = rng.uniform(0, np.pi, 200)
    step = np.stack([np.cos(way), np.sin(way)], axis=1) * rng.uniform(20, 50, (200, 1))
    boxes, wing = edges_of_boxes(camera, rng, 14), edges_of_boxes(camera, rng, 8, turned=33.0)
    segments = np.concatenate([boxes, wing, np.column_stack([start, start + step])]).astype(np.float32)
    check_lens(segments, camera, 1200.0, turns=(0.0, 33.0), within=(0.06, 0.5))


@pytest.mark.parametrize("seed", [1, 5, 6])
def test_things_askew_tell_the_lens_of_a_room_seen_square_on(seed):
    # The room's own lines do not tell it, and where they run into the picture they leave its middle to the crop.
    rng, shift = np.random.default_rng(seed), np.array([31.0, 21.0])
    field = 2 * np.degrees(np.arctan(640 / 1000.0))
    camera = Camera.look(np.array([0, -6, 1.6]), np.array([0, 6, 1.6]), size=(1280, 800), field=field)
    segments = []
    for count, turn in ((30, 0.0), (20, 17.0), (20, -32.0)):
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        for way in np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])[: 2 + (turn == 0.0)]:
            start = rng.uniform([-3, -2, 0], [3, 4, 2], (count, 3))
            ends, _ = camera.project(
                np.stack([start, start + way * rng.uniform(0.5, 2, (count, 1))], axis=1).reshape(-1, 3)
            )
            segments.append((ends + shift + rng.normal(0, 0.15, ends.shape)).reshape(count, 4))
    frame = FrameSearch(np.concatenate(segments).astype(np.float32), camera.size).best()
    assert frame.observed
    assert frame.focal == pytest.approx(1000.0, rel=0.02)
    assert frame.centre == pytest.approx(shift, abs=6.0)


@pytest.mark.parametrize("roll, within", [(0.0, 0.002), (1.5, 0.1)])
def test_a_tilted_view_that_was_cropped_keeps_its_roll(roll, within):
    # Beside tilt and crop a little roll is hard to tell: a lens that has none is taken to have none.
    camera = seen_from_above(1000.0, -14.0)
    c, s = np.cos(np.radians(roll)), np.sin(np.radians(roll))
    camera = replace(camera, rotation=np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ camera.rotation)
    crop = np.float32([90, 30])
    for seed in range(4):
        segments = edges_of_boxes(camera, np.random.default_rng(seed), 30) - np.tile(crop, 2)
        frame = FrameSearch(segments, camera.size).best()
        assert frame is not None and frame.focal == pytest.approx(1000.0, rel=0.02)
        assert np.abs(frame.centre + crop).max() < 10
        up = frame.axes[2] * -np.sign(frame.axes[2, 1])
        assert np.degrees(np.arctan2(up[0], -up[1])) == pytest.approx(roll, abs=within)


@pytest.mark.parametrize("heading", [5.0, -4.0])
def test_a_room_next_to_square_that_was_cropped_keeps_its_horizon(heading):
    # What runs across the view runs next to parallel, so that it tells the horizon's height and no focal length.
    turn = np.radians(heading)
    camera = Camera.look((0, -14, 1.6), (14 * np.sin(turn), 14 * np.cos(turn) - 14, 1.6), size=(1280, 800), field=66.0)
    crop = np.float32([30, 12])
    for seed in range(4):
        segments = edges_of_boxes(camera, np.random.default_rng(seed), 60) - np.tile(crop, 2)
        frame = FrameSearch(segments, camera.size).best()
        _, y, ahead = frame.axes[np.abs(frame.axes[:2, 2]).argmax()]
        horizon = frame.focal * y / ahead + frame.centre[1] + camera.size[1] / 2
        assert horizon == pytest.approx(camera.size[1] / 2 - crop[1], abs=0.6)


@pytest.mark.parametrize("heading", [1.2, -2.0])
def test_a_parallel_view_from_above_next_to_square_tells_its_pitch(heading):
    # Uprights and what runs into the picture are next to parallel on paper; roofs and braces run other ways.
    pitch, turn = np.radians(44.0), np.radians(heading)
    away = 40 * np.array([-np.sin(turn) * np.cos(pitch), -np.cos(turn) * np.cos(pitch), np.sin(pitch)])
    camera = Camera.look(away, (0, 0, 0), size=(1280, 800), span=24.0)
    segments = edges_of_boxes(camera, np.random.default_rng(2), 40)
    frame = FrameSearch(segments, camera.size).best()
    assert frame is not None and frame.make == "parallel"
    told = np.degrees(np.arcsin(abs(frame.axes[2, 2])))
    assert told == pytest.approx(44.0, abs=4.0)


def test_a_front_seen_square_on_is_no_view_from_above():
    # Gables and braces slant; what runs up it runs up it alone.
    camera = Camera.look((0, -40, 3), (0, 0, 3), size=(1280, 800), span=24.0)
    rng = np.random.default_rng(5)
    segments = [edges_of_boxes(camera, rng, 40)]
    for x in (-8, -1, 5):
        ends, _ = camera.project(np.array([[x, 0, 4], [x + 2, 0, 6], [x + 4, 0, 4]], float))
        segments.append(np.array([ends[:2].ravel(), ends[1:].ravel()], np.float32))
    segments = np.concatenate(segments)
    segments = segments[np.hypot(*(segments[:, 2:] - segments[:, :2]).T) > 4]
    frame = FrameSearch(segments, camera.size).best()
    assert frame is not None and frame.make == "parallel"
    assert abs(frame.axes[2, 2]) < np.sin(np.radians(1.5))


def test_patterns_keep_their_mean_when_seen_from_afar():
    # Joints and grain are filtered over the footprint: what is far is the mean of what is near, not noise.
    f = np.float32
    for name in ("red brick, stretcher bond", "granite setts", "standing seam zinc"):
        finish = FINISHES[name]
        base = np.float32([0.4, 0.3, 0.25])
        values = {}
        for foot in (0.001, 2.0):
            rows = []
            for u, v in np.random.default_rng(1).random((1500, 2)) * 12:
                out = np.zeros(OUTPUTS, np.float32)
                evaluate_finish(finish.row, *base, f(u), f(v), f(foot), f(foot), 7, f(0), f(0), f(1), out)
                rows.append(out[:3].copy())
            values[foot] = np.array(rows)
        assert np.allclose(values[0.001].mean(axis=0), values[2.0].mean(axis=0), rtol=0.12), name
        assert values[2.0].std(axis=0).mean() < 0.5 * values[0.001].std(axis=0).mean(), name


def test_flat_drawings_and_grainy_pictures():
    drawing = np.full((90, 120, 3), 230, np.uint8)
    drawing[20:60, 30:80] = (120, 90, 60)
    assert is_drawn(drawing)
    grain = np.clip(drawing + np.random.default_rng(0).normal(0, 1.2, drawing.shape), 0, 255).astype(np.uint8)
    assert not is_drawn(grain)
