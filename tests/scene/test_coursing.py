"""Courses of masonry, set out as masons do: bed joints at sills and heads, and around the corner at one height."""

import math

import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.scene.coursing import SPREAD, fit_courses

COURSE = 0.075
"""m, of the catalogue's bricks with their bed joint."""


def quad(a, b, c, d):
    return trimesh.Trimesh([a, b, c, d], [[0, 1, 2], [0, 2, 3]], process=False)


def house(folder, holes, *, window="window glass"):
    """A front of 6 × 3 m in the plane y = 0 with holes (x, z, x, z), its right side, and something in each hole."""
    xs = sorted({0.0, 6.0, *(h[0] for h in holes), *(h[2] for h in holes)})
    zs = sorted({0.0, 3.0, *(h[1] for h in holes), *(h[3] for h in holes)})
    front = [
        quad([a, 0, b], [c, 0, b], [c, 0, d], [a, 0, d])
        for a, c in zip(xs, xs[1:])
        for b, d in zip(zs, zs[1:])
        if not any(h[0] <= a and c <= h[2] and h[1] <= b and d <= h[3] for h in holes)
    ]
    wall = trimesh.util.concatenate(front)
    wall.merge_vertices()
    parts = {"wall front": wall, "wall side": trimesh.creation.box(bounds=((5.7, 0.02, 0), (6, 5, 3)))}
    parts["ground"] = trimesh.creation.box(bounds=((-20, -20, -0.2), (20, 20, 0)))
    for i, (a, b, c, d) in enumerate(holes):
        parts[f"{window} {i}"] = trimesh.creation.box(bounds=((a, 0.1, b), (c, 0.14, d)))
    scene = trimesh.Scene()
    for name, part in parts.items():
        part.apply_transform(trimesh.transformations.rotation_matrix(-math.pi / 2, [1, 0, 0]))
        scene.add_geometry(part, node_name=name, geom_name=name)
    scene.export(folder / "model.glb")
    (folder / "views.toml").write_text(
        '[[view]]\nname = "street"\nposition = [6.6, -5, 1.5]\ntarget = [4.4, 0, 1.5]\nfield = 54\naspect = 1.6\n'
    )
    (folder / "finishes.csv").write_text('where,finish\nname wall*,"red brick, stretcher bond"\n')
    return iro.open_model(folder / "model.glb", views=folder / "views.toml").view("street", width=1280)


def joints_near(view, folder, x, y, low, high):
    """Heights of the bed joints along an upright line of the picture, where bricks show least red."""
    structure = view.exact
    picture = iro.render(iro.dress(structure, folder / "finishes.csv", "overcast"), "review")
    albedo = picture.layers["albedo"]
    z = np.linspace(low, high, 400)
    # Over two bricks beside each other: head joints then show alike in all courses.
    profile = []
    for aside in np.arange(0, 0.449, 0.015):
        place = np.stack([np.full(400, x + aside * (y == 0)), np.full(400, y + aside * (y > 0)), z], axis=1)
        column, row = np.floor(structure.camera.project(place)[0].T).astype(int)
        colour = albedo[row, column]
        profile.append(colour[:, 0] / colour.sum(axis=1))
    red = np.convolve(np.mean(profile, axis=0), np.ones(5) / 5, mode="same")
    inner = np.flatnonzero((red[1:-1] < red[:-2]) & (red[1:-1] <= red[2:]) & (red[1:-1] < red.mean() - red.std() / 2))
    return z[inner + 1]


def test_bed_joints_lie_at_sill_and_head(tmp_path):
    hole = (3.0, 0.865, 4.2, 2.134)
    view = house(tmp_path, [hole])
    joints = joints_near(view, tmp_path, 4.4, 0.0, 0.5, 2.5)
    assert len(joints) > 20
    for level in (hole[1], hole[3]):
        assert np.abs(joints - level).min() < 0.009
    # All courses are of one height, and near the bricks' own.
    steps = np.diff(joints)
    assert steps.mean() == pytest.approx(COURSE, rel=SPREAD + 0.01)
    assert joints[2:] - joints[:-2] == pytest.approx(2 * steps.mean(), abs=0.012)


def test_courses_turn_the_corner(tmp_path):
    view = house(tmp_path, [(3.0, 0.865, 4.2, 2.134)])
    front = joints_near(view, tmp_path, 5.5, 0.0, 0.9, 2.1)
    side = joints_near(view, tmp_path, 6.0, 0.6, 0.9, 2.1)
    for joint in side:
        assert np.abs(front - joint).min() < 0.012


def test_what_is_no_opening_changes_nothing(tmp_path):
    view = house(tmp_path, [(3.0, 0.865, 4.2, 2.134)], window="wall panel")
    joints = joints_near(view, tmp_path, 4.4, 0.0, 0.5, 2.5)
    # Counted from the model's zero, in courses of the catalogue's height.
    away = np.abs(joints / COURSE - np.round(joints / COURSE)) * COURSE
    assert np.median(away) < 0.006


@pytest.mark.parametrize("height", [0.0625, 0.075, 0.2, 0.3])
def test_two_levels_are_met_or_the_courses_stay_within_what_joints_can_give(height):
    rng = np.random.default_rng(3)
    for sill, tall in zip(rng.uniform(0.4, 1.2, 30), rng.uniform(0.9, 2.2, 30)):
        levels = np.array([[sill, 1.0], [sill + tall, 1.0]])
        begin, stretch = fit_courses(levels, height, 0.0)
        assert abs(stretch - 1) <= SPREAD + 1e-9 and abs(begin) <= height * (1 + SPREAD)
        courses = (levels[:, 0] - begin) / (height * stretch)
        missed = np.abs(courses - np.round(courses)).max()
        best = tall / height / np.round(tall / height)
        if abs(best - 1) < 0.5 * SPREAD:
            assert missed < 0.03
        # Never worse than courses laid without looking.
        plain = np.abs(levels[:, 0] / height - np.round(levels[:, 0] / height))
        assert missed <= plain.max() + 0.03


def test_wide_openings_count_more():
    levels = np.array([[1.0, 10.0], [1.04, 0.5]])
    begin, stretch = fit_courses(levels, 0.075, 0.0)
    courses = (levels[:, 0] - begin) / (0.075 * stretch)
    missed = np.abs(courses - np.round(courses))
    assert missed[0] < 0.05 < missed[1]
