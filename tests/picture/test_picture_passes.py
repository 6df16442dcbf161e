"""Compiled passes over pictures, against the plain definitions they replace."""

import numpy as np
import pytest
from scipy import ndimage

from irodori.capture.cleaning.clean import clean
from irodori.core.camera import Camera
from irodori.core.cleanings import Wanted
from irodori.core.colour import decode_srgb, encode_8_bit, largest_channel, least_channel
from irodori.core.pixels.segments import find_segments
from irodori.core.pixels.zones import zone_means
from irodori.structure.distance.on_planes import FARTHEST, NEAREST, depth_on_planes, plane_depth, plane_points
from irodori.structure.regions.find import find_regions
from irodori.structure.regions.join import inner_span

SIZE = (320, 200)


@pytest.fixture
def rng():
    return np.random.default_rng(3)


@pytest.fixture
def zones(rng):
    """Labels (H, W) of blobs, some of them a pixel wide, and a picture."""
    noise = ndimage.gaussian_filter(rng.normal(size=SIZE[::-1]), 6)
    labels = np.digitize(noise, np.quantile(noise, [0.2, 0.4, 0.6, 0.8])).astype(np.int32)
    labels[:, 100] = 6
    return labels, rng.integers(0, 256, (*labels.shape, 3), dtype=np.uint8)


def test_extremes_of_channels(rng):
    values = rng.normal(size=(7, 5, 3))
    assert np.array_equal(largest_channel(values), values.max(axis=2))
    assert np.array_equal(least_channel(values), values.min(axis=2))


def test_mean_colours_of_zones(zones):
    labels, encoded = zones
    means = zone_means(encoded, labels)
    assert means.shape == (7, 3)
    for k in range(3):
        present = np.unique(labels)
        assert means[present, k] == pytest.approx(ndimage.mean(encoded[..., k].astype(float), labels, present))
    assert not means[5].any()  # no such zone


def test_span_of_brightness_inside_zones(zones):
    labels, encoded = zones
    grey = encoded.mean(axis=2)
    inside = np.ones(labels.shape, bool)
    for axis in (0, 1):
        for shift in (-2, -1, 1, 2):
            inside &= np.roll(labels, shift, axis=axis) == labels
    spans = inner_span(grey, labels)
    for zone in range(7):
        own = grey[inside & (labels == zone)]
        assert spans[zone] == pytest.approx(np.ptp(own) if len(own) > 12 else 0.0)
    assert spans[6] == 0  # a line has no inside


# Segments


def drawn(lines, width=2):
    import cv2

    image = np.full((*SIZE[::-1], 3), 255, np.uint8)
    for x0, y0, x1, y1 in lines:
        cv2.line(image, (x0, y0), (x1, y1), (20, 20, 20), width, cv2.LINE_AA)
    return image


def twins(segments):
    """Pairs of which the shorter one lies within 2.2 px of the longer one over more than six tenths of its length."""
    found = []
    for i, longer in enumerate(segments):
        way = longer[2:] - longer[:2]
        length = np.hypot(*way)
        way = way / length
        for j in range(i + 1, len(segments)):
            ends = segments[j].reshape(2, 2) - longer[:2]
            along, aside = ends @ way, np.abs(ends @ [-way[1], way[0]])
            if aside.max() < 2.2 and np.ptp(np.clip(along, 0, length)) > 0.6 * np.ptp(along):
                found.append((i, j))
    return found


def test_each_line_is_found_once_a_side_and_not_once_a_channel(rng):
    lines = [(20, 20, 300, 40), (20, 60, 300, 160), (60, 180, 80, 20), (200, 30, 310, 190)]
    segments = find_segments(drawn(lines, width=3))
    assert twins(segments) == []
    length = np.hypot(*(segments[:, 2:] - segments[:, :2]).T)
    assert (np.diff(length) <= 1e-9).all()
    for x0, y0, x1, y1 in np.array(lines) + 0.5:
        way = np.array([x1 - x0, y1 - y0]) / np.hypot(x1 - x0, y1 - y0)
        aside = np.abs((segments.reshape(-1, 2, 2) - [x0, y0]) @ [-way[1], way[0]]).max(axis=1)
        # Its two sides, in pieces where other lines cross it, cover it twice.
        assert length[aside < 3.0].sum() == pytest.approx(2 * np.hypot(x1 - x0, y1 - y0), rel=0.12)


def test_lines_some_pixels_apart_stay_apart():
    near = [(20, 50, 300, 50), (20, 58, 300, 58)]
    segments = find_segments(drawn(near, width=1))
    middles = segments[:, [1, 3]].mean(axis=1)
    assert {round(float(m)) // 4 for m in middles} >= {50 // 4, 58 // 4}
    assert len(find_segments(np.full((*SIZE[::-1], 3), 255, np.uint8))) == 0


# Depth of planes


@pytest.mark.parametrize("span", [None, 14.0], ids=["perspective", "parallel"])
def test_depth_on_planes_is_where_rays_meet_them(rng, span):
    camera = Camera.look((3, -9, 2.5), (0, 2, 1), size=SIZE, span=span, field=60.0)
    normals = rng.normal(size=(5, 3))
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    normals *= -np.sign(normals @ camera.rotation[2])[:, None]
    distances = rng.uniform(3, 20, 5)
    x, y = rng.uniform(0, SIZE[0], 400), rng.uniform(0, SIZE[1], 400)
    which = rng.integers(0, 5, 400).astype(np.int32)
    depth = depth_on_planes(camera, normals, distances, which, x, y)
    origins, rays = (a.astype(float) for a in camera.rays(x, y))
    # normal · (origin + depth · ray − position) = −distance
    n = normals[which]
    expected = -(distances[which] + (n * (origins - camera.position)).sum(axis=1)) / (n * rays).sum(axis=1)
    plain = (expected > NEAREST) & (expected < FARTHEST) & ((n * rays).sum(axis=1) < -1e-3)
    assert plain.sum() > 100
    assert depth[plain] == pytest.approx(expected[plain], rel=1e-5)
    assert depth.min() >= NEAREST
    assert depth.max() <= FARTHEST
    assert plane_depth(camera, normals[which], distances[which], x, y) == pytest.approx(depth)
    assert plane_depth(camera, normals[2], distances[2], x, y)[which == 2] == pytest.approx(depth[which == 2])
    points = plane_points(camera, n, distances[which], np.stack([x, y], axis=1))[plain]
    assert ((points - camera.position) * n[plain]).sum(axis=1) == pytest.approx(-distances[which][plain], rel=1e-4)


# Cleaning


@pytest.mark.parametrize("colour", [(255, 20, 20), (255, 10, 60), (30, 200, 40), (30, 70, 250)])
def test_axis_marks_of_any_hue_are_found_across_the_circle_s_seam(colour):
    import cv2

    plain = np.full((400, 640, 3), (214, 212, 206), np.uint8)
    marked = plain.copy()
    cv2.line(marked, (30, 360), (600, 60), colour, 1, cv2.LINE_AA)
    cleaned = clean(decode_srgb(marked.astype(np.float32) / 255), "shaded", Wanted())
    assert any("axis marks" in sentence for sentence in cleaned.removed)
    left = np.abs(encode_8_bit(cleaned.image).astype(int) - plain)
    assert left.max() <= 10  # of 8-bit steps, where 200 were
    assert (left > 2).mean() < 0.002


def test_a_picture_without_vivid_pixels_is_left_alone():
    image = decode_srgb(np.full((90, 120, 3), 0.6, np.float32))
    cleaned = clean(image, "shaded", Wanted())
    assert cleaned.image is image
    assert cleaned.removed == ()


def test_a_thousand_tiles_more_than_regions_are_kept_keep_the_largest():
    # 72 x 72 squares of 8 px, every second one of another tone, and one large area.
    squares = (np.indices((72, 72)).sum(axis=0) % 2).repeat(8, axis=0).repeat(8, axis=1)
    encoded = np.where(squares[..., None] == 0, np.uint8(90), np.uint8(160)) + np.zeros(3, np.uint8)
    encoded[:, :200] = (200, 60, 40)
    labels, *_ = find_regions(encoded)
    assert 0 < labels.max() <= 4000
    assert (labels > 0).all()
    large = np.bincount(labels[:, 20:180].ravel())
    assert large.max() > 0.99 * large.sum()
