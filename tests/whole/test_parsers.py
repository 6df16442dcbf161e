"""Every parser of what people write, with anything at all: it understands, or refuses in one line."""

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import irodori as iro
from irodori.capture.model.views import read_views_file
from irodori.core.corrections import parse_length
from irodori.core.selectors import Selector, parse_selector
from irodori.entourage import read_entourage
from irodori.entourage.entourage_list import WAYS, parse_where
from irodori.finishes.catalogue import read_catalogue
from irodori.finishes.schedule import read_schedule
from irodori.light import find_setting, read_lamps
from irodori.light.distributions import read_ies
from irodori.settings.project_file import read_project_file
from irodori.settings.setting import settings as known_settings
from irodori.structure.corrections.file import read_corrections

anything = st.text(max_size=60)
words = st.sampled_from(
    ["where", "finish", "role", "wall", "name", "colour", "#a0b0c0", "pixel", "12,4", "mask", "at", "along", "within", "horizon", "=",
     "[[finish]]", "[[view]]", "[[surface]]", "[", "]", '"', ",", ";", "\n", "\t", "m", "2.10", "-3", "1e999", "nan", "noon", "@", "2026-06-21",
     "18:30", "TILT=NONE", "slate", "birch", "like", "true", "é", "​", "\\", "{", "}", "x"]
)  # fmt: skip
likely = st.lists(words, max_size=14).map(" ".join)
text = st.one_of(anything, likely)

PARSERS = {
    "selector": parse_selector,
    "schedule": lambda t: read_schedule("where,finish\n" + t),
    "schedule in TOML": lambda t: read_schedule("[[finish]]\n" + t),
    "catalogue": lambda t: read_catalogue("[a]\n" + t),
    "lamps": lambda t: read_lamps("where,lamp,lumens,kelvin,distribution\n" + t),
    "photometry": lambda t: read_ies("IESNA:LM-63-2002\n" + t),
    "place": parse_where,
    "entourage": lambda t: read_entourage("what,where,height,number,facing\n" + t),
    "light": find_setting,
    "length": parse_length,
}


@pytest.mark.parametrize("name", PARSERS)
@settings(max_examples=150, deadline=None)
@given(given_text=text)
@example(given_text="")
@example(given_text="1e400,1e400")
def test_anything_is_understood_or_refused(name, given_text):
    try:
        PARSERS[name](given_text)
    except iro.IrodoriError as error:
        assert str(error).strip() and "\n" not in str(error).replace(given_text, "").strip()


@pytest.mark.parametrize("reader", [read_corrections, read_views_file, read_project_file], ids=lambda r: r.__name__)
@settings(max_examples=120, deadline=None)
@given(given_text=text)
def test_files_of_anything_are_understood_or_refused(reader, given_text, tmp_path_factory):
    path = tmp_path_factory.getbasetemp() / f"{reader.__name__}.toml"
    path.write_text(given_text, encoding="utf-8")
    try:
        reader(path)
    except iro.IrodoriError as error:
        assert str(path) in str(error) or path.name in str(error)


@settings(max_examples=300, deadline=None)
@given(
    st.sampled_from([s for s in known_settings().values() if s.read is not None]), text | st.integers() | st.floats()
)
def test_settings_take_or_refuse_anything(one, value):
    try:
        one.checked(value)
    except (iro.IrodoriError, TypeError) as error:
        assert isinstance(error, iro.IrodoriError) or one.kind is not str, (one.name, value)


plain = st.text("abcdefgh *-", min_size=1, max_size=12).map(str.strip).filter(bool)
selectors = st.one_of(
    st.just(Selector("all", "")), st.sampled_from(["wall", "roof", "water"]).map(lambda r: Selector("role", r)),
    st.integers(0, 9999).map(lambda n: Selector("surface", n)),
    st.tuples(st.integers(0, 9999), st.integers(0, 9999)).map(lambda p: Selector("pixel", p)),
    st.integers(0, 0xFFFFFF).map(lambda c: Selector("colour", f"#{c:06x}")),
    plain.map(lambda n: Selector("name", n)), plain.map(lambda n: Selector("mask", f"{n}.png")),
)  # fmt: skip


@given(selectors)
def test_selectors_come_back_from_their_texts(selector):
    assert parse_selector(str(selector)) == selector


numbers = st.floats(-1e6, 1e6)


@given(st.sampled_from(sorted(WAYS)), st.lists(st.tuples(numbers, numbers), min_size=3, max_size=6))
def test_places_come_back_from_their_texts(way, points):
    written = f"{way} " + " ".join(f"{x!r},{y!r}" for x, y in points)
    assert parse_where(written).points == tuple(points)


@given(st.floats(0.01, 1e4), st.sampled_from(["m", "cm", "mm", "ft", "in"]), st.tuples(*[st.integers(0, 9000)] * 4))
def test_lengths_are_read_in_any_unit(value, unit, ends):
    a, b, c, d = ends
    read = parse_length(f"{a},{b} {c},{d} = {value:.6f} {unit}")
    metres = {"m": 1, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}[unit]
    assert read.metres == pytest.approx(round(value, 6) * metres) and read.start == (a, b) and read.end == (c, d)
