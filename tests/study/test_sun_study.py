"""A sun study, against the geometry of a post on a plain."""

from datetime import date

import numpy as np
import pytest

import irodori as iro
from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.model import Model
from irodori.core.errors import LightError
from irodori.core.geometry.shapes import box
from irodori.core.model import SURFACE_COLUMNS, ModelData, ViewSpec
from irodori.demo.files import demo_path
from irodori.formats.model.parts import Part
from irodori.light.sun_position import sun_direction
from irodori.study.sun_sheet import draw_sun_study
from irodori.study.sun_study import read_day, sun_study

EQUATOR = (0.0, 0.0)
TALL = 6.0


@pytest.fixture(scope="module")
def plain():
    """A plate with a tall thin wall across its middle, running east, seen from straight above but for a little."""
    import pandas as pd

    plate = box((-30, -30, -0.5), (30, 30, 0.0))
    wall = box((-20, -0.1, 0.0), (20, 0.1, TALL))
    mesh, rows = cut_surfaces(
        [Part("ground", "", (0.6, 0.6, 0.6), 1.0, plate), Part("wall", "", (0.9, 0.9, 0.9), 1.0, wall)]
    )
    data = ModelData(mesh, pd.DataFrame(rows, columns=list(SURFACE_COLUMNS)), digest="plain")
    view = ViewSpec("above", (0.0, -2.0, 60.0), (0.0, 0.0, 0.0), field=50.0, ground=False)
    return iro.read_structure(Model(data).view(view, width=320))


def pixel(structure, x, y):
    seen, _ = structure.camera.project(np.array([[x, y, 0.0]]))
    return int(seen[0][1]), int(seen[0][0])


def test_an_open_plain_gets_the_whole_day(plain):
    study = sun_study(plain, EQUATOR, date(2026, 3, 20))
    assert study.sunlight[pixel(plain, 10.0, -12.0)] == pytest.approx(12.0, abs=0.34)
    north = sun_study(plain, (60.0, 0.0), date(2026, 12, 21))
    # Half a day is arccos(−tan φ tan δ).
    expected = 2 * np.degrees(np.arccos(np.tan(np.radians(60)) * np.tan(np.radians(23.44)))) / 15
    assert north.sunlight[pixel(plain, 10.0, -12.0)] == pytest.approx(expected, abs=0.34)


def test_a_wall_shades_as_far_as_its_height_over_the_sun_says(plain):
    study = sun_study(plain, (45.0, 0.0), date(2026, 12, 21), marked=(12,))
    sun = study.suns[12.0]
    way = sun_direction(*sun)
    reach = -TALL * way[1] / way[2]  # northwards, from the wall's northern face on
    shade = study.shade[12.0]
    inside, outside = (0.1 + reach + d for d in (-0.6, 0.6))
    assert shade[pixel(plain, 0.0, inside)] and not shade[pixel(plain, 0.0, outside)]
    assert not shade[pixel(plain, 0.0, -5.0)]


def test_hours_of_a_clock_are_hours_of_that_clock(plain):
    solar = sun_study(plain, (46.5, 8.1), date(2026, 6, 21), hours=(10, 11), marked=())
    clock = sun_study(plain, (46.5, 8.1), date(2026, 6, 21), hours=(10, 11), zone=8.1 / 15, marked=())
    assert np.array_equal(solar.sunlight, clock.sunlight, equal_nan=True) and clock.clock != solar.clock


def test_each_surface_has_its_hours_in_the_table(plain):
    table = sun_study(plain, EQUATOR, date(2026, 3, 20), marked=()).by_surface
    ground = table[table["name"] == "ground"]
    assert ground["hours"].max() > 10 and (ground["two hours"] <= 1).all()


def test_days_are_called_as_people_call_them():
    assert read_day("Summer Solstice") == date(2026, 6, 21) and read_day("21 June") == read_day("June 21") == date(
        2026, 6, 21
    )
    assert read_day("2027-02-28") == date(2027, 2, 28)
    for text in ("31 June", "someday", "2026-13-01"):
        with pytest.raises(LightError, match="is no day"):
            read_day(text)


@pytest.mark.parametrize("how", [{"hours": (5, 3)}, {"step": 0}])
def test_odd_times_are_refused(plain, how):
    with pytest.raises(LightError):
        sun_study(plain, EQUATOR, date(2026, 3, 20), **how)


def test_the_drawing_has_its_legend_and_warmer_colours_where_there_is_more_sun(plain):
    study = sun_study(plain, (45.0, 0.0), date(2026, 12, 21))
    drawn = draw_sun_study(plain, study)
    assert drawn.shape[0] > plain.size[1] and drawn.shape[1] == plain.size[0]
    shaded, sunny = (drawn[pixel(plain, 0.0, y)].astype(int) for y in (2.0, -12.0))
    assert sunny[0] - sunny[2] > shaded[0] - shaded[2]


def test_the_command_writes_pictures_and_a_table(cli, tmp_path):
    answer = cli("sun", demo_path("landing.glb"), "--view", "landing", "--width", 160, "--place", "46.5, 8.1", "--on", "21 June", "--step", 60, "--out", tmp_path / "s")  # fmt: skip
    assert answer.returncode == 0 and (tmp_path / "s" / "06-21.png").is_file()
    assert "two hours" in (tmp_path / "s" / "hours.csv").read_text().splitlines()[0]
    answer = cli("sun", demo_path("landing.glb"), "--place", "nowhere", "--out", tmp_path / "t")
    assert answer.returncode == 2 and "latitude" in answer.stderr
