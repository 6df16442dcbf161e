"""What becomes of the lines of a drawing."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.demo.files import demo_path
from irodori.picture.carried_lines import LINES, _letters


@pytest.fixture(scope="module")
def drawn():
    structure = iro.read_structure(iro.open_capture(demo_path("landing-sketch.png")))
    return structure, iro.render(iro.dress(structure, None, "noon"), "draft")


def test_a_pens_lines_go_unless_asked_for(drawn):
    structure, picture = drawn
    ink = structure.image.mean(axis=2) < 0.25
    still = np.asarray(picture.structure.regions == 0) & ink  # over the sky nothing else is dark
    tone = {lines: picture.with_lines(lines).encoded.mean(axis=2) for lines in LINES}
    assert np.array_equal(picture.encoded, picture.with_lines("none").encoded)
    assert tone["as drawn"][ink].mean() < tone["fine"][ink].mean() < tone["none"][ink].mean() - 0.01
    assert tone["as drawn"][ink].mean() < 0.62 * tone["none"][ink].mean()
    away = ~np.asarray(ink) & (np.abs(tone["none"] - tone["as drawn"]) < 1e-6)
    assert away.mean() > 0.8 and still.sum() >= 0


def test_the_proof_is_of_the_picture_without_them(drawn):
    structure, picture = drawn
    plain, lined = iro.prove(structure, picture), iro.prove(structure, picture.with_lines("as drawn"))
    assert plain.in_register and lined.in_register
    assert lined.edge_recall == plain.edge_recall
    assert any("lines" in note for note in lined.notes)


def test_the_choice_is_in_the_recipe_and_a_wrong_one_is_told(drawn):
    _, picture = drawn
    assert picture.with_lines("fine").recipe.lines == "fine" and picture.recipe.lines == "none"
    with pytest.raises(IrodoriError, match="fine"):
        picture.with_lines("thin")


def test_words_stay_and_what_crosses_them_does_not():
    import cv2

    sheet = np.zeros((200, 500), np.uint8)
    cv2.putText(sheet, "LANDING", (120, 110), cv2.FONT_HERSHEY_DUPLEX, 0.9, 1, 2)
    word = sheet > 0
    cv2.line(sheet, (20, 150), (480, 140), 1, 2)
    cv2.line(sheet, (300, 10), (300, 190), 1, 4)
    cv2.rectangle(sheet, (30, 20), (110, 60), 1, 2)
    found = _letters(sheet > 0, 1.0)
    ink = sheet > 0
    post = np.zeros_like(word)
    post[:, 296:305] = True
    assert found[word & ~post].mean() > 0.8
    assert found[ink & ~word].mean() < 0.05
