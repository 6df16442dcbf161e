"""What textures of a model's file show is its parts' colour, against the texture's own."""

import numpy as np
import pytest
import trimesh
from PIL import Image

import irodori as iro
from irodori.core.colour import decode_srgb

LEFT, RIGHT = (200, 40, 30), (30, 60, 200)


@pytest.fixture(scope="module")
def texture():
    """Red on its left half, blue on its right; its lower quarter cut out."""
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:, :32, :3], pixels[:, 32:, :3] = LEFT, RIGHT
    pixels[:48, :, 3] = 255
    return Image.fromarray(pixels)


def wall(texture, begin, end, low=0.25, factor=None):
    """An upright oblong that shows the texture from `begin` to `end` of its width, above `low` of its height."""
    corners = np.array([[0, 0, 0], [2, 0, 0], [2, 3, 0], [0, 3, 0.0]])
    mesh = trimesh.Trimesh(corners, [[0, 1, 2], [0, 2, 3]], process=False)
    made = trimesh.visual.material.PBRMaterial(
        name="paper", baseColorTexture=texture, baseColorFactor=factor, alphaMode="MASK"
    )
    mesh.visual = trimesh.visual.TextureVisuals(uv=[[begin, low], [end, low], [end, 1], [begin, 1]], material=made)
    return mesh


@pytest.mark.parametrize("suffix", ["glb", "gltf"])
def test_each_part_has_the_colour_of_what_it_shows(tmp_path, texture, suffix):
    scene = trimesh.Scene()
    for i, (name, begin, end, factor) in enumerate(
        [
            ("red wall", 0.02, 0.48, None),
            ("blue wall", 0.52, 0.98, None),
            ("repeated wall", 2.02, 2.48, None),
            ("dim wall", 0.02, 0.48, [128, 128, 128, 255]),
        ]
    ):
        mesh = wall(texture, begin, end, factor=factor)
        mesh.apply_translation((0, 0, 4.0 * i))
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    scene.export(tmp_path / f"walls.{suffix}")
    table = iro.open_model(tmp_path / f"walls.{suffix}").data.surfaces.set_index("name")
    red, blue = (decode_srgb(np.array(c) / 255.0) for c in (LEFT, RIGHT))
    for name, want in (("red wall", red), ("blue wall", blue), ("repeated wall", red), ("dim wall", red * 128 / 255)):
        assert np.abs(np.array(table["colour"][name]) - want).max() < 1 / 255, name
        assert table["opacity"][name] == 1.0


def test_what_is_cut_out_gives_no_colour_and_is_not_there(tmp_path, texture):
    scene = trimesh.Scene()
    scene.add_geometry(wall(texture, 0.02, 0.48, low=0.0), node_name="leaf", geom_name="leaf")
    scene.export(tmp_path / "leaf.glb")
    row = iro.open_model(tmp_path / "leaf.glb").data.surfaces.iloc[0]
    assert np.abs(np.array(row["colour"]) - decode_srgb(np.array(LEFT) / 255.0)).max() < 1 / 255
    assert row["opacity"] == 1


def test_collada_and_3mf_say_their_axis_and_unit(tmp_path):
    import collada
    from collada import geometry, scene, source

    low, high = np.array([0.0, 0.0, 0.0]), np.array([600.0, 30.0, 300.0])
    box = trimesh.creation.box(bounds=(low, high))
    file = collada.Collada()
    file.assetInfo.upaxis, file.assetInfo.unitmeter = collada.asset.UP_AXIS.Z_UP, 0.01
    file.assetInfo.unitname = "centimeter"
    corners = source.FloatSource("corners", np.asarray(box.vertices).ravel(), ("X", "Y", "Z"))
    shape = geometry.Geometry(file, "wall", "wall", [corners])
    inputs = source.InputList()
    inputs.addInput(0, "VERTEX", "#corners")
    shape.primitives.append(shape.createTriangleSet(np.asarray(box.faces).ravel(), inputs, "paint"))
    file.geometries.append(shape)
    file.scene = scene.Scene("scene", [scene.Node("wall", children=[scene.GeometryNode(shape, [])])])
    file.scenes.append(file.scene)
    file.write(str(tmp_path / "wall.dae"))
    box.apply_scale(10.0)
    box.export(tmp_path / "wall.3mf")
    for name, said in (
        ("wall.dae", "unit cm (by the COLLADA standard)"),
        ("wall.3mf", "unit mm (by the 3MF standard)"),
    ):
        model = iro.open_model(tmp_path / name)
        assert np.allclose(model.data.mesh.bounds(), [(0, 0, 0), (6.0, 0.3, 3.0)], atol=1e-3), name
        assert said in model.notes[0] and "z is up" in model.notes[0]


def test_damaged_files_of_each_kind_are_said(tmp_path):
    from irodori.core.errors import ModelError
    from irodori.formats.model.mesh_file import SUFFIXES

    for suffix in SUFFIXES:
        path = tmp_path / f"bad{suffix}"
        path.write_bytes(b"\x00\x01nothing of the kind\xff" * 9)
        with pytest.raises(ModelError, match="bad"):
            iro.open_model(path)
