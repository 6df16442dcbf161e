"""The proof must pass what stayed and fail what moved, and say by how much."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.demo.files import demo_path


def warped(image, matrix):
    height, width = image.shape[:2]
    return cv2.warpAffine(image, np.array(matrix, float), (width, height), flags=cv2.INTER_CUBIC)


def test_own_rendering_is_in_register(shaded, picture):
    report = iro.prove(shaded, picture)
    assert report.in_register, report.reasons
    assert report.edge_recall >= 0.985
    assert report.drift["median"] <= 0.08
    assert report.similarity["scale"] == pytest.approx(1.0, abs=3e-4)
    assert not report.changed


def test_pixels_only_picture_against_the_model_itself(model, picture):
    exact = model.view("landing", width=1280).exact
    report = iro.prove(exact, picture)
    assert report.edge_recall > 0.95
    assert report.drift["median"] < 0.15


def test_a_capture_lies_on_the_model_it_was_taken_from(model, shaded):
    # Two independent ways to the same edges: traced coverage, and the drawn picture.
    report = iro.prove(model.view("landing", width=1280), shaded)
    assert report.in_register
    assert report.edge_recall > 0.995 and report.drift["median"] < 0.03


def test_shift_is_found_and_measured(shaded, picture):
    report = iro.prove(shaded, np.roll(picture.developed, 2, axis=1))
    assert not report.in_register
    assert report.similarity["shift"][0] == pytest.approx(2.0, abs=0.15)
    assert any("shifted" in reason for reason in report.reasons)


@pytest.mark.parametrize("shift", [0.5, 1.0])
def test_small_shifts_are_found_too(shaded, picture, shift):
    report = iro.prove(shaded, warped(picture.developed, [[1, 0, 0], [0, 1, shift]]))
    assert report.similarity["shift"][1] == pytest.approx(shift, abs=0.15)
    assert not report.in_register


@pytest.mark.parametrize(
    "opacity, beside, exact",
    [(1.0, (0.86, 0.55), 0.02), (1.0, (0.86, 0.26), 0.02), (1.0, (0.5, 0.45), 0.02), (0.7, (0.86, 0.55), 0.05)],
)
def test_a_drawn_line_lies_where_the_step_under_it_is(opacity, beside, exact):
    # Strips of two tones, once with lines drawn over their borders, once without, and with those borders elsewhere.
    fine, size, pitch, slope = 16, 240, 24.0, 0.13
    row, column = (np.mgrid[0 : size * fine, 0 : size * fine] + 0.5) / fine

    def drawn(shift, ink):
        place = (column - slope * row - shift) / np.hypot(1, slope) / pitch
        strip = np.where(np.floor(place) % 2 == 0, *beside)
        if ink:
            line = np.abs((place + 0.5) % 1 - 0.5) * pitch < 0.5
            strip = np.where(line, strip + opacity * (0.12 - strip), strip)
        return np.repeat(strip.reshape(size, fine, size, fine).mean(axis=(1, 3))[..., None], 3, axis=2).astype(
            np.float32
        )

    reference = drawn(0.0, True)
    assert iro.prove(reference, drawn(0.0, False)).drift["median"] < exact
    assert iro.prove(reference, drawn(0.3, False)).drift["median"] == pytest.approx(0.3, abs=2 * exact)


def test_scale_is_found_and_measured(shaded, picture):
    width, height = picture.size
    report = iro.prove(shaded, warped(picture.developed, [[1.01, 0, -0.005 * width], [0, 1.01, -0.005 * height]]))
    assert not report.in_register
    assert report.similarity["scale"] == pytest.approx(1.01, abs=0.001)
    assert any("scaled" in reason for reason in report.reasons)


def test_rotation_is_found_and_measured(shaded, picture):
    width, height = picture.size
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), -0.3, 1.0)
    report = iro.prove(shaded, warped(picture.developed, turn))
    assert not report.in_register
    assert abs(report.similarity["rotation"]) == pytest.approx(0.3, abs=0.05)


def test_a_painted_window_is_found_where_it_is(shaded, picture):
    painted = picture.developed.copy()
    painted[420:480, 520:600] = painted[420, 520]
    report = iro.prove(shaded, painted)
    assert not report.in_register
    lost = [c for c in report.changed if c.kind == "lost"]
    assert lost
    x0, y0, x1, y1 = lost[0].box
    assert 500 < x0 < x1 < 620 and 400 < y0 < y1 < 500


def test_another_view_is_out_of_register(shaded):
    report = iro.prove(shaded, demo_path("aerial-shaded.png"))
    assert not report.in_register
    assert report.edge_recall < 0.6


def test_a_finished_picture_may_be_the_reference(picture):
    assert iro.prove(picture, picture.developed).in_register
    brighter = (255 * (picture.developed / 255.0) ** 0.8).astype(np.uint8)
    assert iro.prove(picture, brighter).in_register


def test_sizes(shaded, picture):
    half = cv2.resize(picture.developed, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    report = iro.prove(shaded, half)
    assert any("compared at" in note for note in report.notes)
    with pytest.raises(iro.IrodoriError, match="proportions"):
        iro.prove(shaded, picture.developed[:, :900])


def test_nothing_to_compare():
    flat = np.full((60, 80, 3), 128, np.uint8)
    with pytest.raises(iro.IrodoriError, match="no edges"):
        iro.prove(flat, flat)
    with pytest.raises(iro.IrodoriError, match="Cannot compare"):
        iro.prove(3, flat)


def test_heatmap_marks_what_was_lost(shaded, picture):
    painted = picture.developed.copy()
    painted[420:480, 520:600] = painted[420, 520]
    report = iro.prove(shaded, painted)
    heat = report.heatmap().astype(int)
    assert heat.shape == painted.shape
    pink = (heat[..., 0] > 180) & (heat[..., 1] < 80) & (heat[..., 2] > 60)
    assert pink[410:490, 510:610].sum() > 50
