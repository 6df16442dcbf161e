"""Captures from paths, files, arrays and Pillow images are one and the same."""

import io

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.recipe import FromCapture, FromMemory


def test_whatever_holds_the_pixels_they_are_read_alike(small_picture):
    pixels = np.asarray(Image.open(small_picture).convert("RGB"))
    want = iro.open_capture(small_picture)
    assert isinstance(want.origin, FromCapture)
    with open(small_picture, "rb") as file:
        opened = iro.open_capture(file)
    assert opened.digest == want.digest and opened.origin == want.origin
    for given in (
        pixels, pixels / 255.0, pixels.astype(np.uint16) * 257, Image.open(small_picture), Image.fromarray(pixels),
        io.BytesIO(small_picture.read_bytes()), str(small_picture),
    ):  # fmt: skip
        capture = iro.open_capture(given)
        assert np.abs(capture.image - want.image).max() < 1e-6 and capture.kind == want.kind
        if not isinstance(given, str):
            assert isinstance(capture.origin, FromMemory) and capture.name == "capture"


def test_grey_and_see_through_arrays():
    chance = np.random.default_rng(2)
    grey = chance.integers(90, 200, (60, 80)).astype(np.uint8)
    assert iro.open_capture(grey, clean=False).image.shape == (60, 80, 3)
    clear = np.dstack([np.repeat(grey[..., None], 3, axis=2), np.where(np.arange(80) < 40, 255, 0) * np.ones((60, 1), int)]).astype(np.uint8)  # fmt: skip
    capture = iro.open_capture(clear, clean=False)
    assert capture.alpha is not None and capture.alpha[:, :40].min() == 1 and capture.alpha[:, 40:].max() == 0


@pytest.mark.parametrize(
    "given, words",
    [
        (np.zeros((4, 5, 7)), "shape"),
        (np.full((40, 40, 3), 2.0), "0 to 1"),
        (np.full((40, 40, 3), np.nan), "0 to 1"),
        (np.zeros((40, 40, 3), np.int64), "int64"),
        (np.zeros((4, 4, 3), np.uint8), "16 × 16"),
        (io.StringIO("text"), "rb"),
        (io.BytesIO(b"no picture"), "not a picture"),
        (42, "int"),
        (np.zeros((9000, 9000), np.uint8), "megapixels"),
    ],
)
def test_what_is_no_picture_is_named(given, words):
    with pytest.raises(iro.IrodoriError, match=words) as error:
        iro.open_capture(given)
    assert "\n" not in str(error.value)
