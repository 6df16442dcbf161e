"""Opening pictures and models of every kind, and what is said when they are bad."""

import numpy as np
import pytest
from PIL import Image, ImageCms

import irodori as iro
from irodori.core.colour import decode_srgb, encode_8_bit, encode_srgb
from irodori.demo.files import demo_path
from irodori.formats.exr import write_exr
from irodori.formats.model.mesh_file import read_parts
from irodori.formats.read_image import read_image
from irodori.formats.write_image import write_image

SCENE = np.zeros((64, 96, 3), np.uint8)
SCENE[:] = (40, 90, 160)
SCENE[20:50, 30:70] = (200, 120, 60)


@pytest.mark.parametrize("suffix, tolerance", [("png", 0), ("bmp", 0), ("tif", 0), ("webp", 12), ("jpg", 12)])
def test_formats(tmp_path, suffix, tolerance):
    path = tmp_path / f"scene.{suffix}"
    Image.fromarray(SCENE).save(path, quality=95)
    capture = iro.open_capture(path)
    assert capture.size == (96, 64)
    shown = np.rint(encode_srgb(capture.image) * 255)
    assert np.abs(shown[5:15, 5:25] - SCENE[5:15, 5:25]).max() <= tolerance


def test_sixteen_bits_packed_by_lzw_are_read(tmp_path):
    """As many programs save them: what wrote this file here is another library than what reads TIFF at first."""
    import cv2

    steps = np.arange(40 * 50 * 3, dtype=np.uint16).reshape(40, 50, 3) * 10
    lzw = [cv2.IMWRITE_TIFF_COMPRESSION, 5]
    assert cv2.imwrite(str(tmp_path / "deep.tif"), steps[..., ::-1], lzw)
    read = encode_srgb(read_image(tmp_path / "deep.tif").rgb) * 65535
    assert np.abs(read - steps).max() < 2


def test_sixteen_bits_keep_their_steps(tmp_path):
    ramp = np.tile(np.linspace(20000, 20200, 96).astype(np.uint16)[None, :, None], (64, 1, 3))
    write_image(tmp_path / "ramp.png", ramp)
    capture = iro.open_capture(tmp_path / "ramp.png")
    assert len(np.unique(capture.image[0, :, 0])) > 90


def test_alpha_grey_and_orientation(tmp_path):
    Image.fromarray(np.dstack([SCENE, np.full(SCENE.shape[:2], 128, np.uint8)])).save(tmp_path / "alpha.png")
    through = iro.open_capture(tmp_path / "alpha.png")
    assert through.alpha is None  # what is half see-through everywhere tells nothing apart
    assert np.abs(encode_8_bit(through.image) - (SCENE / 2 + 127)).max() < 2  # it lies on white
    Image.fromarray(SCENE[..., 0]).save(tmp_path / "grey.png")
    assert iro.open_capture(tmp_path / "grey.png").image.shape == (64, 96, 3)
    exif = Image.Exif()
    exif[0x0112] = 6
    Image.fromarray(SCENE).save(tmp_path / "turned.jpg", exif=exif)
    assert iro.open_capture(tmp_path / "turned.jpg").size == (64, 96)


def test_embedded_profile_is_followed(tmp_path):
    # A picture tagged with a linear-light profile: 128 of 255 there means half the light.
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
    Image.fromarray(SCENE).save(tmp_path / "tagged.png", icc_profile=lab.tobytes())
    plain = decode_srgb(SCENE.astype(np.float32) / 255)
    assert np.allclose(iro.open_capture(tmp_path / "tagged.png").image, plain, atol=0.01)


@pytest.mark.parametrize("name, kind", [("landing-shaded.png", "shaded"), ("landing-line.png", "line")])
def test_kinds(name, kind):
    assert iro.open_capture(demo_path(name)).kind == kind


def test_a_rendering_is_a_finished_picture(picture, tmp_path):
    path = picture.save(tmp_path / "noon.png")
    assert iro.open_capture(path).kind == "finished"


def test_cleaning_removes_helpers_and_says_so():
    messy, plain = iro.open_capture(demo_path("landing-messy.png")), iro.open_capture(demo_path("landing-shaded.png"))
    raw = iro.open_capture(demo_path("landing-messy.png"), clean=False)
    said = " ".join(messy.removed)
    assert "grid" in said and "axis" in said and "outline" in said
    assert not plain.removed and not raw.removed

    around = encode_srgb(np.pad(plain.image, ((1, 1), (1, 1), (0, 0)), "edge"))
    height, width = plain.image.shape[:2]

    def wrong(image):  # a line that an outline hid may come back a pixel beside its place
        shifted = (around[y : y + height, x : x + width] for y in range(3) for x in range(3))
        off = np.min([np.abs(encode_srgb(image) - plain).max(axis=2) for plain in shifted], axis=0)
        return (off > 0.05).sum()

    assert wrong(messy.image) < 0.2 * wrong(raw.image)


@pytest.mark.parametrize("name", ["aerial-shaded.png", "gangway-shaded.png", "hall-shaded.png"])
def test_cleaning_leaves_clean_captures_alone(name):
    assert iro.open_capture(demo_path(name)).removed == ()


def bad_file(tmp_path, kind):
    path = tmp_path / "bad.png"
    if kind == "missing":
        return tmp_path / "none.png"
    if kind == "folder":
        return tmp_path
    if kind == "empty":
        path.write_bytes(b"")
    if kind == "text":
        path.write_text("not a picture")
    if kind == "cut":
        path.write_bytes(demo_path("landing-shaded.png").read_bytes()[:5000])
    if kind == "pixel":
        Image.fromarray(SCENE[:1, :1]).save(path)
    return path


@pytest.mark.parametrize("kind", ["missing", "folder", "empty", "text", "cut", "pixel"])
def test_bad_pictures_say_what_is_wrong(tmp_path, kind):
    with pytest.raises(iro.IrodoriError) as error:
        iro.open_capture(bad_file(tmp_path, kind))
    message = str(error.value)
    assert "\n" not in message and len(message) < 250
    assert "Traceback" not in message


def test_too_large_a_picture_says_the_limit(small_picture):
    with pytest.raises(iro.IrodoriError, match="limit"):
        iro.open_capture(small_picture, pixel_limit=1000)


def test_passes_of_another_size(tmp_path, small_picture):
    write_exr(tmp_path / "d.exr", {"Z": np.ones((10, 10), np.float32)})
    with pytest.raises(iro.IrodoriError, match="10 × 10"):
        iro.open_capture(small_picture, {"depth": tmp_path / "d.exr"})
    write_image(tmp_path / "d.png", np.zeros((90, 140, 3), np.uint8))
    with pytest.raises(iro.IrodoriError, match="near and far"):
        iro.open_capture(small_picture, {"depth": tmp_path / "d.png"})
    with pytest.raises(iro.IrodoriError, match="depth"):
        iro.open_capture(small_picture, {"dept": tmp_path / "d.png"})


# ---- models


def write_box(path, size=(4.0, 3.0, 2.0)):
    import trimesh

    trimesh.creation.box(size).export(path)
    return path


@pytest.mark.parametrize("suffix", ["obj", "stl", "ply", "glb"])
def test_model_formats(tmp_path, suffix):
    model = iro.open_model(write_box(tmp_path / f"box.{suffix}"), unit="m")
    assert len(model.data.mesh) == 12
    assert len(model.data.surfaces) == 6
    capture = model.view("three-quarter", width=200)
    assert (capture.exact.regions > 0).any()


def test_objects_of_an_obj_stay_apart_with_and_without_materials(tmp_path):
    corners = "".join(f"v {x} {y} {z}\n" for z in (0, 1) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
    bare = tmp_path / "bare.obj"
    bare.write_text(f"{corners}o wall\nf 1 2 3\no roof\nf 5 6 7\n")
    assert {p.name for p in read_parts(bare)} == {"wall", "roof"}
    (tmp_path / "m.mtl").write_text("newmtl brick\nKd 0.6 0.2 0.1\nnewmtl pane\nKd 0.5 0.6 0.7\nd 0.3\n")
    full = tmp_path / "full.obj"
    full.write_text(
        f"mtllib m.mtl\n{corners}o wall\nusemtl brick\nf 1 2 3\nusemtl pane\nf 1 3 4\no roof\nusemtl brick\nf 5 6 7\n"
    )
    parts = {p.name: p for p in read_parts(full)}
    assert {(n, p.material) for n, p in parts.items()} == {("wall", "brick"), ("wall pane", "pane"), ("roof", "brick")}
    assert (
        parts["wall"].colour[0] > parts["wall"].colour[2]
        and parts["wall pane"].colour[2] > parts["wall pane"].colour[0]
    )


def test_units_and_axes_are_said(tmp_path):
    box = write_box(tmp_path / "box.obj", (400.0, 300.0, 250.0))
    guessed = iro.open_model(box)
    assert "guessed" in guessed.notes[0] and "--unit" in guessed.notes[0]
    given = iro.open_model(box, unit="cm", up="z")
    assert np.ptp(given.data.mesh.bounds(), axis=0).max() == pytest.approx(4.0, rel=1e-4)
    assert "as given" in given.notes[0]
    glb = iro.open_model(write_box(tmp_path / "box.glb"))
    assert "glTF standard" in glb.notes[0]
    # glTF is y up: what was 3 m along y stands 3 m tall.
    assert np.ptp(glb.data.mesh.bounds(), axis=0)[2] == pytest.approx(3.0, rel=1e-4)


def test_several_models_share_one_scene(tmp_path, model):
    both = iro.open_model([demo_path("landing.glb"), write_box(tmp_path / "box.glb")])
    assert len(both.data.mesh) == len(model.data.mesh) + 12


def test_cameras_agree_with_their_projection(model):
    capture = model.view("landing", width=320)
    exact = capture.exact
    y, x = np.nonzero(exact.regions > 0)
    origins, directions = exact.camera.rays(x + 0.5, y + 0.5)
    points = origins + directions * exact.depth[y, x, None]
    seen, depth = exact.camera.project(points)
    assert np.abs(seen - np.stack([x, y], axis=1) - 0.5).max() < 0.02
    assert np.allclose(depth, exact.depth[y, x], rtol=1e-3)


@pytest.mark.parametrize(
    "words, projection",
    [
        ("eye level southwest", "perspective"), ("three-quarter", "perspective"), ("aerial", "perspective"),
        ("elevation south", "parallel"), ("isometric", "parallel"), ("plan", "parallel"), ("interior", "perspective"),
    ],
)  # fmt: skip
def test_views_by_intent(tmp_path, words, projection):
    model = iro.open_model(demo_path("landing.glb"))
    spec_free = iro.Model(model.data.__class__(**{**model.data.__dict__, "views": ()}))
    capture = spec_free.view(words, width=160)
    assert capture.exact.camera.projection == projection
    assert (capture.exact.regions > 0).mean() > 0.2


def test_views_file_comes_first(tmp_path):
    path = tmp_path / "views.toml"
    path.write_text('[[view]]\nname = "gate"\nposition = [0, -30, 2]\ntarget = [0, 0, 3]\nfield = 50\n')
    model = iro.open_model(demo_path("landing.glb"), views=path)
    assert model.views[0].name == "gate"
    assert model.view("gate", width=100).view == "gate"
    path.write_text('[[view]]\nname = "gate"\npositon = [0, -30, 2]\n')
    with pytest.raises(iro.IrodoriError, match="position"):
        iro.open_model(demo_path("landing.glb"), views=path)


def test_ground_goes_under_a_bare_model(tmp_path):
    model = iro.open_model(write_box(tmp_path / "box.glb"))
    with_ground, without = model.view("three-quarter", width=160), model.view("three-quarter", width=160, ground=False)
    assert (with_ground.exact.regions > 0).mean() > (without.exact.regions > 0).mean() + 0.2


def test_bad_models_say_what_is_wrong(tmp_path):
    with pytest.raises(iro.IrodoriError, match="no model file"):
        iro.open_model(tmp_path / "none.glb")
    (tmp_path / "bad.glb").write_bytes(b"glTF" + b"\0" * 40)
    with pytest.raises(iro.IrodoriError, match="damaged"):
        iro.open_model(tmp_path / "bad.glb")
    (tmp_path / "empty.obj").write_text("v 0 0 0\nv 1 0 0\n")
    with pytest.raises(iro.IrodoriError, match=r"triangle|damaged"):
        iro.open_model(tmp_path / "empty.obj")
    with pytest.raises(iro.IrodoriError, match="landing"):
        iro.open_model(demo_path("landing.glb")).view("landin")


@pytest.mark.parametrize("gap", [0, 14])
def test_a_selection_outline_may_have_gaps(tmp_path, gap):
    import cv2

    picture = np.full((300, 400, 3), (196, 200, 204), np.uint8)
    cv2.rectangle(picture, (60, 90), (340, 260), (150, 140, 128), -1)
    bare = picture.copy()
    cv2.rectangle(picture, (150, 120), (260, 220), (255, 140, 0), 2)
    # Leaves before it hide a piece.
    cv2.rectangle(picture, (180, 112), (180 + gap, 128), (90, 130, 70), -1)
    path = tmp_path / "marked.png"
    cv2.imwrite(str(path), picture[..., ::-1])
    capture = iro.open_capture(path, kind="shaded")
    assert any("outline" in said for said in capture.removed)
    left = np.abs(encode_srgb(capture.image) * 255 - bare).max(axis=2) > 12
    assert left[:, :170].sum() + left[:, 215:].sum() < 20


def test_a_coloured_frame_of_the_building_is_no_selection(tmp_path):
    import cv2

    picture = np.full((300, 400, 3), (196, 200, 204), np.uint8)
    cv2.rectangle(picture, (60, 90), (340, 260), (150, 140, 128), -1)
    cv2.rectangle(picture, (150, 120), (260, 220), (200, 60, 40), 14)
    path = tmp_path / "framed.png"
    cv2.imwrite(str(path), picture[..., ::-1])
    assert not iro.open_capture(path, kind="shaded").removed
