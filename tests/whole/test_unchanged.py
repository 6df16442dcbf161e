"""Readings and pictures are what they were when last looked at: to the byte on the kind of machine that recorded them.

`python tests/whole/test_unchanged.py` records them anew; do that only after looking at what changed.
"""

from __future__ import annotations

import hashlib
import json
import platform
import re
from pathlib import Path

import numba
import numpy as np
import pytest
import scipy

import irodori as iro
from irodori.demo.files import demo_path
from irodori.structure.corrections.file import corrections_for

RECORD = Path(__file__).with_name("unchanged.json")
CAPTURES = ("landing-shaded.png", "landing-line.png", "landing-sketch.png", "hall-shaded.png")
LIGHTS = ("noon", "dusk", "night")


def machine() -> str:
    """What bytes may depend on: processor and numerical libraries."""
    try:
        model = re.search(r"model name\s*:\s*(.*)", Path("/proc/cpuinfo").read_text())
        processor = model[1] if model else platform.processor()
    except OSError:
        processor = platform.processor()
    return f"{processor}; numpy {np.__version__}, scipy {scipy.__version__}, numba {numba.__version__}"


def digest(*arrays) -> str:
    hasher = hashlib.sha256()
    for array in arrays:
        hasher.update(np.ascontiguousarray(array).tobytes())
    return hasher.hexdigest()[:20]


def blocks(values: np.ndarray) -> list:
    """Means over some twenty by twelve blocks, rounded: what stays the same on other machines, too."""
    rows, columns = np.linspace(0, values.shape[0], 13).astype(int), np.linspace(0, values.shape[1], 21).astype(int)
    return [
        [round(float(np.mean(values[a:b, c:d])), 2) for c, d in zip(columns, columns[1:])] for a, b in zip(rows, rows[1:])
    ]  # fmt: skip


def of_reading(structure) -> dict:
    f = structure.fragments
    arrays = (
        structure.regions,
        structure.depth,
        structure.normal,
        structure.lines,
        structure.camera.matrix,
        f.region,
        f.weight,
    )
    depth = np.where(np.isfinite(structure.depth), np.log(np.maximum(structure.depth, 1e-3)), 9.0)
    roles = hashlib.sha256(structure.surfaces[["id", "role"]].to_json().encode()).hexdigest()[:20]
    return {"exact": digest(*arrays) + roles, "near": blocks(depth), "surfaces": len(structure.surfaces)}


def of_picture(picture) -> dict:
    return {"exact": digest(picture.encoded), "near": blocks(picture.encoded.mean(axis=2) * 255), "surfaces": 0}


def reading_of(name: str) -> dict:
    capture = iro.open_capture(demo_path(name))
    return of_reading(iro.read_structure(capture, corrections=corrections_for(capture)))


def picture_in(light: str) -> dict:
    structure = iro.open_model(demo_path("landing.glb")).view("landing", width=480).exact
    given = {"finishes": demo_path("finishes.csv"), "entourage": demo_path("entourage.csv")}
    return of_picture(iro.render(iro.dress(structure, light=light, **given), "draft"))


def check(name: str, found: dict) -> None:
    record = json.loads(RECORD.read_text())
    want = record["things"][name]
    if record["machine"] == machine():
        assert found["exact"] == want["exact"], f"{name} is no longer what it was; see the first lines of this file"
    assert abs(found["surfaces"] - want["surfaces"]) <= 0.02 * want["surfaces"]
    off = np.abs(np.array(found["near"]) - np.array(want["near"]))
    assert np.median(off) <= 0.5 and np.percentile(off, 95) <= 4, name


@pytest.mark.parametrize("name", CAPTURES)
def test_readings_are_what_they_were(name):
    check(name, reading_of(name))


@pytest.mark.parametrize("light", LIGHTS)
def test_pictures_are_what_they_were(light):
    check(light, picture_in(light))


if __name__ == "__main__":
    things = {name: reading_of(name) for name in CAPTURES} | {light: picture_in(light) for light in LIGHTS}
    RECORD.write_text(json.dumps({"machine": machine(), "things": things}) + "\n")
    print(f"recorded {len(things)} in {RECORD}")
