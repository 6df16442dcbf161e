"""What pieces of made-up buildings are taken for, how large they are said to be, and what is only background."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.corrections import Corrections, parse_length
from irodori.core.geometry import shapes
from irodori.formats.write_image import write_image
from irodori.structure.regions.graded_background import background_pieces
from painter import SIZE, SKY, camera_at, paint, role_at

GRASS, PAVING, BRICK, PLASTER = (140, 172, 98), (196, 186, 164), (186, 106, 82), (222, 206, 178)
GLASS, DARK, OAK, STEEL = (150, 190, 206), (60, 62, 70), (176, 132, 86), (112, 92, 80)


def box(colour, low, high):
    return colour, shapes.box(low, high)


def flat(colour, x0, x1, y0, y1, z):
    return colour, shapes.quad((x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z))


def window(x0, x1, z0, z1, y):
    """A pane in a frame, in a wall that faces −y."""
    f = 0.09
    bars = [((x0, x0 + f), (z0, z1)), ((x1 - f, x1), (z0, z1)), ((x0 + f, x1 - f), (z0, z0 + f)), ((x0 + f, x1 - f), (z1 - f, z1))]  # fmt: skip
    frame = [box(DARK, (a, y - 0.05, c), (b, y, d)) for (a, b), (c, d) in bars]
    corners = [(x0 + f, y - 0.01, z0 + f), (x1 - f, y - 0.01, z0 + f), (x1 - f, y - 0.01, z1 - f), (x0 + f, y - 0.01, z1 - f)]  # fmt: skip
    return [*frame, (GLASS, shapes.quad(*corners))]


HOUSE = [
    flat(GRASS, -50, 50, -50, 50, 0.0),
    box(PAVING, (-8, -5, 0.0), (9, 8, 0.3)),
    box(PLASTER, (-5, 0, 0.3), (4, 7, 4.6)),
    box(BRICK, (4, 1.5, 0.3), (9, 7, 3.4)),
    box(STEEL, (5.0, 1.44, 0.3), (8.2, 1.5, 2.8)),
    box(OAK, (-1.2, -0.06, 0.3), (-0.2, 0.0, 2.4)),
    *window(-4.2, -2.2, 1.2, 2.7, 0.0),
    *window(0.8, 2.8, 1.2, 2.7, 0.0),
]


def read(tmp_path, parts, camera, *, name="made.png", line=False, background=SKY, **how):
    picture, depth, _ = paint(parts, camera, line=line, background=background)
    write_image(tmp_path / name, picture)
    return iro.read_structure(iro.open_capture(tmp_path / name), cache=False, **how), depth


def eye_over_ground(structure):
    return float(structure.camera.position[2])


@pytest.fixture(scope="module")
def house(tmp_path_factory):
    camera = camera_at(at=(-8, -14, 2.0), to=(1.0, 1, 1.9))
    return read(tmp_path_factory.mktemp("house"), HOUSE, camera)[0], camera


@pytest.mark.parametrize(
    ("point", "role"),
    [
        ((0.0, -7.0, 0.0), "lawn"),
        ((-3.0, -3.0, 0.3), "paving"),
        ((-6.0, -5.0, 0.15), "paving"),
        ((-4.6, 0.0, 3.6), "wall"),
        ((6.5, 1.44, 1.5), "door"),
        ((-0.7, -0.06, 1.4), "door"),
        ((-3.2, -0.01, 2.0), "glazing"),
        ((-4.16, -0.05, 2.0), "frame"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_pieces_of_a_house(house, point, role):
    assert role_at(*house, point) == role


ROOM = [
    flat(OAK, -3, 3, -3, 5, 0.0),
    ((244, 243, 240), shapes.quad((-3, 5, 2.7), (3, 5, 2.7), (3, -3, 2.7), (-3, -3, 2.7))),
    (PLASTER, shapes.quad((-3, 5, 0), (3, 5, 0), (3, 5, 2.7), (-3, 5, 2.7))),
    (PLASTER, shapes.quad((-3, -3, 0), (-3, 5, 0), (-3, 5, 2.7), (-3, -3, 2.7))),
    (PLASTER, shapes.quad((3, 5, 0), (3, -3, 0), (3, -3, 2.7), (3, 5, 2.7))),
    flat((190, 60, 50), -1.2, 1.4, 0.4, 2.6, 0.01),
    box((96, 120, 168), (-2.9, 1.5, 0), (-1.8, 3.8, 0.8)),
    box(DARK, (1.9, 1.0, 0.0), (1.96, 1.06, 0.7)),
    box(DARK, (2.7, 1.0, 0.0), (2.76, 1.06, 0.7)),
    box(OAK, (1.8, 0.9, 0.7), (2.9, 2.4, 0.76)),
    *window(-0.6, 1.4, 0.9, 2.2, 5.0),
]


@pytest.fixture(scope="module")
def room(tmp_path_factory):
    camera = camera_at(at=(1.2, -2.7, 1.5), to=(-0.6, 3, 1.15), field=72.0)
    return read(tmp_path_factory.mktemp("room"), ROOM, camera)[0], camera


@pytest.mark.parametrize(
    ("point", "role"),
    [
        ((-0.9, 0.6, 0.01), "fabric"),
        ((-1.8, 2.5, 0.4), "furniture"),
        ((1.93, 1.0, 0.4), "furniture"),
        ((0.4, 4.99, 1.5), "glazing"),
        ((-1.0, 4.0, 2.7), "ceiling"),
        ((0.0, 3.6, 0.0), "floor"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_pieces_of_a_room(room, point, role):
    """A blue sofa is no glass, a rug no floor, a table's leg no frame."""
    assert role_at(*room, point) == role


def test_a_tree_is_no_roof(tmp_path):
    crown = shapes.ellipsoid((8.5, 6, 6.4), (3.2, 3.2, 3.0), 28)
    scene = [*HOUSE[:3], ((104, 148, 76), crown, True), ((112, 88, 66), shapes.box((8.3, 5.8, 0.3), (8.7, 6.2, 3.6)))]
    camera = camera_at(at=(-8, -14, 2.0), to=(2.0, 1, 2.6))
    structure, _ = read(tmp_path, scene, camera)
    assert role_at(structure, camera, (8.5, 4.0, 6.4)) == "planting"


def test_an_eye_at_its_usual_height_sets_the_scale(tmp_path):
    camera = camera_at(at=(-8, -14, 1.9), to=(1.0, 1, 1.8))
    structure, _ = read(tmp_path, HOUSE, camera)
    assert "eye height of 1.6 m" in " ".join(structure.notes)
    told, _ = read(tmp_path, HOUSE, camera, eye_height=1.9)
    assert eye_over_ground(told) == pytest.approx(1.9, rel=0.01)


def test_doors_say_that_the_eye_is_high_up(tmp_path):
    plain = [flat(GRASS, -60, 60, -60, 60, 0.0), box(PLASTER, (-5, 0, 0), (6, 7, 6.5))]
    scene = [*plain, box(OAK, (-1.2, -0.06, 0.0), (-0.2, 0.0, 2.1)), box(OAK, (3.0, -0.06, 0.0), (4.0, 0.0, 2.1))]
    camera = camera_at(at=(-8, -17, 4.2), to=(0.5, 1, 3.0))
    structure, _ = read(tmp_path, scene, camera)
    assert "doors are 2.1 m high" in " ".join(structure.notes)
    assert eye_over_ground(structure) == pytest.approx(4.2, rel=0.1)


def test_storeys_give_the_scale_where_no_ground_is_seen(tmp_path):
    tower = [box(PLASTER, (-7, 0, 0), (7, 10, 40))]
    for storey in range(9):
        for x in (-5.8, -1.2, 3.4):
            tower += window(x, x + 2.2, 5.0 + 3.2 * storey, 6.8 + 3.2 * storey, 0.0)
    for y in (2.0, 6.0):
        tower += [box(DARK, (-7.04, y, 5.0 + 3.2 * storey), (-7.0, y + 2.2, 6.8 + 3.2 * storey)) for storey in range(9)]
    camera = camera_at(at=(-20, -24, 1.7), to=(-1.0, 4, 14.0), field=52.0)
    structure, depth = read(tmp_path, tower, camera)
    assert "storeys are 3.2 m high" in " ".join(structure.notes)
    both = np.isfinite(depth) & (structure.regions > 0)
    assert np.median(structure.depth[both] / depth[both]) == pytest.approx(1.0, abs=0.15)


def test_a_known_length_is_believed_before_anything_else(tmp_path):
    scene = [flat(GRASS, -60, 60, -60, 60, 0.0), box(PLASTER, (-5, 0, 0), (6, 7, 6.5)), box(OAK, (-1.2, -0.06, 0.0), (-0.2, 0.0, 2.1))]  # fmt: skip
    camera = camera_at(at=(-8, -17, 4.2), to=(0.5, 1, 3.0))
    picture, depth, _ = paint(scene, camera)
    write_image(tmp_path / "made.png", picture)
    ends, _ = camera.project(np.array([(-4.8, 0.0, 6.3), (-4.8, 0.0, 0.3)], float))
    given = " ".join(f"{x:.0f},{y:.0f}" for x, y in ends)
    length = Corrections(length=(parse_length(f"{given} = 6.0 m"),))
    structure = iro.read_structure(iro.open_capture(tmp_path / "made.png"), cache=False, corrections=length)
    both = np.isfinite(depth) & (structure.regions > 0)
    assert np.median(structure.depth[both] / depth[both]) == pytest.approx(1.0, abs=0.05)


def gradient(top, foot):
    rows = np.linspace(0, 1, SIZE[1] * 2)[:, None, None]
    return np.broadcast_to(
        (1 - rows) * np.array(top, float) + rows * np.array(foot, float), (SIZE[1] * 2, SIZE[0] * 2, 3)
    )


def test_a_background_that_changes_is_one_sky(tmp_path):
    """Lines that part the background leave no pieces of it behind."""
    plinth = [box(PAVING, (-8, -5, -0.2), (9, 8, 0.3)), *HOUSE[2:]]
    camera = camera_at(at=(-16, -20, 15), to=(0.5, 1, 1.0), span=26.0)
    picture, depth, _ = paint(plinth, camera, background=gradient((168, 194, 224), (237, 242, 247)))
    beyond = ~np.isfinite(depth)
    for x in range(40, SIZE[0], 90):
        line = np.zeros(SIZE[::-1], np.uint8)
        cv2.line(line, (x, 0), (x - 120, SIZE[1]), 1, 1)
        picture[(line > 0) & beyond] = (158, 158, 158)
    write_image(tmp_path / "made.png", picture)
    structure = iro.read_structure(iro.open_capture(tmp_path / "made.png"), cache=False)
    solid = cv2.dilate((~beyond).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    assert (structure.regions[~solid] == 0).mean() > 0.98
    inside = cv2.erode((~beyond).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    assert (structure.regions[inside] == 0).mean() < 0.01


def test_only_what_goes_on_with_the_change_is_background():
    ramp = np.linspace(160, 240, 200)[:, None, None] * np.ones((1, 300, 3))
    labels = np.ones((200, 300), np.int32)
    labels[150:190, 20:120] = 2
    labels[150:190, 160:260] = 3
    picture = ramp.copy()
    picture[labels == 3] = 200.0
    assert background_pieces(picture.round().astype(np.uint8), labels, 1).tolist() == [2]
    plain = np.full((200, 300, 3), 220, np.uint8)
    assert background_pieces(plain, labels, 1).tolist() == []


@pytest.mark.parametrize("quality", [None, 92])
def test_an_upright_axis_parts_no_wall(tmp_path, quality):
    camera = camera_at(at=(0, -18, 2.0), to=(0.4, 1, 2.6))
    picture, _, _ = paint(HOUSE[:3], camera, background=gradient((168, 194, 224), (237, 242, 247)))
    (x, _), _ = (a[0] for a in camera.project(np.array([(-0.4, 0.0, 2.0)])))
    cv2.line(picture, (int(x), 0), (int(x), 400), (38, 64, 230), 1, cv2.LINE_AA)
    name = "made.png" if quality is None else "made.jpg"
    cv2.imwrite(
        str(tmp_path / name), picture[..., ::-1], [] if quality is None else [cv2.IMWRITE_JPEG_QUALITY, quality]
    )
    capture = iro.open_capture(tmp_path / name)
    assert any("axis marks" in said for said in capture.removed)
    structure = iro.read_structure(capture, cache=False)
    sides = [structure.regions[260, int(x) + step] for step in (-25, 25)]
    assert sides[0] == sides[1] > 0


def test_a_quay_wall_of_the_quay_s_own_stone_is_upright(tmp_path):
    """One stone in two tones faces two ways, and the darker face is not the level one."""
    scene = [
        flat((120, 160, 196), -60, 60, -60, -6.0, -1.0),
        box(PAVING, (-40, -6, -1.4), (40, 30, 0.3)),
        box(BRICK, (-3, 2, 0.3), (8, 9, 4.4)),
    ]
    camera = camera_at(at=(-10, -17, 2.6), to=(0.5, 1, 1.6))
    structure, _ = read(tmp_path, scene, camera)
    (x, y), _ = (a[0] for a in camera.project(np.array([(-4.0, -6.0, -0.3)])))
    normal = structure.normal[int(y), int(x)]
    assert abs(normal[2]) < 0.1
    assert role_at(structure, camera, (0.0, -9.0, -1.0)) == "water"


def test_a_floor_in_pieces_is_level(tmp_path):
    """Furniture before the lens parts the floor; no piece of it spans the picture."""
    scene = [*ROOM[:5], box(BRICK, (-1.2, -2.0, 0.0), (-0.7, 5.0, 0.5)), box(BRICK, (0.9, -2.0, 0.0), (1.4, 5.0, 0.5))]
    camera = camera_at(at=(0.4, -2.9, 1.5), to=(0.0, 3, 0.8), field=72.0)
    structure, _ = read(tmp_path, scene, camera)
    floors = [(x, 1.0, 0.0) for x in (-2.4, 0.1, 2.3)]
    assert [role_at(structure, camera, point) for point in floors] == ["floor"] * 3


@pytest.mark.parametrize("line", [False, True])
def test_a_village_from_above_is_outdoors(tmp_path, line):
    grey = (170, 170, 168)
    scene = [flat(grey, -80, 80, -80, 80, 0.0)]
    for x, y, h in ((-16, 0, 6), (4, 4, 9), (-6, -18, 5)):
        scene.append(box(PLASTER, (x, y, 0), (x + 11, y + 9, h)))
    camera = camera_at(at=(-26, -44, 34), to=(0, -1, 0), field=48.0)
    structure, _ = read(tmp_path, scene, camera, line=line)
    assert not set(structure.surfaces.role) & {"floor", "furniture", "ceiling"}
    assert role_at(structure, camera, (8.0, 9.0, 9.0)) == "roof"
