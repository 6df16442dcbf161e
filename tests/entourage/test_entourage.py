"""Additions: right size, right place, right cover, nothing over the architecture unless asked."""

import json
import math

import cv2
import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.demo.files import demo_path
from irodori.entourage import ENTOURAGE, build, read_entourage
from irodori.entourage.catalogue import SEASONS
from irodori.entourage.entourage_list import COLUMNS, parse_where
from irodori.scene.additions import placed_list

EYE = (0.0, -20.0, 1.6)
WIDTH, HEIGHT = 480, 300
FOCAL = WIDTH / 2 / math.tan(math.radians(30))
"""px, of the view below: 60° across."""


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    """A wall of 8 × 3 m on level ground, seen squarely from 20 m by an eye at 1.6 m: all distances are known."""
    folder = tmp_path_factory.mktemp("yard")
    scene = trimesh.Scene()
    for name, low, high in (("ground", (-60, -60, -0.5), (60, 60, 0.0)), ("wall", (-4, 0, 0), (4, 0.4, 3))):
        box = trimesh.creation.box(bounds=(low, high))
        box.apply_transform(trimesh.transformations.rotation_matrix(-math.pi / 2, [1, 0, 0]))
        grey = 60 if name == "ground" else 150
        box.visual = trimesh.visual.TextureVisuals(
            material=trimesh.visual.material.PBRMaterial(name=name, baseColorFactor=[grey, grey, grey, 255])
        )
        scene.add_geometry(box, node_name=name, geom_name=name)
    scene.export(folder / "yard.glb")
    (folder / "views.toml").write_text(
        f'[[view]]\nname = "front"\nposition = {list(EYE)}\ntarget = [0, 0, 1.6]\nfield = 60\naspect = 1.6\n'
        '[[view]]\nname = "side"\nposition = [-24, -12, 3]\ntarget = [0, -4, 1]\nfield = 60\naspect = 1.6\n'
    )
    return iro.open_model(folder / "yard.glb", views=folder / "views.toml")


@pytest.fixture(scope="module")
def front(yard):
    return yard.view("front", width=WIDTH, ground=False)


def added(view, *lines, **more):
    text = ",".join(COLUMNS) + "\n" + "\n".join(f",{line}" + "," * (9 - line.count(",")) for line in lines) + "\n"
    return iro.dress(view.exact, None, "noon", entourage=_quoted(text), **more)


def _quoted(text):
    """Places hold commas: "at 1;2" stands for them here."""
    rows = [row.split(",") for row in text.strip().split("\n")]
    return "\n".join(",".join(f'"{c.replace(";", ",")}"' for c in row[: len(COLUMNS)]) for row in rows) + "\n"


def states(scene):
    return [item["state"] for item in scene.shown.listed]


def share_of(scene, surfaces):
    """Share of each pixel under some surfaces, (H, W)."""
    fragments = scene.shown.fragments
    values = np.isin(fragments.region, surfaces).astype(np.float32)[:, None]
    return fragments.resolve(values, scene.structure.size)[..., 0]


@pytest.mark.parametrize("name", [n for n, k in ENTOURAGE.items() if k.form != "horizon"])
def test_every_kind_has_the_height_it_says_and_stands_on_the_ground(name):
    kind = ENTOURAGE[name]
    for share in (1.0, 0.1):
        points = np.concatenate([p.triangles.reshape(-1, 3) for p in build(name, "summer", share, 3)])
        assert np.isfinite(points).all()
        tall = points[:, 2].max()
        if kind.pose == "sitting":
            assert 0.7 * kind.height < tall < 0.85 * kind.height
        elif kind.pose != "waving":
            assert tall == pytest.approx(kind.height, rel=0.2, abs=0.06)
        afloat = kind.form in ("boat", "sailing boat")
        assert (-0.4 if afloat else -0.07 * kind.height - 0.03) < points[:, 2].min() < 0.13
        if kind.family == "tree":
            assert np.ptp(points[:, 0]) == pytest.approx(kind.spread, rel=0.5)


def test_seasons_change_the_leaves_and_bare_trees_have_none():
    for name in ("birch", "oak", "maple", "cherry"):
        bare = build(name, "winter", 0.1, 1)
        assert {p.finish.name for p in bare} == {"bark"}
        colours = {s: build(name, s, 0.1, 1)[1].finish.colour for s in SEASONS[:3]}
        assert len(set(colours.values())) == 3
        red, green, _ = (int(colours["autumn"][i : i + 2], 16) for i in (1, 3, 5))
        assert red > green
    assert len(build("spruce", "winter", 0.1, 1)) > 1


def test_growth_depends_on_the_seed_alone():
    build.cache_clear()
    one = build("maple", "summer", 0.1, 5)[1].triangles
    build.cache_clear()
    assert np.array_equal(one, build("maple", "summer", 0.1, 5)[1].triangles)
    assert not np.array_equal(one[:100], build("maple", "summer", 0.1, 6)[1].triangles[:100])


def test_a_person_has_the_size_that_the_distance_gives(front):
    scene = added(front, "person standing,at 5;-8,1.8,,,180")
    left, top, right, bottom = scene.shown.listed[0]["box"]
    assert bottom - top == pytest.approx(FOCAL * 1.8 / 12, abs=3.5)
    assert (left + right) / 2 == pytest.approx(WIDTH / 2 + FOCAL * 5 / 12, abs=6)
    assert bottom == pytest.approx(HEIGHT / 2 + FOCAL * 1.6 / 12, abs=2.5)


def test_cover_agrees_with_the_filled_outline(front):
    scene = added(front, "car,at 6;-7,,,,60")
    camera, mesh = scene.structure.camera, scene.mesh
    first = len(scene.finish_of) - 7
    own = mesh.triangles[mesh.surface >= first].reshape(-1, 3)
    spots, _ = camera.project(own)
    scale = 16
    outline = np.zeros((HEIGHT * scale, WIDTH * scale), np.uint8)
    for triangle in spots.reshape(-1, 3, 2):
        cv2.fillConvexPoly(outline, np.round(triangle * scale).astype(np.int32), 1)
    wanted = outline.reshape(HEIGHT, scale, WIDTH, scale).mean(axis=(1, 3))
    got = scene.shown.covered
    assert got.sum() == pytest.approx(wanted.sum(), rel=0.02)
    assert np.abs(got - wanted).mean() < 0.002
    assert share_of(scene, np.arange(first, len(scene.finish_of))) == pytest.approx(got, abs=0.01)


def test_pieces_of_every_pixel_add_up(front):
    fragments = added(front, "oak,at 9;8", "meadow,within 5;-6 8;-6 8;-3").shown.fragments
    total = np.bincount(fragments.pixel, fragments.weight, minlength=WIDTH * HEIGHT)
    assert np.abs(total - 1).max() < 1e-4
    assert (np.diff(fragments.pixel) >= 0).all()
    same = fragments.pixel[1:] == fragments.pixel[:-1]
    assert (fragments.weight[1:][same] <= fragments.weight[:-1][same] + 1e-6).all()


def test_nothing_covers_the_architecture_unless_asked(front):
    structure = front.exact
    wall = structure.surfaces.loc[structure.surfaces["name"] == "wall", "id"].to_numpy()
    before = structure.fragments.resolve(
        np.isin(structure.fragments.region, wall).astype(np.float32)[:, None], structure.size
    )[..., 0]
    for line in ("cherry,at 1;-6,3", "person standing,pixel 240;185", "round shrub,at 0;-1.5"):
        kept = added(front, line)
        assert states(kept)[0].startswith("left out") and "over = yes" in states(kept)[0]
        assert np.array_equal(share_of(kept, wall), before)
        asked = added(front, line + "," * (9 - line.count(",") - 1) + "yes")
        assert states(asked) == ["placed"]
        assert share_of(asked, wall).sum() < before.sum() - 20


def test_a_little_is_trimmed_and_the_wall_stays_whole(front):
    structure = front.exact
    wall = structure.surfaces.loc[structure.surfaces["name"] == "wall", "id"].to_numpy()
    scene = added(front, "oak,at -10.2;-2", "oak,at 0;9")
    assert states(scene)[0] == "placed" or states(scene)[0].startswith("placed, trimmed")
    # What stands behind shows over the wall only.
    assert states(scene)[1] == "placed"
    plain = share_of(added(front, "oak,at 40;40"), wall)
    assert np.abs(share_of(scene, wall) - plain).max() < 1e-3


def test_what_is_behind_the_camera_is_listed_as_not_in_sight(front):
    scene = added(front, "spruce,at 0;-45")
    assert states(scene) == ["placed, not in sight"] and not scene.shown.covered.any()


def test_a_shadow_falls_where_the_sun_throws_it(front):
    light = "2026-06-21 18:00+02:00 @ 46.5, 8.1"
    lines = 'mark,what,where,facing\n,planter,"at 5,-6,0",0\n'
    plain = iro.render(iro.dress(front.exact, None, light), "draft")
    dressed = iro.dress(front.exact, None, light, entourage=lines)
    shaded = iro.render(dressed, "draft")
    sun = dressed.light.dome.sun_direction.astype(float)
    # The clipped ball's middle.
    ball = np.array([5.0, -6.0, 0.97])
    on_ground = ball - sun * ball[2] / sun[2]
    (x, y), depth = (a[0] for a in dressed.structure.camera.project(on_ground[None]))
    assert 0 < x < WIDTH and 0 < y < HEIGHT and depth > 0
    clear = share_of(dressed, [dressed.structure.regions[int(y), int(x)]])[int(y), int(x)]
    assert clear > 0.9, "the shadow must be seen beside the tub"
    lit, dark = (p.layers["sun"][int(y), int(x)].sum() for p in (plain, shaded))
    assert dark < 0.1 * lit


def test_hints_of_people_are_thin_and_cast_no_shadow(front):
    solid, translucent, drawn = (
        added(front, f"person walking,at 5;-8,1.7,,,90,,{manner}") for manner in ("solid", "translucent", "drawn")
    )
    assert translucent.shown.covered.sum() == pytest.approx(0.45 * solid.shown.covered.sum(), rel=0.03)
    assert 0.2 * solid.shown.covered.sum() < drawn.shown.covered.sum() < 0.95 * solid.shown.covered.sum()
    assert len(solid.mesh) > len(translucent.mesh) == len(drawn.mesh)


def test_areas_and_lines_keep_their_spacing(front):
    scene = added(front, "lavender,within 6;-12 12;-12 12;-6 6;-6,,0.5", "clipped ball,along -10;-4 -6;-4,,1")
    places = np.array([[float(v) for v in i["where"][3:].split(",")] for i in scene.shown.listed])
    bed, row = places[[i["what"] == "lavender" for i in scene.shown.listed]], places[-4:]
    assert len(bed) == pytest.approx(36 / 0.25, rel=0.15)
    assert (bed[:, 0] >= 6).all() and (bed[:, 0] <= 12).all() and (bed[:, 1] >= -12).all() and (bed[:, 1] <= -6).all()
    gaps = np.linalg.norm(bed[:, None] - bed[None], axis=-1) + np.eye(len(bed)) * 9
    assert gaps.min() > 0.08 and np.median(gaps.min(axis=1)) == pytest.approx(0.42, abs=0.15)
    assert row[:, 0].tolist() == pytest.approx([-9.5, -8.5, -7.5, -6.5])
    assert np.abs(row[:, 2]).max() < 1e-3


def test_the_picture_and_the_world_agree(yard, front):
    camera = front.exact.camera
    (x, y), _ = (a[0] for a in camera.project(np.array([[5.0, -8.0, 0.0]])))
    scene = added(front, f"oak,pixel {x:.0f};{y:.0f}")
    where = [float(v) for v in scene.shown.listed[0]["where"][3:].split(",")]
    assert where == pytest.approx([5.0, -8.0, 0.0], abs=0.15)
    # The list of what was placed puts the same tree into another view.
    again = iro.dress(
        yard.view("side", width=WIDTH, ground=False).exact, None, "noon", entourage=placed_list(scene.shown.listed)
    )
    assert [float(v) for v in again.shown.listed[0]["where"][3:].split(",")] == pytest.approx(where, abs=0.01)
    assert again.shown.listed[0]["height"] == pytest.approx(scene.shown.listed[0]["height"], abs=0.01)


def test_by_role_all_over_what_is_seen(front):
    scene = added(front, "meadow,role ground,,3")
    feet = np.array([[float(v) for v in i["where"][3:].split(",")] for i in scene.shown.listed])
    assert len(feet) > 60 and np.abs(feet[:, 2]).max() < 0.05
    spots, depth = scene.structure.camera.project(feet)
    near = depth < 30
    assert ((spots[near] > -100) & (spots[near] < (WIDTH + 100, HEIGHT + 100))).all()


def test_climbers_grow_up_the_wall_they_are_put_on(front):
    scene = added(front, "ivy,name wall*,2.4")
    assert len(scene.shown.listed) >= 6
    facing = {round(i["facing"]) for i in scene.shown.listed}
    assert facing == {180}
    own = scene.mesh.surface > len(scene.finish_of) - 3
    y = scene.mesh.triangles[own][..., 1]
    assert y.max() < 0.06 and y.min() > -0.45


@pytest.mark.parametrize("name", ["hills", "far trees", "townscape"])
def test_horizons_lie_behind_everything(front, name):
    structure = front.exact
    sky = structure.fragments.resolve((structure.fragments.region == 0).astype(np.float32)[:, None], structure.size)[
        ..., 0
    ]
    scene = added(front, f"{name},horizon")
    covered = scene.shown.covered
    assert (covered <= sky + 1e-3).all()
    band = covered[HEIGHT // 2 - 3 : HEIGHT // 2 - 1, :20]
    assert band.mean() > 0.6
    assert covered[: HEIGHT // 4].max() == 0


def test_proof_looks_beside_additions_and_still_finds_a_change(front, tmp_path):
    scene = added(front, "birch,at 6;-8", "rowing boat,at -5;-8;0,,,,60", "person walking,at 2;-4,,,,,,,yes")
    picture = iro.render(scene, "draft")
    path = picture.save(tmp_path / "yard.png")
    for candidate in (picture, path):
        report = iro.prove(front, candidate)
        assert report.in_register, report.reasons
        assert any("additions" in note for note in report.notes)
    image = picture.developed.copy()
    image[95:150, 150:190] = image[100, 100]
    assert not iro.prove(front, image).in_register


def test_repeat_with_additions_byte_for_byte(tmp_path):
    view = iro.open_model(demo_path("landing.glb")).view("landing", width=400)
    listed = 'what,where,height\nwillow,"at 14,-1",5\nhills,horizon,\n'
    scene = iro.dress(iro.read_structure(view), None, "dusk", entourage=listed, season="autumn")
    first = iro.render(scene, "draft").save(tmp_path / "first.png")
    again = iro.repeat(first).save(tmp_path / "again.png")
    assert first.read_bytes() == again.read_bytes()


def test_command_line_places_and_lists(cli, tmp_path):
    listed = tmp_path / "list.csv"
    listed.write_text('mark,what,where,height\nT1,oak,"at 30,17",9\nP1,person standing,"at 3,0.5",\n')
    answer = cli(
        "render", demo_path("landing.glb"), "--view", "landing", "--width", 400, "--entourage", listed, "--placed",
        "placed.csv", "--quality", "draft", "--out", "a.png", "--json",
    )  # fmt: skip
    assert answer.returncode == 0, answer.stderr
    data = json.loads(answer.stdout)
    assert [a["mark"] for a in data["additions"]] == ["T1", "P1"]
    assert data["additions"][1]["state"].startswith("left out")
    placed = read_entourage(tmp_path / "placed.csv").entries
    assert [e.mark for e in placed] == ["T1"] and placed[0].where.points[0][:2] == (30.0, 17.0)
    answer = cli("entourage", "tree")
    assert answer.returncode == 0 and answer.stdout.count(" m  ") >= 6


def test_where():
    assert parse_where("line 1,2 3,4").points == ((1, 2), (3, 4))
    assert parse_where("role lawn").selector.value == "lawn"
    assert parse_where("at 1,2,3").points == ((1, 2, 3),)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("brich,at 1;2", ["brich", "birch"]),
        ("birch,pixel 10", ["pixel 412,640"]),
        ("birch,horizon", ["horizon", "pixel"]),
        ("hills,at 1;2", ["horizon"]),
        ("birch,at 1;2,tall", ["height", "metres"]),
        ("birch,at 1;2,,,,,monsoon", ["season", "monsoon"]),
        ("birch,at 1;2,,,,,,ghost", ["manner", "ghost"]),
        ("birch,at 1;2,,,,,,,maybe", ["over", "maybe", "yes"]),
        ("birch,pixel 5;5", ["sky"]),
        ("birch,pixel 900;5", ["outside"]),
        ("ivy,pixel 60;280", ["wall"]),
        ("lawn edge,role ground,,0.03", ["spacing"]),
        ("birch,role rof", ["rof", "roof"]),
    ],
)
def test_wrong_lists_say_what_would_be_right(front, line, words):
    with pytest.raises(iro.IrodoriError) as error:
        added(front, line)
    for word in words:
        assert word in str(error.value)
