"""DXF and USD: the same box from each, in metres, upright, with its roles; scenes that are saved come back; broken files say one line."""

import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.core.colour import decode_srgb

broken = pytest.importorskip("broken")  # benchmarks/models


def extents(model):
    low, high = model.data.mesh.bounds()
    return high - low


def test_a_drawing_s_meshes_faces_and_blocks_by_layer(tmp_path):
    import ezdxf
    from ezdxf.render.forms import cube

    drawing = ezdxf.new()
    drawing.header["$INSUNITS"] = 4  # mm
    drawing.layers.add("A-WALL", color=1)
    form = cube().scale(6000, 4000, 3000).translate(0, 0, 1500)
    form.render_mesh(drawing.modelspace(), dxfattribs={"layer": "A-WALL"})
    block = drawing.blocks.new("pane")
    cube().scale(1000, 50, 1200).render_polyface(block, dxfattribs={"layer": "A-GLAZ"})
    for x in (-1500, 1500):
        drawing.modelspace().add_blockref("pane", (x, -2000, 1500))
    drawing.modelspace().add_3dface(
        [(-9000, -9000, 0), (9000, -9000, 0), (9000, 9000, 0), (-9000, 9000, 0)], dxfattribs={"layer": "L-LAWN"}
    )
    drawing.saveas(tmp_path / "hut.dxf")
    model = iro.open_model(tmp_path / "hut.dxf")
    assert extents(model) == pytest.approx((18, 18, 3), abs=1e-4)
    table = model.data.surfaces
    assert set(table["role"]) >= {"wall", "glazing", "lawn"}
    assert table.loc[table["role"] == "lawn", "area_m2"].sum() == pytest.approx(324, rel=1e-5)
    assert table.loc[table["role"] == "glazing", "area_m2"].sum() == pytest.approx(
        2 * 2 * (1 * 1.2 + 1 * 0.05 + 1.2 * 0.05), rel=1e-4
    )
    wall = table.loc[table["role"] == "wall", "colour"].iloc[0]
    assert np.allclose(wall, decode_srgb(np.array([1.0, 0.0, 0.0])), atol=1e-3)  # colour 1 of the index is red
    assert "DXF standard" in model.notes[0]


def test_solids_alone_are_said_to_be_none_that_can_be_read(tmp_path):
    import ezdxf

    drawing = ezdxf.new("R2000")
    drawing.modelspace().add_3dsolid().sat = ("400 0 1 0", "End-of-ACIS-data")
    drawing.saveas(tmp_path / "solid.dxf")
    with pytest.raises(iro.IrodoriError, match="solids and no meshes"):
        iro.open_model(tmp_path / "solid.dxf")


@pytest.mark.parametrize("suffix", ["usda", "usdc", "usdz"])
def test_a_stage_in_its_own_unit_and_axis(tmp_path, suffix):
    pxr = pytest.importorskip("pxr")
    from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdUtils

    assert pxr
    where = tmp_path / ("kiosk.usda" if suffix == "usdz" else f"kiosk.{suffix}")
    stage = Usd.Stage.CreateNew(str(where))
    UsdGeom.SetStageUpAxis(stage, "Y")
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    hall = UsdGeom.Xform.Define(stage, "/Hall")
    hall.AddTranslateOp().Set((100, 0, 0))
    wall = UsdGeom.Mesh.Define(stage, "/Hall/Wall_South")
    wall.CreatePointsAttr([(0, 0, 0), (400, 0, 0), (400, 250, 0), (0, 250, 0)])
    wall.CreateFaceVertexCountsAttr([4])
    wall.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    material = UsdShade.Material.Define(stage, "/Looks/brass")
    shader = UsdShade.Shader.Define(stage, "/Looks/brass/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set((0.6, 0.4, 0.1))
    shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(1.0)
    shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(0.3)
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    UsdShade.MaterialBindingAPI.Apply(wall.GetPrim())
    UsdShade.MaterialBindingAPI(wall).Bind(material)
    guide = UsdGeom.Mesh.Define(stage, "/Hall/Guide")
    guide.CreatePointsAttr([(0, 0, 0), (9000, 0, 0), (0, 9000, 0)])
    guide.CreateFaceVertexCountsAttr([3])
    guide.CreateFaceVertexIndicesAttr([0, 1, 2])
    guide.CreatePurposeAttr("guide")
    stage.GetRootLayer().Save()
    path = where
    if suffix == "usdz":
        path = tmp_path / "kiosk.usdz"
        assert UsdUtils.CreateNewUsdzPackage(str(where), str(path))
    model = iro.open_model(path)
    low, high = model.data.mesh.bounds()
    assert low == pytest.approx((1, 0, 0), abs=1e-5) and high == pytest.approx((5, 0, 2.5), abs=1e-5)
    row = model.data.surfaces.iloc[0]
    assert row["role"] == "wall" and np.allclose(row["colour"], (0.6, 0.4, 0.1), atol=1e-5)
    scene = iro.dress(model.view("elevation south", width=100, ground=False).exact, None, "noon")
    assert [a["why"] for a in scene.assignments] == ["as its file says"]


def test_far_from_the_origin_nothing_is_lost(tmp_path):
    mesh = trimesh.creation.box((4, 3, 2))
    mesh.apply_translation((0.0, 1.0, 0.0))
    scene = trimesh.Scene()
    scene.add_geometry(
        mesh,
        node_name="wall",
        geom_name="wall",
        transform=trimesh.transformations.translation_matrix((4_512_345.25, 0, -5_412_345.75)),
    )
    scene.export(tmp_path / "far.glb")
    model = iro.open_model(tmp_path / "far.glb")
    assert extents(model) == pytest.approx((4, 2, 3), abs=1e-4)
    assert np.abs(model.data.mesh.bounds()).max() < 100
    assert "far from its origin" in model.notes[1]
    # The very place is kept: 45.25 m from a round hundred.
    assert model.data.mesh.bounds().mean(axis=0)[:2] == pytest.approx((45.25, 45.75), abs=1e-3)


def test_one_lost_corner_is_left_out_and_told(tmp_path):
    box = trimesh.creation.box((4, 3, 2))
    vertices = np.vstack([box.vertices, [[1e8, 0, 0]]])
    mesh = trimesh.Trimesh(vertices, np.vstack([box.faces, [[0, 1, 8]]]), process=False)
    mesh.export(tmp_path / "lost.ply")
    model = iro.open_model(tmp_path / "lost.ply", unit="m", up="z")
    assert extents(model) == pytest.approx((4, 3, 2), abs=1e-4) and any(
        "1 triangles lie" in note for note in model.notes
    )


@pytest.fixture(scope="module")
def wrecks(tmp_path_factory):
    return list(broken.broken(tmp_path_factory.mktemp("broken"), 64, seed=23))


def test_broken_models_end_in_a_line_or_a_view(wrecks):
    ends = {path.name: (what, *broken.became(path)) for what, path in wrecks}
    crashed = {name: end for name, end in ends.items() if end[1] == "crash"}
    assert not crashed
    assert sum(end[1] == "line" for end in ends.values()) > 20


def test_what_was_dressed_is_saved_and_comes_back(tmp_path):
    from irodori.study.save_scene import save_scene

    scene = trimesh.Scene()
    for name, low, high in (
        ("brick wall", (0, 0, 0), (6, 0.3, 3)),
        ("roof", (-0.5, -0.5, 3), (6.5, 3, 3.2)),
        ("window glass", (2, -0.02, 1), (3.5, 0, 2.2)),
    ):
        mesh = trimesh.creation.box(bounds=(low, high))
        mesh.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)))
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    scene.export(tmp_path / "hut.glb")
    model = iro.open_model(tmp_path / "hut.glb")
    dressed = iro.dress(
        model.view(width=200, ground=False).exact,
        "where,finish\nname brick*,red brick, stretcher bond\n".replace(
            "red brick, stretcher bond", '"red brick, stretcher bond"'
        ),
        "noon",
        liberty=0,
    )
    saved = save_scene(dressed, tmp_path / "dressed.glb")
    back = iro.open_model(saved.path)
    assert extents(back) == pytest.approx(extents(model), abs=1e-4)
    assert len(back.data.mesh) == len(model.data.mesh) and saved.textures >= 1
    roles = back.data.surfaces.groupby("role")["area_m2"].sum()
    want = model.data.surfaces.groupby("role")["area_m2"].sum()
    assert roles.to_dict() == pytest.approx(want.to_dict(), rel=1e-4)
    brick = back.data.surfaces[back.data.surfaces["name"].str.startswith("brick")]["colour"].iloc[0]
    assert brick[0] > 1.5 * brick[2]
    with pytest.raises(iro.IrodoriError, match=r"no \.glb"):
        save_scene(dressed, tmp_path / "dressed.obj")
