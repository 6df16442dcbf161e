"""Briefs: what phrases decide, and that nothing is passed over in silence."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import irodori as iro
from irodori.brief.lexicon import language, languages, meanings
from irodori.brief.settings import settings_of
from irodori.brief.tokens import tokens_of
from irodori.core.errors import BriefError, IrodoriError
from irodori.entourage.catalogue import ENTOURAGE
from irodori.finishes import FINISHES
from irodori.light import LIGHTS, WEATHERS, make_light
from irodori.picture.film import FILMS


def lines(text, avoid=""):
    return iro.understand(text, avoid=avoid).lines


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("dark red brick", ["finish wall: red brick, stretcher bond; dark"]),
        ("oak floor but white walls", ["finish floor: oak parquet, planks", "colour wall: white"]),
        ("only the roof in copper", ["finish roof: brown copper"]),
        ("everything white except the doors", ["colour everything except door: white"]),
        ("40 mm gravel", ["finish paving: gravel; 40 mm"]),
        ("three birches on the left", ["add birch: 3; left"]),
        ("a person by the door", ["add person: 1; by door"]),
        ("roughly ten people", ["life: 10"]),
        ("slate behind the hall", ["finish roof behind hall: slate"]),
        ("larch on the upper floor", ["finish wall on upper floor: larch boards, upright"]),
        ("no people, without cars", ["life: none", "leave out: car"]),
        ("not too dark", ["exposure: +1"]),
        ("much warmer, slightly less contrast", ["warmth: +3", "contrast: -1"]),
        ("later in the evening", ["light: later"]),
        ("slaet roof", ["finish roof: slate"]),
        ("too dark, a bit too orange", ["exposure: +2", "warmth: -2"]),
        ("less blue, not so much contrast", ["warmth: +2", "contrast: -1"]),
        ("walls #e8e2d6, black windows", ["colour wall: #e8e2d6", "colour frame: black"]),
        ("sun from the left, 8 pm in June", ["sun: left", "light: golden hour", "season: summer"]),
        ("take out the tree by the door", ["leave out: tree by door"]),
        ("the bench must go", ["leave out: bench"]),
        ("silver birches, at least ten", ["add birch: 10"]),
        ("the left wall blue and the right one yellow", ["colour wall on the left: blue", "colour wall on the right: yellow"]),
        ("the kiosk red, everything else as it is", ["colour wall of kiosk: red", "finish everything except kiosk: as found"]),
        ("I'd prefer zinc to slate", ["finish roof: standing seam zinc", "leave out: slate"]),
        ("brick walls painted white", ["finish wall: limewashed brick"]),
        ("larch windows, less haze", ["finish frame: larch boards, upright", "leave out: hazy"]),
        ("roof in zinc, no, copper", ["finish roof: brown copper"]),
        ("roof: zinc; walls: pale brick", ["finish roof: standing seam zinc", "finish wall: pale brick, stretcher bond"]),
        ("Zinkdach, Wände in dunkelrotem Backstein", ["finish roof: standing seam zinc", "finish wall: red brick, stretcher bond; dark"]),
        ("alles weiß außer den Türen", ["colour everything except door: white"]),
        ("kein Nebel, zwei Birken hinter der Halle", ["leave out: fog", "add birch: 2; behind hall"]),
    ],
)  # fmt: skip
def test_phrases_decide(text, wanted):
    assert lines(text) == wanted


def test_what_came_later_holds_and_what_is_avoided_goes_first():
    brief = iro.understand("morning, three cars, zinc roof, slate roof, dusk", avoid="cars")
    assert brief.value("light") == "dusk" and brief.value("add") is None
    gone = {d.line: d.overruled for d in brief.decisions if d.overruled}
    assert set(gone) == {"light: morning", "add car: 3", "finish roof: standing seam zinc"} and all(gone.values())
    assert "comes later" in gone["light: morning"] and "left out" in gone["add car: 3"]


def test_unknown_and_idle_words_are_told_with_the_nearest():
    brief = iro.understand("slate roof, holographic cladding, a polishd hall")
    told = {u.phrase: u for u in brief.unknown}
    assert "holographic" in told and not told["holographic"].why
    assert iro.understand("the hall").unknown[0].why
    table = brief.table()
    assert list(table["decision"]).count("not understood") == len(brief.unknown)
    assert any("read as" in " ".join(d.notes) for d in iro.understand("a gravle path").decisions)


@pytest.mark.parametrize(
    "text",
    [
        "wooden louvres before the windows", "splashback of zellige tiles", "copper rain pipes", "palm trees", "polished brass door handles",
        "window reveals in copper", "paint the door the same colour as the roof", "I don't want the glass to be tinted",
        "sprinkle some fairy dust on the birch", "beach towels, deck games", "mostly white with wooden accents", "kids' playground",
    ],
)  # fmt: skip
def test_what_is_said_of_unknown_things_changes_nothing_else(text):
    brief = iro.understand(text)
    assert not brief.lines and brief.unknown


@pytest.mark.parametrize(("wrong", "right"), [("brik", "brick"), ("gravle", "gravel"), ("lavander", "lavender")])
def test_slips_are_mended_and_other_words_are_not(wrong, right):
    assert lines(f"{wrong} by the door") == lines(f"{right} by the door") != []
    assert not lines("beach, deck, state")


WORDS = [spelt for code in languages() for spelt in language(code).spelt.values()]


@settings(max_examples=300, deadline=None, derandomize=True)
@given(
    st.lists(
        st.one_of(
            st.sampled_from(WORDS),
            st.text(st.characters(exclude_characters="\0"), max_size=9),
            st.sampled_from([",", ".", ";", ":", "\n", "12", "40 mm", "2 x 3 m"]),
        ),
        max_size=14,
    )
)
def test_no_text_stops_it_and_every_telling_word_is_accounted_for(pieces):
    text = " ".join(pieces)
    brief = iro.understand(text)
    spans = [(d.start, d.start + len(d.phrase)) for d in brief.decisions] + [
        (u.start, u.start + len(u.phrase)) for u in brief.unknown
    ]
    assert all(0 <= a <= b <= len(text) for a, b in spans)
    for decision in brief.decisions:
        assert decision.line and decision.phrase
    tokens = tokens_of(text, language(brief.language))
    held = [t for t in tokens if any(a < t.end and t.start < b for a, b in spans)]
    for token in tokens:
        if token.has("material") or token.has("colour") or token.has("mood") or not token.meanings:
            # What is said twice counts once.
            assert token in held or any(token.meanings and t.meanings == token.meanings for t in held), token


def test_whatever_a_brief_decides_can_be_done():
    """Names that the lexicon leads to are those of the catalogue, the lights, the weathers and the films."""
    told = meanings()
    finishes = {m["finish"] for m in told["material"].values()}
    for material in told["material"].values():
        finishes |= {
            *material.get("on", {}).values(),
            *material.get("if", {}).values(),
            *material.get("alone", {}).values(),
        }
        assert material["usual"] in told["part"]
    for mood in told["mood"].values():
        finishes |= set(mood.get("finish", {}).values())
        assert mood.get("light", "dusk") in LIGHTS and mood.get("weather", "fog") in WEATHERS
        assert mood.get("development", "soft") in FILMS
    for modifier in told["modifier"].values():
        finishes |= set(modifier.get("on", {}).values())
    assert finishes <= set(FINISHES)
    assert {t["kind"] for t in told["thing"].values() if "kind" in t} <= set(ENTOURAGE)
    assert set(told["light"]) - {"later", "earlier"} == set(LIGHTS) and set(told["weather"]) <= set(WEATHERS)


def test_both_languages_have_a_word_for_all_that_can_be_meant():
    for subject, entries in meanings().items():
        for code in languages():
            spelt = {m.key for found in language(code).phrases.values() for m in found if m.subject == subject}
            silent = set(entries) - spelt
            # What other words imply needs none of its own.
            assert len(silent) <= 0.2 * len(entries) + 2, (code, subject, silent)


@pytest.mark.parametrize(
    ("text", "present", "light"),
    [
        ("dusk after rain", "noon", "dusk, after rain"), ("after rain", "noon, fog", "noon, after rain"), ("later", "golden hour, fog", "dusk, fog"),
        ("earlier", "dawn", "dawn"), ("cloudy afternoon", "", "afternoon, overcast"), ("noon, warm light inside", "", "noon, lamps on, lamps 2400 K"),
        ("lamps off", "dusk", "dusk, lamps off"), ("cosy", "", "dusk, lamps 2400 K"), ("cosy, at noon", "", "noon, lamps on, lamps 2400 K"),
        ("sun from the right", "golden hour", "golden hour, sun right"), ("dusk, backlit", "noon, fog", "dusk, fog, sun ahead"),
        ("noon", "dawn, sun left", "noon, sun left"), ("overcast, sun from the left", "", "overcast"),
        ("zinc roof", "noon", None), ("rainy overcast day", "noon", "afternoon, overcast, after rain"),
    ],
)  # fmt: skip
def test_words_become_the_settings_light(text, present, light):
    told = settings_of(iro.understand(text), {"light": present})
    assert told.get("light") == light
    if light:
        make_light(light)


def test_words_become_developments():
    told = settings_of(
        iro.understand("crisp, much warmer, slightly less contrast, brighter"),
        {"exposure": 0.5, "development": "soft, glare 2"},
    )
    assert told["development"] == "crisp, contrast -0.1, mired 44" and told["exposure"] == 1.0


@pytest.mark.parametrize("text", [None, 12, "a\0b", "x" * 30_000])
def test_what_is_no_brief_is_refused(text):
    with pytest.raises(BriefError):
        iro.understand(text)


def test_a_language_without_a_list_is_refused():
    with pytest.raises(IrodoriError, match="language 'xx'"):
        iro.understand("zinc roof", language_code="xx")


def test_completions_go_on_from_what_stands_there():
    assert iro.complete("a zinc roof, charred ti")[0] == "a zinc roof, charred timber"
    for text in iro.complete("slate ro") + iro.complete("zinc roof, "):
        assert not iro.understand(text).unknown or text.startswith("slate ro")


def test_a_short_brief_is_filled_out_in_three_directions():
    short = "charred timber hall, zinc roof"
    fuller = iro.expand(short, seed=3)
    assert fuller == iro.expand(short, seed=3) and len({e.direction for e in fuller}) == 3
    assert fuller != iro.expand(short, seed=4)
    own = set(lines(short))
    for one in fuller:
        brief = iro.understand(one.text)
        assert own < set(brief.lines) and not brief.unknown and len(one.added) >= 3
        assert one.marked.count("[") == len(one.added) and one.text == one.marked.replace("[", "").replace("]", "")


def test_the_vocabulary_tells_what_each_word_means():
    rows = iro.vocabulary("weather")
    assert {means for _, means, _ in rows} <= set(WEATHERS)
    for _, means, words in rows:
        for phrase in words.split(", "):
            assert f"weather: {means}" in lines(phrase)
    with pytest.raises(BriefError, match="subject"):
        iro.vocabulary("colour of money")


def flat(colour, sky, size=(90, 120)):
    image = np.zeros((*size, 3), np.uint8)
    image[:] = colour
    image[: size[0] // 3] = sky
    return image


def test_a_picture_tells_its_light_and_colours():
    assert iro.describe(flat((14, 14, 18), (4, 6, 20))).light == "night"
    assert iro.describe(flat((120, 118, 115), (225, 226, 228))).light == "overcast"
    told = iro.describe(flat((150, 90, 70), (110, 150, 215)))
    assert told.palette[0].colour in ("#965a46", "#965946") and abs(told.palette[0].share - 2 / 3) < 0.02
    assert told.sky in ("blue", "light blue") and not iro.understand(told.brief).unknown
    with pytest.raises(BriefError):
        iro.describe(np.zeros((4, 4)))
