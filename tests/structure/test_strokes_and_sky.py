"""Drawings in pencil and felt pen, strips between close lines, and what of a drawing is open sky or open land."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.capture.kind import detect_kind
from irodori.core.colour import decode_srgb
from irodori.core.geometry import shapes
from irodori.core.pixels.strokes import even_strokes, lines_on_paper
from irodori.structure.regions.find import find_regions
from painter import camera_at, house, opened, paint, role_at, share_right

EARTH, PLASTER, SLATE, PANE, TIMBER = (160, 168, 140), (222, 206, 178), (98, 104, 114), (150, 190, 206), (140, 96, 70)
PAPER = np.array([0.96, 0.95, 0.91])

HOUSE = house(EARTH, PLASTER, SLATE, TIMBER, PANE)


def read_parts(folder, parts, camera, **how):
    picture, depth, normal = paint(parts, camera, **how)
    return iro.read_structure(opened(folder, picture), cache=False), depth, normal


def normal_at(read, camera, point):
    (x, y), _ = (a[0] for a in camera.project(np.array([point], float)))
    return read.normal[int(y), int(x)]


# Pencil


def in_pencil(picture):
    """A drawing (H, W, 3) uint8 as a soft pencil on grainy paper leaves it."""
    rng = np.random.default_rng(4)
    ink = cv2.GaussianBlur(1 - picture.astype(np.float32) / 255, (0, 0), 0.6)
    grain = cv2.GaussianBlur(rng.normal(size=ink.shape[:2]).astype(np.float32), (0, 0), 0.8)
    share = np.clip(0.55 + 0.2 * grain / grain.std(), 0.15, 0.9)[..., None]
    return np.clip(255 * PAPER * (1 - ink * share) + rng.normal(0, 1.5, picture.shape), 0, 255).astype(np.uint8)


@pytest.fixture(scope="module")
def pencil(tmp_path_factory):
    camera = camera_at()
    picture, _, normal = paint(HOUSE, camera, line=True)
    return camera, picture, normal, opened(tmp_path_factory.mktemp("pencil"), in_pencil(picture))


def test_a_pencil_drawing_is_a_sketch_and_its_strokes_are_deepened(pencil):
    _, picture, _, capture = pencil
    assert capture.kind == "sketch" and "pale strokes" in " ".join(capture.removed)
    ink = picture.min(axis=2) < 90
    dark = 1 - capture.image.mean(axis=2)
    assert (dark[ink] > 0.5).mean() > 0.9
    far = cv2.dilate(ink.astype(np.uint8), np.ones((9, 9), np.uint8)) == 0
    assert (dark[far] > 0.5).mean() < 0.01


def test_a_pencil_drawing_is_read(pencil):
    camera, _, normal, capture = pencil
    read = iro.read_structure(capture, cache=False)
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.05)
    assert share_right(read, normal, camera) > 0.8


def test_a_broken_stroke_becomes_whole_and_keeps_its_ends():
    lines = np.zeros((200, 300), np.float32)
    x = np.arange(60, 240)
    lines[100, x[x % 9 < 6]] = 0.4
    even = even_strokes(cv2.GaussianBlur(lines, (0, 0), 0.5))
    row = even[99:102].max(axis=0)
    assert (row[64:236] > 0.5).all()
    assert row[:54].max() < 0.5 and row[246:].max() < 0.5
    assert even[:96].max() < 0.5 and even[105:].max() < 0.5


def test_two_strokes_side_by_side_stay_two():
    lines = np.zeros((120, 300), np.float32)
    lines[60, 40:260] = lines[66, 40:260] = 0.5
    even = even_strokes(lines)
    assert (even[60, 60:240] > 0.5).all() and (even[66, 60:240] > 0.5).all()
    assert (even[63, 60:240] < 0.5).all()


@pytest.mark.parametrize("size", [(400, 600), (1500, 2400)])
def test_evened_strokes_lie_where_they_were_drawn_at_any_size(size):
    height, width = size
    lines = np.zeros(size, np.float32)
    at = 0.4 * height
    cv2.line(lines, (width // 8, int(at)), (width - width // 8, int(at)), 0.5, max(width // 600, 1))
    even = even_strokes(lines)
    column = even[:, width // 2]
    assert (column * np.arange(height)).sum() / column.sum() == pytest.approx(int(at), abs=0.6 * max(width / 1600, 1))


# Felt pens


def with_felt(picture, truth_normal):
    """Broad strokes, and faces filled by their facing with streaky colours, on grainy paper."""
    rng = np.random.default_rng(4)
    ink = cv2.dilate(1 - picture.astype(np.float32) / 255, np.ones((3, 3), np.uint8))
    out = 255 * PAPER * (1 - 0.9 * ink)
    streaks = 0.6 * cv2.GaussianBlur(rng.normal(size=ink.shape[:2]), (0, 0), sigmaX=9, sigmaY=1)
    side = truth_normal[..., 0] < -0.9
    out = np.where(side[..., None], out * (np.array([0.8, 0.62, 0.55]) + np.clip(streaks, -0.06, 0.06)[..., None]), out)
    return np.clip(out + rng.normal(0, 4.0, picture.shape), 0, 255).astype(np.uint8)


@pytest.fixture(scope="module")
def felt(tmp_path_factory):
    camera = camera_at()
    picture, _, normal = paint(HOUSE, camera, line=True)
    return camera, normal, opened(tmp_path_factory.mktemp("felt"), with_felt(picture, normal))


def test_colours_laid_on_a_drawing_are_no_lines(felt):
    camera, normal, capture = felt
    assert capture.kind == "sketch"
    inside = cv2.erode((normal[..., 0] < -0.9).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
    assert inside.any() and np.median(capture.image.mean(axis=2)[inside]) > 0.95
    assert share_right(iro.read_structure(capture, cache=False), normal, camera) > 0.8


def test_small_fills_are_named_and_taken_off(tmp_path):
    camera = camera_at()
    picture, _, _ = paint(HOUSE, camera, line=True)
    rng = np.random.default_rng(4)
    scan = np.clip(picture * PAPER + rng.normal(0, 2.0, picture.shape), 0, 255)
    for x in range(150, 560, 50):
        scan[180:300, x : x + 24] *= [0.75, 0.85, 0.95]
    capture = opened(tmp_path, scan.astype(np.uint8))
    assert capture.kind == "sketch" and "left to the finishes" in " ".join(capture.removed)
    assert np.median(capture.image[185:295, 155:168]) > 0.9


def test_how_dark_strokes_are_and_how_much_is_toned():
    paper = np.ones((300, 400, 3), np.float32)
    for x in range(20, 400, 40):
        cv2.line(paper, (x, 10), (x, 290), (0.6, 0.6, 0.6), 1)
    _, tone, level = lines_on_paper(paper)
    assert tone == 0 and level == pytest.approx(0.4, abs=0.02)
    paper[:, 200:] *= 0.8  # a tone laid over half of it
    _, tone, level = lines_on_paper(paper)
    assert tone == pytest.approx(0.5, abs=0.05) and level == pytest.approx(0.4, abs=0.02)


def test_a_rendering_on_a_light_sky_is_no_drawing():
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:500, 0:800]
    picture = 215 + 8 * np.cos(x / 300) - y / 30.0
    house = (y > 250) & (x > 250) & (x < 560)
    picture = np.where(house, 90 + 20 * np.sin(x / 9.0), picture)
    picture = np.where(y > 400, 120.0, picture)
    tint = np.where(
        house[..., None], [1.2, 1.0, 0.7], np.where((y > 400)[..., None], [0.9, 1.1, 0.6], [0.9, 1.0, 1.08])
    )
    noisy = np.clip(picture[..., None] * tint + rng.normal(0, 5.0, (500, 800, 3)), 0, 255) / 255
    assert detect_kind(decode_srgb(noisy.astype(np.float32))) == "finished"


# Strips between close lines


def test_the_paper_between_two_close_lines_is_a_face():
    image = np.full((300, 400, 3), 255, np.uint8)
    for shift in (0, 4):
        cv2.line(image, (40 + shift, 260), (300 + shift, 30), (20, 20, 20), 1, cv2.LINE_AA)
    cv2.line(image, (20, 280), (390, 280), (20, 20, 20), 1, cv2.LINE_AA)
    labels, *_ = find_regions(image, drawing=True)
    middle = labels[145, 172]
    left, right = labels[145, 150], labels[145, 195]
    assert len({middle, left, right}) == 3 or (left == right and middle != left)
    strip = labels == middle
    assert strip.sum() < 2500


def test_one_line_leaves_no_strip():
    image = np.full((300, 400, 3), 255, np.uint8)
    cv2.rectangle(image, (60, 60), (340, 240), (20, 20, 20), 1)
    cv2.line(image, (60, 60), (340, 240), (20, 20, 20), 1, cv2.LINE_AA)
    labels, *_ = find_regions(image, drawing=True)
    assert len(np.unique(labels)) == 3


# Open sky and open land


def test_sky_on_both_sides_of_a_tower_that_leaves_the_picture(tmp_path):
    camera = camera_at(at=(-9, -16, 1.7), to=(0, 0, 9))
    tower = [
        (PLASTER, shapes.box((-3, 0, 0), (3, 6, 60))),
        (PLASTER, shapes.box((-4, -1, 0), (4, 7, 4))),
        *[(PANE, shapes.box((x, -0.06, z), (x + 1.2, 0.0, z + 1.6))) for x in (-2, 0.6) for z in range(6, 30, 4)],
    ]
    read, _, normal = read_parts(tmp_path, tower, camera, line=True)
    assert read.regions[20, 5] == 0 and read.regions[20, -5] == 0
    shown = (normal != 0).any(axis=-1)
    assert ((read.regions == 0) == ~shown).mean() > 0.97


def test_a_front_that_leaves_the_picture_is_no_sky_and_what_is_beside_it_is(tmp_path):
    camera = camera_at(at=(-7, -11, 1.7), to=(-5.0, 2, 3.6))
    front = [
        (EARTH, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (PLASTER, shapes.box((-20, 0, 0), (-3, 9, 18))),
        *[
            (PANE, shapes.box((x, -0.06, z), (x + 1, 0.0, z + 1.5)))
            for x in np.arange(-19, -4, 2.0)
            for z in (1, 4, 7, 10)
        ],
        (PLASTER, shapes.box((4, 10, 0), (9, 15, 4))),
    ]
    read, _, normal = read_parts(tmp_path, front, camera, line=True)
    assert ((read.regions == 0) == ~(normal != 0).any(axis=-1)).mean() > 0.97
    assert role_at(read, camera, (-8.5, 0, 3.2)) == "wall"


def test_a_plate_of_land_that_trees_stand_on_is_no_tree(tmp_path):
    # Seen from high up it rises to a corner under the sky, and crowns and a roof break its far edges.
    camera = camera_at(at=(-9, -17, 9), to=(0, 2, 1.5))
    crowns = [(-9, 10, 4.0), (9, 9, 4.2), (-12, 3, 3.6)]
    parts = [
        (EARTH, shapes.quad((-16, -16, 0), (14, -16, 0), (14, 14, 0), (-16, 14, 0))),
        (PLASTER, shapes.box((1, 4, 0), (5, 8, 9))),
        *[(PANE, shapes.ellipsoid((x, y, z), (1.8, 1.8, 2.1)), True) for x, y, z in crowns],
        *[(SLATE, shapes.box((x - 0.1, y - 0.1, 0), (x + 0.1, y + 0.1, z))) for x, y, z in crowns],
    ]
    read, *_ = read_parts(tmp_path, parts, camera, line=True)
    for place in ((-4, -6, 0), (4, -3, 0), (-7, 0, 0)):
        assert role_at(read, camera, place) in ("ground", "lawn", "paving")


def test_sky_beside_a_tower_holds_leaves(tmp_path):
    camera = camera_at(at=(-9, -16, 1.7), to=(-1, 0, 6))
    rng = np.random.default_rng(3)
    leaves = [
        (PANE, shapes.quad(*(rng.uniform(-0.5, 0.5, (4, 3)) + middle)))
        for middle in rng.normal((-7.0, 4.0, 7.0), (1.4, 1.4, 2.0), (60, 3))
    ]
    parts = [
        (EARTH, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (PLASTER, shapes.box((-3, 0, 0), (3, 6, 60))),
        (PLASTER, shapes.box((-4, -1, 0), (4, 7, 4))),
        *leaves,
    ]
    read, *_ = read_parts(tmp_path, parts, camera, line=True)
    assert read.regions[20, 5] == 0 and read.regions[20, -5] == 0


def test_sky_shows_through_under_a_canopy(tmp_path):
    camera = camera_at(at=(-5, -13, 1.6), to=(1, 0, 2.0))
    parts = [
        (EARTH, shapes.quad((-90, -90, 0), (90, -90, 0), (90, 90, 0), (-90, 90, 0))),
        (SLATE, shapes.box((-6, -2, 3.4), (7, 4, 3.7))),
        *[(PLASTER, shapes.box((x, -1.8, 0), (x + 0.25, -1.55, 3.4))) for x in (-5.8, -2.0, 2.0, 6.4)],
    ]
    read, *_ = read_parts(tmp_path, parts, camera, line=True)
    for x in (-4.0, 0.0):
        assert role_at(read, camera, (x, -1.7, 2.4)) == "sky"
    assert role_at(read, camera, (-3, -6, 0)) == "lawn"


def test_land_in_a_drawing_is_lawn_and_a_terrace_is_not(tmp_path):
    camera = camera_at()
    terrace = (PLASTER, shapes.box((-5.5, -4, 0), (3, 0, 0.25)))
    read, *_ = read_parts(tmp_path, [*HOUSE, terrace], camera, line=True)
    assert role_at(read, camera, (9, -1, 0)) == "lawn"
    assert role_at(read, camera, (-3, -2, 0.25)) in ("paving", "slab", "stair")


def test_what_lies_overhead_is_the_darker_face(tmp_path):
    camera = camera_at(at=(-7, -11, 1.6), to=(1, 0, 3.0))
    parts = [
        (EARTH, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (PLASTER, shapes.box((-2, 3, 0), (5, 8, 3.2))),
        (SLATE, shapes.box((-6, -2, 3.2), (30, 8, 3.6))),
        *[(TIMBER, shapes.box((x, -1.6, 0), (x + 0.2, -1.4, 3.2))) for x in (-5, 7)],
    ]
    read, *_ = read_parts(tmp_path, parts, camera)
    assert normal_at(read, camera, (2, 1, 3.2)) == pytest.approx([0, 0, -1], abs=0.05)


def test_a_terrace_meets_its_front_at_a_corner(tmp_path):
    camera = camera_at(at=(-7, -11, 2.4), to=(1, 0, 1.2))
    parts = [
        (EARTH, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (PLASTER, shapes.box((-5, -2, 0), (40, 12, 0.9))),
        (SLATE, shapes.box((-1, 3, 0.9), (5, 8, 4.0))),
    ]
    read, depth, _ = read_parts(tmp_path, parts, camera)
    both = np.isfinite(depth) & (read.regions > 0)
    ratio = read.depth[both] / depth[both]
    ratio /= np.median(ratio)
    assert (np.maximum(ratio, 1 / ratio) < 1.1).mean() > 0.95


def test_gables_and_parapets_of_a_drawing_are_no_glass(tmp_path):
    camera = camera_at(at=(-6, -14, 1.7), to=(0.5, 2, 2.0))
    read, *_ = read_parts(
        tmp_path,
        [
            (EARTH, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
            (PLASTER, shapes.box((-3, 0, 0), (3, 6, 3.2))),
            (TIMBER, shapes.box((4, 0, 0), (6.2, 0.3, 1.0))),
        ],
        camera,
        line=True,
    )
    assert role_at(read, camera, (5, 0, 0.5)) != "glazing"
    assert role_at(read, camera, (0, 0, 1.6)) == "wall"
