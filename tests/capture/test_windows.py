"""Pictures of a program's whole window: the viewport alone is read."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.colour import encode_8_bit
from painter import camera_at, house, opened, paint, save, share_deep, share_right

CAMERA = camera_at()
PARTS = house((150, 140, 120), (214, 206, 190), (110, 116, 128), (150, 110, 80), (150, 190, 206))
BAR, SIDE, PANEL, FOOT = 84, 48, 260, 24


@pytest.fixture(scope="module")
def shaded():
    return paint(PARTS, CAMERA)


@pytest.fixture(scope="module")
def drawn():
    return paint(PARTS, CAMERA, line=True)


def write(image, text, x, y, ink, size=0.42):
    cv2.putText(image, text, (x, y), cv2.FONT_HERSHEY_SIMPLEX, size, ink, 1, cv2.LINE_AA)


def window_round(picture, ground, ink, listed):
    """A picture in the window of a program: menus and buttons above, tools beside it, lists on the other side, a line beneath."""
    height, width = picture.shape[:2]
    out = np.full((height + BAR + FOOT, width + SIDE + PANEL, 3), ground, np.uint8)
    rows, columns = slice(BAR, BAR + height), slice(SIDE, SIDE + width)
    write(out, "lake house, second draft", 12, 18, ink, 0.5)
    for n, name in enumerate(("File", "Edit", "Show", "Draw", "Measure", "Help")):
        write(out, name, 12 + 70 * n, 42, ink)
    for n in range(width // 38):
        cv2.circle(out, (24 + 38 * n, 66), 9, (60, 120 + 5 * n % 90, 190), -1, cv2.LINE_AA)
    for n in range(height // 42):
        cv2.line(out, (14, BAR + 28 + 42 * n), (32, BAR + 10 + 42 * n), ink, 2, cv2.LINE_AA)
    x = SIDE + width
    out[BAR + 8 : -FOOT - 8, x + 10 : -8] = listed
    for n in range((height - 40) // 24):
        cv2.rectangle(out, (x + 18, BAR + 20 + 24 * n), (x + 30, BAR + 32 + 24 * n), ink, 1)
        write(out, f"layer {n + 1} of the model", x + 40, BAR + 31 + 24 * n, ink)
    write(out, "x 12.40   y 3.02   z 0.00", 10, out.shape[0] - 8, ink, 0.36)
    out[rows, columns] = picture
    return out


LIGHT, DARK, LISTS = (238, (50, 50, 50), 238), (52, (208, 208, 208), 60), (222, (40, 40, 40), 255)


@pytest.mark.parametrize("theme", [LIGHT, DARK, LISTS], ids=["light", "dark", "white lists"])
@pytest.mark.parametrize("line", [False, True], ids=["shaded", "line"])
def test_of_a_window_the_viewport_is_left(tmp_path, shaded, drawn, line, theme):
    picture = (drawn if line else shaded)[0]
    capture = opened(tmp_path, window_round(picture, *theme))
    assert capture.size == picture.shape[1::-1]
    assert (encode_8_bit(capture.image) == picture).all()
    assert capture.kind == ("line" if line else "shaded")
    assert any("window" in sentence for sentence in capture.removed)


def test_a_viewport_is_read_as_if_it_came_alone(tmp_path, shaded):
    picture, depth, normal = shaded
    read = iro.read_structure(opened(tmp_path, window_round(picture, *DARK)), cache=False)
    assert abs(read.camera.focal / CAMERA.focal - 1) < 0.01
    assert share_deep(read, depth) > 0.95
    assert share_right(read, normal, CAMERA) > 0.95


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_a_window_may_be_compressed(tmp_path, shaded, theme):
    height, width = shaded[0].shape[:2]
    capture = opened(tmp_path, window_round(shaded[0], *theme), "window.jpg")
    assert np.abs(np.subtract(capture.size, (width, height))).max() <= 1
    assert any("window" in sentence for sentence in capture.removed)


def test_one_panel_or_one_bar_is_taken_off_too(tmp_path, shaded):
    whole, (height, width) = window_round(shaded[0], *LIGHT), shaded[0].shape[:2]
    for part in (whole[BAR : BAR + height, SIDE:], whole[: BAR + height, SIDE : SIDE + width]):
        assert opened(tmp_path, part).size == (width, height)


def test_what_is_no_window_stays(tmp_path, shaded, drawn):
    whole = window_round(shaded[0], *LIGHT)
    assert opened(tmp_path, whole, keep=["window"]).size == whole.shape[1::-1]
    front = np.full((500, 800, 3), 255, np.uint8)  # a front with its dimensions written all round it
    cv2.rectangle(front, (150, 120), (650, 380), (206, 190, 170), -1)
    cv2.rectangle(front, (150, 120), (650, 380), (0, 0, 0), 2)
    for x in range(180, 600, 60):
        cv2.rectangle(front, (x, 200), (x + 30, 260), (90, 110, 120), -1)
    for x in range(150, 640, 40):
        write(front, "0.80", x, 430, (0, 0, 0))
        write(front, "1.20", x, 90, (0, 0, 0))
    room = np.full((500, 800, 3), 214, np.uint8)
    # A wall that ends at an edge from floor to ceiling, with a few switches.
    room[:, 300:] = (180, 170, 160)
    room[200:420, 420:700] = (150, 190, 206)
    for y in (240, 262, 284):
        room[y : y + 8, 40:48] = 90
    for picture in (front, room, shaded[0], drawn[0]):
        capture = opened(tmp_path, picture)
        assert capture.size == picture.shape[1::-1]
        assert not any("window" in sentence for sentence in capture.removed)


def test_a_user_may_be_sure_of_a_window(tmp_path, shaded):
    height, width = shaded[0].shape[:2]
    page = np.full((height + 60, width, 3), 255, np.uint8)  # white, with next to nothing on it
    write(page, "shared", 20, 34, (60, 60, 60))
    page[60:] = shaded[0]
    assert opened(tmp_path, page).size == (width, height + 60)
    assert opened(tmp_path, page, remove=["window"]).size == (width, height)


def test_the_command_line_says_what_was_taken_off(tmp_path, cli, shaded):
    save(tmp_path, window_round(shaded[0], *LIGHT), "window.png")
    done = cli("read", "window.png")
    assert done.returncode == 0, done.stderr
    assert "bars and panels of a program's window" in " ".join(done.stdout.split())
    assert "800 × 500" in " ".join(done.stdout.split())


def test_a_grey_ground_with_a_grid_is_no_panel(tmp_path, shaded):
    picture = np.vstack([shaded[0], np.full((80, shaded[0].shape[1], 3), 128, np.uint8)])
    for x in range(-400, 1200, 60):
        cv2.line(picture, (400 + (x - 400) // 4, 500), (x, 579), (160, 160, 160), 1, cv2.LINE_AA)
    for y in (506, 516, 532, 556):
        for x in range(5, 800, 21):
            cv2.line(picture, (x, y), (x + 12, y), (165, 165, 165), 1)
    assert opened(tmp_path, picture).size == picture.shape[1::-1]
