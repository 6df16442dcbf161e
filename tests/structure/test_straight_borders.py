"""Borders of drawings made straight, and bars along panes."""

import numpy as np
import pytest

from irodori.structure.regions.border_coverage import Coverage
from irodori.structure.regions.pane_frames import one_plane, with_pane_frames
from irodori.structure.regions.straight_borders import straightened

HEIGHT, WIDTH = 60, 160


def coverage_of(labels):
    empty = np.zeros(labels.shape)
    return Coverage(
        labels.astype(np.int32),
        labels.astype(np.int32),
        empty.astype(np.float32),
        np.zeros((*labels.shape, 2), np.int8),
    )


def slanting(tilt, ragged, seed=2):
    """Two regions with a border y = 30 + tilt · x, ragged by up to `ragged` px."""
    rng = np.random.default_rng(seed)
    line = 30 + tilt * (np.arange(WIDTH) - 80) + rng.integers(-ragged, ragged + 1, WIDTH)
    return np.where(np.arange(HEIGHT)[:, None] + 0.5 < line, 1, 2)


def border_rows(coverage, lower=2):
    """Where the border lies in each column, px from the top, by coverage."""
    upper = np.where(coverage.labels == lower, 0.0, 1.0)
    own = coverage.labels == lower
    share = np.where(own & (coverage.second != lower), coverage.share, 0) - np.where(
        ~own & (coverage.second == lower), coverage.share, 0
    )
    return (upper + share).sum(axis=0)


@pytest.mark.parametrize("tilt", [0.0, 0.11, -0.23, 0.05])
def test_a_ragged_border_becomes_the_line_it_was_meant_to_be(tilt):
    ragged = coverage_of(slanting(tilt, 1))
    made = border_rows(straightened(ragged))
    wanted = 30 + tilt * (np.arange(WIDTH) - 80)
    inner = slice(3, -3)
    assert np.abs(border_rows(ragged) - wanted)[inner].max() > 0.9
    assert np.abs(made - wanted)[inner].max() < 0.35
    assert np.abs(np.diff(made, 2))[inner].max() < 0.2  # no teeth


def test_a_corner_stays_a_corner():
    labels = np.full((HEIGHT, WIDTH), 1)
    labels[20:, 50:] = 2
    made = straightened(coverage_of(labels))
    assert np.array_equal(made.labels, labels)


def test_a_bow_stays_a_bow():
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    labels = np.where(np.hypot(x - 80, y - 70) < 55, 2, 1)
    made = straightened(coverage_of(labels))
    assert (made.labels != labels).sum() < 0.02 * (labels == 2).sum()


def test_bars_stand_along_panes_and_leave_walls_alone():
    labels = np.full((HEIGHT, WIDTH), 1)
    labels[10:50, 20:80], labels[10:50, 80:140] = 2, 3
    made, framed = with_pane_frames(coverage_of(labels), [2, 3])
    bars = made.labels > 3
    assert sorted(framed) == [2, 3]
    assert set(np.unique(made.labels[bars])) == {4, 5}
    assert (made.labels[labels == 1] == 1).all()
    # A bar of the breadth that it is drawn with between the panes, half of it along the wall.
    middle = bars[30]
    assert 3 <= middle[70:90].sum() <= 4 and 1 <= middle[18:26].sum() <= 2
    assert not bars[20:40, 30:70].any()
    assert made.share.max() <= 0.5


def test_small_panes_get_none():
    labels = np.full((HEIGHT, WIDTH), 1)
    labels[10:16, 20:26] = 2
    made, framed = with_pane_frames(coverage_of(labels), [2])
    assert framed == [] and np.array_equal(made.labels, labels)


def test_panes_of_a_window_lie_on_one_plane_and_others_do_not():
    labels = np.full((HEIGHT, WIDTH), 1)
    labels[10:40, 10:40], labels[10:40, 42:70], labels[10:40, 120:150] = 2, 3, 4
    normals = np.array([[0, 0, 0], [0, -1, 0], [0, -1, 0], [0.1, -0.995, 0], [0, -1, 0.0]])
    distance = np.array([0, 10.0, 10.0, 10.6, 14.0])
    turned, far = one_plane(labels, [2, 3, 4], normals, distance)
    assert np.array_equal(turned[2], turned[3]) and far[2] == far[3] and 10.0 < far[2] < 10.6
    assert far[4] == 14.0 and far[1] == 10.0
    assert distance[3] == 10.6  # what came in stays


def test_a_pane_whose_normal_is_not_known_keeps_its_plane():
    labels = np.full((HEIGHT, WIDTH), 1)
    labels[10:40, 10:40], labels[10:40, 42:70] = 2, 3
    normals = np.array([[0, 0, 0], [0, -1, 0], [0, 0, 0], [0, 0, 0.0]])
    distance = np.array([0, 10.0, -4.0, 7.0])
    turned, far = one_plane(labels, [2, 3], normals, distance)
    assert np.array_equal(turned, normals) and far.tolist() == distance.tolist()
