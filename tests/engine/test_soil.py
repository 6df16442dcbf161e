"""Soil in corners and the wet margin of what stands in water."""

import numpy as np

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.model import ViewSpec
from irodori.formats.model.parts import Part
from irodori.study.sample_view import view_parts


def picture_of(parts, view, finishes=None):
    structure = iro.read_structure(view_parts(parts, view, "soil", width=320, height=200))
    return structure, iro.render(iro.dress(structure, finishes, "overcast"), "review")


def test_soil_lies_at_the_foot_of_a_block_and_not_away_from_it():
    floor = shapes.quad((-20, -20, 0), (20, -20, 0), (20, 20, 0), (-20, 20, 0))
    block = shapes.box((-1, 0, 0), (1, 1, 1.2))
    parts = [Part("floor slab", "concrete", (0.5,) * 3, 1.0, floor), Part("block", "render", (0.7,) * 3, 1.0, block)]
    structure, picture = picture_of(
        parts, ViewSpec("here", (0.0, -4.0, 2.2), (0.0, 0.0, 0.3), 40.0), "where,finish\nall,as found"
    )
    albedo = picture.layers["albedo"].mean(axis=2)
    floor_id = structure.surfaces.loc[structure.surfaces["name"] == "floor slab", "id"].item()
    y, x = np.nonzero(structure.regions == floor_id)
    origins, ways = structure.camera.rays(x + 0.5, y + 0.5)
    place = origins + ways * structure.depth[y, x][:, None]
    before = -place[:, 1]
    middle = np.abs(place[:, 0]) < 0.8
    foot, away = (albedo[y, x][middle & (before > a) & (before < b)] for a, b in ((0.01, 0.06), (0.8, 1.6)))
    assert len(foot) > 20 and len(away) > 50
    assert 0.72 * away.mean() < foot.mean() < 0.95 * away.mean()


def test_what_stands_in_water_is_dark_above_it():
    water = shapes.quad((-40, -40, -0.5), (40, -40, -0.5), (40, 40, -0.5), (-40, 40, -0.5))
    wall = shapes.box((-8, 2, -2.0), (8, 6, 1.6))
    parts = [
        Part("lake water", "water", (0.3, 0.4, 0.5), 1.0, water),
        Part("quay wall", "stone", (0.6,) * 3, 1.0, wall),
    ]
    structure, picture = picture_of(
        parts, ViewSpec("here", (0.0, -8.0, 0.9), (0.0, 2.0, 0.3), 30.0), "where,finish\nname quay*,as found"
    )
    albedo = picture.layers["albedo"].mean(axis=2)
    wall_id = structure.surfaces.loc[structure.surfaces["name"] == "quay wall", "id"].item()
    y, x = np.nonzero((structure.regions == wall_id) & (np.abs(structure.normal[..., 2]) < 0.3))
    origins, ways = structure.camera.rays(x + 0.5, y + 0.5)
    high = (origins + ways * structure.depth[y, x][:, None])[:, 2] + 0.5
    wet, dry = (albedo[y, x][(high > a) & (high < b)] for a, b in ((0.01, 0.06), (0.8, 1.5)))
    assert len(wet) > 20 and wet.mean() < 0.72 * dry.mean()


def test_a_wall_ends_in_a_gap_over_its_floor():
    floor = shapes.quad((-3, -3, 0), (3, -3, 0), (3, 3, 0), (-3, 3, 0))
    walls = np.concatenate([shapes.box((-3, 3, -0.2), (3, 3.2, 2.6)), shapes.box((-3.2, -3, -0.2), (-3, 3.2, 2.6))])
    parts = [Part("room floor", "oak", (0.5,) * 3, 1.0, floor), Part("wall", "render", (0.7,) * 3, 1.0, walls)]
    structure, picture = picture_of(
        parts, ViewSpec("here", (1.0, 1.2, 0.5), (0.6, 3.0, 0.1), 40.0), "where,finish\nall,as found"
    )
    albedo = picture.layers["albedo"].mean(axis=2)
    walls = structure.of_role("wall")
    y, x = np.nonzero(np.isin(structure.regions, walls) & (np.abs(structure.normal[..., 2]) < 0.3))
    origins, ways = structure.camera.rays(x + 0.5, y + 0.5)
    high = (origins + ways * structure.depth[y, x][:, None])[:, 2]
    gap, above = (albedo[y, x][(high > a) & (high < b)] for a, b in ((0.004, 0.013), (0.03, 0.05)))
    assert len(gap) > 60 and len(above) > 60
    assert gap.mean() < 0.3 * above.mean()
