"""Elevations, corners, hills and pens: what drawings say that shaded views need not."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.demo.files import demo_path
from irodori.structure.camera.line_directions import find_families
from irodori.structure.planes.corners import corner_faces
from irodori.structure.regions.measure import line_sides, measure_regions
from painter import opened

SIZE = (800, 500)
FOOT, DOOR = 420, 84
SKY, WALL, ROOF, PANE, TIMBER, GREY = (205, 222, 238), (198, 190, 172), (92, 98, 110), (110, 150, 165), (96, 58, 44), (140, 140, 138)  # fmt: skip
FRONT = [
    (ROOF, (110, 90, 590, 220)),
    (WALL, (140, 220, 560, FOOT)),
    (PANE, (190, 260, 260, 320)),
    (PANE, (420, 260, 490, 320)),
    (TIMBER, (330, FOOT - DOOR, 372, FOOT)),
    (GREY, (290, 304, 412, 314)),
]


FINE = 5
"""Pixels drawn a pixel of the picture, each way."""


def front(*, pen=1.0, line=False):
    """The front of a house: roof, wall, two windows, a door and a canopy over it; `pen` px."""
    ink, thick = (30, 30, 34), round(pen * FINE)
    image = np.full((SIZE[1] * FINE, SIZE[0] * FINE, 3), 255 if line else SKY, np.uint8)
    for colour, box in FRONT:
        x0, y0, x1, y1 = (FINE * place + 2 for place in box)
        cv2.rectangle(image, (x0, y0), (x1, y1), (255, 255, 255) if line else colour, -1)
        cv2.rectangle(image, (x0, y0), (x1, y1), ink, thick)
    cv2.line(image, (0, FOOT * FINE), (SIZE[0] * FINE, FOOT * FINE), ink, thick)
    return cv2.resize(image, SIZE, interpolation=cv2.INTER_AREA)


def surface_at(read, x, y):
    return read.surfaces.set_index("id").loc[read.regions[y, x]]


@pytest.fixture(scope="module")
def elevation(tmp_path_factory):
    capture = opened(tmp_path_factory.mktemp("front"), front())
    return capture, iro.read_structure(capture)


def test_an_elevation_is_seen_squarely(elevation):
    _, read = elevation
    assert read.camera.projection == "parallel"
    assert np.allclose(read.camera.rotation, [[1, 0, 0], [0, 0, -1], [0, 1, 0]])


def test_an_elevations_roof_slopes_and_its_walls_stand(elevation):
    _, read = elevation
    roof, wall = surface_at(read, 350, 150), surface_at(read, 300, 280)
    assert roof["role"] == "roof" and 0.3 < roof["nz"] < 0.95 and roof["ny"] < -0.3
    assert wall["role"] == "wall" and np.allclose([wall["nx"], wall["ny"], wall["nz"]], [0, -1, 0], atol=1e-6)
    assert surface_at(read, 350, 380)["role"] == "door"


def test_doors_give_an_elevation_its_scale(elevation):
    _, read = elevation
    assert DOOR / read.camera.focal == pytest.approx(2.1, rel=0.05)
    assert any("doors" in note for note in read.notes)


def test_panes_lie_behind_the_wall_and_canopies_before_it(elevation):
    _, read = elevation
    wall, pane, canopy = (float(read.depth[y, x]) for x, y in ((300, 280), (225, 290), (350, 309)))
    assert 0.05 < pane - wall < 0.3
    assert 0.3 < wall - canopy < 1.0


def test_eaves_cast_their_shadow_on_an_elevation(elevation):
    capture, read = elevation
    picture = iro.render(iro.dress(read, None, "afternoon"), "draft")
    light = picture.encoded.mean(axis=2)
    under, below = light[226:230, 280:400].mean(), light[340:360, 200:300].mean()
    assert under < 0.8 * below
    assert iro.prove(capture, picture).in_register


def test_the_sky_behind_an_elevation_is_no_flat_tone(elevation):
    _, read = elevation
    light = iro.render(iro.dress(read, None, "dusk"), "draft").encoded
    assert np.abs(light[10:30, 20:90].mean(axis=(0, 1)) - light[330:350, 20:90].mean(axis=(0, 1))).max() > 0.04


@pytest.mark.parametrize(("pen", "drift"), [(0.8, 0.05), (1.2, 0.05), (1.6, 0.15), (2.0, 0.2)])
def test_edges_stay_where_a_pen_drew_them(tmp_path, pen, drift):
    capture = opened(tmp_path, front(pen=pen, line=True))
    registration = iro.prove(capture, iro.render(iro.dress(iro.read_structure(capture), None, "noon"), "draft"))
    assert registration.edge_recall > 0.99 and registration.drift["median"] < drift


def test_edges_drawn_over_shaded_faces_do_not_move_them(elevation):
    capture, read = elevation
    for light in ("noon", "overcast"):
        registration = iro.prove(capture, iro.render(iro.dress(read, None, light), "draft"))
        assert registration.edge_recall > 0.99 and registration.drift["median"] < 0.08


def box_corner(shift=0.0):
    """Three faces of a box about a corner at (100, 100): top, left and right; `shift` takes the right edge off the corner."""
    labels = np.full((200, 200), 1, np.int32)
    y, x = np.mgrid[0:200, 0:200] + 0.5
    below = y > 100 - 0.4 * np.abs(x - 100)
    labels[below & (x < 100)], labels[below & (x >= 100)] = 2, 3
    segments = np.array([[100, 102, 100, 180.0], [98, 99.2, 20, 68.0], [102 + shift, 99.2 - 0.4 * shift, 180, 68.0]])
    return measure_regions(labels, np.zeros((4, 3))), segments


def test_faces_at_a_corner_hold_both_their_edges():
    regions, segments = box_corner()
    faces = corner_faces(regions, segments, line_sides(regions.labels, segments), np.array([2, 0, 1]))
    assert set(faces) == {(1, 0, 1, 1), (2, 0, 2, 1), (3, 1, 2, 1)}


def test_two_level_edges_that_meet_are_no_corner():
    regions, segments = box_corner(shift=30.0)
    assert not corner_faces(regions, segments, line_sides(regions.labels, segments), np.array([3, 0, 1]))


def test_an_edge_that_goes_on_beyond_a_corner_hides_what_is_behind():
    regions, segments = box_corner()
    through = np.concatenate([segments, [[100, 97, 100, 20.0]]])
    faces = corner_faces(regions, through, line_sides(regions.labels, through), np.array([2, 0, 1, 2]))
    assert not faces


def test_edges_that_meet_at_a_flat_angle_are_not_taken_for_a_curve():
    camera = Camera.look((-9, -13, 1.7), (0.5, 2, 2.0), size=SIZE, field=60.0)
    corners = np.array([[-6, 0, 0.3], [-2, 0, 0.3], [-2, 3, 0.3], [2, 3, 0.3], [2, 6, 0.3]], float)
    place, _ = camera.project(corners)
    segments = np.concatenate([place[:-1], place[1:]], axis=1)
    families = find_families(segments, camera, np.array([0, 1, 0, 1]))
    assert families.label.tolist() == [0, 1, 0, 1]


def test_a_chord_of_a_curve_loses_its_family():
    camera = Camera.look((0, -13, 1.7), (0, 2, 1.7), size=SIZE, field=60.0)
    turn = np.radians(np.arange(0, 181, 15))
    arc = np.column_stack([400 + 120 * np.cos(turn), 250 - 120 * np.sin(turn)])
    segments = np.concatenate([arc[:-1], arc[1:]], axis=1)
    families = find_families(segments, camera, np.full(len(segments), 2))
    assert (families.label == -1).mean() > 0.8


def test_a_hill_in_a_sketch_is_no_glazing():
    read = iro.read_structure(iro.open_capture(demo_path("landing-sketch.png")))
    assert surface_at(read, 1150, 330)["role"] == "planting"
    assert surface_at(read, 640, 300)["role"] == "roof"


def test_the_quay_of_a_sketch_is_a_wall():
    read = iro.read_structure(iro.open_capture(demo_path("landing-sketch.png")))
    quay = surface_at(read, 600, 548)
    assert abs(quay["nz"]) < 0.1
