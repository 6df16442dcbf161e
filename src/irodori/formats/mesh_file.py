"""Meshes from glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF and USD, as plain parts."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.core.errors import ModelError
from irodori.core.file_looks import FileLook, FileLooks, FileMap, distinct_looks
from irodori.formats.cut_out import cut_out
from irodori.formats.gltf_file import FileCamera, FileLight, Gltf, GltfMaterial, normalised
from irodori.formats.textures import texture_of

GLTF = (".glb", ".gltf")
USD = (".usd", ".usda", ".usdc", ".usdz")
SUFFIXES = (*GLTF, ".obj", ".stl", ".ply", ".dae", ".3mf", ".ifc", ".dxf", *USD)

SAMPLES = 256
"""Places of a part at which a texture is looked at for its mean colour, at least."""

SRGB = decode_srgb(np.arange(256) / 255.0)

BULB = 0.03
"""m: radius of the body that stands for a lamp which a file puts somewhere."""


@dataclass(frozen=True, eq=False)
class Part:
    """One named object of a file: triangles (T, 3, 3) float64 in file units and axes, its material.

    `look` is all that the file says of that; `uv` (T, 3, 4) float32 are both pairs of texture coordinates of each corner, `tone`
    (T, 3, 3) float32 the corners' linear colours, each None where there are none.
    """

    name: str
    material: str
    colour: tuple[float, float, float]
    opacity: float
    triangles: np.ndarray
    look: FileLook | None = None
    uv: np.ndarray | None = None
    tone: np.ndarray | None = None


def read_parts(path: str | Path) -> list[Part]:
    """The objects of a model file. Raises ModelError when it is missing, damaged or has no triangles."""
    path = Path(path)
    if not path.is_file():
        raise ModelError(f"There is no model file '{path}'")
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise ModelError(f"'{path}' is not a model that can be read; use {', '.join(SUFFIXES)}")
    try:
        if suffix == ".ifc":
            from irodori.formats.ifc_file import read_ifc

            found = [Part(*one) for one in read_ifc(path)]
        elif suffix == ".dxf":
            from irodori.formats.dxf_file import read_dxf

            found = [Part(*one) for one in read_dxf(path)]
        elif suffix in USD:
            found = _usd_parts(path)
        elif suffix in GLTF:
            found = _gltf_parts(Gltf(path))
        else:
            found = list(_trimesh_parts(path))
    except ModelError:
        raise
    except MemoryError:
        raise ModelError(f"'{path}' is too large to be opened here") from None
    except Exception as error:  # readers raise whatever their parser does
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        raise ModelError(f"'{path}' is damaged or not a model: {reason[:120]}") from None
    parts = [part for part in map(_finite, found) if len(part.triangles)]
    if not parts:
        raise ModelError(f"'{path}' holds no triangles; export it with its meshes")
    return parts


def read_cameras(path: str | Path) -> list[FileCamera]:
    """The cameras of a glTF/GLB file in its own order; none for other formats."""
    path = Path(path)
    if path.suffix.lower() not in GLTF:
        return []
    try:
        return Gltf(path).cameras()
    except (ModelError, ValueError, KeyError, TypeError, IndexError, AttributeError, ZeroDivisionError):
        return []  # the mesh reader has already accepted the file


def looks_of_parts(parts: list[Part]) -> FileLooks | None:
    """The looks of parts, by their number, and where these lie on their triangles; None where no file told any."""
    looks, rows = distinct_looks(part.look for part in parts)
    return FileLooks(looks, np.array(rows, np.int16), *_joined_coordinates(parts)) if looks else None


def _joined_coordinates(parts: list[Part]) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """Row of coordinates of each triangle of all parts, the coordinates, and the corners' colours."""
    placed = [p for p in parts if p.look is not None and (p.tone is not None or (p.uv is not None and p.look.textured))]
    sizes = np.array([len(p.triangles) for p in parts])
    at = np.full(int(sizes.sum()), -1, np.int32)
    if not placed:
        return at, np.zeros((0, 3, 4), np.float32), None
    chosen = {id(p) for p in placed}
    has = np.repeat([id(p) in chosen for p in parts], sizes)
    at[has] = np.arange(int(has.sum()))
    uv = np.concatenate([np.zeros((len(p.triangles), 3, 4), np.float32) if p.uv is None else p.uv for p in placed])
    at[has] = np.where(np.isfinite(uv).all(axis=(1, 2)), at[has], -1)
    tone = None
    if any(p.tone is not None for p in placed):
        tone = np.concatenate(
            [np.ones((len(p.triangles), 3, 3), np.float32) if p.tone is None else p.tone for p in placed]
        )
    return at, uv, tone


class _Toned:
    """Looks of what has colours at its corners, one for each look without."""

    def __init__(self) -> None:
        self._made: dict[int, tuple[FileLook, FileLook]] = {}

    def look(self, look: FileLook, tone: np.ndarray | None) -> FileLook:
        """The look itself, or the one that says so."""
        if tone is None:
            return look
        # The first is kept, or its number could be another's.
        return self._made.setdefault(id(look), (look, replace(look, toned=True)))[1]


def _finite(part: Part) -> Part:
    kept = np.isfinite(part.triangles).all(axis=(1, 2))
    return part if kept.all() else some_of(part, kept)


def some_of(part: Part, kept: np.ndarray) -> Part:
    """A part with some of its triangles."""
    uv, tone = (None if one is None else one[kept] for one in (part.uv, part.tone))
    return replace(part, triangles=part.triangles[kept], uv=uv, tone=tone)


def _gltf_parts(gltf: Gltf) -> list[Part]:
    scene = gltf.mesh_scene()
    materials = gltf.materials
    plain = GltfMaterial(FileLook(colour=(1.0, 1.0, 1.0)))
    toned = _Toned()
    parts = []
    for node, geometry, matrix in _placed(scene):
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
            parts.append(Part(node, "", PLAIN, 1.0, _triangles(geometry, corners, matrix)))
            continue
        part = Part(
            node,
            material.look.name,
            PLAIN,
            material.opacity,
            _triangles(geometry, corners, matrix),
            toned.look(material.look, tone),
            uv,
            tone,
        )
        if material.cutoff is not None and material.look.base is not None and uv is not None:
            part = _cut(part, material.look.base, material.cutoff)
        if len(part.triangles):
            parts.append(replace(part, colour=_mean_colour(part)))
    return parts + [_bulb(light) for light in gltf.lights()]


PLAIN = (0.445, 0.445, 0.445)
"""Linear colour of what has no material."""


def _cut(part: Part, base: FileMap, cutoff: float) -> Part:
    """A part without what its texture cuts out."""
    assert part.uv is not None
    if (base.pixels[..., 3] >= round(255 * cutoff)).all():
        return part
    triangles, uv, source = cut_out(part.triangles, part.uv, base, cutoff)
    tone = part.tone[source] if part.tone is not None else None
    return replace(part, triangles=triangles, uv=uv, tone=tone)


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


def _placed(scene) -> Iterator[tuple[str, object, np.ndarray]]:
    """Name, geometry with faces, and matrix of each node of a scene."""
    geometries, graph = scene.geometry, scene.graph
    for node in sorted(graph.nodes_geometry):
        matrix, name = graph[node]
        geometry = geometries[name]
        if hasattr(geometry, "faces") and len(geometry.faces):
            yield str(node), geometry, matrix


def _triangles(geometry, corners: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """Triangles (T, 3, 3) float64 of a geometry where it is placed. Raises ModelError."""
    with np.errstate(over="ignore", invalid="ignore"):  # what is not finite is left out later
        vertices = np.asarray(geometry.vertices, np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
    if corners.min() < 0 or corners.max() >= len(vertices):
        raise ModelError("a triangle has a corner that is not there")
    triangles = vertices[corners]
    return triangles[:, ::-1] if np.isfinite(matrix).all() and np.linalg.det(matrix[:3, :3]) < 0 else triangles


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


def _mean_colour(part: Part) -> tuple[float, float, float]:
    """Mean linear colour of a part, by area."""
    look = part.look
    assert look is not None
    mean = np.array(look.colour, float)
    base = look.base if part.uv is not None else None
    if base is not None or part.tone is not None:
        weights, chosen = _spots(len(part.triangles))
        sides = part.triangles[chosen]
        area = np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
        shown = np.ones((len(chosen), len(weights), 3))
        if base is not None and part.uv is not None:
            k = 2 * base.uv_set
            spots = np.einsum("sc,tck->tsk", weights, part.uv[chosen][..., k : k + 2].astype(float))
            seen = base.at(spots.reshape(-1, 2)).reshape(*spots.shape[:2], 4)
            shown = SRGB[seen[..., :3]]
        if part.tone is not None:
            shown = shown * np.einsum("sc,tck->tsk", weights, part.tone[chosen])
        if area.sum() > 0:
            mean *= (shown.mean(axis=1) * area[:, None]).sum(axis=0) / area.sum()
    red, green, blue = np.clip(mean, 0.0, 1.0).tolist()
    return red, green, blue


def _spots(count: int) -> tuple[np.ndarray, np.ndarray]:
    """Weights of corners (S, 3) of spots on a triangle, and which of `count` triangles are looked at."""
    side = int(np.ceil(np.sqrt(SAMPLES / max(min(count, SAMPLES), 1))))
    a, b = ((np.mgrid[0:side, 0:side].reshape(2, -1) + 0.5) / side).tolist()
    a, b = np.array(a), np.array(b)
    # A square folded onto the triangle: evenly spread.
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    chosen = np.unique(np.linspace(0, count - 1, min(count, 4 * SAMPLES)).astype(int))
    return np.stack([1 - a - b, a, b], axis=1), chosen


def _usd_parts(path: Path) -> list[Part]:
    from irodori.formats.usd_file import read_usd

    parts = [
        Part(name, look.name, PLAIN, opacity, triangles, look, uv)
        for name, triangles, uv, look, opacity in read_usd(path)
    ]
    return [replace(part, colour=_mean_colour(part)) for part in parts]


def _trimesh_parts(path: Path) -> Iterator[Part]:
    import trimesh

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        scene = _load_obj(path) if path.suffix.lower() == ".obj" else trimesh.load_scene(str(path), process=False)
    looks: dict[int, tuple[FileLook, float]] = {}
    toned = _Toned()
    for node, geometry, matrix in _placed(scene):
        corners = np.asarray(geometry.faces)
        triangles = _triangles(geometry, corners, matrix)
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
            part = _cut(part, look.base, 0.5)
        if len(part.triangles):
            yield replace(part, colour=_mean_colour(part))


def _corner_colours(visual, geometry, corners: np.ndarray) -> np.ndarray | None:
    """Colours that a file gives to vertices or faces, where these differ."""
    if getattr(visual, "kind", None) == "vertex":
        told = np.asarray(visual.vertex_colors)
        return None if (told == told[0]).all() else SRGB[told[:, :3]].astype(np.float32)[corners]
    if getattr(visual, "kind", None) == "face":
        told = np.asarray(visual.face_colors)
        return None if (told == told[0]).all() else np.repeat(SRGB[told[:, None, :3]], 3, axis=1).astype(np.float32)
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
