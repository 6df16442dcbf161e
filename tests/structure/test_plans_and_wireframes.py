"""Plans, told from elevations and rendered from above, and wireframes, which are told from drawings."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.geometry import shapes
from irodori.core.geometry.surface_measures import surface_measures
from irodori.core.pixels.segments import find_segments
from irodori.formats.write_image import write_image
from irodori.scene.solids import solids_from_structure
from irodori.structure.camera.wireframes import shows_hidden_lines
from irodori.structure.flat_views.plan import find_plan
from irodori.structure.regions.measure import measure_regions
from painter import SIZE, camera_at, paint

LAWN, WALL, FLOOR, PANE, TABLE = (140, 172, 98), (224, 214, 198), (186, 152, 112), (150, 190, 206), (160, 116, 74)
CUT = 1.2

ROOMS = [
    (LAWN, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
    (FLOOR, shapes.quad((0.3, 0.3, 0.02), (8.7, 0.3, 0.02), (8.7, 5.7, 0.02), (0.3, 5.7, 0.02))),
    (WALL, shapes.box((0, 0, 0), (0.3, 6, CUT))),
    (WALL, shapes.box((8.7, 0, 0), (9, 6, CUT))),
    (WALL, shapes.box((0.3, 5.7, 0), (8.7, 6, CUT))),
    (WALL, shapes.box((0.3, 0, 0), (2, 0.3, CUT))),
    (WALL, shapes.box((4, 0, 0), (8.7, 0.3, CUT))),
    (PANE, shapes.box((2, 0.1, 0), (4, 0.2, 1.0))),
    (WALL, shapes.box((5, 0.3, 0), (5.12, 4.2, CUT))),
    (TABLE, shapes.box((1.5, 2.5, 0.02), (3.2, 3.6, 0.74))),
]


def from_above(span=14.0):
    return Camera.look((4.5, 3, 30), (4.5, 3, 0), size=SIZE, span=span)


def read_plan(folder, *, line=True, parts=ROOMS, words=""):
    camera = from_above()
    picture, depth, _ = paint(parts, camera, line=line)
    write_image(folder / "plan.png", picture)
    if words:
        (folder / "plan.reading.toml").write_text(words)
    return iro.read_structure(iro.open_capture(folder / "plan.png"), cache=False), depth, camera


def role_at(read, camera, x, y):
    (u, v), _ = (a[0] for a in camera.project(np.array([[x, y, 0.0]])))
    region = read.regions[int(v), int(u)]
    return "sky" if region == 0 else read.surfaces.set_index("id").role[region]


@pytest.fixture(scope="module")
def plan(tmp_path_factory):
    return read_plan(tmp_path_factory.mktemp("plan"))


def test_a_plan_is_told_from_an_elevation_and_said(plan):
    read, _, _ = plan
    assert any("a plan" in note for note in read.notes)
    assert read.camera.projection == "parallel"
    assert read.camera.rotation[2] == pytest.approx([0, 0, -1])
    assert (read.normal[read.regions > 0][:, 2] > 0.99).all()


def test_what_is_what_in_a_plan(plan):
    read, _, camera = plan
    assert role_at(read, camera, 0.15, 3) == "wall"
    assert role_at(read, camera, 6, 5.85) == "wall"
    assert role_at(read, camera, 5.06, 2) == "wall"
    assert role_at(read, camera, 3, 0.15) == "glazing"
    assert role_at(read, camera, 4, 5) == "floor"
    assert role_at(read, camera, 7, 2) == "floor"
    assert role_at(read, camera, 2.2, 3) == "furniture"
    assert role_at(read, camera, -1.5, 3) == "ground"


def test_heights_and_scale_of_a_plan(plan):
    read, depth, camera = plan
    assert 1 / read.camera.focal == pytest.approx(1 / camera.focal, rel=0.15)  # outer walls are 0.3 m here too
    height = read.camera.position[2] - read.depth
    true = camera.position[2] - depth
    far = cv2.erode(
        (np.abs(cv2.Laplacian(true.astype(np.float32), cv2.CV_32F)) < 1e-4).astype(np.uint8), np.ones((3, 3))
    )
    assert (np.abs(height - height[far > 0].min() - true)[far > 0] < 0.25).mean() > 0.97


def test_a_shaded_plan_is_read_too(tmp_path):
    read, _, camera = read_plan(tmp_path, line=False)
    assert any("a plan" in note for note in read.notes)
    assert role_at(read, camera, 0.15, 3) == "wall" and role_at(read, camera, 7, 2) == "floor"


def test_walls_of_a_plan_stand_on_the_ground(plan):
    """So that they cast whole shadows: every outer edge has its upright face."""
    read, _, _ = plan
    mesh = solids_from_structure(read)
    walls = np.isin(mesh.surface, read.of_role("wall"))
    own = mesh.triangles[walls].astype(float)
    normal = np.cross(own[:, 1] - own[:, 0], own[:, 2] - own[:, 0])
    upright = np.abs(normal[:, 2]) < 1e-6 * np.linalg.norm(normal, axis=1)
    assert upright.sum() >= 8
    low, high = own[upright][..., 2].min(axis=1), own[upright][..., 2].max(axis=1)
    assert high - low == pytest.approx(np.full(upright.sum(), CUT), abs=0.05)
    sides = 0.5 * np.linalg.norm(normal[upright], axis=1).sum()
    outline = 2 * (9 + 6) + 2 * (8.4 + 5.4) + 2 * (3.9 + 0.12)
    assert sides == pytest.approx(outline * CUT, rel=0.25)


def test_the_word_view_settles_it(tmp_path):
    read, _, _ = read_plan(tmp_path, words='[camera]\nview = "elevation"\n')
    assert not any("a plan" in note for note in read.notes)
    assert np.abs(read.normal[read.regions > 0][:, 2]).mean() < 0.5
    shed = [ROOMS[0], (WALL, shapes.box((2, 1, 0), (7, 5, CUT)))]  # a roof plan has no walls to tell it by
    plain, _, _ = read_plan(tmp_path, parts=shed, words="\n")
    assert not any("a plan" in note for note in plain.notes)


def test_a_word_that_is_no_view_is_refused(tmp_path):
    with pytest.raises(iro.IrodoriError, match="view"):
        read_plan(tmp_path, words='[camera]\nview = "section"\n')


def test_an_elevation_is_no_plan(tmp_path):
    house = [
        (LAWN, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (WALL, shapes.box((-5, 0, 0), (5, 6, 3))),
        (TABLE, shapes.box((-5.4, -0.4, 3), (5.4, 6.4, 3.3))),
        *((PANE, shapes.box((x, -0.05, 1), (x + 1.2, 0, 2.3))) for x in (-4.2, -2, 1.6)),
        (TABLE, shapes.box((0, -0.05, 0), (1, 0, 2.1))),
    ]
    camera = Camera.look((0, -30, 2.5), (0, 0, 2.5), size=SIZE, span=14.0)
    picture, _, _ = paint(house, camera, line=True)
    write_image(tmp_path / "front.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "front.png"), cache=False)
    assert not any("a plan" in note for note in read.notes)
    assert "wall" in set(read.surfaces.role)


def test_strips_round_an_area_are_a_plan_s_walls_and_one_block_is_none():
    labels = np.ones((200, 300), np.int32)
    labels[40:160, 50:250] = 2
    labels[50:150, 60:240] = 3
    regions = measure_regions(labels, np.full((4, 3), 250.0))
    found = find_plan(regions)
    assert found.walls.tolist() == [2] and found.outside.tolist() == [1] and len(found.windows) == 0
    assert found.thickness == pytest.approx(10, abs=2)
    labels[labels == 3] = 2
    block = measure_regions(labels, np.full((4, 3), 250.0))
    assert find_plan(block) is None
    assert find_plan(block, sure=True) is None  # nor can it be made one


def test_boards_run_with_a_room_whatever_its_triangles():
    ring = np.array([(0, 0), (6, 0), (6, 2.2), (3, 2.2), (3, 2.0), (0, 2.0)], float) @ np.array(
        [[0.8, 0.6], [-0.6, 0.8]]
    )
    fan = np.stack([np.broadcast_to(ring.mean(axis=0), ring.shape), ring, np.roll(ring, -1, axis=0)], axis=1)
    triangles = np.dstack([fan, np.zeros(fan.shape[:2])]).astype(np.float32)
    laying = surface_measures(triangles, np.zeros(len(triangles), np.int32)).laying[0]
    assert laying % np.pi == pytest.approx(np.arctan2(0.6, 0.8), abs=0.01)


# Wireframes


def boxes(seed=3):
    rng = np.random.default_rng(seed)
    for _ in range(7):
        x, y = rng.uniform(-6, 4), rng.uniform(0, 9)
        yield (x, y, 0.0), (x + rng.uniform(2, 4), y + rng.uniform(2, 4), rng.uniform(2, 5))


def wireframe(camera):
    picture = np.full((SIZE[1], SIZE[0], 3), 255, np.uint8)
    for low, high in boxes():
        corners = np.array([[(low, high)[bit][axis] for axis, bit in enumerate(bits)] for bits in np.ndindex(2, 2, 2)])
        place, _ = camera.project(corners)
        for a in range(8):
            for axis in (1, 2, 4):
                if not a & axis:
                    ends = [tuple(int(v) for v in np.rint(place[k] * 16)) for k in (a, a | axis)]
                    cv2.line(picture, *ends, (20, 20, 20), 1, cv2.LINE_AA, 4)
    return picture


def test_a_wireframe_is_told_and_trusted_less(tmp_path):
    camera = camera_at()
    picture = wireframe(camera)
    assert shows_hidden_lines(picture, find_segments(picture))
    write_image(tmp_path / "wires.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "wires.png", kind="line", clean=False), cache=False)
    assert any("wireframe" in note for note in read.notes)
    assert read.surfaces.confidence.max() <= 0.5


def test_the_same_boxes_without_hidden_lines_are_no_wireframe():
    solid = [(WALL, shapes.box(low, high)) for low, high in boxes()]
    picture, _, _ = paint(solid, camera_at(), line=True)
    assert not shows_hidden_lines(picture, find_segments(picture))


def test_one_lattice_does_not_make_a_wireframe():
    picture = np.full((800, 1280, 3), 255, np.uint8)
    for k in range(0, 5):
        cv2.line(picture, (900 + 40 * k, 500), (900 + 40 * k, 700), (20, 20, 20), 2)
        cv2.line(picture, (880, 520 + 40 * k), (1080, 520 + 40 * k), (20, 20, 20), 2)
    for x, y in ((80, 80), (300, 80), (520, 80), (740, 80), (80, 400), (300, 400), (520, 400), (960, 80)):
        cv2.rectangle(picture, (x, y), (x + 140, y + 220), (20, 20, 20), 2)
        cv2.line(picture, (x, y + 110), (x + 140, y + 110), (20, 20, 20), 2)
    assert not shows_hidden_lines(picture, find_segments(picture))
    assert not shows_hidden_lines(picture, np.zeros((0, 4)))


def test_a_hair_thin_outline_makes_no_plan():
    """What cleaning leaves of a selection's outline runs round a whole front."""
    labels = np.ones((400, 900), np.int32)
    labels[50:350, 50:850] = 2
    labels[52:348, 52:848] = 3
    regions = measure_regions(labels, np.full((4, 3), 250.0))
    assert find_plan(regions) is None
    assert find_plan(regions, sure=True).walls.tolist() == [2]
