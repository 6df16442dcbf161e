"""A surface goes on behind posts: its pieces between them are told by their tone, and by nothing else."""

import numpy as np
import pytest

import irodori as iro
from irodori.demo import demo_path
from irodori.structure.regions.join import pieces_behind_posts

TONES = {0: (0, 0, 0), 1: (120, 140, 160), 2: (165, 160, 152), 3: (134, 129, 122), 9: (40, 40, 44)}


def drawn(labels, tones):
    lookup = np.zeros((int(labels.max()) + 1, 3), np.uint8)
    for label, tone in tones.items():
        lookup[label] = tone
    return lookup[labels]


@pytest.fixture
def railing():
    """Paving (2) below a wall (1), with three posts (9, 10, 11) that part three pieces (4, 5, 6) from it."""
    labels = np.ones((500, 1000), np.int32)
    labels[120:] = 2
    labels[130:170, 20:110] = 0
    for post, x in enumerate((20, 50, 80)):
        labels[110:170, x : x + 4] = 9 + post
    for piece, x in enumerate((24, 54)):
        labels[130:166, x : x + 26] = 4 + piece
    labels[166:170, 20:84] = 12  # a rail below
    labels[126:130, 20:84] = 13  # and one above
    labels[labels == 0] = 2
    return labels, {**TONES, 4: TONES[2], 5: TONES[2], 10: TONES[9], 11: TONES[9], 12: TONES[9], 13: TONES[9]}


def test_pieces_between_posts_are_of_what_lies_behind(railing):
    labels, tones = railing
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0]) == {4: 2, 5: 2}


def test_another_tone_is_another_surface(railing):
    labels, tones = railing
    tones[5] = (165, 152, 140)
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0]) == {4: 2}
    tones[5], tones[4] = tones[2], (165, 160, 158)
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0]) == {5: 2}


def test_what_is_kept_apart_stays(railing):
    labels, tones = railing
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0, 5]) == {4: 2}


def test_treads_behind_each_other_stay_apart():
    labels = np.ones((500, 1000), np.int32)
    labels[100:] = 2
    for step, y in enumerate(range(110, 150, 10)):
        labels[y : y + 3, 100:300] = 20 + step  # a riser
        labels[y + 3 : y + 10, 100:300] = 4 + step  # a tread
    tones = {**TONES, **{20 + k: TONES[9] for k in range(4)}, **{4 + k: TONES[2] for k in range(4)}}
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0]) == {}


def test_panes_between_mullions_stay_apart():
    labels = np.ones((500, 1000), np.int32)
    for pane in range(6):
        x = 100 + 24 * pane
        labels[100:140, x : x + 20] = 4 + pane
        labels[98:142, x + 20 : x + 24] = 20 + pane
    tones = {**TONES, **{20 + k: TONES[9] for k in range(6)}, **{4 + k: (107, 133, 146) for k in range(6)}}
    assert pieces_behind_posts(drawn(labels, tones), labels, labels > 0, [0]) == {}


def test_the_quay_is_paved_behind_the_gangway_s_railing(reading):
    read, exact = reading, iro.open_model(demo_path("landing.glb")).view("landing", width=1280).exact
    table = exact.surfaces.set_index("id")
    names = table["name"].to_dict()
    box = np.s_[455:475, 180:232]
    paved = np.vectorize(lambda i: names.get(i, "") == "quay paving")(exact.regions[box])
    role = read.surfaces.set_index("id")["role"]
    roles = np.vectorize(lambda i: role.get(i, ""))(read.regions[box])
    assert paved.sum() > 200 and (roles[paved] == "paving").mean() > 0.8
