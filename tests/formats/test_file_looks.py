"""What a model's file says of materials, in pictures: against the file's own numbers and textures."""

import json
import struct

import numpy as np
import pytest
from PIL import Image

import irodori as iro
from irodori.core.colour import decode_srgb, encode_srgb
from irodori.core.file_looks import CLAMP, MIRROR, REPEAT, FileMap
from irodori.engine.surface.file_textures import file_textures, lay_textures
from irodori.engine.surface.surface_look import Places, Weather, look_at_surfaces
from irodori.engine.surface.tables import build_tables

SIDE = 2.0


def png(pixels):
    import io

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


class Sample:
    """A glTF of upright squares, 2 × 2 m, side by side, put together by hand."""

    def __init__(self):
        self.binary, self.told = b"", {
            "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": []}], "nodes": [], "meshes": [], "accessors": [], "bufferViews": [],
            "images": [], "textures": [], "materials": [], "samplers": [],
        }  # fmt: skip

    def view(self, content):
        self.binary += b"\0" * (-len(self.binary) % 4)
        self.told["bufferViews"].append({"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(content)})
        self.binary += content
        return len(self.told["bufferViews"]) - 1

    def accessor(self, values, component, kind, **more):
        entry = {
            "bufferView": self.view(values.tobytes()),
            "componentType": component,
            "count": len(values),
            "type": kind,
            **more,
        }
        if kind == "VEC3":
            entry |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self.told["accessors"].append(entry)
        return len(self.told["accessors"]) - 1

    def texture(self, pixels, **sampler):
        self.told["images"].append({"bufferView": self.view(png(pixels)), "mimeType": "image/png"})
        self.told["samplers"].append(sampler)
        self.told["textures"].append(
            {"source": len(self.told["images"]) - 1, "sampler": len(self.told["samplers"]) - 1}
        )
        return len(self.told["textures"]) - 1

    def square(self, name, material, uv=((0, 1), (1, 1), (1, 0), (0, 0)), uv1=None, tone=None, turn=None):
        at = 3.0 * len(self.told["nodes"])
        corners = np.array([[at, 0, 0], [at + SIDE, 0, 0], [at + SIDE, SIDE, 0], [at, SIDE, 0]], "<f4")
        attributes = {"POSITION": self.accessor(corners, 5126, "VEC3")}
        for key, values in (("TEXCOORD_0", uv), ("TEXCOORD_1", uv1)):
            if values is not None:
                attributes[key] = self.accessor(np.array(values, "<f4"), 5126, "VEC2")
        if tone is not None:
            attributes["COLOR_0"] = self.accessor(np.array(tone, "<u2"), 5123, "VEC4", normalized=True)
        faces = np.array([0, 1, 2, 0, 2, 3] if not turn else [0, 2, 1, 0, 3, 2], "<u2")
        primitive = {"attributes": attributes, "indices": self.accessor(faces, 5123, "SCALAR")}
        if material is not None:
            self.told["materials"].append({"name": name, **material})
            primitive["material"] = len(self.told["materials"]) - 1
        self.told["meshes"].append({"primitives": [primitive]})
        self.told["nodes"].append({"name": name, "mesh": len(self.told["meshes"]) - 1})
        self.told["scenes"][0]["nodes"].append(len(self.told["nodes"]) - 1)

    def save(self, path):
        binary = self.binary + b"\0" * (-len(self.binary) % 4)
        told = {k: v for k, v in self.told.items() if v != []} | {"buffers": [{"byteLength": len(binary)}]}
        head = json.dumps(told).encode()
        head += b" " * (-len(head) % 4)
        chunks = struct.pack("<II", len(head), 0x4E4F534A) + head + struct.pack("<II", len(binary), 0x004E4942) + binary
        path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks)
        return path


def looked_at(path, spots, *, foot=1e-4):
    """What a dressed model's surfaces look like under no light at all: (albedo, roughness, bent) at places x, z, m, on the squares."""
    structure = iro.open_model(path).view("elevation south", width=320, ground=False).exact
    scene = iro.dress(structure, None, "overcast", liberty=0)
    tables = build_tables(scene)
    filed = np.array([n == "as found" for n in scene.finish_names])[scene.finish_of]
    textures = file_textures(scene.mesh, filed)
    spots = np.array(spots, float)
    position = np.stack([spots[:, 0], np.zeros(len(spots)), spots[:, 1]], axis=1).astype(np.float32)
    from irodori.engine.rays.ray_scene import RayScene

    way = np.tile(np.float32([[0, 1, 0]]), (len(spots), 1))
    _, tri = RayScene(scene.mesh.triangles).closest(position - way, way)
    assert (tri >= 0).all()
    region = scene.mesh.surface[tri].astype(np.int32)
    places = Places(
        region, position, way, -way, np.full(len(spots), foot, np.float32), np.zeros(len(spots), np.float32)
    )
    look = look_at_surfaces(tables, places, np.float32([0, 0, 1]), 7, Weather())
    look = look if textures is None else lay_textures(textures, tri, places, tables, look)
    return look, scene


@pytest.fixture(scope="module")
def chequers():
    """Four fields of different colours: red, green / blue, grey."""
    fields = np.array([[[210, 40, 30], [40, 170, 60]], [[30, 60, 200], [128, 128, 128]]], np.uint8)
    return fields, np.repeat(np.repeat(fields, 32, axis=0), 32, axis=1)


def painted(pixels, **more):
    """A material with a texture and no metal."""
    return {"pbrMetallicRoughness": {"baseColorTexture": {"index": pixels}, "metallicFactor": 0, **more}}


@pytest.fixture
def panel(tmp_path, chequers):
    """The view of a square that shows the chequers."""
    sample = Sample()
    sample.square("panel", painted(sample.texture(chequers[1])))
    return iro.open_model(sample.save(tmp_path / "a.glb")).view("elevation south", width=200, ground=False).exact


def assert_colours(albedo, want):
    """Within 1/255 of sRGB colours."""
    assert np.abs(encode_srgb(albedo) - np.array(want) / 255.0).max() < 1 / 255


def test_base_colours_are_the_texture_s_at_every_place(tmp_path, chequers):
    fields, pixels = chequers
    sample = Sample()
    texture = sample.texture(pixels)
    plain = {
        "pbrMetallicRoughness": {"baseColorTexture": {"index": texture}, "metallicFactor": 0, "roughnessFactor": 0.9}
    }
    half = {
        "pbrMetallicRoughness": {
            "baseColorTexture": {"index": texture},
            "baseColorFactor": [0.5, 0.25, 1.0, 1],
            "metallicFactor": 0,
        }
    }
    sample.square("panel one", plain)
    sample.square("panel two", half)
    look, scene = looked_at(
        sample.save(tmp_path / "a.glb"), [(0.5, 1.5), (1.5, 1.5), (0.5, 0.5), (1.5, 0.5), (3.5, 1.5), (4.5, 0.5)]
    )
    assert_colours(look.albedo[:4], fields.reshape(4, 3))
    assert np.allclose(look.albedo[4], decode_srgb(fields[0, 0] / 255.0) * [0.5, 0.25, 1.0], atol=1 / 400)
    assert np.allclose(look.albedo[5], decode_srgb(fields[1, 1] / 255.0) * [0.5, 0.25, 1.0], atol=1 / 400)
    assert np.allclose(look.rough[:4], 0.9**2, atol=1e-3)
    assert {a["why"] for a in scene.assignments} == {"as its file says"}


@pytest.mark.parametrize(
    ("moved", "spot", "field"),
    [
        ({"offset": [0.5, 0.0]}, (0.5, 1.5), (0, 1)),
        ({"offset": [0.0, 0.5]}, (0.5, 1.5), (1, 0)),
        ({"scale": [2.0, 2.0]}, (0.25, 1.75), (0, 0)),
        ({"scale": [2.0, 2.0]}, (0.75, 1.75), (0, 1)),
        # A quarter turn against the clock about the texture's corner: u runs along the old v.
        ({"rotation": np.pi / 2, "offset": [0.0, 1.0]}, (0.5, 1.5), (1, 0)),
        ({"rotation": np.pi / 2, "offset": [0.0, 1.0]}, (1.5, 1.5), (0, 0)),
    ],
)  # fmt: skip
def test_textures_are_moved_scaled_and_turned(tmp_path, chequers, moved, spot, field):
    fields, pixels = chequers
    sample = Sample()
    told = {"index": sample.texture(pixels), "extensions": {"KHR_texture_transform": moved}}
    sample.square("panel", {"pbrMetallicRoughness": {"baseColorTexture": told, "metallicFactor": 0}})
    look, _ = looked_at(sample.save(tmp_path / "a.glb"), [spot])
    assert_colours(look.albedo, [fields[field]])


def test_the_second_set_of_coordinates_and_flipped_faces(tmp_path, chequers):
    fields, pixels = chequers
    sample = Sample()
    told = {"index": sample.texture(pixels), "texCoord": 1}
    swapped = ((1, 1), (0, 1), (0, 0), (1, 0))
    for turn in (False, True):
        sample.square(
            f"panel {turn}",
            {"doubleSided": True, "pbrMetallicRoughness": {"baseColorTexture": told, "metallicFactor": 0}},
            uv1=swapped,
            turn=turn,
        )
    look, _ = looked_at(sample.save(tmp_path / "a.glb"), [(0.5, 1.5), (3.5, 1.5)])
    assert_colours(look.albedo, [fields[0, 1], fields[0, 1]])


@pytest.mark.parametrize(
    ("mode", "name", "field"), [(10497, REPEAT, (0, 0)), (33648, MIRROR, (0, 1)), (33071, CLAMP, (0, 1))]
)
def test_beyond_its_edge_a_texture_goes_on_as_its_sampler_says(tmp_path, chequers, mode, name, field):
    fields, pixels = chequers
    sample = Sample()
    texture = sample.texture(pixels, wrapS=mode, wrapT=10497)
    uv = ((1.0, 0.5), (2.0, 0.5), (2.0, 0.0), (1.0, 0.0))
    sample.square(
        "panel", {"pbrMetallicRoughness": {"baseColorTexture": {"index": texture}, "metallicFactor": 0}}, uv=uv
    )
    look, _ = looked_at(sample.save(tmp_path / "a.glb"), [(0.5, 1.5)])
    assert_colours(look.albedo, [fields[field]])
    own = FileMap(pixels, wrap=(name, REPEAT))
    assert np.array_equal(own.at(np.array([[1.25, 0.125]]))[0, :3], fields[field])


def test_far_off_a_texture_is_its_mean(tmp_path, chequers):
    fields, pixels = chequers
    sample = Sample()
    sample.square("panel", painted(sample.texture(pixels)))
    look, _ = looked_at(sample.save(tmp_path / "a.glb"), [(1.0, 1.0)], foot=2.0)
    mean = decode_srgb(fields.reshape(4, 3) / 255.0).mean(axis=0)
    assert np.abs(encode_srgb(look.albedo[0]) - encode_srgb(mean)).max() < 2 / 255


def test_gloss_metal_and_normals(tmp_path):
    sample = Sample()
    gloss = np.zeros((32, 32, 3), np.uint8)
    gloss[:, :16, 1], gloss[:, 16:, 1], gloss[..., 2] = 51, 204, 255
    leans = np.zeros((32, 32, 3), np.uint8)
    leans[:16], leans[16:] = (255 * 0.5 * (1 + 0.6), 127.5, 255 * 0.9), (127.5, 255 * 0.5 * (1 + 0.6), 255 * 0.9)
    sample.square(
        "panel one",
        {
            "pbrMetallicRoughness": {
                "metallicRoughnessTexture": {"index": sample.texture(gloss)},
                "baseColorFactor": [0.8, 0.5, 0.3, 1],
            }
        },
    )
    sample.square(
        "panel two", {"normalTexture": {"index": sample.texture(leans)}, "pbrMetallicRoughness": {"metallicFactor": 0}}
    )
    look, scene = looked_at(sample.save(tmp_path / "a.glb"), [(0.5, 1), (1.5, 1), (4, 1.5), (4, 0.5)])
    assert np.allclose(np.sqrt(look.rough[:2]), [0.2, 0.8], atol=0.01)
    row = scene.finishes[scene.finish_of[1]]
    from irodori.finishes.slots import SLOT

    assert row[SLOT["metalness"]] == pytest.approx(1.0) and np.allclose(look.albedo[0], [0.8, 0.5, 0.3], atol=1e-3)
    # Red leans along u, to the right; green up, against v; the face looks to −y.
    right, up = look.bent[2], look.bent[3]
    assert right == pytest.approx([0.6, -0.8, 0.0], abs=0.02) and up == pytest.approx([0.0, -0.8, 0.6], abs=0.02)


def test_colours_at_corners_are_blended_between(tmp_path):
    sample = Sample()
    full = 65535
    sample.square(
        "panel", None, uv=None, tone=[(full, 0, 0, full), (0, full, 0, full), (0, full, 0, full), (full, 0, 0, full)]
    )
    look, _ = looked_at(sample.save(tmp_path / "a.glb"), [(0.02, 1), (1, 1), (1.98, 1)])
    assert (
        np.allclose(look.albedo[1], [0.5, 0.5, 0.0], atol=0.01) and look.albedo[0, 0] > 0.9 and look.albedo[2, 1] > 0.9
    )


def test_masks_are_cut_out_to_the_pixel(tmp_path):
    sample = Sample()
    disc = np.zeros((256, 256, 4), np.uint8)
    y, x = np.mgrid[0:256, 0:256] + 0.5
    disc[..., :3], disc[..., 3] = (60, 120, 40), np.where((x - 128) ** 2 + (y - 128) ** 2 < 100**2, 255, 0)
    sample.square(
        "screen",
        {
            "alphaMode": "MASK",
            "alphaCutoff": 0.4,
            "pbrMetallicRoughness": {"baseColorTexture": {"index": sample.texture(disc)}},
        },
    )
    table = iro.open_model(sample.save(tmp_path / "a.glb")).data.surfaces
    assert table["area_m2"].sum() == pytest.approx(np.pi * (100 / 256 * SIDE) ** 2, rel=0.01)


def test_transmission_emission_and_lamps(tmp_path):
    sample = Sample()
    sample.square(
        "thing",
        {
            "extensions": {"KHR_materials_transmission": {"transmissionFactor": 1.0}},
            "pbrMetallicRoughness": {"metallicFactor": 0},
        },
    )
    sample.square(
        "panel",
        {
            "emissiveFactor": [1.0, 0.2, 0.1],
            "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 2.0}},
        },
    )
    sample.told["extensions"] = {
        "KHR_lights_punctual": {
            "lights": [{"type": "spot", "intensity": 300.0, "color": [1, 0.9, 0.8], "spot": {"outerConeAngle": 0.5}}]
        }
    }
    sample.told["nodes"].append(
        {"name": "downlight", "translation": [4, 3, 1], "extensions": {"KHR_lights_punctual": {"light": 0}}}
    )
    sample.told["scenes"][0]["nodes"].append(2)
    model = iro.open_model(sample.save(tmp_path / "a.glb"))
    table = model.data.surfaces.set_index("name")
    assert table["role"]["thing"] == "glazing"
    scene = iro.dress(model.view("elevation south", width=200, ground=False).exact, None, "dusk")
    panel, bulb = int(table["id"]["panel"]), int(table["id"]["downlight lamp"])
    colour = scene.lamps.colour[panel]
    assert colour / colour[0] == pytest.approx([1.0, 0.2, 0.1], rel=1e-4) and scene.lamps.luminance[panel] > 100
    # Lumens of a cone of 0.5 rad at 300 cd (its solid angle times its candela).
    assert scene.lamps.lumens[bulb] == pytest.approx(300 * 2 * np.pi * (1 - np.cos(0.5)), rel=1e-4)
    assert scene.lamps.axis[bulb] == pytest.approx([0, 1, 0], abs=1e-5)  # −z of the node: +y of the world


def test_a_schedule_replaces_what_the_file_brings(panel):
    scene = iro.dress(panel, "where,finish\nname panel,oiled oak\n")
    assert [a["finish"] for a in scene.assignments] == ["oiled oak"]


def test_a_structure_keeps_what_its_file_said(tmp_path, panel):
    panel.save(tmp_path / "held.exr")
    want, got = (
        iro.render(iro.dress(one, None, "noon"), "draft").encoded
        for one in (panel, iro.Structure.load(tmp_path / "held.exr"))
    )
    assert np.array_equal(want, got)
    # Two halves of another hue: the texture is in the picture.
    middle = want[want.shape[0] // 3]
    assert np.ptp(middle[:, 0]) > 0.25
