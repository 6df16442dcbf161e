"""Lettering on signs: read as detail of the plate, and still there in the rendering."""

import cv2
import numpy as np
import pytest
from test_drawings import front

import irodori as iro
from irodori.formats.exr import write_exr
from irodori.structure.regions.lettering import gather_lettering
from painter import opened

PLATE = 200, 226, 500, 256
INK, PALE = (150, 40, 35), (222, 218, 208)


def street(words="KAMOME", *, ink=INK, plate=PALE, post=False):
    """A house's front with a sign over its door, as a viewport shows it, (H, W, 3) uint8 RGB."""
    picture = front()
    x0, y0, x1, y1 = PLATE
    cv2.rectangle(picture, (x0, y0), (x1, y1), plate, -1)
    for n, letter in enumerate(words):
        cv2.putText(picture, letter, (x0 + 24 + 25 * n, y1 - 7), cv2.FONT_HERSHEY_SIMPLEX, 0.75, ink, 2, cv2.LINE_AA)
    if post:
        cv2.rectangle(picture, (305, 130), (311, 420), (50, 52, 56), -1)
    return picture


def letters(picture, ink):
    x0, y0, x1, y1 = PLATE
    marks = np.zeros(picture.shape[:2], bool)
    marks[y0:y1, x0:x1] = np.abs(picture[y0:y1, x0:x1].astype(int) - ink).max(axis=2) < 25
    return marks


@pytest.mark.parametrize(
    ("ink", "plate"),
    [((150, 40, 35), (222, 218, 208)), ((240, 238, 230), (30, 52, 90)), ((25, 25, 28), (200, 170, 60))],
)
def test_letters_belong_to_their_plate(tmp_path, ink, plate):
    picture = street(ink=ink, plate=plate)
    structure = iro.read_structure(opened(tmp_path, picture), cache=False)
    found = structure.of_role("sign")
    assert len(found) == 1
    x0, y0, x1, y1 = PLATE
    on_sign = structure.regions == found[0]
    assert on_sign[y0 + 2 : y1 - 1, x0 + 2 : x1 - 1].mean() > 0.97
    assert on_sign[letters(picture, ink)].all()
    colour = structure.surfaces.set_index("id").loc[found[0], "colour"]
    assert np.allclose(255 * np.array(colour) ** (1 / 2.2), plate, atol=14), "letters do not tint their plate"


def test_a_post_before_a_sign_parts_it_in_two(tmp_path):
    picture = street(post=True)
    structure = iro.read_structure(opened(tmp_path, picture), cache=False)
    found = structure.of_role("sign")
    assert len(found) == 2
    assert np.isin(structure.regions[letters(picture, INK)], found).mean() > 0.97
    post = structure.regions[140:400, 307:310]
    assert not np.isin(post, found).any()


@pytest.mark.parametrize("light", ["noon", "dusk", "overcast"])
def test_the_word_is_still_there_in_the_rendering(tmp_path, light):
    picture = street()
    structure = iro.read_structure(opened(tmp_path, picture), cache=False)
    shown = iro.render(iro.dress(structure, None, light), "draft").developed
    x0, y0, x1, y1 = PLATE
    place = slice(y0 + 6, y1 - 5), slice(x0 + 6, x1 - 5)
    before, after = (a[place].astype(float).mean(axis=2) for a in (picture, shown))
    assert np.corrcoef(before.ravel(), after.ravel())[0, 1] > 0.95
    ink = letters(picture, INK)[place]
    red, green = shown[place][ink][:, 0].mean(), shown[place][ink][:, 1].mean()
    assert red > 1.25 * green, "in its own colour"
    assert after[ink].mean() < 0.75 * after[before > 205].mean(), "and as dark as it was painted"


def rows_of(draw):
    picture = street("")
    draw(picture)
    labels = np.ones(picture.shape[:2], np.int32)
    x0, y0, x1, y1 = PLATE
    labels[y0 : y1 + 1, x0 : x1 + 1] = 2
    return gather_lettering(picture, labels, 0)


def test_windows_rails_and_specks_are_no_letters():
    def windows(picture):
        for x in range(220, 480, 40):
            cv2.rectangle(picture, (x, 232), (x + 24, 250), (60, 70, 80), 2)

    def panes(picture):
        for x in range(220, 480, 40):
            cv2.rectangle(picture, (x, 232), (x + 24, 250), (60, 70, 80), -1)

    def rails(picture):
        for y in (232, 238, 245):
            cv2.line(picture, (202, y), (498, y + 4), (60, 70, 80), 2)

    def specks(picture):
        rng = np.random.default_rng(2)
        for x, y in zip(rng.integers(204, 496, 40), rng.integers(230, 252, 40)):
            picture[y, x] = 40

    for draw in (windows, panes, rails, specks):
        labels, marks, plates = rows_of(draw)
        assert not plates and not marks.any() and set(np.unique(labels)) == {1, 2}, draw.__name__


@pytest.mark.parametrize("font", [cv2.FONT_HERSHEY_SIMPLEX, cv2.FONT_HERSHEY_DUPLEX, cv2.FONT_HERSHEY_COMPLEX])
def test_rows_in_other_hands(font):
    def draw(picture):
        for n, letter in enumerate("BoatHire24"):
            cv2.putText(picture, letter, (212 + 27 * n, 250), font, 0.8, (20, 60, 40), 2, cv2.LINE_AA)

    labels, marks, plates = rows_of(draw)
    assert plates == [2]
    x = np.flatnonzero(marks.any(axis=0))
    assert x.min() < 220 and x.max() > 455
    assert (labels[marks] == 2).all()


def test_the_user_may_say_that_it_is_no_sign(tmp_path):
    capture = opened(tmp_path, street())
    given = tmp_path / "view.reading.toml"
    given.write_text('[[surface]]\nat = [206, 240]\nrole = "wall"\n')
    structure = iro.read_structure(capture, cache=False)
    row = structure.surfaces.set_index("id").loc[structure.regions[240, 206]]
    assert row["role"] == "wall" and not len(structure.of_role("sign"))


def test_letters_belong_to_their_plate_with_a_depth_pass_too(tmp_path):
    picture = street()
    path = tmp_path / "street.png"
    cv2.imwrite(str(path), picture[..., ::-1])
    # The sign hangs a hand's breadth before the wall.
    depth = np.full(picture.shape[:2], 12.0, np.float32)
    x0, y0, x1, y1 = PLATE
    depth[y0 : y1 + 1, x0 : x1 + 1] = 11.8
    write_exr(tmp_path / "depth.exr", {"Z": depth})
    structure = iro.read_structure(iro.open_capture(path, passes={"depth": tmp_path / "depth.exr"}), cache=False)
    found = structure.of_role("sign")
    assert len(found) == 1 and (structure.regions == found[0])[letters(picture, INK)].all()
    colour = structure.surfaces.set_index("id").loc[found[0], "colour"]
    assert np.allclose(255 * np.array(colour) ** (1 / 2.2), PALE, atol=14)
