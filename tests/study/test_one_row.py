"""One row of a schedule changed: that surface and its light change, and nothing else."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.demo.files import demo_path

SETTINGS = {"view": "landing", "size": "480x300", "light": "noon", "quality": "draft", "life": "few"}


@pytest.fixture(scope="module")
def schedules(tmp_path_factory):
    folder = tmp_path_factory.mktemp("schedules")
    text = demo_path("finishes.csv").read_text()
    row = next(line for line in text.splitlines() if "kiosk wall" in line)
    (folder / "a.csv").write_text(text)
    (folder / "b.csv").write_text(text.replace(row, row.replace("white render", "slate cladding")))
    return folder / "a.csv", folder / "b.csv"


def test_outside_the_surface_and_its_light_nothing_changes(schedules):
    first = iro.make(demo_path("landing.glb"), finishes=schedules[0], **SETTINGS)
    held = iro.make(like=first, finishes=schedules[1], hold_exposure=True)
    structure = first.structure
    own = np.isin(structure.regions, structure.surfaces.loc[structure.surfaces["name"] == "kiosk wall", "id"])
    mirrors = np.isin(structure.regions, structure.of_role("glazing", "water"))
    outside = ~(cv2.dilate(own.astype(np.uint8), np.ones((5, 5))) > 0) & ~mirrors
    apart = np.abs(held.developed.astype(int) - first.developed).max(axis=2)
    assert apart[own].mean() > 20
    assert np.percentile(apart[outside], 99) < 0.02 * 255
    sky = apart[structure.regions == 0]
    # Glare is light, too: beside the wall it reaches the sky.
    assert (sky == 0).mean() > 0.99 and sky.max() <= 1
    people = first.shown.covered > 0.5 if first.shown.covered is not None else np.zeros_like(own)
    assert people.any() and np.percentile(apart[people & ~mirrors], 90) < 0.02 * 255
    assert held.recipe.difference(first.recipe) and held.recipe.held is not None
    # What is held is a decision, so the picture can be made again from its recipe.
    again = iro.make(like=held)
    assert np.array_equal(again.developed, held.developed)


def test_there_must_be_an_exposure_to_hold():
    with pytest.raises(IrodoriError, match="--like"):
        iro.make(demo_path("landing.glb"), hold_exposure=True, **SETTINGS)
