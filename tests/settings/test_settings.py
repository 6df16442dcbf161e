"""Settings: said once, checked once, by flag, earlier picture, file or default."""

import json

import pytest

import irodori as iro
from irodori.core.recipe import FromCapture, FromModel, LightChoice, Recipe
from irodori.demo.files import demo_path
from irodori.settings.project_file import find_project_file
from irodori.settings.setting import find_setting, settings
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import resolve

SHADED, MODEL = demo_path("landing-shaded.png"), demo_path("landing.glb")


def told(given, file=None, like=None, source=str(MODEL)):
    values = resolve(settings().values(), given, file, like)
    return values, recipe_of(values, source)[0]


def test_a_flag_goes_before_a_file_and_that_before_the_default(tmp_path):
    (tmp_path / "irodori.toml").write_text('light = "dusk"\nseason = "winter"\neye-height = 2\n')
    (tmp_path / "deeper").mkdir()
    file = find_project_file(tmp_path / "deeper")
    values, recipe = told({"light": "noon"}, file)
    assert recipe.light == LightChoice(name="noon") and recipe.season == "winter" and recipe.seed == 7
    whence = {name: where for name, _, where in values.explained()}
    assert whence["light"] == "given" and whence["season"].endswith("irodori.toml") and whence["seed"] == "default"
    assert recipe.reading.eye_height == 2.0


def test_an_earlier_picture_goes_before_the_file(tmp_path):
    (tmp_path / "irodori.toml").write_text('season = "winter"\nquality = "final"\n')
    earlier = Recipe(
        source=FromModel(files=(str(MODEL),), view="hall", width=320, ground=False), season="spring", quality="draft",
        entourage='what,where\nbirch,"at 1,2"\n', light=LightChoice(name="night"),
    )  # fmt: skip
    _, recipe = told({"light": "dawn"}, find_project_file(tmp_path), ("a.png", earlier))
    assert recipe.season == "spring" and recipe.quality == "draft" and recipe.light.name == "dawn"
    assert recipe.source.view == "hall" and recipe.source.width == 320 and recipe.entourage == earlier.entourage
    assert recipe.difference(earlier) == ["light: 'dawn' here, 'night' there"]


def test_a_development_is_told_by_its_name_and_what_is_changed():
    for text, wanted in (
        ("crisp", ("crisp", 0.0, 1.0, 0.0)), ("soft, contrast 0.3", ("soft", 0.3, 1.0, 0.0)),
        ("glare 2, contrast -0.2, mired 30", ("plain", -0.2, 2.0, 30.0)),
    ):  # fmt: skip
        _, recipe = told({"development": text})
        assert tuple(dict(recipe.development).values()) == wanted
    _, recipe = told({"balance": "warmth 0.3, lamps 2"})
    assert recipe.balance.warmth == 0.3 and recipe.balance.lamps == 2.0


@pytest.mark.parametrize(
    "given, words",
    [
        ({"development": "crips"}, "crisp"),
        ({"development": "crisp, soft"}, "several"),
        ({"development": "plain, contrast 4"}, "contrast"),
        ({"development": "plain, contrast high"}, "not understood"),
        ({"balance": "warmth 3"}, "warmth"),
    ],
)
def test_a_wrong_development_says_what_to_do(given, words):
    with pytest.raises(iro.IrodoriError, match=words):
        told(given)


def test_another_source_is_opened_afresh_with_the_same_decisions():
    earlier = Recipe(
        source=FromCapture(file="old.png", digest="1", kind="line"), finishes="where,finish\nall,slate\n", seed=3,
        reading={"eye_height": 2.0},
    )  # fmt: skip
    _, recipe = told({}, None, ("a.png", earlier), str(SHADED))
    assert recipe.source == FromCapture(file=str(SHADED)) and recipe.seed == 3 and "slate" in recipe.finishes
    assert recipe.reading.eye_height is None


@pytest.mark.parametrize(
    "text, words",
    [
        ('lihgt = "noon"', "light"),
        ('light = "nooon"', "noon"),
        ('quality = "best"', "quality"),
        ("seed = true", "seed"),
        ('width = "wide"', "whole number"),
        ("exposure = 99", "exposure"),
        ("[[light]]", "light"),
        ("light", "cannot be read"),
        ('finishes = "none.csv"\nout = "a.png"', "out"),
    ],
)
def test_a_file_is_refused_in_one_line(tmp_path, text, words):
    (tmp_path / "irodori.toml").write_text(text)
    with pytest.raises(iro.IrodoriError, match=words) as error:
        find_project_file(tmp_path)
    assert "\n" not in str(error.value) and "irodori.toml" in str(error.value)


def test_files_are_seen_from_the_project_file(tmp_path):
    (tmp_path / "irodori.toml").write_text('finishes = "plan.csv"\nentourage = "green.csv"\n')
    (tmp_path / "green.csv").write_text('what,where\nbirch,"at 1,2"\n')
    (tmp_path / "plan.csv").write_text("where,finish\nall,our stone\n")
    (tmp_path / "finishes.toml").write_text('["our stone"]\nlike = "slate"\ncolour = "#445566"\n')
    _, recipe = told({}, find_project_file(tmp_path))
    assert "birch" in recipe.entourage and "our stone" in recipe.finishes and "#445566" in recipe.catalogue


def test_a_schedule_called_like_a_catalogue_is_none(tmp_path):
    (tmp_path / "irodori.toml").write_text("seed = 3\n")
    (tmp_path / "finishes.toml").write_text('[[finish]]\nwhere = "all"\nfinish = "slate"\n')
    assert "catalogue" not in find_project_file(tmp_path).values


def test_a_moment_takes_the_project_s_place():
    _, recipe = told({"light": "2026-06-21 18:30+02:00", "place": "46.5,8.1"})
    assert recipe.light.name == "2026-06-21 18:30+02:00 @ 46.5, 8.1"
    with pytest.raises(iro.IrodoriError, match="needs a place"):
        told({"light": "2026-06-21 18:30"})


@pytest.mark.parametrize(
    "source, given, words",
    [
        (SHADED, {"view": "hall"}, "--view is for models"),
        (SHADED, {"size": "100x80"}, "--size is for models"),
        (MODEL, {"kind": "line"}, "--kind is for captures"),
        (MODEL, {"depth": "a.exr"}, "brings its own"),
        (SHADED, {"normal": "a.exr"}, "--depth"),
    ],
)
def test_what_has_no_meaning_for_the_source_is_refused(source, given, words):
    with pytest.raises(iro.IrodoriError, match=words):
        told(given, source=str(source))


def test_every_setting_is_found_by_its_flag_and_its_key():
    assert {s.name for s in settings().values() if s.path.startswith("source")} >= {"kind", "north", "view", "width"}
    for one in settings().values():
        assert find_setting(one.key) is one and find_setting(one.flag[2:]) is one
        assert one.about and len(one.about) < 170
    with pytest.raises(iro.IrodoriError, match="exposure"):
        find_setting("exposrue")


def test_explaining_writes_nothing(cli, tmp_path):
    (tmp_path / "irodori.toml").write_text('season = "autumn"\n')
    answer = cli("render", MODEL, "--light", "dusk", "--explain", "--json")
    assert answer.returncode == 0, answer.stderr
    rows = {row["name"]: row for row in json.loads(answer.stdout)["settings"]}
    assert rows["light"]["value"] == "dusk" and rows["light"]["from"] == "given"
    assert rows["season"]["value"] == "autumn" and rows["season"]["from"].endswith("irodori.toml")
    assert rows["quality"]["from"] == "default" and {p.name for p in tmp_path.iterdir()} == {"irodori.toml"}
    (tmp_path / "irodori.toml").write_text("seasn = 1\n")
    wrong = cli("series", MODEL)
    assert wrong.returncode == 2 and "season" in wrong.stderr and "Traceback" not in wrong.stderr


def test_render_like_an_earlier_picture(cli, tmp_path):
    first = cli("render", MODEL, "--view", "hall", "--width", "96", "--quality", "draft", "--light", "night", "--season", "spring", "--no-proof", "--out", "night.png")  # fmt: skip
    assert first.returncode == 0, first.stderr
    again = cli("render", "--like", "night.png", "--light", "noon", "--no-proof", "--out", "noon.png")
    assert again.returncode == 0, again.stderr
    said = cli("recipe", "night.png", "noon.png")
    assert said.returncode == 0 and said.stdout.strip() == "light: 'night' here, 'noon' there"
    same = cli("render", "--like", "night.png", "--no-proof", "--out", "same.png")
    assert same.returncode == 0 and (tmp_path / "same.png").read_bytes() == (tmp_path / "night.png").read_bytes()
    shown = cli("recipe", "night.png", "--out", "night.json")
    assert shown.returncode == 0 and "night" in shown.stdout
    assert Recipe.of(tmp_path / "night.json").season == "spring"
