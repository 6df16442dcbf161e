"""The learned reader of roles: what it hears, what it says, and that all works without it."""

import sys
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import pytest

import irodori as iro
from irodori.core.corrections import Corrections
from irodori.core.roles import ROLES
from irodori.core.structure import Structure
from irodori.formats.write_image import write_image
from irodori.structure.glance import glance
from irodori.structure.regions.measure import measure_regions
from irodori.structure.roles import reader as role_reader
from irodori.structure.roles import rules as roles
from irodori.structure.roles.evidence import measure_evidence
from irodori.structure.roles.reader import likely_roles
from painter import camera_at, house, paint, role_at

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks" / "structure"))
from random_scenes import random_scene
from train_roles import keep, load

EARTH, PLASTER, SLATE, TIMBER, PANE = (140, 172, 98), (222, 206, 178), (98, 104, 114), (122, 74, 58), (150, 190, 206)


@pytest.fixture(scope="module")
def capture_file(tmp_path_factory):
    """A house on a lawn, painted, and where it lies."""
    path = tmp_path_factory.mktemp("house") / "house.png"
    write_image(path, paint(house(EARTH, PLASTER, SLATE, TIMBER, PANE), camera_at())[0])
    return path


def evidence_of(path):
    """What the reader was given for a picture."""
    with mock.patch.object(roles, "likely_roles", return_value=None) as asked:
        iro.read_structure(iro.open_capture(path), cache=False)
    return asked.call_args.args[0]


@pytest.fixture(scope="module")
def evidence(capture_file):
    return evidence_of(capture_file)


def told(path, **how):
    return iro.read_structure(iro.open_capture(path), cache=False, **how).surfaces.set_index("id")


def test_what_it_says_are_probabilities(evidence):
    likely = likely_roles(evidence)
    assert likely.shape == (len(evidence.regions.area), len(ROLES))
    assert np.isfinite(likely).all() and (likely >= 0).all()
    assert likely.sum(axis=1) == pytest.approx(1.0, abs=1e-5)


def test_each_region_hears_shares_of_others(evidence):
    for tie in evidence.ties:
        total = np.asarray(tie.sum(axis=1)).ravel()
        assert ((np.abs(total - 1) < 1e-9) | (total == 0)).all()
    around, above, beneath = evidence.ties[:3]
    assert (around.astype(bool) != around.T.astype(bool)).nnz == 0
    assert (above.astype(bool) != beneath.T.astype(bool)).nnz == 0


def test_numbers_of_regions_mean_nothing(evidence):
    regions = evidence.regions
    count = len(regions.area)
    new = np.concatenate([[0], 1 + np.random.default_rng(3).permutation(count - 1)])
    old = np.argsort(new)
    turned = replace(
        evidence,
        regions=measure_regions(new[regions.labels], regions.colour[old]),
        pieces=[replace(evidence.pieces[n], host=int(new[evidence.pieces[n].host])) for n in old],
        normals=evidence.normals[old],
        distance=evidence.distance[old],
        sky=int(new[evidence.sky]),
        planting=[int(new[n]) for n in evidence.planting],
        rounds={int(new[n]): upright for n, upright in evidence.rounds.items()},
        roles=[evidence.roles[n] for n in old],
    )
    assert likely_roles(turned)[new] == pytest.approx(likely_roles(evidence), abs=1e-4)


def test_a_drawing_s_colours_are_not_listened_to(evidence):
    drawn = replace(evidence, coloured=False)
    other = replace(drawn, regions=replace(drawn.regions, colour=drawn.regions.colour[::-1].copy()))
    assert (measure_evidence(drawn) == measure_evidence(other)).all()
    assert (measure_evidence(drawn) != measure_evidence(evidence)).any()


def test_without_weights_the_rules_tell(capture_file, tmp_path, monkeypatch):
    by_rules = told(capture_file, learned=False)
    monkeypatch.setattr(role_reader, "WEIGHTS", tmp_path)
    monkeypatch.setattr(glance, "WEIGHTS", tmp_path / "none.onnx")
    alone = told(capture_file)
    assert (alone["role"] == by_rules["role"]).all() and (alone["confidence"] == by_rules["confidence"]).all()


@pytest.mark.parametrize("learned", [False, True])
def test_a_plain_house_is_told_either_way(capture_file, learned):
    read = iro.read_structure(iro.open_capture(capture_file), cache=False, learned=learned)
    for place, wanted in (((-2, -6, 0), "lawn"), ((-0.7, -0.06, 1.2), "door"), ((2.1, -0.05, 1.8), "glazing"), ((-4.5, 0, 3.4), "wall")):  # fmt: skip
        assert role_at(read, camera_at(), place) == wanted
    assert read.reading.learned is learned


def test_the_sky_is_not_its_to_tell(capture_file):
    always = np.zeros((5000, len(ROLES)), np.float32)
    always[:, ROLES.index("sky")], always[:, ROLES.index("frame")] = 0.9, 0.1
    with mock.patch.object(roles, "likely_roles", side_effect=lambda e: always[: len(e.regions.area)].copy()):
        assert set(told(capture_file)["role"]) == {"frame", "lawn"}  # its green says that it is a lawn


def test_no_leaves_are_told_of_a_drawing_s_smooth_outlines(tmp_path):
    write_image(tmp_path / "line.png", paint(house(EARTH, PLASTER, SLATE, TIMBER, PANE), camera_at(), line=True)[0])
    always = np.zeros((5000, len(ROLES)), np.float32)
    always[:, ROLES.index("planting")], always[:, ROLES.index("frame")] = 0.9, 0.1
    with mock.patch.object(roles, "likely_roles", side_effect=lambda e: always[: len(e.regions.area)].copy()):
        found = set(told(tmp_path / "line.png")["role"])
    assert "frame" in found and "planting" not in found


def test_corrections_are_believed_first(capture_file):
    given = Corrections(surface=[{"at": (700, 470), "role": "water"}])
    read = iro.read_structure(iro.open_capture(capture_file), cache=False, corrections=given)
    assert read.surfaces.set_index("id")["role"][read.regions[470, 700]] == "water"


def test_rules_alone_are_kept_apart_in_the_cache(capture_file, monkeypatch, tmp_path):
    monkeypatch.setenv("IRODORI_CACHE", str(tmp_path))
    capture = iro.open_capture(capture_file)
    for learned in (True, False):
        fresh = iro.read_structure(capture, learned=learned)
        again = iro.read_structure(capture, learned=learned)
        assert (fresh.surfaces["confidence"] == again.surfaces["confidence"]).all()
        assert again.reading.learned is learned
    assert len(list(tmp_path.rglob("*.exr"))) == 2


def test_the_command_can_do_without(capture_file, cli, tmp_path):
    surfaces = []
    for more in ([], ["--rules-only"]):
        answer = cli("read", capture_file, "--no-cache", "--out", "read.exr", *more)
        assert answer.returncode == 0, answer.stderr
        surfaces.append(Structure.load(tmp_path / "read.exr").surfaces)
    assert (surfaces[0]["area_px"] == surfaces[1]["area_px"]).all()
    assert (surfaces[0]["confidence"] != surfaces[1]["confidence"]).any()


def test_a_random_scene_is_the_same_each_time():
    for seed in range(40):
        once, twice = random_scene(seed), random_scene(seed)
        assert [p.name for p in once.parts] == [p.name for p in twice.parts]
        for a, b in zip(once.parts, twice.parts):
            assert a.role in ROLES and a.colour == b.colour and (a.triangles == b.triangles).all()
            assert np.isfinite(a.triangles).all()


def test_what_is_learned_from_is_what_was_measured(evidence, tmp_path):
    labels = evidence.regions.labels
    # Truly, all of the first half of the regions is wall and all else lawn, but for scattered pixels.
    half = len(evidence.regions.area) // 2
    true = np.where(labels == evidence.sky, 0, np.where(labels <= half, 1, 2))
    true[::7, ::5] = 2
    keep(evidence, true, ["sky", "wall", "lawn"], tmp_path / "1-shaded.npz")
    measures, ties, told_as, weight = load(tmp_path / "1-shaded.npz")
    assert (measures[0] == measure_evidence(evidence)).all()
    assert (measures[1] != measures[0]).any() and (measures[2] != measures[1]).any()
    for kept, tie in zip(ties, evidence.ties, strict=True):
        assert np.abs(kept - tie).max() < 1e-12
    assert weight[evidence.sky] == 0 and weight[0] == 0
    seen = np.flatnonzero(weight)
    assert [ROLES[told_as[n]] for n in seen] == ["wall" if n <= half else "lawn" for n in seen]


@pytest.mark.parametrize("chance, shines", [(0.45, False), (0.6, True)])
def test_a_lamp_must_be_likely(small_picture, chance, shines):
    # Taken for a lamp, a sliver lights up all that is around it.
    likely = np.zeros((50, len(ROLES)), np.float32)
    likely[:, ROLES.index("lamp")], likely[:, ROLES.index("frame")] = chance, 1 - chance - 0.15
    with mock.patch.object(roles, "likely_roles", side_effect=lambda e: likely[: len(e.regions.area)].copy()):
        structure = iro.read_structure(iro.open_capture(small_picture), cache=False)
    told = set(structure.surfaces["role"])
    assert ("lamp" in told) == shines and ("frame" in told) != shines


def test_what_stands_higher_than_a_step_is_nothing_to_walk_on(evidence):
    sure = np.full(len(evidence.regions.area), 0.5)
    taken = np.zeros((len(sure), len(ROLES)), np.float32)
    taken[:, [ROLES.index("paving"), ROLES.index("wall")]] = 0.6, 0.4
    told = list(evidence.roles)
    with mock.patch.object(roles, "likely_roles", return_value=taken):
        roles.hear_the_reader(evidence, told, sure)
    tall = [piece.high - piece.low > 1 and piece.low > -0.1 for piece in evidence.pieces]
    fronts = np.flatnonzero(tall & (np.abs(evidence.normals[:, 2]) < 0.1) & (evidence.regions.area > 500))
    heard = [
        told[region] for region in fronts if evidence.roles[region] not in roles.CERTAIN and region != evidence.sky
    ]
    assert heard and set(heard) == {"wall"}
    level = [
        r
        for r in np.flatnonzero(evidence.normals[:, 2] > 0.95)
        if evidence.regions.area[r] and evidence.roles[r] not in roles.CERTAIN
    ]
    assert all(told[region] == "paving" for region in level)
