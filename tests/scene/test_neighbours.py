"""Houses beside the design: found as they were built, completed where they lack something, with plots on open ground."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import IrodoriError
from irodori.core.geometry.shapes import box, sheet
from irodori.scene.neighbours import neighbours_of, settle

# Middle, length along the ridge, depth: what the demo's builder gives its neighbours.
BUILT = [(-44, 37.5, 9, 7), (-24, 44, 10, 8), (2, 41.5, 8, 7), (19, 48, 11, 8), (41, 37, 9, 8)]


@pytest.fixture(scope="module")
def aerial(model):
    return iro.read_structure(model.view("aerial", width=480))


@pytest.fixture(scope="module")
def settled(aerial):
    return settle(aerial, 7)


def test_found_as_they_were_built(aerial):
    houses = sorted(neighbours_of(aerial), key=lambda house: house.foot[0])
    assert len(houses) == len(BUILT)
    for house, (x, y, long, deep) in zip(houses, sorted(BUILT)):
        assert house.foot[:2] == pytest.approx((x, y), abs=0.05)
        front, end, *_ = house.shell.sides
        assert (front.half * 2, end.half * 2) == pytest.approx((long, deep), abs=0.05)
        assert house.shell.ridge > house.shell.sides[0].tall + 1.5
        panes = [len(side.openings) for side in house.shell.sides]
        assert sorted(panes)[:3] == [0, 0, 0] and max(panes) in (3, 6)


def test_details_hug_the_house_and_stand_on_its_ground(settled):
    for house, parts, _ in settled:
        front, end = house.shell.sides[:2]
        for part in parts:
            flat = np.abs(part.triangles.reshape(-1, 3))
            reach = 8.0 if part.finish.name == "gravel" else 1.6
            assert (flat[:, 0] < end.away + reach).all() and (flat[:, 1] < front.away + reach).all()
            assert part.triangles[..., 2].min() > -0.15 and part.triangles[..., 2].max() < house.shell.ridge + 1.6


def test_one_door_beside_the_windows(settled):
    for house, parts, _ in settled:
        leaves = [part for part in parts if part.role == "context" and part.finish.name == "gloss paint"]
        extents = [np.ptp(part.triangles.reshape(-1, 3), axis=0) for part in leaves]
        doors = [part for part, size in zip(leaves, extents) if max(size[:2]) < 1.1 and 1.9 < size[2] < 2.2]
        assert len(doors) == 1
        door = doors[0].triangles.reshape(-1, 3)
        for side in house.shell.sides:
            for left, right, low, high in side.openings:
                pane = side.placed(np.array([[(left + right) / 2, side.away, (low + high) / 2]]))[0]
                near = np.abs(door - pane).max(axis=1).min()
                assert near > 0.3


def test_plots_lie_on_open_ground(aerial, settled):
    table = aerial.surfaces.set_index("id")["role"]
    entries = [entry for one in settled for entry in one.plot]
    assert any("hedge" in entry.kind.name for entry in entries)
    seen = 0
    for entry in entries:
        for point in entry.where.points:
            (spot,), (depth,) = aerial.camera.project(np.array([point]))
            x, y = np.floor(spot).astype(int)
            if not (0 <= x < aerial.size[0] and 0 <= y < aerial.size[1]) or aerial.depth[y, x] < 0.98 * depth:
                continue  # outside, or behind something
            seen += 1
            assert table[aerial.regions[y, x]] in ("ground", "lawn", "wall", "roof")
            assert abs(point[2]) < 0.4
    assert seen > 8


def test_only_where_there_is_life(aerial):
    bare = iro.dress(aerial, None, "noon", life="none")
    lived_in = iro.dress(aerial, None, "noon", life="few")
    names = [item["what"] for item in lived_in.shown.listed]
    assert names.count("house details") == len(BUILT)
    assert not bare.shown.listed


def test_blank_blocks_and_what_is_no_house(tmp_path):
    """A flat block gets a door but no gutter; a hill, a wall and a block as large as a hangar are no houses."""
    import trimesh

    scene = trimesh.Scene()
    for name, soup in (
        ("ground", box((-80, -80, -0.1), (80, 80, 0))),
        ("context block", box((-6, 10, 0), (6, 20, 6))),
        ("context hangar", box((20, 10, 0), (70, 60, 9))),
        ("context garden wall", box((-30, 5, 0), (-10, 5.3, 1.8))),
        ("hall wall", box((-4, -6, 0), (4, 0, 4))),
        ("hall roof", sheet([(-6.5, 3.9), (-3, 5.5), (0.5, 3.9)], 0, -4.5, 4.5, 0.2)),
    ):
        mesh = trimesh.Trimesh(soup.reshape(-1, 3), np.arange(len(soup) * 3).reshape(-1, 3), process=False)
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    file = tmp_path / "site.glb"
    scene.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, [1, 0, 0]))
    scene.export(file)
    structure = iro.read_structure(iro.open_model(file).view(width=320))
    (house,) = neighbours_of(structure)
    assert house.shell.ridge is None and house.shell.tallest == pytest.approx(6.0, abs=0.01)
    (one,) = settle(structure, 3)
    assert one.parts and not any(
        part.finish.name == "galvanised steel" and np.ptp(part.triangles[..., 0]) > 3 for part in one.parts
    )


def test_readings_of_pixels_have_none(reading):
    assert neighbours_of(reading) == [] and settle(reading, 7) == []
    with pytest.raises(IrodoriError):
        iro.dress(reading, None, "noon", life="crowded")
