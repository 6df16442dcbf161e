"""Files that people write by hand, damaged in every way: each is read, or named in one line."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.corrections import parse_length
from irodori.core.errors import IrodoriError
from irodori.core.selectors import parse_selector
from irodori.demo.files import demo_path
from irodori.entourage.entourage_list import parse_where, read_entourage
from irodori.finishes.schedule import read_schedule
from irodori.light.distributions import read_ies
from irodori.light.lamps import read_lamps
from irodori.light.settings import make_light
from irodori.structure.corrections.file import read_corrections

IES = """IESNA:LM-63-2002
[TEST] none
TILT=NONE
1 1000 1 5 1 1 2 0.1 0.1 0.0
1.0 1.0 20
0 22.5 45 67.5 90
0
400 380 300 150 20
"""
LAMPS = """where,lamp,lumens,kelvin
name lamp*,street lamp,1800,3000
role lamp,pendant,900,2700
"""
VIEWS = """[[view]]
name = "quay"
position = [-9.0, -13.0, 1.7]
target = [0.5, 2.0, 2.0]
field = 60.0
"""
READERS = {
    "schedule.csv": (read_schedule, demo_path("finishes.csv").read_text("utf-8")),
    "entourage.csv": (read_entourage, demo_path("entourage.csv").read_text("utf-8")),
    "landing.reading.toml": (read_corrections, demo_path("landing-sketch.reading.toml").read_text("utf-8")),
    "beam.ies": (read_ies, IES),
    "lamps.csv": (read_lamps, LAMPS),
    "views.toml": (lambda path: iro.open_model(demo_path("landing.glb"), views=path), VIEWS),
}
STRANGE = ["", ",", ",,,,,,", "\x00", "−1", "1e999", "nan", '"', "'", "[[", "]]", "=", "é¡", "\r", "\t", "#", "name:", "0 0", "-5 m", "∞"]  # fmt: skip


def damaged(text, rng):
    """The text with one damage: a piece gone, doubled, swapped or replaced."""
    at, to = np.sort(rng.integers(0, len(text) + 1, 2))
    to = min(to, at + rng.integers(1, 40))
    how = rng.integers(5)
    if how == 0:
        return text[:at] + text[to:]
    if how == 1:
        return text[:to] + text[at:]
    if how == 2:
        return text[:at] + STRANGE[rng.integers(len(STRANGE))] + text[to:]
    if how == 3:
        lines = text.splitlines(keepends=True)
        rng.shuffle(lines)
        return "".join(lines)
    return text[:at]


@pytest.mark.parametrize("name", READERS)
def test_the_whole_file_is_read(tmp_path, name):
    read, text = READERS[name]
    path = tmp_path / name
    path.write_text(text, "utf-8")
    read(path)


@pytest.mark.parametrize("name", [name for name in READERS if name != "views.toml"])
@pytest.mark.parametrize("seed", range(8))
def test_damaged_files_are_read_or_named(tmp_path, name, seed):
    read, text = READERS[name]
    rng = np.random.default_rng(seed)
    path = tmp_path / name
    refused = 0
    for _ in range(30):
        path.write_text(damaged(text, rng), "utf-8", newline="")
        try:
            read(path)
        except IrodoriError as error:
            said = str(error)
            assert said.strip() and "\n" not in said and "Traceback" not in said
            refused += 1
    assert refused


@pytest.mark.parametrize("name", READERS)
@pytest.mark.parametrize("content", [b"", b"\xff\xfe\x00\x01", bytes(range(256)), b"\n" * 50])
def test_files_of_another_kind_are_named(tmp_path, name, content):
    read, _ = READERS[name]
    path = tmp_path / name
    path.write_bytes(content)
    try:
        read(path)
    except IrodoriError as error:
        assert str(error).strip() and "\n" not in str(error)


@pytest.mark.parametrize("parse", [parse_selector, parse_where, parse_length, make_light])
@pytest.mark.parametrize("text", STRANGE)
def test_strange_words_are_read_or_named(parse, text):
    try:
        parse(text)
    except IrodoriError as error:
        assert str(error).strip() and "\n" not in str(error)
