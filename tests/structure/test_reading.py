"""Reading pictures of every kind: cameras, drawings, sketches, noise, curves, corrections, and what is no building."""

import json
import os
import subprocess
import sys

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.corrections import Corrections, parse_length
from irodori.core.geometry import shapes
from irodori.demo.files import demo_path
from irodori.formats.write_image import write_image
from irodori.structure.corrections.file import read_corrections, write_corrections
from irodori.structure.regions.border_coverage import border_coverage, make_fragments
from painter import SIZE, camera_at, paint, share_deep, share_right

PARTS = [
    ((196, 190, 176), shapes.quad((-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0))),
    ((214, 160, 120), shapes.box((-5, 0, 0), (4, 7, 4.2))),
    ((150, 158, 168), shapes.box((4, 1.5, 0), (8, 7, 2.6))),
    ((120, 76, 60), shapes.box((-1.2, -0.06, 0.05), (-0.2, 0.0, 2.1))),
    ((150, 190, 206), shapes.box((-4.2, -0.05, 1.0), (-2.2, 0.0, 2.4))),
    ((150, 190, 206), shapes.box((1.0, -0.05, 1.0), (3.2, 0.0, 2.4))),
]


def drawn(camera, **how):
    return paint(PARTS, camera, **how)


def read_drawn(tmp_path, camera, name="made.png", **how):
    picture, depth, normal = drawn(camera, **how)
    write_image(tmp_path / name, picture)
    return iro.read_structure(iro.open_capture(tmp_path / name), cache=False), depth, normal


@pytest.mark.parametrize("line", [False, True])
def test_a_level_lens(tmp_path, line):
    camera = camera_at()
    read, depth, normal = read_drawn(tmp_path, camera, line=line)
    assert read.kind == ("line" if line else "shaded")
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.02)
    assert share_right(read, normal, camera) > 0.9
    assert share_deep(read, depth) > 0.9


def test_a_shifted_lens_is_not_taken_for_a_tilted_one(tmp_path):
    camera = camera_at(to=(0.5, 2, 1.7), centre=(0.5, 0.68))
    read, _, normal = read_drawn(tmp_path, camera)
    assert read.camera.focal == pytest.approx(camera.focal, rel=0.03)
    assert read.camera.matrix[1, 2] == pytest.approx(camera.matrix[1, 2], abs=12)
    assert share_right(read, normal, camera) > 0.85


def test_parallel_projection_is_told_apart(tmp_path):
    camera = camera_at(at=(-16, -20, 17), to=(0, 2, 1), span=24.0)
    read, _, normal = read_drawn(tmp_path, camera)
    assert read.camera.projection == "parallel"
    normal[normal[..., 2] > 0.9] = 0  # what reaches all round a parallel view is its page
    assert share_right(read, normal, camera) > 0.9


def test_a_sketch_on_paper_that_lies_askew(tmp_path):
    camera = camera_at()
    picture, _, normal = drawn(camera, line=True)
    rng = np.random.default_rng(2)
    paper = picture * np.array([0.96, 0.95, 0.91]) * np.linspace(1.0, 0.88, SIZE[0])[None, :, None]
    scan = np.clip(paper + rng.normal(0, 3, picture.shape), 0, 255).astype(np.uint8)
    write_image(tmp_path / "scan.png", scan)
    capture = iro.open_capture(tmp_path / "scan.png")
    assert capture.kind == "sketch" and "paper" in " ".join(capture.removed)
    read = iro.read_structure(capture, cache=False)
    assert share_right(read, normal, camera) > 0.85
    corners = np.float32([[140, 90], [1010, 60], [1060, 700], [100, 660]])
    source = np.float32([[0, 0], [SIZE[0], 0], SIZE, [0, SIZE[1]]])
    photo = np.full((760, 1160, 3), (84, 70, 60), np.uint8)
    turn = cv2.getPerspectiveTransform(source, corners)
    page = cv2.warpPerspective(scan, turn, (1160, 760))
    photo[page.sum(axis=2) > 0] = page[page.sum(axis=2) > 0]
    write_image(tmp_path / "photo.png", photo)
    flat = iro.open_capture(tmp_path / "photo.png")
    assert flat.kind == "sketch" and "page" in " ".join(flat.removed)
    assert flat.size[0] / flat.size[1] == pytest.approx(SIZE[0] / SIZE[1], rel=0.12)


def test_lossy_captures_are_smoothed_and_still_read(tmp_path):
    camera = camera_at()
    picture, _, normal = drawn(camera)
    cv2.imwrite(str(tmp_path / "made.jpg"), picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
    capture = iro.open_capture(tmp_path / "made.jpg")
    assert capture.lossy and "compression" in " ".join(capture.removed)
    read = iro.read_structure(capture, cache=False)
    assert len(read.surfaces) < 60
    assert share_right(read, normal, camera) > 0.85


def test_a_gap_in_a_line_does_not_open_the_roof(tmp_path):
    camera = camera_at()
    picture, _, _ = drawn(camera, line=True)
    whole, _, _ = read_drawn(tmp_path, camera, line=True)
    y, x = np.nonzero((picture.min(axis=2) < 90) & (np.arange(SIZE[1])[:, None] < 160))
    cut = int(np.median(x))
    picture[:190, cut - 12 : cut + 12] = 255
    write_image(tmp_path / "gap.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "gap.png"), cache=False)
    assert len(y) and abs((read.regions == 0).mean() - (whole.regions == 0).mean()) < 0.02


def test_a_column_is_round(tmp_path):
    y, x = np.mgrid[0:300, 0:300]
    u = np.clip((x - 150) / 80, -1, 1)
    picture = np.full((300, 300, 3), (205, 222, 238), float)
    picture[200:] = (150, 150, 140)
    tone = 90 + 120 * np.clip(np.sqrt(1 - u * u) * 0.8 - 0.5 * u, 0, 1)
    inside = (np.abs(x - 150) < 80) & (y > 40) & (y < 240)
    rim = (np.abs(x - 150) < 82) & (y > 38) & (y < 242)
    picture[rim] = 30
    picture[inside] = (tone[..., None] * [1.0, 0.97, 0.92])[inside]
    write_image(tmp_path / "column.png", picture.astype(np.uint8))
    read = iro.read_structure(iro.open_capture(tmp_path / "column.png", kind="shaded"), cache=False)
    side = read.normal[140] @ read.camera.rotation[0]
    for at, expected in ((110, -0.5), (150, 0.0), (190, 0.5)):
        assert side[at] == pytest.approx(expected, abs=0.08)
    assert read.depth[140, 150] < read.depth[140, 215]


def test_corrections_change_what_was_read_and_stay(tmp_path):
    camera = camera_at()
    read, _, _ = read_drawn(tmp_path, camera)
    file = write_corrections(tmp_path / "made.reading.toml", read)
    assert read_corrections(file) == Corrections(), "what was believed is no correction"
    wall = (440, 250)
    own = f'[[surface]]\nat = [{wall[0]}, {wall[1]}]\nrole = "railing"\nfacing = "slope 30 south"\n'
    file.write_text(own, encoding="utf-8")
    again = iro.read_structure(iro.open_capture(tmp_path / "made.png"), cache=False)
    row = again.surfaces.set_index("id").loc[again.regions[wall[1], wall[0]]]
    assert row["role"] == "railing" and row["nz"] == pytest.approx(np.cos(np.radians(30)), abs=1e-3)
    write_corrections(file, again)
    assert file.read_text(encoding="utf-8").startswith(own.rstrip())
    assert read_corrections(file).surface[0].role == "railing"
    added = f'[[surface]]\nat = [{wall[0]}, {wall[1] + 4}]\nrole = "sign"\n'
    file.write_text(file.read_text(encoding="utf-8") + added, encoding="utf-8")  # below the comments, not above
    for _ in range(2):
        write_corrections(file, again)
        assert [entry.role for entry in read_corrections(file).surface] == ["railing", "sign"]
    split = read_corrections(_file(tmp_path, "[[surface]]\nat = [100, 470]\nsplit = [[0, 420], [800, 420]]\n"))
    parted = iro.read_structure(iro.open_capture(tmp_path / "made.png"), corrections=split, cache=False)
    assert parted.regions[490, 100] != parted.regions[405, 40] and read.regions[490, 100] == read.regions[405, 40]
    gone = read_corrections(_file(tmp_path, f"[[surface]]\nat = [{wall[0]}, {wall[1]}]\nremove = true\n"))
    without = iro.read_structure(iro.open_capture(tmp_path / "made.png"), corrections=gone, cache=False)
    assert len(without.surfaces) < len(read.surfaces)


def _file(folder, text):
    path = folder / "other.toml"
    path.write_text(text, encoding="utf-8")
    return path


def test_a_known_length_sets_the_scale(tmp_path):
    camera = camera_at()
    ends, _ = camera.project(np.array([[-5, 0, 0.0], [-5, 0, 4.2]]))
    text = f"{ends[0, 0]:.1f},{ends[0, 1] - 2:.1f} {ends[1, 0] + 2:.1f},{ends[1, 1] + 2:.1f} = 420 cm"
    given = Corrections(length=(parse_length(text),))
    picture, depth, _ = drawn(camera)
    write_image(tmp_path / "made.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "made.png"), corrections=given, cache=False)
    both = np.isfinite(depth) & (read.regions > 0)
    assert np.median(read.depth[both] / depth[both]) == pytest.approx(1.0, abs=0.05)
    assert any("length given" in note for note in read.notes)


def test_a_given_camera_is_taken(tmp_path):
    given = Corrections.model_validate({"camera": {"focal": 700.0, "horizon": [230.0, 250.0], "centre": [400, 240]}})
    picture, _, _ = drawn(camera_at())
    write_image(tmp_path / "made.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "made.png"), corrections=given, cache=False)
    (_, left), (_, right) = read.camera.horizon()
    assert read.camera.focal == pytest.approx(700.0)
    assert (left, right) == (pytest.approx(230.0, abs=0.5), pytest.approx(250.0, abs=0.5))


@pytest.mark.parametrize(
    "text, said",
    [
        ("foo = 1", "Unknown entry 'foo'"), ("[camera]\nfocl = 3", "did you mean 'focal'"),
        ('[[surface]]\nat = [1, 2]\nrole = "wal"', "did you mean 'wall'"), ("[[surface]]\nrole = 3", "surface.1"),
        ('[[surface]]\nat = [1, 2]\nfacing = "slope 200 south"', "facing"), ("eye_height = -4", "eye_height"),
        ("[[[", "cannot be read"),
    ],
)  # fmt: skip
def test_wrong_corrections_are_named(tmp_path, text, said):
    with pytest.raises(iro.IrodoriError, match=r"other\.toml") as error:
        read_corrections(_file(tmp_path, text))
    assert said in str(error.value) and "\n" not in str(error.value)


@pytest.mark.parametrize("text", ["", "1,2 = 3 m", "a,b c,d = 1 m", "1,2 3,4 = -2 m", "1,2 3,4 = 2 miles"])
def test_wrong_lengths_are_named(text):
    with pytest.raises(iro.IrodoriError, match="not understood"):
        parse_length(text)


def test_the_command_writes_corrections_and_doubts(tmp_path):
    picture, _, _ = drawn(camera_at())
    write_image(tmp_path / "made.png", picture)
    run = [sys.executable, "-m", "irodori", "read", "made.png", "--length", "300,250 440,250 = 4 m", "--json"]
    done = subprocess.run(run, cwd=tmp_path, capture_output=True, text=True, env=os.environ)
    assert done.returncode == 0, done.stderr
    files = json.loads(done.stdout)["files"]
    assert any(f.endswith("doubts.png") for f in files) and (tmp_path / "made.reading.toml").is_file()
    bad = subprocess.run([*run[:4], "made.png", "--length", "what"], cwd=tmp_path, capture_output=True, text=True)
    assert bad.returncode == 2 and "not understood" in bad.stderr and "Traceback" not in bad.stderr


def test_doubts_show_the_least_certain_first():
    from irodori.structure.show.confidence import first_to_check

    read = iro.read_structure(iro.open_capture(demo_path("hall-shaded.png")))
    rows = first_to_check(read, 5)
    table = read.surfaces.sort_values("area_px", ascending=False)
    assert rows["confidence"].iloc[0] <= table["confidence"].iloc[:20].max()
    assert read.preview("confidence").shape == (*read.regions.shape, 3)


def test_a_sketch_has_its_trees_panes_and_roofs():
    read = iro.read_structure(iro.open_capture(demo_path("landing-sketch.png")))
    truth = iro.open_model(demo_path("landing.glb")).view("landing", width=1280).exact
    role, true = (s.surfaces.set_index("id")["role"] for s in (read, truth))
    assert role[read.regions[270, 1130]] == role[read.regions[258, 505]] == "planting"
    panes = np.isin(truth.regions, true.index[true == "glazing"])
    glazed = np.isin(read.regions, role.index[role == "glazing"])
    assert (panes & glazed).sum() > 0.6 * panes.sum()
    # What carries the roof between panes may be taken for one, but no pane stands under the open sky.
    assert not (glazed[1:] & (read.regions[:-1] == 0)).sum(axis=1).max() > 40
    slope = read.normal[290, 640]
    assert np.degrees(np.arccos(slope @ truth.normal[290, 640])) < 11.25


def test_steps_lie_where_the_quay_is():
    read = iro.read_structure(iro.open_capture(demo_path("landing-shaded.png")))
    truth = iro.open_model(demo_path("landing.glb")).view("landing", width=1280).exact
    y, x = np.mgrid[500:590, 760:900]
    ratio = (read.depth / read.depth[500, 700])[y, x] / (truth.depth / truth.depth[500, 700])[y, x]
    assert np.percentile(np.abs(np.log(ratio)), 95) < np.log(1.25)


@pytest.mark.parametrize("make", ["noise", "flat", "text", "checker", "inverted", "lines", "gradient"])
def test_absurd_pictures_end_in_a_flat_structure(tmp_path, make):
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:120, 0:160]
    plain = np.full((120, 160, 3), 245, np.uint8)
    if make == "text":
        for row in range(14, 120, 14):
            cv2.putText(plain, "wall door roof sky", (2, row), cv2.FONT_HERSHEY_SIMPLEX, 0.4, (20, 20, 20), 1)
    elif make == "lines":
        for _ in range(60):
            a, b = rng.integers(0, 120, (2, 2)).tolist()
            cv2.line(plain, a, b, (0, 0, 0), 1, cv2.LINE_AA)
    made = {
        "noise": rng.integers(0, 256, plain.shape).astype(np.uint8), "flat": plain, "text": plain, "lines": plain,
        "checker": np.repeat(((x // 3 + y // 3) % 2 * 255).astype(np.uint8)[..., None], 3, 2),
        "inverted": 255 - plain, "gradient": np.stack([x, y * 2, x + y], 2).astype(np.uint8),
    }[make]  # fmt: skip
    write_image(tmp_path / "odd.png", made)
    read = iro.read_structure(iro.open_capture(tmp_path / "odd.png"), cache=False)
    assert read.confidence < 0.5
    assert np.isfinite(read.depth[read.regions > 0]).all() and np.isfinite(read.normal).all()


def test_a_view_from_above_is_of_the_open():
    read = iro.read_structure(iro.open_capture(demo_path("aerial-shaded.png")))
    shares = read.surfaces.groupby("role")["area_px"].sum() / read.regions.size
    assert shares["water"] > 0.2 and shares["lawn"] > 0.2 and shares["roof"] > 0.08
    assert "floor" not in shares and shares.get("furniture", 0) < 0.03  # two benches, and some of the deck


def test_each_fragment_is_sampled_on_its_own_side_of_the_border():
    slope, start, width, height = 0.23, 12.4, 40, 60
    fine = 16
    row, column = (np.mgrid[0 : height * fine, 0 : width * fine] + 0.5) / fine
    right = (column > start + slope * row).reshape(height, fine, width, fine).mean(axis=(1, 3))
    image = np.rint(60 + 140 * right[..., None] + np.zeros(3)).astype(np.uint8)
    labels = np.where(right > 0.5, 2, 1).astype(np.int32)
    mean = np.array([[0, 0, 0], [60, 60, 60], [200, 200, 200]], float)
    coverage = border_coverage(image, labels, mean, np.array([20.0, 20, 20]))
    one = lambda region, x, y: np.ones(len(region), np.float32)  # noqa: E731
    fragments = make_fragments(coverage, one, lambda region, x, y: np.zeros((len(region), 3), np.float32))
    x, y = fragments.positions(width)
    beyond = (x - start - slope * y) * np.where(fragments.region == 2, 1, -1)
    assert beyond.min() > 0.25
    share = np.bincount(fragments.pixel[fragments.region == 2], fragments.weight[fragments.region == 2], width * height)
    assert np.abs(share.reshape(height, width) - right).max() < 0.1


def test_a_border_along_a_double_line_is_straight():
    # A roof's edge board: two dark lines with a pale strip between them, slanting between two flat colours.
    import cv2

    width, height, shift = 200, 160, 4
    image = np.zeros((height * shift, width * shift, 3), np.uint8)
    image[:] = (120, 112, 105)
    ends = np.array([[40, 0], [150, height]]) * shift
    cv2.fillPoly(image, [np.array([[0, 0], ends[0], ends[1], [0, height * shift]])], (80, 76, 72))
    for aside, colour, thick in ((0, (138, 130, 122), 8), (-8, (60, 60, 60), 6), (8, (60, 60, 60), 6)):
        cv2.line(image, (ends[0] + [aside, 0]).tolist(), (ends[1] + [aside, 0]).tolist(), colour, thick)
    small = cv2.resize(image, (width, height), interpolation=cv2.INTER_AREA)
    row, column = np.mgrid[0:height, 0:width] + 0.5
    side = column > 40 + row * 110 / height
    labels = np.where(side, 2, 1).astype(np.int32)
    mean = np.array([[0, 0, 0], [80, 76, 72], [120, 112, 105]], float)
    regions = border_coverage(small, labels, mean, np.array([60.0, 60, 60])).labels
    border = (regions == 1).sum(axis=1)[8:-8]
    away = border - np.polyval(np.polyfit(np.arange(len(border)), border, 1), np.arange(len(border)))
    assert np.abs(away).max() < 1.0


def test_the_edge_of_a_slab_is_no_step(model, shaded):
    # A pale strip along the quay, of nearly the colour of the paving behind it: 25 cm of slab over the wall.
    read, exact = iro.read_structure(shaded), model.view("landing", width=1280).exact
    edge = exact.regions == exact.regions[503, 330]
    found, true = read.normal[edge] @ read.camera.rotation, exact.normal[503, 330] @ exact.camera.rotation
    assert (found @ true > 0.98).mean() > 0.8


def test_a_lawn_behind_the_roof_is_no_roof():
    read = iro.read_structure(iro.open_capture(demo_path("aerial-shaded.png")))
    role = read.surfaces.set_index("id")["role"]
    assert [role[read.regions[y, x]] for x, y in ((600, 60), (250, 230), (1100, 60))] == ["lawn"] * 3
    assert role[read.regions[290, 580]] == "roof"
