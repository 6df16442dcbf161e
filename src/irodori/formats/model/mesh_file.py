"""Meshes from glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF and USD, as plain parts."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from irodori.core.colour import OF_BYTES, decode_srgb
from irodori.core.errors import ModelError
from irodori.core.file_looks import FileLook, FileMap
from irodori.formats.model.gltf_file import FileCamera, Gltf
from irodori.formats.model.gltf_parts import gltf_parts
from irodori.formats.model.mesh_nodes import placed, placed_triangles
from irodori.formats.model.parts import PLAIN, Part, Toned, cut_part, mean_colour, some_of
from irodori.formats.model.textures import texture_of

GLTF = (".glb", ".gltf")
USD = (".usd", ".usda", ".usdc", ".usdz")
SUFFIXES = (*GLTF, ".obj", ".stl", ".ply", ".dae", ".3mf", ".ifc", ".dxf", *USD)


def read_parts(path: str | Path) -> list[Part]:
    """The objects of a model file; see `read_file`."""
    return read_file(path)[0]


def read_file(path: str | Path) -> tuple[list[Part], list[FileCamera]]:
    """The objects of a model file, and the cameras of a glTF file in its own order.

    Raises ModelError when it is missing, damaged or has no triangles.
    """
    path, cameras = Path(path), []
    if not path.is_file():
        raise ModelError(f"There is no model file '{path}'")
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise ModelError(f"'{path}' is not a model that can be read; use {', '.join(SUFFIXES)}")
    try:
        if suffix == ".ifc":
            from irodori.formats.model.ifc_file import read_ifc

            found = [Part(*one) for one in read_ifc(path)]
        elif suffix == ".dxf":
            from irodori.formats.model.dxf_file import read_dxf

            found = [Part(*one) for one in read_dxf(path)]
        elif suffix in USD:
            found = _usd_parts(path)
        elif suffix in GLTF:
            gltf = Gltf(path)
            found, cameras = gltf_parts(gltf), _cameras(gltf)
        else:
            found = list(_other_parts(path))
    except ModelError as error:
        if str(path) in str(error):
            raise
        raise ModelError(f"'{path}' is damaged or not a model: {error}") from None
    except MemoryError:
        raise ModelError(f"'{path}' is too large to be opened here") from None
    except Exception as error:  # readers raise whatever their parser does
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        raise ModelError(f"'{path}' is damaged or not a model: {reason[:120]}") from None
    parts = [part for part in map(_finite, found) if len(part.triangles)]
    if not parts:
        raise ModelError(f"'{path}' holds no triangles; export it with its meshes")
    return parts, cameras


def _cameras(gltf: Gltf) -> list[FileCamera]:
    try:
        return gltf.cameras()
    except (ModelError, ValueError, KeyError, TypeError, IndexError, AttributeError, ZeroDivisionError):
        return []  # its parts are of use without


def _finite(part: Part) -> Part:
    kept = np.isfinite(part.triangles).all(axis=(1, 2))
    return part if kept.all() else some_of(part, kept)


def _usd_parts(path: Path) -> list[Part]:
    from irodori.formats.model.usd_file import read_usd

    parts = [
        Part(name, look.name, PLAIN, opacity, triangles, look, uv)
        for name, triangles, uv, look, opacity in read_usd(path)
    ]
    return [replace(part, colour=mean_colour(part)) for part in parts]


def _other_parts(path: Path) -> Iterator[Part]:
    import trimesh

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        scene = _load_obj(path) if path.suffix.lower() == ".obj" else trimesh.load_scene(str(path), process=False)
    looks: dict[int, tuple[FileLook, float]] = {}
    toned = Toned()
    for node, geometry, matrix in placed(scene):
        corners = np.asarray(geometry.faces)
        triangles = placed_triangles(geometry, corners, matrix)
        visual = getattr(geometry, "visual", None)
        material = getattr(visual, "material", None)
        key = id(material if material is not None else visual)
        if key not in looks:
            looks[key] = _look(visual, material)
        look, opacity = looks[key]
        uv = None
        given = getattr(visual, "uv", None)
        if look.base is not None and given is not None and len(given) == len(geometry.vertices):
            # trimesh turns v upwards.
            flat = np.asarray(given, np.float32)[corners]
            uv = np.concatenate([flat[..., :1], 1.0 - flat[..., 1:2], np.zeros_like(flat[..., :2])], axis=-1)
        tone = _corner_colours(visual, geometry, corners)
        part = Part(node, look.name, PLAIN, opacity, triangles, toned.look(look, tone), uv, tone)
        if uv is not None and look.base is not None:
            part = cut_part(part, look.base, 0.5)
        if len(part.triangles):
            yield replace(part, colour=mean_colour(part))


def _corner_colours(visual, geometry, corners: np.ndarray) -> np.ndarray | None:
    """Colours that a file gives to vertices or faces, where these differ."""
    if getattr(visual, "kind", None) == "vertex":
        told = np.asarray(visual.vertex_colors)
        return None if (told == told[0]).all() else OF_BYTES[told[:, :3]].astype(np.float32)[corners]
    if getattr(visual, "kind", None) == "face":
        told = np.asarray(visual.face_colors)
        return None if (told == told[0]).all() else np.repeat(OF_BYTES[told[:, None, :3]], 3, axis=1).astype(np.float32)
    return None


def _look(visual, material) -> tuple[FileLook, float]:
    """What a file of another kind than glTF says of a material, and its opacity."""
    name = str(getattr(material, "name", "") or "")
    image = getattr(material, "baseColorTexture", None) or getattr(material, "image", None)
    pixels = texture_of(image) if image is not None else None
    base = None if pixels is None else FileMap(pixels)
    factor = getattr(material, "baseColorFactor", None)
    varied = getattr(visual, "kind", None) in ("vertex", "face")
    if factor is not None:
        values = np.asarray(factor, np.float64)
        values = values / 255.0 if values.max() > 1.0 or np.asarray(factor).dtype.kind in "ui" else values
        rgb, alpha = values[:3], (values[3] if len(values) > 3 else 1.0)
    elif base is not None:
        # A texture alone: its material says nothing of a factor.
        rgb, alpha = np.ones(3), 1.0
    elif not getattr(visual, "defined", True):
        rgb, alpha = np.array(PLAIN), 1.0
    else:
        main = getattr(material, "main_color", None)
        if main is None:
            main = getattr(visual, "main_color", np.array([178, 178, 178, 255]))
        values = np.asarray(main, np.float64) / 255.0
        rgb, alpha = decode_srgb(values[:3]), values[3]
    if varied and _varies(visual):
        rgb = np.ones(3)
    red, green, blue = (float(v) for v in rgb)
    return FileLook(name, (red, green, blue), base=base), float(alpha)


def _varies(visual) -> bool:
    told = np.asarray(visual.vertex_colors if visual.kind == "vertex" else visual.face_colors)
    return not (told == told[0]).all()


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
