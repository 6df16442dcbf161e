"""The objects of a glTF file, and bulbs for its lamps."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.file_looks import FileLook
from irodori.formats.model.gltf_file import FileLight, Gltf, GltfMaterial, normalised
from irodori.formats.model.mesh_nodes import placed, placed_triangles
from irodori.formats.model.parts import PLAIN, Part, Toned, cut_part, mean_colour

BULB = 0.03
"""m: radius of the body that stands for a lamp which a file puts somewhere."""


def gltf_parts(gltf: Gltf) -> list[Part]:
    scene = gltf.mesh_scene()
    materials = gltf.materials
    plain = GltfMaterial(FileLook(colour=(1.0, 1.0, 1.0)))
    toned = Toned()
    parts = []
    for node, geometry, matrix in placed(scene):
        corners = np.asarray(geometry.faces)
        given = geometry.vertex_attributes
        uv, tone = _coordinates(given, corners), _tones(given, corners)
        made = getattr(geometry.visual, "material", None)
        told = getattr(made, "name", None)
        material = (
            materials[int(told)] if told is not None and str(told).isdigit() and int(told) < len(materials) else None
        )
        if material is None and tone is not None:
            material = plain
        if material is None:
            parts.append(Part(node, "", PLAIN, 1.0, placed_triangles(geometry, corners, matrix)))
            continue
        part = Part(
            node,
            material.look.name,
            PLAIN,
            material.opacity,
            placed_triangles(geometry, corners, matrix),
            toned.look(material.look, tone),
            uv,
            tone,
        )
        if material.cutoff is not None and material.look.base is not None and uv is not None:
            part = cut_part(part, material.look.base, material.cutoff)
        if len(part.triangles):
            parts.append(replace(part, colour=mean_colour(part)))
    return parts + [_bulb(light) for light in gltf.lights()]


def _bulb(light: FileLight) -> Part:
    """A small ball that gives what a file's lamp gives: its candela all round, or within its beam."""
    import trimesh

    ball = trimesh.creation.icosphere(subdivisions=1, radius=BULB)
    solid_angle = 4 * np.pi if light.beam is None else 2 * np.pi * (1 - np.cos(light.beam))
    cone = None if light.beam is None else (tuple(light.direction.tolist()), float(light.beam))
    look = FileLook(
        light.name, light.colour, emission=light.colour, lumens=float(light.candela * solid_angle), cone=cone
    )
    return Part(f"{light.name} lamp", "", light.colour, 1.0, np.asarray(ball.triangles) + light.position, look)


def _coordinates(given: dict, corners: np.ndarray) -> np.ndarray | None:
    """Texture coordinates of corners, (T, 3, 4) float32."""
    sets = [given.get(name) for name in ("_UV0", "_UV1")]
    if all(one is None for one in sets):
        return None
    out = np.zeros((*corners.shape, 4), np.float32)
    for k, one in enumerate(sets):
        if one is not None and np.ndim(one) == 2 and corners.max() < len(one):
            out[..., 2 * k : 2 * k + 2] = normalised(np.asarray(one))[corners][..., :2]
    return out


def _tones(given: dict, corners: np.ndarray) -> np.ndarray | None:
    """Linear colours of corners, (T, 3, 3) float32; None where all are white."""
    told = given.get("_TONE")
    if told is None or np.ndim(told) != 2 or corners.max() >= len(told):
        return None
    colours = normalised(np.asarray(told))[:, :3].clip(0, 1).astype(np.float32)
    return None if (colours > 0.999).all() else colours[corners]
