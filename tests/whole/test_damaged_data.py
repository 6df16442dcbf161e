"""Pictures, models and structures that were cut short or overwritten: each is read, or named in one line."""

import cv2
import numpy as np
import pytest
import trimesh
from PIL import Image

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.formats.exr import read_exr, write_exr
from irodori.formats.model.mesh_file import read_parts
from irodori.formats.read_image import read_image
from irodori.formats.recipe_text import read_recipe

PICTURES = ("png", "jpg", "tif", "bmp", "webp")
MODELS = ("glb", "obj", "stl", "ply")


def plain_image():
    image = np.full((60, 90, 3), 225, np.uint8)
    image[20:50, 15:45], image[30:50, 50:80] = (150, 120, 90), (90, 120, 150)
    return image


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """The bytes of a file of every kind."""
    folder = tmp_path_factory.mktemp("whole")
    box = trimesh.creation.box((4, 3, 2))
    for suffix in PICTURES:
        Image.fromarray(plain_image()).save(folder / f"a.{suffix}")
    for suffix in MODELS:
        box.export(folder / f"a.{suffix}")
    write_exr(folder / "a.exr", {"Z": np.linspace(1, 9, 5400, dtype=np.float32).reshape(60, 90)})
    iro.read_structure(iro.open_capture(folder / "a.png")).save(folder / "structure.exr")
    return {path.name: path.read_bytes() for path in folder.iterdir()}


def read(path):
    if path.name == "structure.exr":
        return iro.Structure.load(path)
    if path.suffix == ".exr":
        return read_exr(path)
    return read_image(path) if path.suffix[1:] in PICTURES else read_parts(path)


def read_or_named(path):
    """Whether the file could be read; an error has to be one line that names the file."""
    try:
        read(path)
    except IrodoriError as error:
        assert path.name in str(error) and "\n" not in str(error).strip()
        return False
    return True


FILES = [*(f"a.{suffix}" for suffix in (*PICTURES, *MODELS, "exr")), "structure.exr"]


@pytest.mark.parametrize("name", FILES)
def test_the_whole_file_is_read(tmp_path, whole, name):
    path = tmp_path / name
    path.write_bytes(whole[name])
    for beside, data in whole.items():
        if beside.startswith(name.split(".")[0]) and not (tmp_path / beside).exists():
            (tmp_path / beside).write_bytes(data)
    assert read_or_named(path)


@pytest.mark.parametrize("name", FILES)
@pytest.mark.parametrize("share", [0.0, 0.1, 0.45, 0.9])
def test_files_cut_short(tmp_path, whole, name, share):
    path = tmp_path / name
    path.write_bytes(whole[name][: int(share * len(whole[name]))])
    was_read = read_or_named(path)
    assert not (was_read and share == 0.0)


@pytest.mark.parametrize("name", FILES)
@pytest.mark.parametrize("seed", range(4))
def test_files_overwritten_here_and_there(tmp_path, whole, name, seed):
    rng = np.random.default_rng(seed)
    path = tmp_path / name
    for _ in range(6):
        data = np.frombuffer(whole[name], np.uint8).copy()
        at = rng.integers(0, len(data), rng.integers(1, 12))
        data[at] = rng.integers(0, 256, len(at))
        path.write_bytes(data.tobytes())
        read_or_named(path)


@pytest.mark.parametrize("name", FILES)
def test_files_under_another_name(tmp_path, whole, name):
    other = "a.glb" if name.split(".")[1] in (*PICTURES, "exr") else "a.png"
    path = tmp_path / name
    path.write_bytes(whole[other])
    assert not read_or_named(path) or name.split(".")[1] in PICTURES


@pytest.mark.parametrize("suffix", PICTURES)
def test_pictures_without_a_recipe_say_so(tmp_path, whole, suffix):
    path = tmp_path / f"a.{suffix}"
    path.write_bytes(whole[path.name])
    with pytest.raises(IrodoriError, match="recipe"):
        read_recipe(path)


@pytest.mark.parametrize("shape", [(1, 1), (1, 300), (300, 1), (2, 2), (3, 900), (16, 16)])
@pytest.mark.parametrize("shade", [0, 128, 255])
def test_pictures_of_one_colour_and_any_shape(tmp_path, shape, shade):
    path = tmp_path / "one.png"
    cv2.imwrite(str(path), np.full((*shape, 3), shade, np.uint8))
    try:
        structure = iro.read_structure(iro.open_capture(path), cache=False)
    except IrodoriError as error:
        assert "\n" not in str(error).strip()
        return
    assert structure.regions.shape == shape and structure.confidence < 0.6
    assert np.isfinite(structure.camera.matrix).all()


@pytest.mark.parametrize("kind", ["nan", "inf", "negative", "zero", "huge"])
def test_depth_that_cannot_be(tmp_path, whole, kind):
    (tmp_path / "a.png").write_bytes(whole["a.png"])
    depth = np.full((60, 90), 5.0, np.float32)
    depth[10:40, 20:70] = {"nan": np.nan, "inf": np.inf, "negative": -3.0, "zero": 0.0, "huge": 1e30}[kind]
    write_exr(tmp_path / "depth.exr", {"Z": depth})
    try:
        capture = iro.open_capture(tmp_path / "a.png", passes={"depth": tmp_path / "depth.exr"})
        structure = iro.read_structure(capture, cache=False)
    except IrodoriError as error:
        assert "\n" not in str(error).strip()
        return
    solid = structure.regions > 0
    assert np.isfinite(structure.depth[solid]).all() and np.isfinite(structure.normal).all()
