"""Moving pictures, read back by Pillow."""

import numpy as np
import pytest
from PIL import Image

from irodori.core.errors import OutputError
from irodori.formats.animation import write_animation

FRAMES = [np.full((40, 64, 3), tone, np.uint8) for tone in (30, 120, 210)]


@pytest.mark.parametrize("suffix", [".webp", ".png", ".gif"])
def test_frames_come_back_in_their_order_and_time(tmp_path, suffix):
    path = write_animation(tmp_path / f"day{suffix}", FRAMES, 0.25)
    with Image.open(path) as image:
        assert image.n_frames == 3
        for number, frame in enumerate(FRAMES):
            image.seek(number)
            image.load()
            assert image.info["duration"] == pytest.approx(250, abs=10)
            assert abs(float(np.asarray(image.convert("RGB")).mean()) - frame.mean()) < 4


@pytest.mark.parametrize(
    "name, frames, seconds, told", [
        ("day.bmp", FRAMES, 1.0, "no moving picture"), ("day.gif", [], 1.0, "needs frames"), ("day.gif", FRAMES, 0.0, "out of range"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_told(tmp_path, name, frames, seconds, told):
    with pytest.raises(OutputError, match=told):
        write_animation(tmp_path / name, frames, seconds)
    assert not list(tmp_path.iterdir())
