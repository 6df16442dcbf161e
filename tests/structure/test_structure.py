"""Readings against ground truth from the model, and what a reading promises."""

import numpy as np
import pytest

import irodori as iro
from irodori.demo.files import demo_path
from irodori.formats.exr import write_exr
from irodori.formats.write_image import write_image


def camera_normals(structure, mask):
    return structure.normal[mask] @ structure.camera.rotation.T


def angle_share(structure, exact, limit=11.25):
    both = (structure.regions > 0) & (exact.regions > 0)
    dot = (camera_normals(structure, both) * camera_normals(exact, both)).sum(axis=1)
    return (np.degrees(np.arccos(np.clip(dot, -1, 1))) < limit).mean()


@pytest.mark.parametrize(
    "name, share, focal", [("landing", 0.75, 0.02), ("aerial", 0.7, 0.02), ("gangway", 0.65, 0.03), ("hall", 0.7, 0.03)]
)
def test_reading_from_pixels_alone(model, name, share, focal):
    capture = iro.open_capture(demo_path(f"{name}-shaded.png"))
    structure = iro.read_structure(capture)
    width, height = capture.size
    exact = model.view(name, width=width, height=height).exact
    assert structure.camera.focal == pytest.approx(exact.camera.focal, rel=focal)
    assert angle_share(structure, exact) > share
    sky, truth = structure.regions == 0, exact.regions == 0
    if truth.mean() > 0.05:
        assert (sky & truth).sum() / (sky | truth).sum() > 0.9


def test_depth_is_right_up_to_scale(model, reading):
    exact = model.view("landing", width=1280).exact
    both = np.isfinite(exact.depth) & np.isfinite(reading.depth) & (exact.depth < 200)
    ratio = reading.depth[both] / exact.depth[both]
    ratio /= np.median(ratio)
    assert (np.maximum(ratio, 1 / ratio) < 1.25).mean() > 0.75


def test_borders_lie_where_the_model_has_them(model, reading):
    report = iro.prove(reading, model.view("landing", width=1280).exact)
    assert report.drift["median"] < 0.03


def test_coverage_adds_up(reading, view):
    for structure in (reading, view.exact):
        fragments = structure.fragments
        width, height = structure.size
        total = np.bincount(fragments.pixel, fragments.weight, minlength=width * height)
        assert np.allclose(total, 1.0, atol=1e-4)
        assert np.array_equal(fragments.region[fragments.first()].reshape(height, width), structure.regions)


def test_save_and_load(reading, tmp_path):
    exr, sidecar = reading.save(tmp_path / "landing.exr")
    assert exr.is_file() and sidecar.is_file()
    again = iro.Structure.load(exr)
    assert np.array_equal(again.regions, reading.regions)
    assert np.allclose(again.camera.matrix, reading.camera.matrix)
    assert list(again.surfaces["role"]) == list(reading.surfaces["role"])
    assert len(again.fragments) == len(reading.fragments)
    with pytest.raises(iro.IrodoriError):
        iro.Structure.load(tmp_path / "none.exr")


def test_a_second_reading_comes_from_the_cache(small_picture, monkeypatch):
    capture = iro.open_capture(small_picture, kind="shaded")
    first = iro.read_structure(capture)
    import irodori.structure.read as module

    def fail(*_):
        raise AssertionError("read again")

    monkeypatch.setattr(module, "read_pixels", fail)
    again = iro.read_structure(iro.open_capture(small_picture, kind="shaded"))
    assert np.array_equal(again.regions, first.regions)


def test_preview_is_a_picture(reading):
    preview = reading.preview()
    assert preview.shape == (800, 1280, 3) and preview.dtype == np.uint8
    assert len(np.unique(preview.reshape(-1, 3), axis=0)) > 50


@pytest.fixture(scope="module")
def pass_files(model, tmp_path_factory):
    folder = tmp_path_factory.mktemp("passes")
    exact = model.view("hall", width=1280).exact
    write_exr(folder / "depth.exr", {"Z": exact.depth})
    write_exr(folder / "normal.exr", {c: np.ascontiguousarray(exact.normal[..., i]) for i, c in enumerate("XYZ")})
    colours = np.random.default_rng(0).integers(0, 255, (int(exact.regions.max()) + 1, 3)).astype(np.uint8)
    write_image(folder / "id.png", colours[exact.regions])
    far = 60.0
    shown = np.where(np.isfinite(exact.depth), np.clip(exact.depth / far, 0, 0.9999), 1.0)
    write_image(folder / "depth16.png", np.repeat((shown * 65535).round().astype(np.uint16)[..., None], 3, axis=2))
    return folder, exact


@pytest.mark.parametrize("names", [("depth",), ("depth", "normal"), ("depth", "id")])
def test_passes_give_the_camera_and_the_planes(pass_files, names):
    folder, exact = pass_files
    files = {"depth": "depth.exr", "normal": "normal.exr", "id": "id.png"}
    capture = iro.open_capture(demo_path("hall-shaded.png"), {n: folder / files[n] for n in names})
    structure = iro.read_structure(capture)
    assert structure.camera.focal == pytest.approx(exact.camera.focal, rel=0.005)
    assert structure.camera.position[2] == pytest.approx(exact.camera.position[2], abs=0.1)
    assert angle_share(structure, exact) > 0.93


def test_sixteen_bit_depth(pass_files):
    folder, exact = pass_files
    capture = iro.open_capture(demo_path("hall-shaded.png"), {"depth": folder / "depth16.png"}, near=0.0, far=60.0)
    assert iro.read_structure(capture).camera.focal == pytest.approx(exact.camera.focal, rel=0.01)


def test_parallel_depth_is_told_apart(model):
    capture = model.view("isometric", width=640)
    exact = capture.exact
    from irodori.structure.from_passes import _projection, _regions

    solid = np.isfinite(exact.depth)
    regions = _regions(exact.depth, solid, None, exact.regions, None)
    assert _projection(regions, exact.depth) == "parallel"
