"""Drawings on dark grounds, in coloured inks or on nothing, and captures before any background: read as in black on white,
or before a light sky."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.colour import encode_8_bit
from irodori.demo.files import demo_path
from irodori.picture.carried_lines import carried_lines
from painter import camera_at, house, opened, paint, share_deep, share_right

CAMERA = camera_at()
PARTS = house((150, 140, 120), (214, 206, 190), (110, 116, 128), (150, 110, 80), (150, 190, 206))
INKS = np.array([[220, 40, 40], [30, 60, 220], [20, 130, 40], [200, 30, 200], [120, 120, 120]])


@pytest.fixture(scope="module")
def drawn():
    return paint(PARTS, CAMERA, line=True)


@pytest.fixture(scope="module")
def shaded():
    return paint(PARTS, CAMERA)


def inked(drawing, ground, inks):
    """A black drawing on white in other inks, each in a stripe of the picture, on a ground of any colour."""
    strength = (255.0 - drawing[..., :1]) / 255
    stripe = np.arange(drawing.shape[1]) * len(inks) // drawing.shape[1]
    return np.rint(ground * (1 - strength) + np.asarray(inks, float)[stripe] * strength).astype(np.uint8)


def read(capture):
    return iro.read_structure(capture, cache=False)


@pytest.mark.parametrize(
    ("ground", "inks", "said"),
    [
        ((0, 0, 0), [(255, 255, 255)], "dark ground"),
        ((33, 40, 48), [(255, 255, 0), (0, 255, 255), (255, 80, 80), (90, 130, 255), (255, 255, 255)], "dark ground"),
        ((28, 52, 110), [(235, 240, 250)], "dark ground"),
        ((255, 255, 255), INKS, "colours of a drawing's lines"),
        ((252, 250, 240), [(40, 60, 200)], "colours of a drawing's lines"),
    ],
    ids=["white on black", "colours on slate", "blueprint", "colours on white", "blue on cream"],
)
def test_a_drawing_in_any_inks_is_read_as_one_in_black(tmp_path, drawn, ground, inks, said):
    picture, _, normal = drawn
    capture = opened(tmp_path, inked(picture, np.array(ground), inks))
    assert capture.kind == "line"
    assert any(said in sentence for sentence in capture.removed)
    black, plain = encode_8_bit(capture.image).mean(axis=2), picture.mean(axis=2)
    assert np.corrcoef(black.ravel(), plain.ravel())[0, 1] > 0.95  # every line where it was
    structure = read(capture)
    assert share_right(structure, normal, CAMERA) > 0.97
    assert structure.camera.focal == pytest.approx(CAMERA.focal, rel=0.02)


def test_a_dark_drawing_may_be_compressed(tmp_path, drawn):
    picture, _, normal = drawn
    capture = opened(tmp_path, inked(picture, np.array([20, 22, 26]), [(255, 255, 255)]), "view.jpg")
    assert capture.kind == "line"
    assert share_right(read(capture), normal, CAMERA) > 0.97


def test_inks_stay_where_the_user_says_so_and_turn_where_forced(tmp_path, drawn, shaded):
    dark = inked(drawn[0], np.zeros(3), [(255, 255, 255)])
    kept = opened(tmp_path, dark, keep=["dark"])
    assert not kept.removed and (encode_8_bit(kept.image) == dark).all()
    assert opened(tmp_path, dark, clean=False).removed == ()
    none = opened(tmp_path, shaded[0], remove=["dark"])
    assert any("Found nothing" in sentence and "dark ground" in sentence for sentence in none.removed)
    # A drawing with much in solid areas is turned on demand only.
    dark[100:330, 200:300] = 255
    assert opened(tmp_path, dark).kind == "shaded"
    forced = opened(tmp_path, dark, remove=["dark"])
    assert (encode_8_bit(forced.image)[100:330, 200:300] == 0).all()


@pytest.mark.parametrize("ink", [0, 255], ids=["black", "white"])
def test_lines_on_nothing_lie_on_paper(tmp_path, drawn, ink):
    picture, _, normal = drawn
    on_nothing = np.full((*picture.shape[:2], 4), ink, np.uint8)
    on_nothing[..., 3] = 255 - picture.min(axis=2)
    capture = opened(tmp_path, on_nothing)
    assert capture.kind == "line" and capture.alpha is None
    assert share_right(read(capture), normal, CAMERA) > 0.97


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_what_a_picture_does_not_cover_is_sky(tmp_path, drawn, shaded, line):
    # A court: the sky is all round in the picture, and whatever is under what is transparent does not count.
    picture, depth, normal = drawn if line else shaded
    covered = np.isfinite(depth)
    junk = np.where(covered[..., None], picture, np.array([90, 200, 30]))
    capture = opened(tmp_path, np.dstack([junk, np.where(covered, 255, 0)]).astype(np.uint8))
    assert capture.kind == ("line" if line else "shaded")
    structure = read(capture)
    assert ((structure.regions == 0) == ~covered).mean() > 0.995
    assert share_right(structure, normal, CAMERA) > 0.97


@pytest.mark.parametrize(
    ("low", "graded"),
    [((0, 0, 0), False), ((46, 48, 52), True), ((120, 120, 120), False), ((40, 60, 95), True)],
    ids=["black", "dark, graded", "grey", "blue, graded"],
)
def test_a_sky_may_be_dim(tmp_path, low, graded):
    height, width = 1000, 1600
    rise = np.linspace(70, 0, height)[:, None, None] if graded else np.zeros((height, 1, 1))
    picture, depth, normal = paint(PARTS, CAMERA, background=np.broadcast_to(np.array(low) + rise, (height, width, 3)))
    structure = read(opened(tmp_path, picture))
    assert (structure.regions[~np.isfinite(depth)] == 0).mean() > 0.98
    assert share_right(structure, normal, CAMERA) > 0.97
    assert share_deep(structure, depth) > 0.97


def test_specks_before_a_dim_sky_keep_their_colour(tmp_path):
    picture, depth, _ = paint(PARTS, CAMERA, background=(46, 48, 52))
    specks = [(60 + 37 * k, 30 + 11 * (k % 3)) for k in range(16)]
    for x, y in specks:
        assert np.isinf(depth[y : y + 4, x : x + 2]).all()
        picture[y : y + 4, x : x + 2] = (190, 120, 60)
    lines = carried_lines(read(opened(tmp_path, picture)), None)
    drawn_on = lines.factor("none") * np.full((*picture.shape[:2], 3), 0.8, np.float32)
    for x, y in specks:
        red, green, blue = drawn_on[y : y + 4, x : x + 2].mean(axis=(0, 1))
        assert 0.8 > red > green + 0.1 and green > blue + 0.1
    assert np.abs(drawn_on[5:20] - 0.8).max() < 0.01


def mounted(picture, margin, line, paper=255, ink=0):
    """A picture in a frame `line` px wide, with as much `margin` (rows, columns) round it."""
    (rows, columns), reach = margin, line * 2
    out = np.full((picture.shape[0] + 2 * rows + reach, picture.shape[1] + 2 * columns + reach, 3), paper, np.uint8)
    out[rows : out.shape[0] - rows, columns : out.shape[1] - columns] = ink
    out[rows + line : out.shape[0] - rows - line, columns + line : out.shape[1] - columns - line] = picture
    return out


@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
@pytest.mark.parametrize(
    ("margin", "rule", "paper"),
    [((24, 24), 2, 255), ((0, 0), 3, 255), ((40, 0), 0, 0), ((0, 61), 0, 12), ((30, 50), 1, 230)],
    ids=["page", "window", "bars above and below", "bars beside", "grey page"],
)
def test_frames_and_bars_are_taken_off(tmp_path, drawn, shaded, line, margin, rule, paper):
    picture = (drawn if line else shaded)[0]
    capture = opened(tmp_path, mounted(picture, margin, rule, paper))
    assert capture.size == picture.shape[1::-1]
    assert (encode_8_bit(capture.image) == picture).all()
    assert any("frame" in sentence for sentence in capture.removed)


def test_what_is_no_frame_stays(tmp_path, drawn, shaded):
    framed = mounted(drawn[0], (20, 20), 2)
    assert opened(tmp_path, framed, keep=["frame"]).size == framed.shape[1::-1]
    front = np.full((300, 420, 3), 255, np.uint8)
    front[240:243] = 0  # a ground line from side to side, and a house on it
    cv2.rectangle(front, (120, 90), (300, 240), (0, 0, 0), 2)
    cv2.rectangle(front, (180, 150), (230, 200), (0, 0, 0), 2)
    one_bar = np.vstack([shaded[0], np.zeros((50, shaded[0].shape[1], 3), np.uint8)])
    for picture in (drawn[0], shaded[0], front, one_bar):
        capture = opened(tmp_path, picture)
        assert capture.size == picture.shape[1::-1]
        assert not any("frame" in sentence for sentence in capture.removed)


def test_a_sketch_may_be_in_blue(tmp_path):
    sketch = cv2.imread(str(demo_path("landing-sketch.png")))[..., ::-1].astype(float)
    blue = 255 - (255 - sketch) * np.array([1.0, 0.86, 0.24])
    capture = opened(tmp_path, np.clip(np.rint(blue), 0, 255).astype(np.uint8))
    assert capture.kind == "sketch"
    assert all("paper" in sentence for sentence in capture.removed)  # its lines are no selection outlines
    assert np.percentile(encode_8_bit(capture.image), 80) > 235
