"""What is seen at a glance, and what is made of it."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.roles import ROLES
from irodori.demo.files import demo_path
from irodori.structure.camera.at_a_glance import unlikely
from irodori.structure.camera.frame import Frame
from irodori.structure.glance import glance as module
from irodori.structure.glance.canvas import CELL, HIGH, WIDE, Canvas
from irodori.structure.glance.glance import CLASSES, Glance, glance_at
from irodori.structure.regions.measure import measure_regions
from irodori.structure.regions.part_leaks import part_leaks
from irodori.structure.roles.harm import harm, least_harm

SKY = CLASSES.index("sky")


def demo(name):
    return cv2.imread(str(demo_path(name)))[..., ::-1].copy()


@pytest.fixture(scope="module")
def landing():
    return glance_at(demo("landing-shaded.png"))


@pytest.mark.parametrize("size", [(1280, 800), (900, 1100), (3000, 700), (240, 180)])
def test_places_of_cells_are_those_of_the_picture(size):
    canvas = Canvas(size)
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    ramp = np.stack([x / size[0], y / size[1]], axis=2).astype(np.float32)
    back = canvas.spread(canvas.cells(ramp))
    inner = (slice(size[1] // 6, -size[1] // 6), slice(size[0] // 6, -size[0] // 6))
    assert np.abs(back - ramp)[inner].max() < 0.02


def test_a_thin_line_shows_whatever_the_pictures_size():
    shares = []
    for width in (600, 2400, 4800):
        page = np.full((width * 5 // 8, width, 3), 255, np.uint8)
        page[:, width // 2] = 0
        shares.append(Canvas((width, width * 5 // 8)).shrink(page)[..., 3].max())
    assert min(shares) > 110


def test_a_mirrored_picture_is_seen_as_its_mirror_image(landing):
    other = glance_at(np.ascontiguousarray(demo("landing-shaded.png")[:, ::-1]))
    assert np.abs(other.odds[:, ::-1] - landing.odds).max() < 0.02
    assert np.abs(other.facing[:, ::-1] * [-1, 1, 1] - landing.facing).max() < 0.02
    assert abs(other.room - landing.room) < 0.01


def test_rooms_and_the_open_are_told_apart(landing):
    assert landing.scene == "outdoors" and landing.parallel < 0.3
    assert glance_at(demo("hall-shaded.png")).scene != "outdoors"


def test_the_sky_is_where_it_is_and_what_is_level_tells_up(landing, reading):
    seen = landing.canvas.spread(landing.odds)[..., SKY]
    sky = reading.regions == 0
    assert seen[sky].mean() > 0.85 and seen[~sky].mean() < 0.1
    up, sure = landing.up
    assert sure > 0.5 and up @ reading.camera.rotation[:, 2] > np.cos(np.radians(12))


def test_regions_get_the_mean_of_their_cells(landing):
    labels = np.ones((800, 1280), np.int32)
    labels[400:] = 2
    seen = landing.of_regions(measure_regions(labels, np.zeros((3, 3))))
    assert np.allclose(seen.odds[1:].sum(axis=1), 1, atol=1e-3)
    assert seen.likely("sky")[1] > seen.likely("sky")[2]
    assert seen.of_roles.shape == (3, len(ROLES))


def test_a_frame_that_agrees_with_what_is_seen_is_likelier():
    odds = np.zeros((HIGH // CELL, WIDE // CELL, len(CLASSES)), np.float32)
    facing = np.zeros((*odds.shape[:2], 3), np.float32)
    half = len(odds) // 2
    odds[:half, :, CLASSES.index("wall")], odds[half:, :, CLASSES.index("ground")] = 1, 1
    facing[:half], facing[half:] = (0, 0, -1), (0, -1, 0)
    glance = Glance(Canvas((1280, 995)), odds, facing, 0.0, 0.0, 0.0, 1.0)

    def frame(turn, make="centred"):
        c, s = np.cos(turn), np.sin(turn)
        axes = np.array([[c, s, 0], [0, 0, 1.0], [s, -c, 0]])
        return Frame(800.0, np.zeros(2), axes, np.zeros(0, int), 1.0, True, make)

    assert unlikely(frame(0.0), glance) < unlikely(frame(0.2), glance) < unlikely(frame(0.6), glance)
    assert unlikely(frame(0.0), glance) < unlikely(frame(0.0, "parallel"), glance)


def test_without_weights_lines_and_colours_tell_alone(monkeypatch, tmp_path):
    monkeypatch.setattr(module, "WEIGHTS", tmp_path / "none.onnx")
    assert glance_at(demo("landing-shaded.png")) is None
    read = iro.read_structure(iro.open_capture(demo_path("landing-shaded.png")), cache=False)
    assert (read.regions == 0).mean() > 0.1


def test_of_doubtful_roles_the_harmless_one_is_taken():
    table = harm(drawn=False)
    place = {role: ROLES.index(role) for role in ROLES}
    assert table[place["water"], place["paving"]] > 2 * table[place["paving"], place["water"]]
    assert not np.diag(table).any()
    likely = np.zeros((3, len(ROLES)))
    likely[0, [place["water"], place["paving"]]] = 0.55, 0.45
    likely[1, [place["water"], place["paving"]]] = 0.95, 0.05
    likely[2, [place["glazing"], place["wall"]]] = 0.5, 0.5
    assert [ROLES[n] for n in least_harm(likely, drawn=False)] == ["paving", "water", "wall"]
    # In a drawing no tint tells panes from walls; blind windows are as wrong.
    likely[2, place["glazing"]] = 0.55
    assert [ROLES[n] for n in least_harm(likely, drawn=True)] == ["paving", "water", "glazing"]


def test_areas_that_meet_at_a_neck_are_parted_there_and_no_wider_ones():
    labels, ink = np.ones((240, 360), np.int32), np.zeros((240, 360), bool)
    ink[119:121] = True
    seems = np.zeros((240, 360, 2), np.float32)
    seems[:120, :, 0] = seems[120:, :, 1] = 0.9
    ink[119:121, 180:192] = False
    parted, first = part_leaks(labels, ink, seems, set())
    upper, lower = parted[60, 180], parted[180, 180]
    assert upper != lower and first[1] == upper
    assert (parted[:118] == upper).mean() > 0.99 and (parted[122:] == lower).mean() > 0.99
    assert not part_leaks(labels, ink, seems, {1})[1]
    ink[119:121, 60:300] = False
    whole, first = part_leaks(labels, ink, seems, set())
    assert not first and (whole == 1).all()


def test_a_gap_in_the_eaves_lets_no_sky_in(tmp_path):
    page = demo("landing-line.png")
    whole = iro.read_structure(iro.open_capture(demo_path("landing-line.png")))
    sky = whole.regions == 0
    roofs = np.isin(whole.regions, whole.surfaces["id"][whole.surfaces["role"] == "roof"])
    edge = sky[:-6] & roofs[6:]
    row, column = np.argwhere(edge)[len(np.argwhere(edge)) // 2]
    page[row - 6 : row + 16, column - 8 : column + 8] = page.max(axis=(0, 1))
    path = tmp_path / "gap-line.png"
    cv2.imwrite(str(path), page[..., ::-1])
    read = iro.read_structure(iro.open_capture(path, kind="line"), cache=False)
    assert ((read.regions == 0) == sky).mean() > 0.98
