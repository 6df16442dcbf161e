"""A series: one view in several lights, each as if made by itself."""

import json

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.demo.files import demo_path
from irodori.light import make_light
from irodori.study.contact_sheet import contact_sheet

LIST = 'what,where\nbirch,"at 13,-0.5"\nhills,horizon\n'


def test_each_picture_is_the_one_made_by_itself(view):
    lights = ("golden hour", "dusk, fog")
    made = dict(iro.series(view.exact, demo_path("finishes.csv"), lights, entourage=LIST, quality="draft"))
    assert list(made) == list(lights)
    for light in lights:
        alone = iro.render(iro.dress(view.exact, demo_path("finishes.csv"), light, entourage=LIST), "draft")
        assert np.array_equal(alone.developed, made[light].developed)
        assert alone.recipe == made[light].recipe


def test_a_low_sun_is_not_hidden_by_added_hills(view):
    structure = view.exact
    forward = structure.camera.rotation[2]
    lights = [make_light("dawn", north=north) for north in range(0, 360, 10)]
    against = max(lights, key=lambda light: light.dome.sun_direction @ forward)
    bare, hilly = (
        iro.dress(structure, None, against, entourage=added)
        for added in (None, "what,where,height\nhills,horizon,500\n")
    )
    # The hills do rise over the sun …
    sun, hills = against.dome.sun_direction, hilly.mesh.triangles[len(bare.mesh) :].reshape(-1, 3)
    ways = hills - structure.camera.position
    before = ways[:, :2] @ sun[:2] > 0.999 * np.linalg.norm(ways[:, :2], axis=1) * np.hypot(*sun[:2])
    assert (ways[before, 2] / np.linalg.norm(ways[before], axis=1)).max() > sun[2]
    # … and take nothing of it away.
    lit = [iro.render(scene, "draft").layers["sun"].sum() for scene in (bare, hilly)]
    assert lit[0] > 0 and lit[1] > 0.999 * lit[0]


def test_lights_of_any_weather_share_one_pass(view, monkeypatch):
    from irodori.engine import trace

    lights = ("noon", "noon, after rain", "dusk", "noon, light snow")
    together = [picture.developed for _, picture in iro.series(view.exact, None, lights, quality="draft")]
    # The same when memory allows only one at a time.
    monkeypatch.setattr(trace, "TOGETHER", 1)
    apart = [picture.developed for _, picture in iro.series(view.exact, None, lights, quality="draft")]
    assert all(np.array_equal(a, b) for a, b in zip(together, apart))
    assert len({picture.tobytes() for picture in together}) == len(lights)


def test_command_writes_numbered_pictures_and_a_sheet(cli, tmp_path):
    answer = cli(
        "series", demo_path("landing.glb"), "--view", "landing", "--width", 320, "--light", "noon", "--light",
        "night", "--quality", "draft", "--out", "lights", "--json",
    )  # fmt: skip
    assert answer.returncode == 0, answer.stderr
    data = json.loads(answer.stdout)
    assert data["lights"] == ["noon", "night"]
    assert sorted(p.name for p in (tmp_path / "lights").iterdir()) == ["01-noon.png", "02-night.png", "sheet.png"]
    bright, dark = (np.asarray(Image.open(tmp_path / p)).mean() for p in data["pictures"])
    assert bright > dark
    again = cli("repeat", "lights/02-night.png")
    assert again.returncode == 0 and "byte for byte" in again.stdout


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--light", "nooon"), ["nooon", "noon"]),
        (("--quality", "best"), ["best", "draft"]),
        (("--out", "/proc/lights"), ["/proc/lights"]),
        (("--entourage", "none.csv"), ["none.csv"]),
    ],
)
def test_wrong_input_writes_nothing(cli, tmp_path, arguments, words):
    answer = cli("series", demo_path("landing.glb"), "--view", "landing", "--width", 200, *arguments)
    assert answer.returncode == 2 and "Traceback" not in answer.stderr
    assert all(word in answer.stderr for word in words)
    assert not list(tmp_path.rglob("*.png"))


def test_a_series_needs_a_light(view):
    with pytest.raises(iro.IrodoriError, match="light"):
        list(iro.series(view.exact, None, ()))


@pytest.mark.parametrize("count", [1, 2, 5, 8, 13])
def test_sheets_hold_every_picture_once(count):
    rng = np.random.default_rng(count)
    colours = rng.integers(40, 200, (count, 3))
    sheet = contact_sheet([(str(i), np.full((50, 80, 3), c, np.uint8)) for i, c in enumerate(colours)])
    assert sheet.shape[1] == 1280
    for colour in colours:
        share = (sheet == colour).all(axis=2).sum()
        assert share > 0
    areas = {int((sheet == c).all(axis=2).sum()) for c in colours}
    assert max(areas) - min(areas) < 0.02 * max(areas) + 2
    with pytest.raises(ValueError, match="no picture"):
        contact_sheet([])


def test_lights_share_their_rays(view):
    lights = ("noon", "overcast", "dusk")
    alone = [iro.render(iro.dress(view.exact, None, light), "draft").rays for light in lights]
    together = [picture.rays for _, picture in iro.series(view.exact, None, lights, quality="draft")]
    assert len(set(together)) == 1 and 0 < sum(together) < 0.7 * sum(alone)


def test_seasons_and_weathers_are_series_too(cli, tmp_path):
    model = demo_path("landing.glb")
    answer = cli("series", model, "--view", "landing", "--width", 160, "--quality", "draft", "--seasons", "--light", "noon", "--out", "year", "--one-exposure", "--json")  # fmt: skip
    told = json.loads(answer.stdout)
    assert told["lights"] == [f"noon, {season}" for season in ("spring", "summer", "autumn", "winter")]
    recipes = [iro.Recipe.of(path) for path in sorted((tmp_path / "year").glob("0*.png"))]
    assert [one.season for one in recipes] == ["spring", "summer", "autumn", "winter"]
    assert len({one.facts.metered for one in recipes}) == 1
    answer = cli(
        "series", model, "--view", "landing", "--width", 160, "--weathers", "--light", "noon", "--light", "dusk"
    )
    assert answer.returncode == 2 and "--light once" in answer.stderr
    answer = cli("series", model, "--view", "landing", "--width", 160, "--weathers", "--light", "dusk", "--explain", "--json")  # fmt: skip
    lights = next(row for row in json.loads(answer.stdout)["settings"] if row["name"] == "light")["value"]
    assert "dusk, fog" in lights and "dusk, overcast, after rain" in lights
