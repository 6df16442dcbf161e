"""Captures whose surfaces show bricks, boards and grass, and drawings with hatching."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.capture.cleaning.hatching import find_hatching, without_hatching
from irodori.capture.cleaning.textures import is_textured, smooth_textures
from irodori.capture.kind import detect_kind
from irodori.core.colour import decode_srgb, encode_8_bit
from irodori.core.geometry import shapes
from irodori.core.pixels.flatness import has_blocks
from irodori.core.pixels.ink import drawn_edges
from irodori.core.pixels.segments import find_segments
from irodori.core.pixels.zones import flat_zones
from irodori.formats.write_image import write_image
from irodori.scene.detail import found_detail
from irodori.structure.regions.seeds import without_leaks
from painter import SIZE, camera_at, paint, share_deep, share_right
from painter import house as house_of

EARTH, PLASTER, SLATE, PANE, TIMBER = (168, 160, 146), (222, 206, 178), (98, 104, 114), (150, 190, 206), (140, 96, 70)

HOUSE = house_of(EARTH, PLASTER, SLATE, TIMBER, PANE)
PLAIN = (PANE, TIMBER)


def bricks(along, up, width=0.24, height=0.08, joint=0.012, pale=1.15, seed=1):
    """Shares of a surface's colour at places on it, m: bricks of many tints with pale joints, and grain."""
    rng = np.random.default_rng(seed)
    row = np.floor(up / height)
    column = np.floor(along / width + 0.5 * (row % 2))
    tints = rng.uniform(0.86, 1.14, (64, 64))
    share = tints[row.astype(int) % 64, column.astype(int) % 64] * rng.normal(1, 0.03, np.shape(up))
    across = np.abs(up / height - row - 0.5) > 0.5 - joint / height / 2
    between = np.abs(along / width + 0.5 * (row % 2) - column - 0.5) > 0.5 - joint / width / 2
    return np.where(across | between, pale, share)


def bricked(picture, depth, normal, camera):
    """The painter's picture with bricks on all that is neither pane, nor timber, nor sky; drawn edges stay."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    origin, way = (a.astype(float).reshape(*x.shape, 3) for a in camera.rays(x.ravel(), y.ravel()))
    place = origin + way * np.where(np.isfinite(depth), depth, 0)[..., None]
    flat = np.abs(normal[..., 2]) > 0.9
    along = np.where(flat | (np.abs(normal[..., 1]) > 0.9), place[..., 0], place[..., 1])
    share = bricks(along, np.where(flat, place[..., 1], place[..., 2]))
    hue = picture / np.maximum(picture.max(axis=2, keepdims=True), 1)
    plain = np.zeros(depth.shape, bool)
    for colour in PLAIN:
        plain |= np.abs(hue - np.array(colour) / max(colour)).max(axis=2) < 0.03
    bare = plain | ~np.isfinite(depth) | (picture.max(axis=2) < 60)
    return np.clip(picture * np.where(bare, 1, share)[..., None], 0, 255).astype(np.uint8)


def shade(picture):
    """How bright each pixel is, (H, W, 1), as a share of what it shows were it plaster."""
    return picture.astype(float).max(axis=2, keepdims=True) / max(PLASTER)


@pytest.fixture(scope="module")
def house(tmp_path_factory):
    camera = camera_at()
    picture, depth, normal = paint(HOUSE, camera)
    path = tmp_path_factory.mktemp("house") / "bricks.png"
    textured = bricked(picture, depth, normal, camera)
    write_image(path, textured)
    return camera, picture, textured, depth, normal, path


def test_bricks_are_smoothed_and_said(house):
    _, picture, textured, _, normal, path = house
    capture = iro.open_capture(path)
    assert capture.kind == "shaded"
    assert "Smoothed the materials' textures" in capture.removed
    assert np.array_equal(capture.textured, textured)
    front = (np.abs(normal[..., 1]) > 0.9) & (np.abs(picture - PLASTER * shade(picture)) < 3).all(axis=2)
    front = cv2.erode(front.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    before, after = (shown[front].astype(float).std(axis=0).max() for shown in (textured, encode_8_bit(capture.image)))
    assert front.sum() > 5000
    assert before > 10 and after < 0.35 * before


def test_a_bricked_house_is_read_as_its_walls_not_as_its_bricks(house):
    camera, _, _, depth, normal, path = house
    read = iro.read_structure(iro.open_capture(path), cache=False)
    assert len(read.surfaces) < 40
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.03)
    assert share_right(read, normal, camera) > 0.9
    assert share_deep(read, depth) > 0.9


def test_borders_stay_where_they_are_between_textures(house):
    _, picture, _, _, _, path = house
    plain = path.with_name("plain.png")
    write_image(plain, picture)
    read, clean = (iro.read_structure(iro.open_capture(p), cache=False).regions for p in (path, plain))
    edges = [np.zeros(r.shape, np.uint8) for r in (read, clean)]
    for edge, r in zip(edges, (read, clean)):
        edge[:, 1:] |= r[:, 1:] != r[:, :-1]
        edge[1:] |= r[1:] != r[:-1]
    near = cv2.distanceTransform(1 - edges[1], cv2.DIST_L2, 5)[edges[0] > 0]
    found = cv2.distanceTransform(1 - edges[0], cv2.DIST_L2, 5)[edges[1] > 0]
    assert (near <= 2).mean() > 0.9 and (found <= 2).mean() > 0.9


def test_surfaces_kept_as_found_keep_their_bricks(house):
    _, _, textured, _, _, path = house
    read = iro.read_structure(iro.open_capture(path), cache=False)
    detail = found_detail(read)
    walls = np.isin(read.regions, read.of_role("wall"))
    own = walls & (detail != 1).any(axis=2)
    assert own.sum() > 8000
    shown = decode_srgb(textured[own].astype(np.float32) / 255).mean(axis=1)
    assert np.corrcoef(shown, detail[own].mean(axis=1))[0, 1] > 0.5
    assert detail[own].mean(axis=1).std() > 0.05


def test_as_it_is_leaves_textures(house):
    capture = iro.open_capture(house[-1], clean=False)
    assert capture.removed == () and capture.textured is None
    assert np.array_equal(encode_8_bit(capture.image), house[2])


def test_plain_and_compressed_captures_are_not_taken_for_textured(house):
    picture = house[1]
    assert not is_textured(picture)
    for quality in (95, 85):
        data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
        packed = cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1].copy()
        assert has_blocks(packed)
        write_image(house[-1].with_name("packed.png"), packed)
        assert iro.open_capture(house[-1].with_name("packed.png"), kind="shaded").textured is None
    assert is_textured(house[2]) and not has_blocks(house[2])


def test_a_step_between_two_textures_stays_steep():
    rng = np.random.default_rng(0)
    y, x = np.mgrid[0:240, 0:320]
    base = np.where(x < 160, 150.0, 96.0)
    waves = 9 * np.sign(np.sin(x * 1.1)) * np.sign(np.sin(y * 0.9)) + rng.normal(0, 5, x.shape)
    encoded = np.clip(base + waves, 0, 255).astype(np.uint8)[..., None].repeat(3, axis=2)
    smooth = smooth_textures(encoded)[..., 0].astype(float)
    left, right = smooth[20:-20, 20:140], smooth[20:-20, 180:300]
    assert left.mean() == pytest.approx(150, abs=3) and right.mean() == pytest.approx(96, abs=3)
    assert left.std() < 6 and right.std() < 2  # of 9 and more before
    first = (smooth[20:-20, 140:180] < 123).argmax(axis=1) + 140
    assert np.abs(first - 160).max() <= 1
    steep = np.abs(np.diff(smooth[20:-20], axis=1))[:, 150:170].max(axis=1)
    assert np.median(steep) > 8


def test_drawn_edges_are_told_from_joints():
    picture = np.full((300, 400, 3), 200, np.uint8)
    picture[:, ::10] = 176  # joints: shades of what they lie in
    picture[::8] = 176
    assert not drawn_edges(picture).any()
    for x in (55, 155, 255, 355):
        picture[20:280, x] = 24
    edges = drawn_edges(picture)
    assert edges[30:270, 155].mean() > 0.95
    assert edges[:, 100:150].mean() < 0.01


def test_a_finished_picture_is_smoothed_whatever_it_shows(house):
    """A rendering or a photo: bricks, a film's grain, light that falls off, no area in one tone."""
    camera, _, textured, _, normal, path = house
    rng = np.random.default_rng(9)
    fall = np.linspace(1.0, 0.86, SIZE[0])[None, :, None]
    photo = np.clip(textured * fall + rng.normal(0, 4, textured.shape), 0, 255).astype(np.uint8)
    shot = path.with_name("photo.png")
    write_image(shot, photo)
    capture = iro.open_capture(shot, kind="finished")
    assert capture.textured is not None
    read = iro.read_structure(capture, cache=False)
    assert len(read.surfaces) < 60
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.1)
    assert share_right(read, normal, camera) > 0.75


def test_a_viewport_with_textures_is_told_by_its_plain_areas(house):
    textured = house[2]
    assert detect_kind(decode_srgb(textured.astype(np.float32) / 255)) == "shaded"
    dim = textured * np.array([0.9, 0.6, 0.4])
    noisy = np.clip(dim + np.random.default_rng(2).normal(0, 4, textured.shape), 0, 255).astype(np.uint8)
    assert detect_kind(decode_srgb(noisy.astype(np.float32) / 255)) != "shaded"


def test_areas_that_run_together_at_a_soft_place_are_parted():
    y, x = np.mgrid[0:200, 0:300]
    tone = np.where(x < 150, 150.0, 118.0)
    soft = np.clip((x - 142) / 16, 0, 1) * -32 + 150  # over 16 px, in one place only
    tone = np.where((y > 90) & (y < 110), soft, tone)
    encoded = np.rint(tone).astype(np.uint8)[..., None].repeat(3, axis=2)
    labels, _ = flat_zones(encoded, np.zeros(tone.shape, bool), smallest=48, core=3)
    assert labels[20, 20] == labels[20, 280] > 0  # they run together
    parted = without_leaks(encoded, labels)
    assert parted[20, 20] != parted[20, 280] and min(parted[20, 20], parted[20, 280]) > 0
    assert (parted[20:60, 20:120] == parted[20, 20]).all()
    one = np.full((200, 300, 3), 140, np.uint8)
    labels, _ = flat_zones(one, np.zeros((200, 300), bool), smallest=48, core=3)
    assert np.array_equal(without_leaks(one, labels), labels)


def test_large_pictures_are_smoothed_like_small_ones(house):
    """Beyond 1600 px of width a small copy tells what is texture; the outcome is the same picture, only larger."""
    textured = house[2]
    large = cv2.resize(textured, None, fx=2.5, fy=2.5, interpolation=cv2.INTER_CUBIC)
    small = smooth_textures(textured).astype(int)
    again = cv2.resize(smooth_textures(large), SIZE, interpolation=cv2.INTER_AREA).astype(int)
    inner = cv2.erode((house[3] < 40).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert np.median(np.abs(again - small)[inner]) <= 4
    assert again[inner].std() == pytest.approx(small[inner].std(), rel=0.1)


# Hatching


def hatched(picture, depth, normal, camera, tone=110):
    """A line drawing (H, W, 3) with level courses every 0.3 m on all upright surfaces."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    origin, way = (a.astype(float).reshape(*x.shape, 3) for a in camera.rays(x.ravel(), y.ravel()))
    place = origin + way * np.where(np.isfinite(depth), depth, 0)[..., None]
    row = np.floor(place[..., 2] / 0.3)
    upright = np.abs(normal[..., 2]) < 0.1
    line = np.zeros(depth.shape, bool)
    line[1:] = (row[1:] != row[:-1]) & upright[1:] & upright[:-1]
    return np.where(line[..., None], np.minimum(picture, tone), picture).astype(np.uint8)


@pytest.fixture(scope="module")
def courses(tmp_path_factory):
    camera = camera_at()
    parts = HOUSE[:4]  # without panes, on which nobody hatches
    picture, depth, normal = paint(parts, camera, line=True)
    path = tmp_path_factory.mktemp("courses") / "courses.png"
    drawn = hatched(picture, depth, normal, camera)
    write_image(path, drawn)
    return camera, picture, drawn, normal, path


def test_hatching_is_taken_off_and_said(courses):
    _, picture, drawn, _, path = courses
    capture = iro.open_capture(path)
    assert capture.kind == "line" and "hatching" in " ".join(capture.removed)
    assert np.array_equal(capture.textured, drawn)
    shown = encode_8_bit(capture.image).min(axis=2).astype(int)
    hatch = (drawn.min(axis=2) < 140) & (picture.min(axis=2) > 200)
    assert hatch.sum() > 2000
    assert (shown[hatch] > 200).mean() > 0.8
    edges = picture.min(axis=2) < 60
    assert (shown[edges] < 110).mean() > 0.97


def test_a_hatched_drawing_is_read_as_its_walls(courses):
    camera, _, _, normal, path = courses
    read = iro.read_structure(iro.open_capture(path), cache=False)
    assert len(read.surfaces) < 20
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.03)
    assert share_right(read, normal, camera) > 0.9
    as_it_is = iro.read_structure(iro.open_capture(path, clean=False), cache=False)
    assert len(as_it_is.surfaces) > len(read.surfaces) + 10


def test_steps_and_panes_are_not_taken_for_hatching(tmp_path):
    steps = [(SLATE, shapes.box((5 + 0.3 * k, -2, 0), (9, 1.5, 0.17 * (k + 1)))) for k in range(7)]
    panes = [(PANE, shapes.box((-4.6 + 0.9 * k, -0.05, 0.4), (-4.0 + 0.9 * k, 0.0, 2.8))) for k in range(9)]
    picture, _, _ = paint(HOUSE[:3] + steps + panes, camera_at(), line=True)
    write_image(tmp_path / "steps.png", picture)
    capture = iro.open_capture(tmp_path / "steps.png")
    assert capture.kind == "line" and capture.removed == () and capture.textured is None


def rows(step, count, length=200.0, slope=0.0):
    y = 40 + step * np.arange(count)
    return np.stack([np.full(count, 50.0), y, np.full(count, 50 + length), y + slope * length], axis=1)


def test_rows_of_hatching_by_their_steps():
    own = find_hatching(rows(8, 12))
    assert own[1:-1].all() and not own[[0, -1]].any()  # the outermost may be borders
    assert find_hatching(rows(8, 12, slope=0.3))[1:-1].all()
    assert not find_hatching(rows(60, 12)).any()  # too far apart
    assert not find_hatching(rows(30, 12, length=60)).any()  # bars and panes
    assert not find_hatching(rows(8, 5)).any()  # too few
    uneven = rows(8, 12)
    uneven[::2, 1::2] += 5
    assert not find_hatching(uneven).any()
    assert not find_hatching(np.zeros((0, 4))).any()


def test_posts_and_fascias_in_narrow_rows_are_no_hatching(tmp_path):
    drawing = np.full((500, 800, 3), 255, np.uint8)
    for x in range(90, 720, 105):  # posts of four lines each
        for k in range(4):
            cv2.line(drawing, (x + 9 * k, 130), (x + 9 * k, 380), (20,) * 3, 1, cv2.LINE_AA)
    for y in range(60, 121, 10):  # a beam of seven
        cv2.line(drawing, (60, y), (760, y - 8), (20,) * 3, 1, cv2.LINE_AA)
    cv2.rectangle(drawing, (40, 380), (780, 420), (20,) * 3, 1)
    plain, own = without_hatching(drawing, find_segments(drawing))
    assert not own.any() and (plain == drawing).all()
    _, forced = without_hatching(drawing, find_segments(drawing), sure=True)
    assert forced.any()


def test_a_bold_line_in_a_row_of_fine_ones_stays():
    drawing = np.full((300, 400, 3), 255, np.uint8)
    for y in range(40, 260, 9):
        cv2.line(drawing, (40, y), (360, y), (130,) * 3, 1)
    middle = 40 + 9 * 12
    cv2.line(drawing, (40, middle), (360, middle), (0,) * 3, 2)
    cv2.rectangle(drawing, (40, 35), (360, 262), (0,) * 3, 2)
    plain, own = without_hatching(drawing, find_segments(drawing))
    assert own.sum() >= 20
    assert plain[middle, 60:340].max() < 60
    fine = np.arange(40, 260, 9)
    fine = fine[np.abs(fine - middle) > 4]
    assert (plain[fine, 60:340].min(axis=2) > 200).mean() > 0.95
