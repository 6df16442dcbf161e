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


def test_what_is_cut_out_gives_no_colour_and_lets_light_through(tmp_path, texture):
    scene = trimesh.Scene()
    scene.add_geometry(wall(texture, 0.02, 0.48, low=0.0), node_name="leaf", geom_name="leaf")
    scene.export(tmp_path / "leaf.glb")
    row = iro.open_model(tmp_path / "leaf.glb").data.surfaces.iloc[0]
    assert np.abs(np.array(row["colour"]) - decode_srgb(np.array(LEFT) / 255.0)).max() < 1 / 255
    assert 0.6 < row["opacity"] < 0.9
