"""Meshes from glTF/GLB, OBJ, STL and PLY through trimesh, as plain parts."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.core.errors import ModelError

SUFFIXES = (".glb", ".gltf", ".obj", ".stl", ".ply", ".dae", ".3mf", ".ifc")


@dataclass(frozen=True, eq=False)
class Part:
    """One named object of a file: triangles (T, 3, 3) float64 in file units and axes, its material."""

    name: str
    material: str
    colour: tuple[float, float, float]
    opacity: float
    triangles: np.ndarray


@dataclass(frozen=True)
class FileCamera:
    """A camera in a file: (4, 4) node matrix (camera looks along −z, y up), vertical field in radians."""

    name: str
    matrix: np.ndarray
    yfov: float | None
    ymag: float | None
    aspect: float | None


def read_parts(path: str | Path) -> list[Part]:
    """The objects of a model file. Raises ModelError when it is missing, damaged or has no triangles."""
    import trimesh

    path = Path(path)
    if not path.is_file():
        raise ModelError(f"There is no model file '{path}'")
    if path.suffix.lower() not in SUFFIXES:
        raise ModelError(f"'{path}' is not a model that can be read; use {', '.join(SUFFIXES)}")
    if path.suffix.lower() == ".ifc":
        from irodori.formats.ifc_file import read_ifc

        found = [Part(*one) for one in read_ifc(path)]
        if not found:
            raise ModelError(f"'{path}' holds no shapes; export it with its geometry")
        return found
    try:
        scene = _load_obj(path) if path.suffix.lower() == ".obj" else trimesh.load_scene(str(path), process=False)
    except Exception as error:  # readers raise whatever their parser does
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        raise ModelError(f"'{path}' is damaged or not a model: {reason[:120]}") from None
    parts = []
    for node in sorted(scene.graph.nodes_geometry):
        matrix, geometry_name = scene.graph[node]
        geometry = scene.geometry[geometry_name]
        if not hasattr(geometry, "faces") or len(geometry.faces) == 0:
            continue
        vertices = trimesh.transform_points(np.asarray(geometry.vertices, np.float64), matrix)
        faces = np.asarray(geometry.faces)
        if faces.min() < 0 or faces.max() >= len(vertices):
            raise ModelError(f"'{path}' is damaged: a triangle has a corner that is not there")
        triangles = vertices[faces]
        if np.linalg.det(matrix[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        finite = np.isfinite(triangles).all(axis=(1, 2))
        triangles = triangles[finite]
        if len(triangles):
            parts.append(Part(str(node), *_material(geometry), triangles))
    if not parts:
        raise ModelError(f"'{path}' holds no triangles; export it with its meshes")
    return parts


def read_cameras(path: str | Path) -> list[FileCamera]:
    """The cameras of a glTF/GLB file in its own order; none for other formats."""
    path = Path(path)
    if path.suffix.lower() not in (".glb", ".gltf"):
        return []
    try:
        gltf = _scene_of(path)
    except Exception:  # the mesh reader has already accepted the file
        return []
    if gltf is None or not gltf.cameras:
        return []
    found: list[tuple[int, FileCamera]] = []
    roots = gltf.scenes[gltf.scene or 0].nodes if gltf.scenes else range(len(gltf.nodes))
    stack = [(index, np.eye(4)) for index in roots]
    while stack:
        index, parent = stack.pop()
        node = gltf.nodes[index]
        matrix = parent @ _node_matrix(node)
        if node.camera is not None:
            camera = gltf.cameras[node.camera]
            lens, box = camera.perspective, camera.orthographic
            found.append((index, FileCamera(
                node.name or camera.name or f"camera {node.camera + 1}", matrix, lens.yfov if lens else None,
                box.ymag if box else None,
                (lens.aspectRatio if lens else box.xmag / box.ymag) if (lens or box) else None,
            )))  # fmt: skip
        stack += [(child, matrix) for child in node.children or []]
    return [camera for _, camera in sorted(found, key=lambda f: f[0])]


def _scene_of(path: Path):
    """A glTF file's nodes and cameras; the rest of it, which takes long to check, is left out."""
    import json
    import struct

    from pygltflib import GLTF2

    content = path.read_bytes()
    if content[:4] == b"glTF":
        content = content[20 : 20 + struct.unpack_from("<I", content, 12)[0]]
    told = json.loads(content)
    wanted = ("asset", "scene", "scenes", "nodes", "cameras")
    return GLTF2.from_json(json.dumps({name: told[name] for name in wanted if name in told}))


def _node_matrix(node) -> np.ndarray:
    if node.matrix is not None:
        return np.array(node.matrix, np.float64).reshape(4, 4).T
    from scipy.spatial.transform import Rotation

    matrix = np.eye(4)
    if node.rotation is not None:
        matrix[:3, :3] = Rotation.from_quat(node.rotation).as_matrix()
    if node.scale is not None:
        matrix[:3, :3] *= np.array(node.scale)
    if node.translation is not None:
        matrix[:3, 3] = node.translation
    return matrix


def _load_obj(path: Path):
    """An OBJ file's scene with a geometry for every object, or group, and material.

    The reader keeps apart either objects or materials; naming an object for each pair keeps both.
    """
    import io

    import trimesh

    lines, name, material, changed = [], "", "", True
    first: dict[str, str] = {}
    for line in path.read_text("utf-8", errors="replace").splitlines():
        word, _, rest = line.strip().partition(" ")
        if word in ("o", "g", "usemtl"):
            name, material = (name, rest.strip()) if word == "usemtl" else (rest.strip() or name, material)
            changed = True
            continue
        if word == "f" and changed:
            # An object's first material needs no mention in its name.
            own = first.setdefault(name, material) == material
            lines.append(f"o {name if own and name else f'{name} {material}'.strip() or path.stem}")
            if material:
                lines.append(f"usemtl {material}")
            changed = False
        lines.append(line)
    resolver = trimesh.resolvers.FilePathResolver(str(path))
    return trimesh.load_scene(
        io.StringIO("\n".join(lines) + "\n"), file_type="obj", resolver=resolver, process=False, split_objects=True,
        group_material=False,
    )  # fmt: skip


SPOTS = np.array([(1, 1, 1), (4, 1, 1), (1, 4, 1), (1, 1, 4)], float) / np.array([[3], [6], [6], [6]])
"""Where on each triangle a texture is looked at, as weights of its corners."""


def _texture_colour(geometry, material) -> np.ndarray | None:
    """Mean linear colour and opacity (4,) of what a texture shows on a mesh, by area; None without one."""
    image = getattr(material, "baseColorTexture", None) or getattr(material, "image", None)
    uv = getattr(geometry.visual, "uv", None)
    if image is None or uv is None or len(uv) != len(geometry.vertices):
        return None
    pixels = np.asarray(image.convert("RGBA"), np.float64) / 255.0
    high, wide = pixels.shape[:2]
    faces, corners = np.asarray(geometry.faces), np.asarray(uv, np.float64)
    spots = np.einsum("kc,tcd->tkd", SPOTS, corners[faces]) % 1.0
    if not np.isfinite(spots).all():
        return None
    # trimesh turns v upwards.
    x = np.minimum((spots[..., 0] * wide).astype(int), wide - 1)
    y = np.minimum(((1.0 - spots[..., 1]) % 1.0 * high).astype(int), high - 1)
    area = np.repeat(np.asarray(geometry.area_faces, np.float64), len(SPOTS))
    seen = pixels[y, x].reshape(-1, 4)
    # What is cut out has no colour.
    solid = area * seen[:, 3]
    if solid.sum() <= 0:
        return None
    rgb = (decode_srgb(seen[:, :3]) * solid[:, None]).sum(axis=0) / solid.sum()
    return np.array([*rgb, 1.0 if (seen[:, 3] > 0.5).mean() > 0.98 else solid.sum() / area.sum()])


def _material(geometry) -> tuple[str, tuple[float, float, float], float]:
    visual = getattr(geometry, "visual", None)
    material = getattr(visual, "material", None)
    name = str(getattr(material, "name", "") or "")
    base = getattr(material, "baseColorFactor", None)
    if base is not None:
        values = np.asarray(base, np.float64)
        # trimesh hands glTF's linear factors on as 0 … 255 without encoding them
        values = values / 255.0 if values.max() > 1.0 or np.asarray(base).dtype.kind in "ui" else values
        rgb, alpha = values[:3], (values[3] if len(values) > 3 else 1.0)
        found = _texture_colour(geometry, material)
        if found is not None:
            rgb, alpha = rgb * found[:3], alpha * found[3]
    elif (found := _texture_colour(geometry, material)) is not None:
        # A texture alone: its material says nothing of a factor.
        rgb, alpha = found[:3], found[3]
    else:
        main = getattr(material, "main_color", None)
        if main is None:
            main = getattr(visual, "main_color", np.array([178, 178, 178, 255]))
        values = np.asarray(main, np.float64) / 255.0
        rgb, alpha = decode_srgb(values[:3]), values[3]
    return name, tuple(float(v) for v in rgb), float(alpha)
