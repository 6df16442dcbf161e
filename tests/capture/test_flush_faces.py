"""Faces in one another: what is seen does not depend on chance."""

import numpy as np
import pytest
import trimesh

from irodori.capture.model.flush_faces import LIFT, first_of_each
from named_models import saved


def plate(low, high, z=0.0):
    (x0, y0), (x1, y1) = low, high
    return trimesh.Trimesh([(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)], [(0, 1, 2), (0, 2, 3)], process=False)


def test_a_path_flush_in_a_lawn_is_seen_whole(tmp_path):
    model = saved(tmp_path, {"lawn": plate((-20, -20), (20, 20)), "gravel path": plate((-2, -20), (2, 20))})
    table = model.data.surfaces.set_index("name")
    assert table["offset"]["gravel path"] - table["offset"]["lawn"] == pytest.approx(LIFT, abs=1e-6)
    view = model.view("plan", width=300).exact
    path = view.regions == table["id"]["gravel path"]
    rows, columns = (np.flatnonzero(path.any(axis=axis)) for axis in (1, 0))
    # No speck of lawn within it.
    assert len(rows) > 50 and path[rows[1] : rows[-1], columns[1] : columns[-1]].all()


def test_things_side_by_side_stay_where_they_are(tmp_path):
    model = saved(tmp_path, {"lawn": plate((-20, -20), (0, 20)), "terrace": plate((0, -20), (20, 20))})
    assert model.data.surfaces["offset"].abs().max() < 1e-9


def test_doubled_and_turned_faces_count_once(tmp_path):
    wall = trimesh.creation.box((4, 0.3, 3))
    turned = wall.copy()
    turned.invert()
    model = saved(tmp_path, {"wall": wall, "wall back": turned})
    assert len(model.data.mesh) == 12 and set(model.data.surfaces["name"]) == {"wall"}


def test_first_of_each_against_a_set():
    rng = np.random.default_rng(4)
    soup = rng.integers(0, 3, (400, 3, 3)).astype(float)
    soup = np.concatenate([soup, soup[:100][:, [2, 0, 1]]])
    seen, want = set(), []
    for triangle in soup:
        key = frozenset(map(tuple, triangle))
        corners = tuple(sorted(map(tuple, triangle)))
        want.append(corners not in seen)
        seen.add(corners)
        assert key
    kept = first_of_each(soup)
    proper = np.array([len({tuple(c) for c in t}) == 3 for t in soup])
    # Triangles with two corners in one have no area, and are dropped anyway.
    assert np.array_equal(kept[proper], np.array(want)[proper])
