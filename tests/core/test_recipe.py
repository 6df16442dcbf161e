"""Recipes: complete, versioned, comparable, whatever the decisions were given as."""

import filecmp
import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import irodori as iro
from irodori.core.corrections import Corrections
from irodori.core.recipe import (
    Balance,
    Change,
    FromCapture,
    FromModel,
    LensChoice,
    LightChoice,
    LightInFull,
    Reading,
    Recipe,
    ViewCamera,
)
from irodori.core.selectors import Selector
from irodori.entourage import ENTOURAGE, EntourageList, Entry
from irodori.entourage.entourage_list import Where
from irodori.finishes import FINISHES, Rule, Schedule
from irodori.light import make_light
from irodori.light.distributions import spread
from irodori.light.lamps import LampRule, LampSchedule, make_lamp

OLD = {
    "irodori": "0.1.0", "structure": "9f0c", "seed": 3, "quality": "draft", "bits": 16, "finishes": "where,finish\nall,slate\n",
    "origin": {
        "model": ["house.glb"], "model_digest": "77aa", "view": "street", "width": 640, "height": 400, "ground": True,
        "north": 12.0, "style": "shaded", "up": None, "unit": "cm", "views": "views.toml", "eye_height": None, "learned": False,
        "corrections": '{"surface":[{"at":[4.0,5.0],"role":"wall"}]}',
    },
    "light": {"light": "dusk, broken cloud", "north": 12.0, "exposure": 0.5}, "balance": {"lamps": 2.0, "exposure": 0.0},
    "lens": {"grain": 0.2}, "entourage": "what,where\nbirch,\"at 1,2\"\n", "season": "autumn", "covered": "8x8 x",
}  # fmt: skip
"""A recipe as version 1 wrote it."""


def test_older_recipes_open_with_all_they_said():
    recipe = Recipe.from_text(json.dumps(OLD))
    assert recipe.version == 2 and recipe.output.bits == 16 and recipe.seed == 3 and recipe.exposure == 0.5
    assert isinstance(recipe.source, FromModel) and recipe.source.files == ("house.glb",) and recipe.source.unit == "cm"
    assert recipe.source.views == "views.toml" and recipe.source.digest == "77aa"
    assert not recipe.reading.learned and recipe.reading.corrections.surface[0].role == "wall"
    assert recipe.light == LightChoice(name="dusk, broken cloud", north=12.0)
    assert recipe.balance == Balance(lamps=2.0) and recipe.lens == LensChoice(grain=0.2)
    assert recipe.season == "autumn" and recipe.facts.covered == "8x8 x"
    assert Recipe.from_text(recipe.text) == recipe


def test_an_old_capture_is_opened_as_it_was():
    origin = {
        "capture": "a.png",
        "capture_digest": "11",
        "kind": "line",
        "clean": False,
        "keep": [],
        "remove": ["grid"],
        "passes": {},
    }
    recipe = Recipe.from_text(json.dumps(OLD | {"origin": origin}))
    assert recipe.source == FromCapture(file="a.png", digest="11", kind="line", clean=False, remove=("grid",))


@pytest.mark.parametrize(
    "text, words",
    [
        ('{"version": 99}', "newer"),
        ('{"version": 2, "colour": 1}', "colour"),
        ('{"version": 2, "seed": "many"}', "seed"),
        ('{"version": 2, "steps": [{"step": "polish"}]}', "polish"),
        ('{"irodori": "0.1.0"}', "missing"),
        ("[1, 2]", "damaged"),
        ("{", "damaged"),
    ],
)
def test_what_cannot_be_understood_is_one_line(text, words):
    with pytest.raises(iro.IrodoriError, match=words) as error:
        Recipe.from_text(text, "a.png")
    assert "\n" not in str(error.value) and "a.png" in str(error.value)


texts = st.text(max_size=40)
recipes = st.builds(
    Recipe, seed=st.integers(), exposure=st.floats(-9, 9), finishes=texts, entourage=texts, season=texts, quality=texts,
    source=st.one_of(
        st.builds(FromCapture, file=texts, keep=st.lists(texts, max_size=3).map(tuple), passes=st.dictionaries(texts, texts, max_size=2)),
        st.builds(FromModel, files=st.lists(texts, max_size=3).map(tuple), camera=st.none() | st.builds(
            ViewCamera, position=st.tuples(*[st.floats(-1e6, 1e6)] * 3), target=st.tuples(*[st.floats(-1e6, 1e6)] * 3))),
    ),
    reading=st.builds(Reading, eye_height=st.none() | st.floats(0.05, 2000), learned=st.booleans()),
    light=st.one_of(st.builds(LightChoice, name=texts), st.builds(
        LightInFull, name=texts, values=st.dictionaries(texts, st.floats(allow_nan=False, allow_infinity=False), max_size=3),
        arrays=st.dictionaries(texts, texts, max_size=2))),
    steps=st.lists(st.builds(Change, mask=texts, by=st.builds(Recipe, seed=st.integers())), max_size=2).map(tuple),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(recipes)
def test_every_recipe_comes_back_from_its_text(recipe):
    assert Recipe.from_text(recipe.text) == recipe
    assert recipe.difference(Recipe.from_text(recipe.text)) == []


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=80) | st.recursive(st.none() | st.integers() | texts, lambda inner: st.lists(inner) | st.dictionaries(texts, inner)).map(json.dumps))  # fmt: skip
def test_no_text_is_more_than_refused(text):
    try:
        Recipe.from_text(text)
    except iro.IrodoriError as error:
        assert str(error)


def test_differences_are_named_in_words():
    one = Recipe(light=LightChoice(name="noon"), finishes="where,finish\nall,slate\n", source=FromCapture(file="a.png"))
    two = one.but(light=LightChoice(name="dusk"))
    assert one.difference(two) == ["light: 'noon' here, 'dusk' there"]
    assert one.difference(one.but(facts=one.facts.model_copy(update={"metered": 2.0}))) == []
    said = one.difference(one.but(finishes="where,finish\nall,linen\n", seed=8, source=FromCapture(file="b.png")))
    assert said == [
        "source, file: a.png here, b.png there",
        "finish schedule: 'all,slate' only here; 'all,linen' only there",
        "seed: 7 here, 8 there",
    ]


@pytest.fixture(scope="module")
def tiny(model):
    """A small view of the hall, which has lamps."""
    return iro.read_structure(model.view("hall", width=96))


def repeated(scene, tmp_path):
    """A draft of a scene and the same made from its file alone; and the recipe in it."""
    path = iro.render(scene, "draft").save(tmp_path / "one.png")
    again = iro.repeat(path).save(tmp_path / "two.png")
    assert filecmp.cmp(path, again, shallow=False)
    return Recipe.of(path)


def test_a_schedule_built_in_python_is_written_out(tiny, tmp_path):
    own = FINISHES["oiled oak"].changed(colour="#302018", gloss=0.7)
    rules = (
        Rule("A", Selector("role", "floor"), FINISHES["slate"]),
        Rule("B", Selector("role", "wall"), own),
        Rule("C", Selector("pixel", (40, 20)), own.changed(age=0.5)),
    )
    recipe = repeated(iro.dress(tiny, Schedule(rules), "noon"), tmp_path)
    assert "slate" in recipe.finishes and "oiled oak (2)" in recipe.catalogue and "#302018" in recipe.catalogue
    assert "pixel 40,20" in recipe.finishes and "oiled oak (3)" in recipe.catalogue


def test_a_light_changed_in_python_is_written_out(tiny, tmp_path):
    light = make_light("dusk")
    named = repeated(iro.dress(tiny, None, light, exposure=0.5), tmp_path)
    assert named.light == LightChoice(name="dusk") and named.exposure == 0.5
    table = light.dome.table * np.float32([1.2, 1.0, 0.8])
    changed = replace(light, lamp_level=0.3, dome=replace(light.dome, table=table))
    recipe = repeated(iro.dress(tiny, None, changed), tmp_path)
    assert isinstance(recipe.light, LightInFull) and recipe.light.values["lamp_level"] == 0.3
    assert recipe.difference(named) == [
        "exposure: 0 here, 0.5 there",
        "light: 'dusk' here, 'dusk' there, with other values",
    ] or (recipe.difference(named)[0].startswith("light: 'dusk' here"))


def test_lamps_built_in_python_are_written_out(tiny, tmp_path):
    bare = make_lamp("pendant")
    lamps = LampSchedule((
        LampRule("", "role lamp", replace(bare, lumens=1234.5, kelvin=2750.0, table=spread("beam", 31.7), tilt=10.0)),
        LampRule("P", "name pendant*", replace(bare, table=None)),
    ))  # fmt: skip
    recipe = repeated(iro.dress(tiny, None, "night", lamps=lamps), tmp_path)
    assert (
        "1234.5" in recipe.lamps and "surface" in recipe.lamps and recipe.photometry["table 1"].startswith("<f8 91x36 ")
    )


def test_additions_built_in_python_are_written_out(view, tmp_path):
    own = replace(ENTOURAGE["birch"], name="our birch", height=3.0, summer="#aa3311")
    listed = EntourageList((
        Entry("T", own, Where("at", ((9.0, -1.5, 0.0),)), height=2.75),
        Entry("", ENTOURAGE["reeds"], Where("pixel", ((100.0, 240.0),)), number=3, over=True),
    ))  # fmt: skip
    recipe = repeated(iro.dress(view.exact, None, "noon", entourage=listed), tmp_path)
    assert '[kind."our birch"]' in recipe.entourage and "2.75" in recipe.entourage


def test_corrections_built_in_python_are_written_out(small_picture, tmp_path):
    capture = iro.open_capture(small_picture, kind="shaded")
    given = Corrections.model_validate({"surface": [{"at": (40, 50), "role": "door"}], "eye_height": 2.5})
    structure = iro.read_structure(capture, corrections=given)
    recipe = repeated(iro.dress(structure, None, "noon"), tmp_path)
    assert recipe.reading.corrections == given
    assert "door" in set(structure.surfaces["role"])


def test_a_view_built_in_python_is_written_out(model, tmp_path):
    spec = iro.ViewSpec("mine", (15.0, -9.0, 4.0), (0.0, 8.0, 2.0), field=50.0, shift=(0.5, 0.6))
    recipe = repeated(iro.dress(model.view(spec, width=80).exact, None, "noon"), tmp_path)
    assert recipe.source.camera.shift == (0.5, 0.6)


def test_the_recipe_stands_alone(tiny, tmp_path):
    picture = iro.render(iro.dress(tiny, None, "night"), "draft").rebalanced(lamps=0.5)
    file = picture.recipe.save(tmp_path / "night.json")
    assert Recipe.of(file) == picture.recipe and Recipe.of(picture) is picture.recipe
    from irodori.study.job import Job

    assert np.array_equal(Job(Recipe.of(file)).run().developed, picture.developed)


def test_what_lay_in_memory_is_asked_for(tmp_path):
    image = np.full((90, 140, 3), 230, np.uint8)
    image[30:80, 20:60] = (150, 120, 90)
    structure = iro.read_structure(iro.open_capture(image))
    path = iro.render(iro.dress(structure, None, "noon"), "draft").save(tmp_path / "a.png")
    with pytest.raises(iro.IrodoriError, match=r"memory.*--capture"):
        iro.repeat(path)
    from PIL import Image

    Image.fromarray(image).save(tmp_path / "in.png")
    again = iro.repeat(path, capture=tmp_path / "in.png")
    assert filecmp.cmp(path, again.save(tmp_path / "b.png"), shallow=False)


def test_jpeg_says_when_a_recipe_is_too_long(tiny, tmp_path):
    picture = iro.render(iro.dress(tiny, None, "noon"), "draft")
    chance = np.random.default_rng(1).integers(33, 126, 90_000).astype(np.uint8).tobytes().decode()
    picture.recipe = picture.recipe.but(finishes=chance)
    with pytest.raises(iro.IrodoriError, match="PNG"):
        picture.save(tmp_path / "a.jpg")
    assert not list(tmp_path.iterdir())
    assert Recipe.of(picture.save(tmp_path / "a.png")).finishes == chance


def test_other_programs_may_write_the_packet_anew(tiny, tmp_path):
    from irodori.formats.recipe_text import text_in_xmp, xmp_packet

    recipe = Recipe(entourage="what,where\n\"<birch> & 'reeds'\",\x41\n")
    packet = xmp_packet(recipe)
    assert Recipe.from_text(text_in_xmp(packet)) == recipe
    moved = packet.replace("irodori:recipe=", "n0:recipe=").replace("xmlns:irodori=", "xmlns:n0=")
    assert Recipe.from_text(text_in_xmp(moved)) == recipe
    assert text_in_xmp("<x:xmpmeta") is None and text_in_xmp("") is None
