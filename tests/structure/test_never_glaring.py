"""What nobody forgives: skies that are lost or invented, streets under water, walls of glass, rooms out of doors."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.demo.files import demo_path
from irodori.structure.camera.estimate import PRIOR_FOCAL
from irodori.structure.camera.frame import Frame, vanishing_points
from irodori.structure.camera.read_camera import through_lens
from irodori.structure.regions.colours import is_sky_tone
from irodori.structure.regions.graded_background import is_backdrop
from irodori.structure.roles.rules import is_water_blue
from painter import SIZE, camera_at, opened, paint

WALL, PANE, ROOF = (214, 160, 120), (150, 190, 206), (120, 76, 60)


def house(ground):
    return [
        (ground, shapes.quad((-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0))),
        (WALL, shapes.box((-5, 0, 0), (4, 7, 4.2))),
        ((150, 158, 168), shapes.box((4, 1.5, 0), (8, 7, 2.6))),
        (ROOF, shapes.box((-1.2, -0.06, 0.05), (-0.2, 0.0, 2.1))),
        (PANE, shapes.box((-4.2, -0.05, 1.0), (-2.2, 0.0, 2.4))),
        (PANE, shapes.box((1.0, -0.05, 1.0), (3.2, 0.0, 2.4))),
    ]


def graded(top, foot):
    """A viewport's backdrop, twice the picture's size."""
    share = np.linspace(0, 1, 2 * SIZE[1])[:, None, None]
    return np.broadcast_to(np.array(top) + share * (np.array(foot) - np.array(top)), (2 * SIZE[1], 2 * SIZE[0], 3))


def read(folder, parts, camera, **how):
    picture, depth, _ = paint(parts, camera, **how)
    structure = iro.read_structure(opened(folder, picture), cache=False)
    return structure, ~np.isfinite(depth)


def shares(structure):
    return structure.surfaces.groupby("role")["area_px"].sum() / structure.regions.size


@pytest.mark.parametrize(
    "colours", [((70, 120, 210), (190, 215, 240)), ((225, 235, 245), (90, 140, 210)), ((40, 44, 60), (90, 96, 110))]
)
def test_a_graded_backdrop_is_the_sky_whatever_its_colours(tmp_path, colours):
    structure, empty = read(tmp_path, house((196, 190, 176)), camera_at(), background=graded(*colours))
    shown = structure.regions == 0
    assert (shown & empty).sum() > 0.97 * empty.sum() and (shown & ~empty).mean() < 0.01
    assert shares(structure).get("ceiling", 0) == 0


def test_a_backdrop_keeps_to_the_rows_of_the_picture_and_a_surface_does_not():
    rows = np.linspace(60, 200, 120)
    whole = np.ones((120, 160), bool)
    backdrop = np.repeat(np.repeat(rows[:, None, None], 160, axis=1), 3, axis=2).astype(np.uint8)
    assert is_backdrop(backdrop, whole, lossy=False)
    falls_off = np.hypot(*np.mgrid[-60:60, -80:80]) * 1.2
    assert not is_backdrop(np.repeat(falls_off[..., None], 3, axis=2).astype(np.uint8), whole, lossy=False)
    slanting = np.clip(rows[:, None] + np.linspace(0, 40, 160)[None], 0, 255)
    assert not is_backdrop(np.repeat(slanting[..., None], 3, axis=2).astype(np.uint8), whole, lossy=False)
    assert not is_backdrop(np.full((120, 160, 3), 130, np.uint8), whole, lossy=False)  # plain: it may be a ceiling


@pytest.mark.parametrize("street", [(98, 104, 114), (86, 96, 112), (110, 112, 128)])
def test_a_street_of_bluish_grey_is_no_water(tmp_path, street):
    structure, _ = read(tmp_path, house(street), camera_at())
    assert shares(structure).get("water", 0) == 0 and shares(structure)["paving"] > 0.2


def test_water_is_bluer_than_slate_and_skies_are_not_warm():
    assert all(is_water_blue(np.array(c)) for c in ((120, 160, 196), (90, 130, 160), (110, 143, 159), (80, 110, 140)))
    assert not any(
        is_water_blue(np.array(c)) for c in ((98, 104, 114), (190, 184, 174), (90, 77, 112), (170, 176, 182))
    )
    assert all(is_sky_tone(np.array(c)) for c in ((205, 222, 238), (255, 255, 255), (247, 245, 235), (190, 190, 190)))
    assert not any(is_sky_tone(np.array(c)) for c in ((175, 170, 151), (168, 154, 153), (120, 160, 196)))


def test_a_wall_that_fills_the_top_of_a_bathroom_is_no_sky(tmp_path):
    """Looking down: no ceiling in sight, the far wall between two corners."""
    parts = [
        ((120, 116, 110), shapes.quad((-1.2, 0, 0), (1.2, 0, 0), (1.2, 3, 0), (-1.2, 3, 0))),
        ((190, 180, 160), shapes.quad((-1.2, 3, 0), (1.2, 3, 0), (1.2, 3, 5.0), (-1.2, 3, 5.0))),
        ((190, 180, 160), shapes.quad((-1.2, 0, 0), (-1.2, 3, 0), (-1.2, 3, 5.0), (-1.2, 0, 5.0))),
        ((190, 180, 160), shapes.quad((1.2, 3, 0), (1.2, 0, 0), (1.2, 0, 5.0), (1.2, 3, 5.0))),
        ((236, 234, 228), shapes.box((-1.2, 2.25, 0), (1.0, 3, 0.56))),
        ((236, 234, 228), shapes.box((0.7, 0.7, 0.3), (1.2, 1.4, 0.86))),
    ]
    structure, empty = read(tmp_path, parts, camera_at((0.1, -0.3, 1.5), (0.0, 3.0, 0.9), field=80.0))
    assert not empty.any() and (structure.regions == 0).mean() < 0.02


def test_sky_shows_beside_the_roof_of_an_arcade(tmp_path):
    """Under a roof along columns: the roof at the picture's top is none of the sky, which ends at the horizon beside it."""
    parts = [
        ((150, 140, 130), shapes.quad((-30, -70, 0), (60, -70, 0), (60, 70, 0), (-30, 70, 0))),
        ((205, 195, 180), shapes.box((-1, 4, 0), (60, 5, 8))),
        ((200, 190, 176), shapes.box((-1, -0.4, 4), (60, 4, 4.6))),
        *(((180, 170, 160), shapes.box((4 * k, -0.3, 0), (4 * k + 0.5, 0.2, 4))) for k in range(1, 9)),
        *((PANE, shapes.box((4 * k + 0.5, 3.95, 0.5), (4 * k + 2.5, 4, 2.6))) for k in range(1, 8)),
    ]
    structure, empty = read(tmp_path, parts, camera_at((-0.5, 2.0, 1.6), (14, 1.6, 1.9), field=72.0))
    shown = structure.regions == 0
    assert empty.mean() > 0.02
    assert (shown & empty).sum() > 0.7 * empty.sum() and (shown & ~empty).mean() < 0.02


def test_another_lens_leaves_the_vanishing_point_where_it_is():
    """What runs into the picture, and the way uprights lean, are told by the lines; the focal length alone is not."""
    turn, tilt = np.radians(4.0), np.radians(3.0)
    ahead = np.array([np.sin(turn) * np.cos(tilt), np.sin(tilt), np.cos(turn) * np.cos(tilt)])
    side = np.cross([0, 1.0, 0], ahead)
    side /= np.linalg.norm(side)
    axes = np.stack([side, ahead, np.cross(ahead, side) * -1])
    frame = Frame(900.0, np.array([10.0, -20.0]), axes, np.zeros(0, int), 1.0, False)
    other = through_lens(frame, 640.0)
    before, after = (vanishing_points(f)[1] for f in (frame, other))
    assert after[:2] / after[2] == pytest.approx(before[:2] / before[2], abs=1e-6)
    assert other.axes @ other.axes.T == pytest.approx(np.eye(3), abs=1e-9)
    assert other.focal == 640.0 and np.sign(other.axes[2, 1]) == np.sign(axes[2, 1])


@pytest.mark.parametrize("size", [(800, 500), (500, 800)])
def test_a_room_along_its_axis_is_seen_through_a_wide_lens(tmp_path, size):
    """Nothing tells the focal length: it is a wide lens's, not a normal one's, whatever the shape of the window."""
    w, d, h = 3.0, 6.0, 2.6
    corners = [(-w / 2, 0), (w / 2, 0), (w / 2, d), (-w / 2, d)]
    walls = [shapes.quad((*a, 0), (*b, 0), (*b, h), (*a, h)) for a, b in zip(corners[1:], [*corners[2:], corners[0]])]
    parts = [
        ((150, 120, 90), shapes.quad(*((*c, 0) for c in corners))),
        ((240, 239, 236), shapes.quad(*((*c, h) for c in corners[::-1]))),
        *(((214, 206, 190), one) for one in walls),
        ((90, 60, 46), shapes.box((-0.4, 5.95, 0), (0.5, 5.99, 2.05))),
        ((160, 116, 74), shapes.box((-1.5, 1.0, 0), (-0.9, 5.0, 0.9))),
    ]
    picture, *_ = paint(parts, camera_at((0.0, -0.5, 1.5), (0.0, 6.0, 1.5), field=70.0))
    if size[0] < size[1]:
        picture = np.ascontiguousarray(picture[:, 150:-150])
    read = iro.read_structure(opened(tmp_path, picture), cache=False)
    usual = PRIOR_FOCAL * np.sqrt(np.prod(read.camera.size))
    assert read.camera.focal < 0.85 * usual


def test_one_line_puts_a_reading_right(tmp_path):
    """What was read wrongly is said in one line, in Python and on the command line, and goes into the recipe."""
    picture, *_ = paint(house((196, 190, 176)), camera_at())
    capture = opened(tmp_path, picture)
    told = iro.read_structure(capture, say="400,450 water; scene outdoors", cache=False)
    assert shares(told)["water"] > 0.2
    assert told.reading.corrections.surface[0].role == "water" and told.reading.corrections.camera.scene == "outdoors"
    room = iro.read_structure(capture, say="scene room", cache=False)
    assert (room.regions == 0).mean() < 0.01 and not {"paving", "lawn", "roof"} & set(
        shares(room)[shares(room) > 0.02].index
    )
    level = iro.read_structure(capture, say="horizon 250", cache=False)
    assert level.camera.horizon()[0][1] == pytest.approx(250, abs=0.5)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("640 water", "not understood"),
        ("640,700 wter", "water"),
        ("scene garden", "room"),
        ("9000,1 water", "outside the picture"),
    ],
)
def test_what_is_said_wrongly_is_told_in_one_line(tmp_path, text, told):
    picture, *_ = paint(house((196, 190, 176)), camera_at())
    with pytest.raises(iro.IrodoriError, match=told):
        iro.read_structure(opened(tmp_path, picture), say=text, cache=False)


def test_what_a_reading_is_least_sure_of_comes_with_the_words_that_change_it(tmp_path):
    """Large doubtful areas are named, three at most; saying the words does what they say."""
    capture = iro.open_capture(demo_path("aerial-shaded.png"))
    read = iro.read_structure(capture)
    lines = [note for note in read.notes if note.startswith("Not sure")]
    assert 0 < len(lines) <= 3
    words = lines[0].split("--say '")[1].rstrip("'")
    at, role = words.rsplit(" ", 1)
    x, y = (int(v) for v in at.split(","))
    table = read.surfaces.set_index("id")
    assert table["confidence"][read.regions[y, x]] < 0.5 and table["role"][read.regions[y, x]] != role
    again = iro.read_structure(capture, say=words, cache=False)
    assert again.surfaces.set_index("id")["role"][again.regions[y, x]] == role
