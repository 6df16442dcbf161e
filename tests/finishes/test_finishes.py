"""The catalogue's patterns against what a builder would measure."""

import numpy as np
import pytest
from numba import njit

import irodori as iro
from irodori.finishes import FINISHES, read_schedule
from irodori.finishes.evaluate import OUTPUTS, evaluate_finish
from irodori.finishes.wear import weather

BLACK_ON_WHITE = {"colour": "#000000", "joint": (0.010, "#ffffff")}


@njit
def _sample(row, base, places, foot, seed, result):
    out = np.zeros(len(result[0]), np.float32)
    for i in range(len(places)):
        evaluate_finish(
            row, base[0], base[1], base[2], places[i, 0], places[i, 1], foot, foot, seed, np.float32(0), np.float32(0),
            np.float32(1), out,
        )  # fmt: skip
        result[i] = out


def sample(finish, places, foot=0.0005):
    """All outputs of a finish at `places` (N, 2), m."""
    result = np.zeros((len(places), OUTPUTS), np.float32)
    base = finish.row[1:4]
    _sample(finish.row, base, np.asarray(places, np.float32), np.float32(foot), 7, result)
    return result


def scattered(count, extent, seed=0):
    return np.random.default_rng(seed).random((count, 2)) * extent + 3.0


def plain(finish, **changes):
    """A finish with black units, white joints and nothing else."""
    still = {"grain": (0.0, 0.05, 1.0), "mottle": 0.0, "variation": 0.0, "relief": 0.0}
    return type(finish).model_validate(finish.model_dump() | BLACK_ON_WHITE | still | changes)


def joint_share(finish):
    # The darkest and lightest that a finish may be are 0.003 and 0.92.
    value = sample(finish, scattered(60_000, 12.0)).mean(axis=0)[0]
    return (value - 0.003) / (0.92 - 0.003)


def test_the_catalogue_is_wide():
    families = {f.family for f in FINISHES.values()}
    assert len(FINISHES) - 1 >= 64
    assert {"brick", "concrete", "stone", "timber", "metal", "glass", "roof", "ground", "water", "interior"} <= families


@pytest.mark.parametrize("name", [n for n, f in FINISHES.items() if f.kind != "water"])
def test_every_finish_is_a_possible_surface_near_and_far(name):
    finish = FINISHES[name]
    near, far = (sample(finish, scattered(3000, 14.0), foot) for foot in (0.001, 3.0))
    for values in (near, far):
        assert np.isfinite(values).all()
        assert (values[:, :3] > 0).all() and (values[:, :3] <= 0.92).all()
        assert (values[:, 4] >= 0).all() and (values[:, 4] <= 1).all()
    # What is far is the mean of what is near, and calm.
    assert np.allclose(near[:, :3].mean(axis=0), far[:, :3].mean(axis=0), rtol=0.22)
    assert far[:, :3].std(axis=0).mean() <= max(0.6 * near[:, :3].std(axis=0).mean(), 0.02)


@pytest.mark.parametrize(
    "name, period, rows",
    [
        # (joints that stand in a stretch of two courses, over that stretch's length), from the bond's definition
        ("red brick, stretcher bond", 1 / 0.225, 0.075),
        ("red brick, flemish bond", 2 / (1.5 * 0.225), 0.075),
        ("red brick, english bond", (1 / 0.225 + 2 / 0.225) / 2, 0.075),
    ],
)
def test_bonds_have_the_joints_of_their_definition(name, period, rows):
    heads, beds = 0.010 * period, 0.010 / rows
    assert joint_share(plain(FINISHES[name])) == pytest.approx(1 - (1 - heads) * (1 - beds), rel=0.03)


@pytest.mark.parametrize("name", ["oak parquet, herringbone", "oak parquet, basket", "brick paving, herringbone"])
def test_laid_strips_tile_the_plane(name):
    finish = plain(FINISHES[name])
    length, width = finish.unit
    inside = (length - 0.010) * (width - 0.010) / (length * width)
    assert joint_share(finish) == pytest.approx(1 - inside, rel=0.04)


def test_flemish_bond_lays_header_and_stretcher_in_turn():
    line = np.stack([np.arange(0, 6, 0.001), np.full(6000, 0.045)], axis=1)
    white = sample(plain(FINISHES["red brick, flemish bond"]), line)[:, 0] > 0.5
    starts = np.flatnonzero(white[1:] & ~white[:-1]) * 0.001
    lengths = np.diff(starts)
    assert np.allclose(lengths[:-1] + lengths[1:], 1.5 * 0.225, atol=0.003)
    assert min(lengths) == pytest.approx(0.1125, abs=0.003) and max(lengths) == pytest.approx(0.225, abs=0.003)


@pytest.mark.parametrize("foot", [0.0005, 0.004, 0.5])
def test_holes_cover_their_share_at_any_distance(foot):
    finish = plain(FINISHES["perforated aluminium"], colour="#f0f0f0")
    dark = 1 - sample(finish, scattered(40_000, 3.0), foot)[:, 0].mean() / finish.row[1]
    share = np.pi / 4 * finish.hole**2 / (finish.unit[0] * finish.unit[1])
    # What shows through a hole is not quite black.
    assert dark == pytest.approx(0.93 * share, rel=0.12)


@pytest.mark.parametrize(
    "name", ["red brick, stretcher bond", "larch boards, upright", "granite slabs", "rubble stone"]
)
def test_nothing_repeats_over_thirty_metres(name):
    finish = FINISHES[name]
    step = 0.02
    line = sample(finish, np.stack([np.arange(0, 30, step), np.full(1500, 0.61)], axis=1), step)[:, 0]
    tones = line - line.mean()
    # Joints come back with every unit; the tones of whole units must not.
    period = round(finish.unit[0] / step)
    units = tones[: len(tones) // period * period].reshape(-1, period).mean(axis=1)
    units -= units.mean()
    alike = np.correlate(units, units, "full")[len(units) :] / (units @ units)
    assert np.abs(alike[: len(units) // 2]).max() < 0.6
    halves = len(tones) // 2
    assert abs(np.corrcoef(tones[:halves], tones[halves : 2 * halves])[0, 1]) < 0.5


def test_distant_courses_do_not_shimmer():
    # A pixel far off sees many courses: moving it by half a course must not change it.
    finish = FINISHES["red brick, stretcher bond"]
    places = scattered(2000, 10.0)
    here, there = (sample(finish, p, 0.3)[:, :3] for p in (places, places + [0.0, 0.0375]))
    assert np.abs(here - there).max() < 0.03


def test_relief_takes_light_from_a_low_sun():
    finish = FINISHES["larch boards, upright"]
    places, out = scattered(4000, 8.0), np.zeros(OUTPUTS, np.float32)
    shares = []
    for across in (0.0, 0.97):
        total = 0.0
        for u, v in places.astype(np.float32):
            f = np.float32
            evaluate_finish(
                finish.row,
                *finish.row[1:4],
                u,
                v,
                f(0.002),
                f(0.002),
                7,
                f(across),
                f(0),
                f(np.sqrt(1 - across**2)),
                out,
            )
            total += out[4]
        shares.append(total / len(places))
    # tan(76°) · 18 mm of relief would shade half a 140 mm board.
    assert shares[0] > 0.99 and 0.3 < shares[1] < 0.8


def test_a_finish_looks_the_same_whatever_else_is_there(view):
    structure = iro.read_structure(view)
    rules = "where,finish\nrole paving,granite slabs\n"
    alone, among = (
        iro.render(iro.dress(structure, rules + more, "overcast"), "review")
        for more in (
            "",
            'role wall,"red brick, stretcher bond"\nrole roof,board-marked concrete\nrole frame,oiled oak\n',
        )
    )
    assert len({a["finish"] for a in iro.dress(structure, rules, "noon").assignments}) > 1
    paving = structure.surfaces.loc[structure.surfaces["role"] == "paving", "id"]
    fragments = structure.fragments
    mixed = np.bincount(fragments.pixel, ~np.isin(fragments.region, paving), structure.regions.size)
    own = (mixed == 0).reshape(structure.regions.shape)
    assert own.sum() > 500
    assert np.abs(alone.layers["albedo"][own] - among.layers["albedo"][own]).max() < 1e-3


def test_foliage_is_lit_from_where_the_sun_stands():
    finish, f = FINISHES["dense foliage"], np.float32
    places = scattered(3000, 12.0).astype(np.float32)
    out = np.zeros(OUTPUTS, np.float32)

    def light(across, up):
        facing, rows = f(np.sqrt(1 - across**2 - up**2)), []
        for u, v in places:
            evaluate_finish(finish.row, *finish.row[1:4], u, v, f(0.01), f(0.01), 7, f(across), f(up), facing, out)
            rows.append(out.copy())
        return np.array(rows)

    left, right, above = light(-0.9, 0.0), light(0.9, 0.0), light(0.0, 0.9)
    # The sun is in the relief alone, and turns with it.
    keep = [0, 1, 2, 3, 5, 6, 7]
    assert np.array_equal(left[..., keep], right[..., keep])
    assert np.corrcoef(left[:, 4], right[:, 4])[0, 1] < 0.6 < left[:, 4].std() / right[:, 4].std() < 1.6
    for lit in (left, right, above):
        assert 0.1 < lit[..., 4].mean() < 0.9 and lit[..., 4].min() >= 0 and lit[..., 4].max() <= 1
    # Gaps are dark whatever shines, and what stands out is paler.
    deep = left[:, 7] < np.percentile(left[:, 7], 15)
    for lit in (left, right, above):
        assert lit[deep, 4].mean() < 0.8 * lit[~deep, 4].mean()
        assert lit[deep, 1].mean() < lit[~deep, 1].mean()


def test_age_darkens_the_foot_of_a_wall():
    def tone(age, above):
        values = []
        for u in np.linspace(0, 20, 400, dtype=np.float32):
            out = np.full(OUTPUTS, 0.5, np.float32)
            weather(age, u, np.float32(above), 0.0, np.float32(above), np.float32(3 - above), np.float32(0.005), 7, out)
            values.append(out[0])
        return np.mean(values)

    assert tone(0.0, 0.05) == pytest.approx(0.5)
    assert tone(1.0, 0.05) < 0.8 * tone(1.0, 1.5)
    assert tone(0.3, 0.05) > tone(1.0, 0.05)


def test_the_schedule_sets_every_parameter():
    text = (
        "where,finish,size,joint,laying,colour,variation,gloss,age\n"
        'role wall,"red brick, stretcher bond",240 x 60,8 #334455,flemish bond,#806050,0.4,0.3,90%\n'
    )
    finish = read_schedule(text).rules[0].finish
    assert finish.unit == pytest.approx((0.24, 0.06)) and finish.joint == (0.008, "#334455")
    assert finish.laying == "flemish" and finish.colour == "#806050"
    assert (finish.variation, finish.age) == (0.4, 0.9) and finish.roughness == pytest.approx(0.7)


@pytest.mark.parametrize(
    "column, value, words",
    [
        ("laying", "flemsh bond", "flemish bond"),
        ("joint", "wide", "millimetres"),
        ("gloss", "3", "from 0 to 1"),
        ("age", "old", "from 0 to 1"),
        ("joint", "10 blue", "millimetres"),
    ],
)
def test_wrong_parameters_say_what_is_right(column, value, words):
    with pytest.raises(iro.IrodoriError, match=words):
        read_schedule(f"where,finish,{column}\nrole wall,slate,{value}\n")
