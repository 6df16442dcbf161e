"""In a drawing by hand, slanting cells right under a roof are its soffit; panes stand upright. A green oblong in a wall is a door."""

import numpy as np
import pytest

from irodori.structure.regions.measure import measure_regions
from irodori.structure.roles.building_pieces import stands_upright
from irodori.structure.roles.rules import _green_doors
from irodori.structure.roles.under_eaves import under_eaves

ROOF, CELL, PANE, LONE = 1, 2, 3, 4


@pytest.fixture
def drawing():
    """A roof, a slanting cell between two rafters right under it, a wavering pane further down, a slanting cell far from any roof."""
    labels = np.full((400, 640), 5, np.int32)
    labels[:100] = ROOF
    rng = np.random.default_rng(3)
    for y in range(104, 140):
        labels[y, 100 + (y - 104) : 132 + (y - 104)] = CELL
    for y in range(160, 220):
        labels[y, 200 + rng.integers(-1, 2) : 240 + rng.integers(-1, 2)] = PANE
    for y in range(280, 310):
        labels[y, 300 + (y - 280) : 330 + (y - 280)] = LONE
    normals = np.array([[0, 0, 0], [0, -0.45, 0.89], [0, -1, 0], [0, -1, 0], [0, -1, 0], [0, -1, 0]], float)
    return measure_regions(labels, np.full((6, 3), 255.0)), normals


def test_slanting_cells_under_a_roof_are_its_soffit(drawing):
    regions, normals = drawing
    roles, sure = under_eaves(
        ["sky", "roof", "glazing", "glazing", "glazing", "wall"], np.full(6, 0.8), regions, normals
    )
    assert roles == ["sky", "roof", "soffit", "glazing", "wall", "wall"]
    assert sure[CELL] < 0.5 and sure[LONE] < 0.5 and sure[PANE] == 0.8


def test_a_roof_seen_from_beneath_is_a_soffit(drawing):
    regions, normals = drawing
    normals[CELL] = (0, -0.34, -0.94)
    roles, _ = under_eaves(["sky", "roof", "roof", "glazing", "wall", "wall"], np.full(6, 0.8), regions, normals)
    assert roles[CELL] == "soffit" and roles[ROOF] == "roof"


@pytest.mark.parametrize(("slope", "upright"), [(0.0, True), (0.04, True), (0.5, False), (1.0, False)])
def test_how_upright_cells_stand(slope, upright):
    own = np.zeros((60, 160), bool)
    for y in range(60):
        own[y, 20 + int(slope * y) : 60 + int(slope * y)] = True
    assert (stands_upright(own) > 0.66) == upright


def test_a_green_oblong_in_a_wall_is_a_door_and_a_ragged_one_a_plant():
    labels = np.full((400, 640), 1, np.int32)
    labels[250:330, 100:140] = 2
    labels[262:290, 108:132] = 3  # a panel in it
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:400, 0:640]
    labels[np.hypot(y - 260, x - 400) < 25 + rng.normal(0, 5, labels.shape)] = 4
    roles, sure = ["sky", "wall", "planting", "planting", "planting"], np.full(5, 0.7)
    _green_doors(roles, sure, measure_regions(labels, np.full((5, 3), 90.0)))
    assert roles == ["sky", "wall", "door", "door", "planting"]
