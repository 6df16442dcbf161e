"""What lies beside lines, against a scene whose planes are known."""

import numpy as np
import pytest

from irodori.core.camera import Camera
from irodori.core.lines import FOLD, OUTLINE, UNKNOWN, line_sides


@pytest.fixture(scope="module")
def corner():
    """Two walls that meet in an edge at x = 100 (regions 1 and 2), before a wall far behind (3), and sky (0)."""
    camera = Camera.look(np.array([0.0, 0, 0]), np.array([0.0, 9, 0]), size=(200, 120), field=60.0)
    x, y = np.meshgrid(np.arange(200) + 0.5, np.arange(120) + 0.5)
    _, ways = camera.rays(x.ravel(), y.ravel())
    regions, depth = np.zeros((120, 200), np.int32), np.full((120, 200), np.inf, np.float32)
    for region, normal, offset, where in (
        (3, (0, -1, 0), -20.0, (y > 40)),
        (1, (-0.6, -0.8, 0), -4.0, (y > 60) & (x < 100) & (x > 40)),
        (2, (0.6, -0.8, 0), -4.0, (y > 60) & (x >= 100) & (x < 160)),
    ):
        away = (offset / (ways @ np.array(normal))).reshape(120, 200)
        regions[where], depth[where] = region, away[where]
    return regions, depth


def test_folds_outlines_and_what_is_nearer(corner):
    lines = np.float32(
        [[100, 65, 100, 118], [40, 65, 40, 118], [160, 118, 160, 65], [10, 40, 190, 40], [5, 80, 30, 80]]
    )
    sides = line_sides(lines, *corner)
    assert sides.kind.tolist() == [FOLD, OUTLINE, OUTLINE, OUTLINE, UNKNOWN]
    assert {sides.near[0], sides.far[0]} == {1, 2}
    assert (sides.near[1], sides.far[1]) == (1, 3) and (sides.near[2], sides.far[2]) == (2, 3)
    assert (sides.near[3], sides.far[3]) == (3, 0)


def test_lines_at_the_picture_s_edge_and_none_at_all(corner):
    assert len(line_sides(np.zeros((0, 4), np.float32), *corner).kind) == 0
    sides = line_sides(np.float32([[0, 0, 0, 119], [199, 119, 0, 119], [50, 50, 50, 50]]), *corner)
    assert len(sides.near) == 3
