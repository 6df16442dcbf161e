"""What cleaning takes off a capture, and how a user forbids or forces any of it."""

import json
import subprocess
import sys

import cv2
import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.core.cleanings import CLEANINGS
from irodori.core.colour import encode_8_bit
from irodori.core.errors import CaptureError
from painter import camera_at, grid_over, house, opened, paint, save

SUN = np.array([-0.7, -0.5, 0.5]) / np.linalg.norm([-0.7, -0.5, 0.5])
LEFT = 0.6
"""Of a colour in shadow."""


def in_shadow(parts, camera, depth, normal):
    """Pixels (H, W) that face the sun but are hidden from it, by casting rays with another library."""
    height, width = depth.shape
    y, x = np.mgrid[0:height, 0:width] + 0.75  # where the painter took its samples
    origin, way = (a.astype(float) for a in camera.rays(x.ravel(), y.ravel()))
    faces = np.flatnonzero(np.isfinite(depth.ravel()) & (normal.reshape(-1, 3) @ SUN > 0.02))
    place = origin[faces] + way[faces] * depth.ravel()[faces, None] + 2e-3 * normal.reshape(-1, 3)[faces]
    solid = trimesh.Trimesh(**trimesh.triangles.to_kwargs(np.concatenate([p[1] for p in parts])), process=False)
    dark = np.zeros(height * width, bool)
    dark[faces] = solid.ray.intersects_any(place, np.broadcast_to(SUN, place.shape))
    return dark.reshape(height, width)


def shown(capture):
    return encode_8_bit(capture.image).astype(int)


@pytest.fixture(scope="module")
def lit():
    """A house with a canopy that shades its wall, drawn with its edges, with and without the shadows that fall."""
    from irodori.core.geometry import shapes

    parts = house((150, 170, 120), (214, 206, 190), (110, 116, 128), (150, 110, 80), (150, 190, 206))
    parts.append(((190, 190, 188), shapes.box((-5.2, -1.4, 3.4), (2.0, 0.0, 3.6))))
    camera = camera_at()
    image, depth, normal = paint(parts, camera)
    dark = in_shadow(parts, camera, depth, normal)
    return image, np.where(dark[..., None], np.rint(image * LEFT), image).astype(np.uint8), dark


def test_shadows_of_a_viewport_are_taken_out_to_the_pixel(lit, tmp_path):
    plain, shadowed, dark = lit
    assert 0.02 < dark.mean() < 0.3
    capture = opened(tmp_path, shadowed)
    assert any("shadows" in sentence for sentence in capture.removed)
    off = np.abs(shown(capture) - plain).max(axis=2)
    assert np.median(off[dark]) <= 1 and (off[dark] > 12).mean() < 0.08
    assert (off[~dark] > 3).mean() < 0.002  # what lay in the sun is as it was


def test_what_shadows_part_is_read_as_one_surface(lit, tmp_path):
    plain, shadowed, _ = lit
    counts = [
        len(iro.read_structure(opened(tmp_path, image, keep=kept), cache=False).surfaces)
        for image, kept in ((plain, ()), (shadowed, ()), (shadowed, ("shadows",)))
    ]
    assert counts[1] <= counts[0] + 2 < counts[2]


def test_no_shadow_is_seen_where_none_falls_nor_in_painted_marks(lit, tmp_path):
    plain, _, _ = lit
    marked = plain.copy()
    # Stripes on the ground, of its own tint but darker: nothing casts them, and no other surface has such.
    for x in range(250, 600, 90):
        cv2.rectangle(marked, (x, 440), (x + 40, 480), [int(v * 0.6) for v in plain[460, x]], -1)
    for image in (plain, marked):
        capture = opened(tmp_path, image)
        assert capture.removed == ()
        assert (shown(capture) == image).all()


def test_a_user_who_knows_of_shadows_can_have_them_removed(lit, tmp_path):
    plain, _, _ = lit
    marked = plain.copy()
    cv2.rectangle(marked, (300, 430), (420, 480), [int(v * 0.6) for v in plain[460, 300]], -1)
    path = save(tmp_path, marked)
    sure = iro.open_capture(path, remove=["shadows"])
    assert np.abs(shown(sure)[440:470, 320:400] - plain[440:470, 320:400]).max() <= 1
    assert sure.removed and not iro.open_capture(path).removed


def with_pointer(image, x, y, size, dark=False):
    """An arrow as window systems draw it, a little other than ours: measured by hand off a screen."""
    outline = np.array([(0, 0), (0, 17), (4, 13), (7, 20), (9, 19), (6, 12), (12, 12)]) * size + (x, y)
    points = [np.rint(outline * 16).astype(np.int32)]
    out = image.copy()
    cv2.fillPoly(out, points, (0, 0, 0) if dark else (255, 255, 255), cv2.LINE_AA, 4)
    cv2.polylines(out, points, True, (255, 255, 255) if dark else (0, 0, 0), 1, cv2.LINE_AA, 4)
    return out


@pytest.mark.parametrize("size", [1.0, 1.5, 2.0])
@pytest.mark.parametrize("dark", [False, True])
def test_the_mouse_pointer_is_removed(lit, tmp_path, size, dark):
    plain, _, _ = lit
    image = with_pointer(plain, 300, 400, size, dark)
    path = save(tmp_path, image)
    capture = iro.open_capture(path)
    assert any("pointer" in sentence for sentence in capture.removed)
    before, after = (np.abs(a - plain.astype(int)).max(axis=2) > 12 for a in (image.astype(int), shown(capture)))
    assert after.sum() < 0.15 * before.sum()
    assert not after[:, :280].any() and not after[:380].any()
    assert not iro.open_capture(path, keep=["pointer"]).removed


def test_an_orientation_widget_is_removed_from_a_corner_of_the_sky_only(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    for x, y in ((720, 20), (400, 20)):  # a cube in the corner, and the same as a sign over the house
        cv2.rectangle(image, (x, y), (x + 50, y + 50), (150, 150, 155), -1)
        cv2.rectangle(image, (x, y), (x + 50, y + 50), (60, 60, 60), 1)
        cv2.putText(image, "TOP", (x + 4, y + 32), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (30, 30, 30), 1, cv2.LINE_AA)
    capture = opened(tmp_path, image)
    assert any("orientation widget" in sentence for sentence in capture.removed)
    after = shown(capture)
    assert np.abs(after[10:80, 710:780] - plain[10:80, 710:780]).max() <= 1
    assert (after[10:80, 390:460] == image[10:80, 390:460]).all()


def test_handles_go_with_the_outline_they_sit_on(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    low, high = (250, 200), (420, 330)
    cv2.rectangle(image, low, high, (255, 140, 10), 2)
    for x in (low[0], 335, high[0]):
        for y in (low[1], high[1]):
            cv2.rectangle(image, (x - 4, y - 4), (x + 4, y + 4), (255, 140, 10), -1)
    path = save(tmp_path, image)
    capture = iro.open_capture(path)
    assert {"selection outline", "selection handles"} <= {
        name for name in ("selection outline", "selection handles") if any(name in s for s in capture.removed)
    }
    vivid = (np.abs(shown(capture) - (255, 140, 10)).max(axis=2) < 60).sum()
    assert vivid < 0.03 * (np.abs(image.astype(int) - (255, 140, 10)).max(axis=2) < 60).sum()
    kept = iro.open_capture(path, keep=["outline"])
    assert not kept.removed and (shown(kept) == image).all()


def test_an_axis_goes_on_behind_what_hides_it(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    cv2.line(image, (20, 470), (220, 430), (230, 40, 40), 1, cv2.LINE_AA)
    cv2.line(image, (300, 414), (360, 402), (230, 40, 40), 1, cv2.LINE_AA)  # 60 px more of it
    capture = opened(tmp_path, image)
    assert (np.abs(shown(capture) - plain).max(axis=2) > 40).sum() < 12


@pytest.mark.parametrize(
    "along",
    [np.s_[1:3, 20:700], np.s_[-3:-1, 20:700], np.s_[20:470, 1:3], np.s_[20:470, -3:-1]],
    ids=["head", "foot", "left", "right"],
)
def test_an_axis_may_lie_along_the_border(lit, tmp_path, along):
    image = lit[0].copy()
    image[along] = 230, 40, 40
    capture = opened(tmp_path, image)
    assert any("axis marks" in sentence for sentence in capture.removed)
    assert (np.abs(shown(capture) - lit[0]).max(axis=2) > 40).sum() < 12


@pytest.mark.parametrize("name", ["noise", "axes", "grid", "outline", "textures", "hatching", "page", "widget"])
def test_whatever_is_asked_for_in_vain_is_said(lit, tmp_path, name):
    plain, _, _ = lit
    capture = opened(tmp_path, plain, remove=[name])
    found = [sentence for sentence in capture.removed if CLEANINGS[name] in sentence]
    if name in ("noise", "textures"):  # these can always be smoothed
        assert len(capture.removed) == 1 and "Smoothed" in capture.removed[0]
    else:
        assert found == [f"Found nothing of what was to be removed: {CLEANINGS[name]}"]


def test_nothing_but_what_is_asked_for_is_removed_as_is(lit, tmp_path):
    plain, _, _ = lit
    image = with_pointer(plain, 380, 300, 1.5)
    cv2.line(image, (20, 470), (240, 420), (230, 40, 40), 1, cv2.LINE_AA)
    path = save(tmp_path, image)
    only = iro.open_capture(path, clean=False, remove=["pointer"])
    assert len(only.removed) == 1 and "pointer" in only.removed[0]
    assert (shown(only)[400:] == image[400:]).all()
    assert (shown(iro.open_capture(path, clean=False)) == image).all()


@pytest.mark.parametrize(
    "how, said", [({"keep": ["gird"]}, "grid"), ({"keep": ["grid"], "remove": ["grid"]}, "say one of them")]
)
def test_names_that_cannot_be_followed_are_refused(lit, tmp_path, how, said):
    plain, _, _ = lit
    with pytest.raises(CaptureError, match=said):
        opened(tmp_path, plain, **how)


def test_paper_and_page_can_be_kept(tmp_path):
    page = np.full((600, 900, 3), 90, np.uint8)
    cv2.fillPoly(page, [np.array([(90, 70), (830, 50), (850, 560), (70, 540)])], (232, 228, 214))
    for a, b in (
        ((200, 400), (700, 380)),
        ((200, 400), (200, 200)),
        ((700, 380), (690, 180)),
        ((200, 200), (690, 180)),
    ):
        cv2.line(page, a, b, (40, 40, 50), 2, cv2.LINE_AA)
    path = save(tmp_path, page)
    flat = iro.open_capture(path, kind="sketch")
    assert any("page" in sentence for sentence in flat.removed) and flat.size != (900, 600)
    whole = iro.open_capture(path, kind="sketch", keep=["page"])
    assert whole.size == (900, 600) and not any("page" in sentence for sentence in whole.removed)
    as_it_is = iro.open_capture(path, kind="sketch", clean=False)
    assert (shown(as_it_is) == page).all() and as_it_is.removed == ()


def run(*arguments, **how):
    return subprocess.run(
        [sys.executable, "-m", "irodori", *map(str, arguments)], capture_output=True, text=True, **how
    )


def test_the_command_line_keeps_removes_and_remembers(lit, tmp_path):
    _, shadowed, _ = lit
    path = save(tmp_path, shadowed)
    read = run("read", path, "--keep", "shadows", "--remove", "pointer", "--json", cwd=tmp_path)
    assert read.returncode == 0, read.stderr
    assert json.loads(read.stdout)["removed"] == ["Found nothing of what was to be removed: the mouse pointer"]
    bad = run("read", path, "--keep", "shadow", cwd=tmp_path)
    assert bad.returncode != 0 and "shadows" in bad.stderr and "Traceback" not in bad.stderr


def test_a_recipe_opens_its_capture_with_the_same_choices(lit, tmp_path):
    _, shadowed, _ = lit
    capture = opened(tmp_path, shadowed, keep=["shadows", "grid"], remove=["pointer"])
    told = capture.origin
    assert told.keep == ("grid", "shadows") and told.remove == ("pointer",)
    assert iro.open_capture(told.file, keep=told.keep, remove=told.remove).digest == capture.digest
    assert iro.open_capture(told.file).digest != capture.digest


def with_grid(image, camera, depth, normal, step=1.5, colour=(158, 158, 158)):
    """Lines of a ground grid, drawn where the ground is what a pixel shows."""
    ground = (normal[..., 2] > 0.9) & np.isfinite(depth) & (np.arange(len(image))[:, None] > 200)
    return np.where(ground[..., None], grid_over(image, camera, step, colour), image)


@pytest.fixture(scope="module")
def gridded():
    parts = house((122, 150, 87), (214, 206, 190), (110, 116, 128), (150, 110, 80), (150, 190, 206))
    camera = camera_at()
    image, depth, normal = paint(parts, camera)
    return image, with_grid(image, camera, depth, normal)


def test_a_ground_grid_goes_up_to_where_its_lines_run_together(gridded, tmp_path):
    plain, image = gridded
    capture = opened(tmp_path, image)
    assert any("ground grid" in sentence for sentence in capture.removed)
    before, after = (np.abs(a - plain.astype(int)).max(axis=2) > 8 for a in (image.astype(int), shown(capture)))
    assert before.mean() > 0.02
    assert after.sum() < 0.12 * before.sum()


def test_a_grid_is_kept_when_asked_to_be(gridded, tmp_path):
    _, image = gridded
    kept = opened(tmp_path, image, keep=["grid"])
    assert kept.removed == () and (shown(kept) == image).all()


def test_lines_that_do_not_cross_are_no_grid(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    for y in range(430, 495, 8):  # a striped lawn
        cv2.line(image, (20, y), (780, y), (158, 158, 158), 1)
    path = save(tmp_path, image)
    assert not any("grid" in sentence for sentence in iro.open_capture(path).removed)
    assert any("grid" in sentence for sentence in iro.open_capture(path, remove=["grid"]).removed)


def test_the_edge_of_a_red_surface_is_no_axis(tmp_path):
    parts = house((150, 170, 120), (214, 40, 40), (110, 116, 128), (150, 110, 80), (150, 190, 206))
    image, _, _ = paint(parts, camera_at())
    assert opened(tmp_path, image).removed == ()


def test_folds_of_a_white_model_are_no_shadows(lit, tmp_path):
    _, shadowed, _ = lit
    grey = np.repeat(shadowed.mean(axis=2, keepdims=True), 3, axis=2).astype(np.uint8)
    path = save(tmp_path, grey)
    assert not any("shadows" in sentence for sentence in iro.open_capture(path, kind="shaded").removed)
    assert any("shadows" in s for s in iro.open_capture(path, kind="shaded", remove=["shadows"]).removed)


def test_what_an_outline_hid_is_drawn_again(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    cv2.rectangle(image, (280, 180), (420, 320), (255, 140, 10), 3)
    kept = plain.copy()
    capture = opened(tmp_path, image)
    after = shown(capture)
    # Somewhere along the outline's middle there is a dark line again, as there was one of the house's edges under it.
    assert after[320, 300:400].min() < 60 and np.abs(after[250, 300:400] - kept[250, 300:400]).max() == 0


def test_an_outline_parted_by_what_stands_before_it_goes_as_a_whole(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    orange = (255, 140, 10)
    cv2.rectangle(image, (240, 170), (560, 330), orange, 2)
    for x in (300, 430, 500):  # what stands before it
        cv2.rectangle(image, (x, 150), (x + 14, 350), (90, 92, 96), -1)
    capture = opened(tmp_path, image)
    assert any("selection outline" in sentence for sentence in capture.removed)
    assert not any("axis" in sentence for sentence in capture.removed)

    def vivid(picture):
        return (np.abs(picture.astype(int) - orange).max(axis=2) < 70).sum()

    assert vivid(shown(capture)) < 0.03 * vivid(image)
    # The lines that are drawn again end where something stands before them.
    assert (np.abs(shown(capture)[200:300, 302:312] - (90, 92, 96)).max(axis=2) < 4).all()


def test_an_axis_over_bricks_goes_with_the_rest_of_it(lit, tmp_path):
    plain, _, _ = lit
    image = plain.copy()
    brick = image.copy()
    cv2.rectangle(brick, (380, 180), (470, 420), (150, 78, 60), -1)
    under = brick.astype(float)
    line = np.zeros(image.shape[:2], np.uint8)
    cv2.line(line, (420, 0), (420, 400), 255, 2)
    share = 0.45 * (line > 0)[..., None]
    image = np.rint(under * (1 - share) + share * np.array([38, 64, 230])).astype(np.uint8)
    image[:180][line[:180] > 0] = (38, 64, 230)  # vivid before the sky, paler over the bricks
    capture = opened(tmp_path, image)
    assert any("axis marks" in sentence for sentence in capture.removed)
    there = (line > 0) & (np.arange(len(line)) > 190)[:, None] & (np.arange(len(line)) < 390)[:, None]
    assert (np.abs(shown(capture) - brick).max(axis=2)[there] < 12).mean() > 0.95


@pytest.mark.parametrize("seed", range(3))
def test_the_nearest_free_pixel_is_as_near_as_another_library_says(seed):
    from scipy import ndimage

    from irodori.core.pixels.nearest import filled_from_nearest, nearest_free

    taken = np.random.default_rng(seed).uniform(size=(120, 170)) < 0.97
    place, away = nearest_free(taken)
    exact = ndimage.distance_transform_edt(taken)
    y, x = np.mgrid[0:120, 0:170]
    reached = np.hypot(*(np.array(np.unravel_index(place, taken.shape)) - (y, x)))
    assert not taken.ravel()[place].any()
    assert (reached[~taken] == 0).all() and (np.abs(away - exact) <= 0.03 * exact + 0.01).all()
    assert (reached <= 1.06 * exact + 0.01).all()
    values = np.random.default_rng(9).integers(0, 255, (120, 170, 3))
    filled = filled_from_nearest(values, taken)
    assert (filled[~taken] == values[~taken]).all() and (filled == values.reshape(-1, 3)[place]).all()
