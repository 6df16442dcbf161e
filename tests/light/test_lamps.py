"""Lamps: lumens, spread of light, photometric files, the lamp schedule."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.scene import LampTables
from irodori.demo.files import demo_path
from irodori.engine.light.lamps import gather_lamps, lamp_irradiance
from irodori.engine.rays.ray_scene import RayScene
from irodori.light.distributions import ANGLES, HORIZONTAL, VERTICAL, read_ies, spread, total_lumens
from irodori.light.lamps import LAMPS, lamp_from_words, make_lamp, read_lamps


def ies(theta, phi, values, *, factor=1.0, kind=1, tilt="TILT=NONE"):
    """Text of a photometric file as the standard lays it out."""
    rows = "\n".join(" ".join(f"{v:.6g}" for v in column) for column in values)
    return (
        "IESNA:LM-63-2002\n[TEST] made by formula\n[MANUFAC] nobody\n"
        f"{tilt}\n1 -1 {factor:g} {len(theta)} {len(phi)} {kind} 2 0.1 0.1 0\n1.0 1.0 20\n"
        f"{' '.join(f'{t:g}' for t in theta)}\n{' '.join(f'{p:g}' for p in phi)}\n{rows}\n"
    )


THETA = np.arange(0, 181, 2.5)


def lobe(power, peak=1000.0):
    return peak * np.cos(np.radians(THETA)).clip(0) ** power


@pytest.mark.parametrize("name", ["even", "beam", "up and down", "ring", "street"])
def test_every_spread_gives_one_lumen(name):
    table = spread(name)
    assert table.shape == (VERTICAL, HORIZONTAL) and (table >= 0).all()
    # An independent quadrature: many random directions.
    way = np.random.default_rng(1).normal(size=(400_000, 3))
    angle = np.degrees(np.arccos(way[:, 2] / np.linalg.norm(way, axis=1)))
    around = np.degrees(np.arctan2(way[:, 1], way[:, 0])) % 360
    mean = table[np.rint(angle / 2).astype(int), np.rint(around / 10).astype(int) % HORIZONTAL].mean()
    assert mean * 4 * np.pi == pytest.approx(1.0, rel=0.02)


def test_a_beam_is_as_wide_as_it_says_and_a_street_lamp_sends_nothing_up():
    table = spread("beam", 40.0)[:, 0]
    assert np.interp(np.radians(20), ANGLES, table) == pytest.approx(0.5 * table[0], rel=0.01)
    assert spread("street")[ANGLES > np.pi / 2 + 0.01].max() == 0


@pytest.mark.parametrize("power", [1, 2, 5])
def test_lumens_of_a_photometric_file(power):
    # A lobe of cosⁿ from 1000 cd holds 2π · 1000 / (n + 1) lm.
    table = read_ies(ies(THETA, [0], [lobe(power)], factor=1.5))
    assert total_lumens(table) == pytest.approx(1.5 * 2000 * np.pi / (power + 1), rel=0.005)


def test_files_of_a_quarter_and_of_half_a_turn_are_mirrored():
    quarter = read_ies(ies(THETA, [0, 45, 90], [lobe(1, 1000), lobe(1, 600), lobe(1, 200)]))
    at = 15
    assert quarter[at, [0, 18]] == pytest.approx(quarter[at, 0])
    assert quarter[at, 9] == pytest.approx(quarter[at, 27]) and quarter[at, 9] == pytest.approx(
        0.2 * quarter[at, 0], rel=0.01
    )
    half = read_ies(ies(THETA, [0, 90, 180], [lobe(1, 1000), lobe(1, 500), lobe(1, 100)]))
    assert half[at, 18] == pytest.approx(0.1 * half[at, 0], rel=0.01)
    assert half[at, 9] == pytest.approx(half[at, 27])
    tilted = ies(THETA, [0], [lobe(1)], tilt="TILT=INCLUDE\n1\n3\n0 45 90\n1 0.9 0.8")
    assert total_lumens(read_ies(tilted)) == pytest.approx(1000 * np.pi, rel=0.005)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("nothing here\n", ["TILT"]),
        (ies(THETA, [0], [lobe(1)])[:-200] + "\n", ["damaged"]),
        (ies(THETA, [0], [lobe(1)], kind=2), ["type", "C"]),
        (ies(THETA[::-1], [0], [lobe(1)]), ["damaged", "rise"]),
        ("/no/such/file.ies", ["no photometric file"]),
    ],
)
def test_damaged_files(text, words):
    with pytest.raises(iro.IrodoriError) as error:
        read_ies(text)
    assert all(word in str(error.value) for word in words)


def hung(table, lumens=1000.0, height=3.0, side=0.02):
    """A small luminous square that looks down from a height, with a spread of its own."""
    s = side / 2
    corners = np.array([[-s, -s, height], [-s, s, height], [s, s, height], [s, -s, height]], np.float32)
    triangles = corners[[[0, 1, 2], [0, 2, 3]]]
    rows = np.zeros(2, np.int32) - 1
    rows[1] = -1 if table is None else 0
    tables = LampTables(
        np.array([0, lumens / (np.pi * side**2)], np.float32), np.array([0, lumens], np.float32), np.ones((2, 3), np.float32),
        rows, np.tile(np.float32([0, 0, -1]), (2, 1)), np.tile(np.float32([0, 1, 0]), (2, 1)),
        np.zeros((0, VERTICAL, HORIZONTAL), np.float32) if table is None else table[None].astype(np.float32),
    )  # fmt: skip
    lamps = gather_lamps(triangles, np.ones(2, np.int32), tables, 3)
    return RayScene(triangles), lamps


@pytest.mark.parametrize("name", ["face", "beam", "ring", "file"])
def test_illuminance_falls_as_intensity_over_the_square_of_distance(name):
    table = None if name == "face" else spread("beam", 50) if name == "beam" else spread("ring")
    if name == "file":
        table = read_ies(ies(THETA, [0, 90], [lobe(2, 900), lobe(7, 900)]))
        table = table / total_lumens(table)
    scene, lamps = hung(table)
    x, y = np.array([0.0, 1.0, 3.0, 0.0]), np.array([0.0, 0.0, 1.0, 4.0])
    points = np.column_stack([x, y, np.zeros(4)]).astype(np.float32)
    up = np.tile(np.float32([0, 0, 1]), (4, 1))
    lift = np.full(4, 1e-3, np.float32)
    got = lamp_irradiance(scene, lamps, points, up, np.arange(4, dtype=np.uint32), 16, lift, (0.0, 1e6, np.inf))
    assert got.shape == (4, 9) and not got[:, 3:].any()
    distance = np.sqrt(x**2 + y**2 + 9)
    cosine = 3 / distance
    if table is None:
        intensity = 1000 / np.pi * cosine
    else:
        around = np.degrees(np.arctan2(-x, y)) % 360
        place = np.column_stack([np.degrees(np.arccos(cosine)) / 2, around / 10])
        from scipy.ndimage import map_coordinates

        intensity = 1000 * map_coordinates(table, place.T, order=1, mode="grid-wrap")
    assert got[:, 1] == pytest.approx(intensity * cosine / distance**2, rel=0.03, abs=0.01)


def test_lamps_are_known_by_their_names():
    assert lamp_from_words("quay lamp 3").kind == "street lamp"
    assert lamp_from_words("", "recessed downlight").kind == "downlight"
    assert lamp_from_words("thing") is None
    for kind, entry in LAMPS.items():
        lamp = make_lamp(kind)
        assert lamp.lumens == entry["lumens"] and 2000 <= lamp.kelvin <= 6500


def test_schedule_sets_lumens_and_colour(view):
    text = "mark,where,lamp,lumens,kelvin\nL1,name hall pendant*,pendant,1234,2200\nL2,name nothing*,,,\n"
    scene = iro.dress(view.exact, None, "night", lamps=text)
    table = scene.structure.surfaces
    if scene.structure.hidden_surfaces is not None:
        table = np.concatenate([table[["id", "name"]], scene.structure.hidden_surfaces[["id", "name"]]])
    pendants = [int(i) for i, name in np.asarray(table) if str(name).startswith("hall pendant lamp")]
    assert pendants and scene.lamps.lumens[pendants] == pytest.approx(1234)
    warm = scene.lamps.colour[pendants[0]]
    assert warm[0] > 2 * warm[2]
    assert any("L2" in line for line in scene.unmatched)
    # What the luminous surface shows goes with what it gives.
    assert scene.lamps.luminance[pendants[0]] == pytest.approx(1234 / (np.pi * 4 * np.pi * 0.2**2), rel=0.1)


def test_any_surface_can_be_made_a_lamp(view):
    scene = iro.dress(view.exact, None, "night", lamps="where,lamp,lumens\nname hall sign panel*,lit sign,900\n")
    sign = view.exact.surfaces.loc[view.exact.surfaces["name"] == "hall sign panel", "id"].to_numpy()
    assert (scene.lamps.lumens[sign] == 900).all()
    bright = iro.render(scene, "draft").layers["lamps"]
    dark = iro.render(iro.dress(view.exact, None, "night"), "draft").layers["lamps"]
    seen = np.isin(view.exact.regions, sign)
    assert bright[seen].mean() > 20 * dark[seen].mean()


def test_repeat_without_the_photometric_file(tmp_path):
    (tmp_path / "lobe.ies").write_text(ies(THETA, [0], [lobe(4)]))
    (tmp_path / "lamps.csv").write_text("where,lamp,distribution,tilt\nname quay lamp*,street lamp,lobe.ies,20\n")
    view = iro.open_model(demo_path("landing.glb")).view("landing", width=320)
    scene = iro.dress(iro.read_structure(view), None, "night", lamps=tmp_path / "lamps.csv")
    first = iro.render(scene, "draft").save(tmp_path / "first.png")
    (tmp_path / "lobe.ies").unlink()
    assert iro.repeat(first).save(tmp_path / "again.png").read_bytes() == first.read_bytes()


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("role lamp,pendent,,,", ["pendent", "pendant"]),
        ("role lmp,,,,", ["lmp", "lamp"]),
        (",pendant,,,", ["where"]),
        ("role lamp,,bright,,", ["lumens"]),
        ("role lamp,,,300,", ["kelvin", "1000"]),
        ("role lamp,,,,gone.ies", ["gone.ies"]),
        ("role lamp,,,,beam 300", ["beam"]),
    ],
)
def test_wrong_schedules(view, line, words):
    with pytest.raises(iro.IrodoriError) as error:
        iro.dress(view.exact, None, "night", lamps="where,lamp,lumens,kelvin,distribution\n" + line + "\n")
    assert all(word in str(error.value) for word in words)


def test_no_schedule():
    assert read_lamps(None).rules == ()
