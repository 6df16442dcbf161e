"""glTF 2.0 (ISO/IEC 12113:2022): meshes through trimesh; materials, lights and cameras, which it does not hand on, from the file's JSON."""

from __future__ import annotations

import base64
import io
import json
import math
import struct
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.core.errors import ModelError
from irodori.core.file_looks import CLAMP, MIRROR, REPEAT, FileLook, FileMap
from irodori.formats.model.textures import decoded_texture

READ = {
    "KHR_texture_transform", "KHR_mesh_quantization", "KHR_lights_punctual", "EXT_mesh_gpu_instancing", "EXT_texture_webp",
}  # fmt: skip
"""Extensions that a file may require; those of materials change colours only, and may be required besides."""

WRAPS = {33071: CLAMP, 33648: MIRROR, 10497: REPEAT}

COMPONENTS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}

MOST_UNHELD = 8_000_000
"""Numbers that accessors without a buffer may stand for: sparse ones begin with zeros."""

OPAQUE_FROM = 0.5
"""Alpha from which a texture's pixel is there, where the file says no other."""


@dataclass(frozen=True, eq=False)
class GltfMaterial:
    """A material: its look, opacity, and alpha from which its base texture's pixels are cut out; None where none are."""

    look: FileLook
    opacity: float = 1.0
    cutoff: float | None = None


@dataclass(frozen=True)
class FileCamera:
    """A camera in a file: (4, 4) node matrix (camera looks along −z, y up), vertical field in radians."""

    name: str
    matrix: np.ndarray
    yfov: float | None
    ymag: float | None
    aspect: float | None


@dataclass(frozen=True)
class FileLight:
    """A lamp in a file: where it is and looks, (3,) in file axes, its linear colour, candela, and half the angle of its beam, radians, or None."""

    name: str
    position: np.ndarray
    direction: np.ndarray
    colour: tuple[float, float, float]
    candela: float
    beam: float | None


class Gltf:
    """A glTF or GLB file, its JSON checked so far that it can be walked. Raises ModelError on what is damaged or cannot be read."""

    def __init__(self, path: Path) -> None:
        self.path = path
        content = path.read_bytes()
        self.is_binary = content[:4] == b"glTF"
        self._rest = memoryview(b"")
        try:
            if self.is_binary:
                length = struct.unpack_from("<I", content, 12)[0]
                if 20 + length > len(content):
                    raise ValueError("it ends early")
                self._rest = memoryview(content)[20 + length :]
                content = content[20 : 20 + length]
            self.told: dict[str, Any] = json.loads(content)
            if not isinstance(self.told, dict):
                raise ValueError("it holds no glTF")
            self._check()
        except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError, struct.error) as error:
            raise self._damaged(str(error)) from None

    def _damaged(self, why: str) -> ModelError:
        return ModelError(f"'{self.path}' is damaged or not a model: {(why.splitlines() or [''])[0][:120]}")

    def _check(self) -> None:
        """What would lead astray or fill the memory. Raises ValueError."""
        required = {e for e in self.told.get("extensionsRequired", []) if not e.startswith("KHR_materials_")} - READ
        if required:
            raise ValueError(f"it needs {', '.join(sorted(required))}; export it without compression or extensions")
        views, unheld = self._list("bufferViews"), 0
        for number, accessor in enumerate(self._list("accessors")):
            count, width = int(accessor["count"]), WIDTHS[accessor["type"]]
            if count < 0:
                raise ValueError(f"accessor {number} has a count below 0")
            if "bufferView" not in accessor:
                unheld += count * width
            elif (
                count * width * np.dtype(COMPONENTS[accessor["componentType"]]).itemsize
                > views[accessor["bufferView"]]["byteLength"]
            ):
                raise ValueError(f"accessor {number} says more than its buffer holds")
        if unheld > MOST_UNHELD:
            raise ValueError(f"it says that it holds {unheld:,} numbers, and does not")
        nodes, seen = self._list("nodes"), set()
        for root in self.roots:
            stack = [root]
            while stack:
                index = stack.pop()
                if not 0 <= index < len(nodes):
                    raise ValueError(f"node {index} is not there")
                if index in seen:
                    raise ValueError(f"node {index} is its own parent, or has two")
                seen.add(index)
                stack += nodes[index].get("children", [])

    def _list(self, name: str) -> list[dict]:
        if name in self._lists:
            return self._lists[name]
        found = self.told.get(name, [])
        if not isinstance(found, list) or not all(isinstance(one, dict) for one in found):
            raise ValueError(f"its {name} are no list")
        self._lists[name] = found
        return found

    @cached_property
    def _lists(self) -> dict[str, list[dict]]:
        return {}

    @cached_property
    def roots(self) -> list[int]:
        """Nodes of the scene that is shown."""
        scenes = self._list("scenes")
        if scenes:
            return [int(i) for i in scenes[int(self.told.get("scene", 0))].get("nodes", [])]
        children = {i for node in self._list("nodes") for i in node.get("children", [])}
        return [i for i in range(len(self._list("nodes"))) if i not in children]

    def mesh_scene(self):
        """The file as trimesh reads it: materials are named by their number, further coordinates and colours kept as attributes."""
        import trimesh

        told = {k: v for k, v in self.told.items() if k not in ("cameras", "images", "textures", "samplers", "extensionsRequired", "animations", "skins")}  # fmt: skip
        told["materials"] = [{"name": str(i)} for i in range(len(self._list("materials")))]
        kept = {"TEXCOORD_0": "_UV0", "TEXCOORD_1": "_UV1", "COLOR_0": "_TONE"}
        told["meshes"] = [
            {**mesh, "primitives": [
                {**p, "attributes": {"POSITION": p["attributes"]["POSITION"], **{new: p["attributes"][old] for old, new in kept.items() if old in p["attributes"]}}}
                for p in mesh["primitives"] if "POSITION" in p.get("attributes", {}) and p.get("mode", 4) in (4, 5)
            ]} for mesh in self._list("meshes")
        ]  # fmt: skip
        told["nodes"] = self._with_instances()
        content = json.dumps(told).encode()
        if self.is_binary:
            content += b" " * (-len(content) % 4)
            head = struct.pack("<4sIIII", b"glTF", 2, 20 + len(content) + len(self._rest), len(content), 0x4E4F534A)
            source, kind, resolver = io.BytesIO(head + content + self._rest), "glb", None
        else:
            source, kind, resolver = io.BytesIO(content), "gltf", trimesh.resolvers.FilePathResolver(str(self.path))
        return trimesh.load_scene(source, file_type=kind, resolver=resolver, process=False)

    def _with_instances(self) -> list[dict]:
        """The nodes, with a child for each instance of EXT_mesh_gpu_instancing."""
        nodes = [dict(node) for node in self._list("nodes")]
        for node in list(nodes):
            node.pop("camera", None)
            told = node.get("extensions", {}).get("EXT_mesh_gpu_instancing")
            node.pop("extensions", None)
            if told is None or "mesh" not in node:
                continue
            fields = {"TRANSLATION": "translation", "ROTATION": "rotation", "SCALE": "scale"}
            values = {fields[k]: self.numbers(v) for k, v in told["attributes"].items() if k in fields}
            count = max((len(v) for v in values.values()), default=0)
            mesh, name = node.pop("mesh"), node.get("name", "")
            node["children"] = [*node.get("children", []), *range(len(nodes), len(nodes) + count)]
            nodes += [
                {"mesh": mesh, "name": f"{name} {i + 1}".strip(), **{k: v[i].tolist() for k, v in values.items()}}
                for i in range(count)
            ]
        return nodes

    def numbers(self, accessor: int) -> np.ndarray:
        """The rows of an accessor, (N, K) float64; normalised integers as 0 … 1 or −1 … 1."""
        told = self._list("accessors")[accessor]
        dtype, width, count = np.dtype(COMPONENTS[told["componentType"]]), WIDTHS[told["type"]], int(told["count"])
        view = self._list("bufferViews")[told["bufferView"]]
        stride = view.get("byteStride") or dtype.itemsize * width
        data = self._view(told["bufferView"])[told.get("byteOffset", 0) :]
        rows = np.ndarray((count, width), dtype, data, strides=(stride, dtype.itemsize))
        return normalised(rows) if told.get("normalized") else rows.astype(float)

    def _view(self, index: int) -> memoryview:
        view = self._list("bufferViews")[index]
        start, length = view.get("byteOffset", 0), view["byteLength"]
        data = self._buffer(view.get("buffer", 0))[start : start + length]
        if len(data) < length:
            raise ValueError(f"bufferView {index} ends early")
        return data

    def _buffer(self, index: int) -> memoryview:
        if index not in self._buffers:
            buffer = self._list("buffers")[index]
            self._buffers[index] = memoryview(self._uri(buffer["uri"])) if "uri" in buffer else self._rest[8:]
        return self._buffers[index]

    @cached_property
    def _buffers(self) -> dict[int, memoryview]:
        return {}

    def _uri(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            return base64.b64decode(uri.partition(",")[2])
        return (self.path.parent / unquote(uri)).read_bytes()

    @cached_property
    def materials(self) -> list[GltfMaterial]:
        """The file's materials; a texture that is missing or damaged is as if it were not told."""
        return [self._material(told) for told in self._list("materials")]

    def _material(self, told: dict) -> GltfMaterial:
        metal = told.get("pbrMetallicRoughness", {})
        more = told.get("extensions", {})
        glossy = more.get("KHR_materials_pbrSpecularGlossiness")
        factor = [float(v) for v in metal.get("baseColorFactor", (1.0, 1.0, 1.0, 1.0))]
        base, rough, metalness = (
            metal.get("baseColorTexture"),
            metal.get("roughnessFactor"),
            metal.get("metallicFactor"),
        )
        gloss = metal.get("metallicRoughnessTexture")
        if glossy is not None:
            factor = [float(v) for v in glossy.get("diffuseFactor", (1.0, 1.0, 1.0, 1.0))]
            base, gloss, metalness = glossy.get("diffuseTexture"), None, 0.0
            rough = 1.0 - float(glossy.get("glossinessFactor", 1.0))
        strength = float(more.get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1.0))
        emission = np.array(told.get("emissiveFactor", (0.0, 0.0, 0.0)), float) * strength
        glow = self._map(told.get("emissiveTexture"))
        if glow is not None:
            # What glows in a pattern glows evenly, as bright on the whole.
            emission *= decode_srgb(glow.pixels[..., :3] / 255.0).mean(axis=(0, 1))
        bump = told.get("normalTexture")
        look = FileLook(
            str(told.get("name", "")), tuple(factor[:3]), None if rough is None else float(rough),
            None if metalness is None else float(metalness), tuple(emission.tolist()), self._map(base), self._map(gloss),
            self._map(bump), float((bump or {}).get("scale", 1.0)),
        )  # fmt: skip
        mode, opacity, cutoff = told.get("alphaMode", "OPAQUE"), factor[3] if len(factor) > 3 else 1.0, None
        if mode == "OPAQUE":
            opacity = 1.0
        elif look.base is not None:
            cutoff = float(told.get("alphaCutoff", OPAQUE_FROM)) if mode == "MASK" else OPAQUE_FROM
            if opacity < OPAQUE_FROM <= cutoff:
                cutoff = None  # glass with a texture
        opacity *= 1.0 - 0.9 * float(more.get("KHR_materials_transmission", {}).get("transmissionFactor", 0.0))
        return GltfMaterial(look, opacity, cutoff)

    def _map(self, told: dict | None) -> FileMap | None:
        if told is None:
            return None
        try:
            texture = self._list("textures")[told["index"]]
            source = texture.get("extensions", {}).get("EXT_texture_webp", texture).get("source", texture.get("source"))
            pixels = self._image(source)
            sampler = self._list("samplers")[texture["sampler"]] if "sampler" in texture else {}
        except (KeyError, IndexError, TypeError, ValueError, OSError):
            return None
        if pixels is None:
            return None
        wrap = tuple(WRAPS.get(sampler.get(name, 10497), REPEAT) for name in ("wrapS", "wrapT"))
        moved = told.get("extensions", {}).get("KHR_texture_transform", {})
        return FileMap(pixels, int(moved.get("texCoord", told.get("texCoord", 0))), _moved(moved), wrap)  # type: ignore[arg-type]

    def _image(self, index: int) -> np.ndarray | None:
        if index not in self._images:
            told = self._list("images")[index]
            content = self._uri(told["uri"]) if "uri" in told else bytes(self._view(told["bufferView"]))
            self._images[index] = decoded_texture(content)
        return self._images[index]

    @cached_property
    def _images(self) -> dict[int, np.ndarray | None]:
        return {}

    def cameras(self) -> list[FileCamera]:
        """The cameras in the order of their nodes."""
        found = []
        told = self._list("cameras")
        for index, node, matrix in self._placed():
            number = node.get("camera")
            if not isinstance(number, int) or not 0 <= number < len(told) or not np.isfinite(matrix).all():
                continue
            camera = told[number]
            lens, box = camera.get("perspective"), camera.get("orthographic")
            name = node.get("name") or camera.get("name") or f"camera {number + 1}"
            aspect = lens.get("aspectRatio") if lens else box["xmag"] / box["ymag"] if box else None
            found.append((index, FileCamera(
                str(name), matrix, lens["yfov"] if lens else None, box["ymag"] if box and not lens else None, aspect
            )))  # fmt: skip
        return [camera for _, camera in sorted(found, key=lambda f: f[0])]

    def lights(self) -> list[FileLight]:
        """The lamps of KHR_lights_punctual in the order of their nodes; suns stay out, the day has its own."""
        told = self.told.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
        found = []
        for index, node, matrix in self._placed():
            number = node.get("extensions", {}).get("KHR_lights_punctual", {}).get("light")
            if not isinstance(number, int) or not 0 <= number < len(told) or not np.isfinite(matrix).all():
                continue
            light = told[number]
            if light.get("type") not in ("point", "spot"):
                continue
            beam = light.get("spot", {}).get("outerConeAngle", math.pi / 4) if light["type"] == "spot" else None
            away = -matrix[:3, 2]
            found.append((index, FileLight(
                str(node.get("name") or light.get("name") or f"light {number + 1}"), matrix[:3, 3],
                away / max(float(np.linalg.norm(away)), 1e-9), tuple(float(v) for v in light.get("color", (1.0, 1.0, 1.0))),
                float(light.get("intensity", 1.0)), beam,
            )))  # fmt: skip
        return [light for _, light in sorted(found, key=lambda f: f[0])]

    def _placed(self):
        """Index, node and world matrix (4, 4) of each node that is shown."""
        nodes = self._list("nodes")
        stack = [(index, np.eye(4)) for index in self.roots]
        while stack:
            index, parent = stack.pop()
            matrix = parent @ _node_matrix(nodes[index])
            yield index, nodes[index], matrix
            stack += [(child, matrix) for child in nodes[index].get("children", [])]


def normalised(rows: np.ndarray) -> np.ndarray:
    """Integers as the numbers 0 … 1, or −1 … 1, that they stand for (glTF 2.0, 3.11); others as they are."""
    if rows.dtype.kind not in "iu":
        return rows.astype(float)
    return np.maximum(rows.astype(float) / np.iinfo(rows.dtype).max, -1.0)


def _moved(told: dict) -> np.ndarray:
    """Matrix (2, 3) of KHR_texture_transform: scale, then turn, then offset."""
    turn, (sx, sy), (ox, oy) = told.get("rotation", 0.0), told.get("scale", (1, 1)), told.get("offset", (0, 0))
    c, s = math.cos(turn), math.sin(turn)
    return np.array([[c * sx, s * sy, ox], [-s * sx, c * sy, oy]], float)


def _node_matrix(node: dict) -> np.ndarray:
    if node.get("matrix") is not None:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    matrix = np.eye(4)
    if node.get("rotation") is not None:
        x, y, z, w = np.array(node["rotation"], float) / max(float(np.linalg.norm(node["rotation"])), 1e-12)
        matrix[:3, :3] = [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    if node.get("scale") is not None:
        matrix[:3, :3] *= np.array(node["scale"], float)
    if node.get("translation") is not None:
        matrix[:3, 3] = node["translation"]
    return matrix
