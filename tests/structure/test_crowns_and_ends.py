"""Crowns as balls on their trunks, upright curves under a tilted camera, and faces that end at upright edges."""

from dataclasses import replace

import numpy as np
import pytest

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.geometry import shapes
from irodori.core.pixels.borders import region_borders
from irodori.engine.surface.mean_albedo import PER_SURFACE, with_mean_albedo
from irodori.engine.surface.surface_look import Places, Weather, look_at_surfaces
from irodori.engine.surface.tables import build_tables
from irodori.formats.write_image import write_image
from irodori.structure.curves.rounds import find_round, round_crown, round_crowns
from irodori.structure.planes.corners import corner_faces, upright_ends
from irodori.structure.regions.measure import line_sides, measure_regions
from painter import SIZE, camera_at, paint

GRASS, PLASTER, LEAF, TRUNK, SLATE = (140, 172, 98), (222, 206, 178), (104, 144, 76), (112, 88, 66), (98, 104, 114)


def ball(colour, middle, radius):
    return colour, shapes.ball(middle, radius, 24), True


def ellipse(middle, across, along):
    """A picture (H, W) bool of an ellipse."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    return ((x - middle[0]) / across) ** 2 + ((y - middle[1]) / along) ** 2 < 1


def measured(labels):
    return measure_regions(labels.astype(np.int32), np.zeros((int(labels.max()) + 1, 3)))


# Crowns by their outlines, against the ellipses they were drawn from


@pytest.mark.parametrize(
    ("middle", "across", "along"), [((300, 200), 90, 120), ((400.5, 250.5), 60, 45), ((650, 90), 40, 40)]
)
def test_a_whole_crown_is_the_ellipse_it_was_drawn_from(middle, across, along):
    found = round_crown(measured(1 + ellipse(middle, across, along)), 2)
    assert found.centre == pytest.approx(middle, abs=0.6)
    assert (found.across, found.along) == pytest.approx((across, along), abs=0.8)
    assert not found.upright


@pytest.mark.parametrize("middle", [(20, 250), (790, 250), (400, 10)])
def test_a_crown_that_the_picture_cuts_goes_on_outside(middle):
    found = round_crown(measured(1 + ellipse(middle, 100, 100)), 2)
    assert found.centre == pytest.approx(middle, abs=2.5)
    assert (found.across, found.along) == pytest.approx((100, 100), abs=2.5)


def test_what_a_house_hides_of_a_crown_is_made_up():
    labels = 1 + ellipse((400, 250), 100, 90)
    labels[:, 420:] = 3
    labels[300:] = 3
    found = round_crown(measured(labels), 2)
    assert found.centre == pytest.approx((400, 250), abs=4)
    assert (found.across, found.along) == pytest.approx((100, 90), abs=5)


def test_a_ragged_crown_is_about_its_size():
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    turn = np.arctan2(y - 250, x - 400)
    labels = 1 + (np.hypot(x - 400, y - 250) < 100 + 7 * np.sin(11 * turn))
    found = round_crown(measured(labels), 2)
    assert (found.across, found.along) == pytest.approx((100, 100), rel=0.06)


@pytest.mark.parametrize("box", [(100, 300, 700, 360), (100, 100, 160, 420)])
def test_hedges_are_no_balls(box):
    x0, y0, x1, y1 = box
    labels = np.ones(SIZE[::-1], int)
    labels[y0:y1, x0:x1] = 2
    assert round_crowns(measured(labels), [2]) == {}


# A tree beside a house, against the ball that was painted


@pytest.fixture(scope="module")
def tree(tmp_path_factory):
    camera = camera_at(at=(-6, -13, 1.7), to=(1.0, 2, 2.3))
    parts = [
        (GRASS, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (PLASTER, shapes.box((-3, 0, 0), (4, 6, 3.6))),
        (TRUNK, shapes.cylinder(-5.6, -4, 0, 2.6, 0.14, sides=16), True),
        ball(LEAF, (-5.6, -4, 3.4), 1.3),
    ]
    picture, depth, normal = paint(parts, camera)
    path = tmp_path_factory.mktemp("tree") / "tree.png"
    write_image(path, picture)
    return iro.read_structure(iro.open_capture(path), cache=False), camera, depth, normal


def crown_of(tree):
    """Pixels (H, W) of the painted crown: round things that are higher than trunks."""
    _, camera, depth, _ = tree
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    origins, rays = camera.rays(x.ravel(), y.ravel())
    points = (origins + rays * np.where(np.isfinite(depth), depth, 0).reshape(-1, 1)).reshape(*depth.shape, 3)
    return np.abs(np.linalg.norm(points - [-5.6, -4, 3.4], axis=2) - 1.3) < 0.05


def test_a_crown_is_planting(tree):
    structure = tree[0]
    there = crown_of(tree)
    planting = np.isin(structure.regions, structure.of_role("planting"))
    assert planting[there].mean() > 0.97


def test_a_crown_faces_as_a_ball_does(tree):
    structure, camera, _, normal = tree
    there = crown_of(tree)
    ours, theirs = structure.normal @ structure.camera.rotation.T, normal @ camera.rotation.T
    angle = np.degrees(np.arccos(np.clip((ours * theirs).sum(axis=2), -1, 1)))[there]
    assert np.median(angle) < 8  # the painted ball has flat facets of 7.5 degrees
    assert np.percentile(angle, 90) < 16


def test_a_crown_stands_over_its_trunk_and_bulges(tree):
    structure, _, depth, _ = tree
    there, solid = crown_of(tree), np.isfinite(depth)
    there &= (structure.regions > 0) & ~region_borders(structure.regions)
    ratio = structure.depth[there] / depth[there] / np.median(structure.depth[solid] / depth[solid])
    assert np.percentile(np.abs(ratio - 1), 99.5) < 0.06


# Uprights under a camera that looks up


def test_an_upright_leans_as_the_camera_says():
    camera = Camera.look((0, -12, 1.6), (0.5, 0, 7.0), size=SIZE, field=80.0)
    low, high = (camera.project(np.array([[6.0, 2.0, z]]))[0][0] for z in (4.0, 9.0))
    lean = (low[0] - high[0]) / (low[1] - high[1])
    assert abs(lean) > 0.1
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    off = x - low[0] - lean * (y - low[1])
    inside = (np.abs(off) < 30) & (y > high[1]) & (y < low[1])
    # A roof in front takes a corner of it: what is left is not even about its axis.
    inside &= ~((off > 0) & (y > (low[1] + high[1]) / 2))
    grey = np.where(inside, 90 + 110 * np.sqrt(np.clip(1 - (off / 30) ** 2, 0, 1)), 240)
    encoded = np.repeat(grey[..., None], 3, axis=2).astype(np.uint8)
    regions = measured(1 + inside)
    found = find_round(encoded, regions, camera, np.ones(inside.shape, bool), {1}, True)
    assert found[2].upright
    assert found[2].lean == pytest.approx(lean, abs=0.01)


# Faces that end at upright edges


def bands(*, post: bool):
    """A band under a terrace, from the left border to an upright edge; or one that goes on behind a `post`."""
    labels = np.ones(SIZE[::-1], np.int32)
    labels[200:] = 2  # terrace
    labels[300:360, :500] = 3  # the band
    labels[300:360, 500:] = 4
    labels[360:] = 5
    edges = [[500, 300, 500, 360], [0, 300, 500, 300], [0, 360, 799, 360], [500, 300, 799, 300]]
    if post:
        labels[150:400, 490:500] = 6
        edges[0] = [490, 150, 490, 400]
    return measured(labels), np.array(edges, float), np.array([2, 0, 0, 0])


def test_a_band_that_ends_at_an_upright_edge_of_its_height_is_upright():
    regions, segments, family = bands(post=False)
    ends = upright_ends(regions, segments, line_sides(regions.labels, segments), family)
    assert ends.tolist() == [0, 0, 0, 1, 1, 0]
    # What hides others has edges of its own.
    ends = upright_ends(regions, segments, line_sides(regions.labels, segments), family, hiding={4})
    assert ends[3] == 0


def test_a_post_before_it_says_nothing():
    regions, segments, family = bands(post=True)
    assert not upright_ends(regions, segments, line_sides(regions.labels, segments), family).any()


def test_an_edge_that_goes_on_above_says_nothing():
    regions, segments, family = bands(post=False)
    segments = np.vstack([segments, [[500, 210, 500, 298]]])
    assert not upright_ends(regions, segments, line_sides(regions.labels, segments), np.append(family, 2)).any()


def test_a_corner_of_two_edges_counts_half_and_by_hand_not_at_all():
    labels = np.ones(SIZE[::-1], np.int32)
    labels[200:300, 200:500] = 2
    regions, segments = measured(labels), np.array([[500, 200, 500, 300], [200, 200, 500, 200.0]])
    segments = np.vstack([segments, [[600, 400, 700, 400]]])  # elsewhere
    sides, family = line_sides(regions.labels, segments), np.array([2, 0, 0])
    assert corner_faces(regions, segments, sides, family) == [(2, 0, 2, 0.5)]
    assert corner_faces(regions, segments, sides, family, by_hand=True) == []
    assert corner_faces(regions, segments, sides, family, hiding={1}) == []
    # Two level edges may end anywhere.
    assert corner_faces(regions, segments, sides, np.array([1, 0, 0])) == []


def test_the_face_of_a_quay_in_a_line_drawing_is_upright(tmp_path):
    camera = camera_at(at=(-5, -14, 1.9), to=(1.5, 1, 1.3))
    parts = [
        (GRASS, shapes.quad((-60, -60, -1.1), (60, -60, -1.1), (60, 60, -1.1), (-60, 60, -1.1))),
        (GRASS, shapes.box((-30, -3, -1.1), (1.5, 9, 0.0))),
        (PLASTER, shapes.box((-4, 0, 0), (1, 7, 3.4))),
        (SLATE, shapes.box((-2.5, -0.05, 0), (-1.5, 0, 2.1))),
        (PLASTER, shapes.box((4, 4, -1.1), (9, 9, 2.6))),
    ]
    picture, _, normal = paint(parts, camera, line=True)
    write_image(tmp_path / "quay.png", picture)
    read = iro.read_structure(iro.open_capture(tmp_path / "quay.png"), cache=False)
    (x, y), _ = (a[0] for a in camera.project(np.array([[-4.0, -3.0, -0.5]])))
    assert normal[int(y), int(x)] == pytest.approx([0, -1, 0], abs=1e-6)
    assert abs(read.normal[int(y), int(x), 2]) < 0.1
    inner = ~region_borders(read.regions) & (np.abs(normal[..., 2]) > 0.9) & (np.arange(SIZE[1])[:, None] > 420)
    assert (np.abs(read.normal[inner][:, 2]) > 0.9).mean() > 0.9  # the ground before it stays level


# Finishes on curves


def test_leaves_lie_on_a_ball_as_on_its_card(tree):
    structure = tree[0]
    scene = iro.dress(structure, None, "noon")
    tables = build_tables(scene)
    region = int(structure.of_role("planting")[0])
    there = np.argwhere(structure.regions == region)[::7]
    camera = structure.camera
    x, y = there[:, 1] + 0.5, there[:, 0] + 0.5
    origins, rays = camera.rays(x, y)
    position = origins + rays * structure.depth[there[:, 0], there[:, 1], None].astype(np.float32)
    view = rays / np.linalg.norm(rays, axis=1, keepdims=True)
    curved = structure.normal[there[:, 0], there[:, 1]].astype(np.float32)
    card = structure.surfaces.set_index("id").loc[region, ["nx", "ny", "nz"]].to_numpy(np.float32)
    assert np.ptp(curved, axis=0).max() > 0.8

    def albedo(normal):
        count = len(x)
        places = Places(
            np.full(count, region, np.int32), position, view.astype(np.float32), np.ascontiguousarray(normal),
            np.full(count, 0.002, np.float32), np.ones(count, np.float32),
        )  # fmt: skip
        return look_at_surfaces(tables, places, np.array([0, 0, 1], np.float32), 7, Weather()).albedo

    on_ball, on_card = albedo(curved), albedo(np.broadcast_to(card, curved.shape).copy())
    assert on_ball.std(axis=0).max() > 0.005  # it is leaves, not paint
    assert np.abs(on_ball - on_card).mean() < 0.25 * on_card.std(axis=0).mean()


# Tables have a row for every stand-in, too


def test_colours_from_afar_depend_on_nothing_beyond_the_tables(tmp_path):
    picture, _, _ = paint([(PLASTER, shapes.box((-3, 0, 0), (3, 5, 3)))], camera_at())
    write_image(tmp_path / "box.png", picture)
    scene = iro.dress(iro.read_structure(iro.open_capture(tmp_path / "box.png"), cache=False), None, "noon")
    tables = build_tables(scene)
    per_surface = [name for name in PER_SURFACE if name != "finish"]
    amid = {}
    for name in per_surface:
        values = getattr(tables, name)
        space = np.full(
            (len(values) + 2000, *values.shape[1:]), np.nan if values.dtype.kind == "f" else 1, values.dtype
        )
        space[: len(values)] = values
        amid[name] = space[: len(values)]
    assert np.array_equal(with_mean_albedo(replace(tables, **amid)).mean, with_mean_albedo(tables).mean)
    # Whatever has a row for each surface is among them.
    rows = {name for name, values in vars(tables).items() if np.shape(values)[:1] == (len(tables.base),)}
    assert rows - {"mean", "emission"} <= {*PER_SURFACE} | {n for n in rows if len(tables.rows) == len(tables.base)}


def test_a_picture_comes_out_the_same_each_time(tmp_path):
    picture, _, _ = paint([(PLASTER, shapes.box((-3, 0, 0), (3, 5, 3)))], camera_at(), line=True)
    write_image(tmp_path / "box.png", picture)
    scene = iro.dress(iro.read_structure(iro.open_capture(tmp_path / "box.png"), cache=False), None, "noon")
    first, *others = (iro.render(scene, "draft").encoded for _ in range(3))
    assert np.isfinite(first).all() and all(np.array_equal(first, other) for other in others)
