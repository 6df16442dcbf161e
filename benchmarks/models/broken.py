"""Two hundred broken models: each has to end in one clear line or in a view, never in a crash, and never over memory.

    python benchmarks/models/broken.py [COUNT]

prints what became of each kind, the worst first.
"""

from __future__ import annotations

import json
import resource
import struct
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import trimesh

import irodori as iro

COUNT = 200


def whole(folder: Path) -> dict[str, Path]:
    """A small house in every format that can be written here."""
    scene = trimesh.Scene()
    for name, size, at in (("wall", (6, 4, 3), (0, 0, 1.5)), ("roof", (7, 5, 0.3), (0, 0, 3.2)), ("door", (1, 0.2, 2), (0, -2, 1)), ("lawn", (30, 30, 0.1), (0, 0, -0.05))):  # fmt: skip
        box = trimesh.creation.box(size, trimesh.transformations.translation_matrix(at))
        box.visual = trimesh.visual.TextureVisuals(
            material=trimesh.visual.material.PBRMaterial(name=name, baseColorFactor=[180, 170, 160, 255])
        )
        scene.add_geometry(box, node_name=name, geom_name=name)
    merged = scene.to_geometry() if hasattr(scene, "to_geometry") else scene.dump(concatenate=True)
    paths = {}
    for kind in ("glb", "gltf", "obj", "3mf", "stl", "ply", "dae"):
        paths[kind] = folder / f"whole.{kind}"
        (merged if kind in ("stl", "ply", "dae") else scene).export(paths[kind])
    import ezdxf

    drawing = ezdxf.new()
    for face in merged.triangles:
        drawing.modelspace().add_3dface([*face, face[-1]], dxfattribs={"layer": "A-WALL"})
    paths["dxf"] = folder / "whole.dxf"
    drawing.saveas(paths["dxf"])
    return paths


def _parted(content: bytes) -> tuple[dict, bytes]:
    length = struct.unpack_from("<I", content, 12)[0]
    return json.loads(content[20 : 20 + length]), content[20 + length + 8 :]


def _joined(told: dict, binary: bytes) -> bytes:
    head = json.dumps(told).encode()
    head += b" " * (-len(head) % 4)
    chunks = struct.pack("<II", len(head), 0x4E4F534A) + head + struct.pack("<II", len(binary), 0x004E4942) + binary
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def _floats(told: dict, binary: bytes, change: Callable[[np.ndarray], np.ndarray]) -> bytes:
    """The binary with the positions of the first mesh changed."""
    accessor = told["accessors"][told["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]
    view = told["bufferViews"][accessor["bufferView"]]
    start, size = view.get("byteOffset", 0), accessor["count"] * 12
    values = change(np.frombuffer(binary[start : start + size], "<f4").copy())
    return binary[:start] + values.astype("<f4").tobytes() + binary[start + size :]


def _odd_json(told: dict, rng: np.random.Generator) -> str:
    """Change one thing in a glTF's JSON so that it is wrong; says what."""
    mesh = told["meshes"][0]["primitives"][0]
    choices: dict[str, Callable[[], object]] = {
        "cyclic nodes": lambda: told["nodes"][0].update(children=[len(told["nodes"]) - 1]) or told["nodes"][-1].update(children=[0]),
        "node that is not there": lambda: told["scenes"][0]["nodes"].append(999),
        "node as text": lambda: told["nodes"].__setitem__(0, "node"),
        "mesh that is not there": lambda: told["nodes"][-1].update(mesh=77),
        "accessor that is not there": lambda: mesh["attributes"].update(POSITION=55),
        "count of a bomb": lambda: told["accessors"][0].update(count=10**12),
        "count beyond the buffer": lambda: told["accessors"][0].update(count=10**6),
        "bomb without a buffer": lambda: (told["accessors"][mesh["attributes"]["POSITION"]].pop("bufferView", None), told["accessors"][mesh["attributes"]["POSITION"]].update(count=180_000_000)),
        "negative count": lambda: told["accessors"][0].update(count=-4),
        "unknown type": lambda: told["accessors"][0].update(type="VEC9"),
        "unknown component": lambda: told["accessors"][0].update(componentType=1),
        "matrix of NaN": lambda: told["nodes"][-1].update(matrix=[float("nan")] * 16),
        "matrix of nothing": lambda: told["nodes"][-1].update(matrix=[0.0] * 16),
        "matrix of three": lambda: told["nodes"][-1].update(matrix=[1, 2, 3]),
        "huge scale": lambda: told["nodes"][-1].update(scale=[1e30] * 3),
        "tiny scale": lambda: told["nodes"][-1].update(scale=[1e-30] * 3),
        "buffer of minus one": lambda: told["buffers"][0].update(byteLength=-1),
        "view beyond the buffer": lambda: told["bufferViews"][0].update(byteOffset=10**9),
        "no asset": lambda: told.pop("asset"),
        "no scenes": lambda: told.pop("scenes"),
        "scene that is not there": lambda: told.update(scene=4),
        "no primitives": lambda: told["meshes"][0].update(primitives=[]),
        "lines only": lambda: [p.update(mode=1) for m in told["meshes"] for p in m["primitives"]],
        "texture that is not there": lambda: told["materials"][0].update(pbrMetallicRoughness={"baseColorTexture": {"index": 9}}),
        "material that is not there": lambda: mesh.update(material=99),
        "colour of two": lambda: told["materials"][0].update(pbrMetallicRoughness={"baseColorFactor": [1, 0]}),
        "colour as text": lambda: told["materials"][0].update(pbrMetallicRoughness={"baseColorFactor": "red"}),
        "compressed": lambda: told.update(extensionsRequired=["KHR_draco_mesh_compression"]),
        "camera without a lens": lambda: (told.update(cameras=[{"type": "perspective"}]), told["nodes"][-1].update(camera=0)),
        "camera of nothing": lambda: (told.update(cameras=[{"type": "orthographic", "orthographic": {"xmag": 0, "ymag": 0}}]), told["nodes"][-1].update(camera=0)),
        "light of NaN": lambda: (told.update(extensions={"KHR_lights_punctual": {"lights": [{"type": "point", "intensity": float("nan")}]}}), told["nodes"][-1].update(extensions={"KHR_lights_punctual": {"light": 0}})),
        "light as text": lambda: (told.update(extensions={"KHR_lights_punctual": {"lights": "all"}}), told["nodes"][-1].update(extensions={"KHR_lights_punctual": {"light": 0}})),
        "deep children": lambda: [told["nodes"].append({"children": [len(told["nodes"]) + 1]}) for _ in range(3000)] and told["nodes"].append({}),
    }  # fmt: skip
    name = list(choices)[int(rng.integers(len(choices)))]
    choices[name]()
    return name


def _odd_places(rng: np.random.Generator) -> tuple[str, Callable[[np.ndarray], np.ndarray]]:
    choices: dict[str, Callable[[np.ndarray], np.ndarray]] = {
        "NaN corners": lambda v: np.where(np.arange(len(v)) % 7 == 0, np.nan, v),
        "all NaN": lambda v: v * np.nan,
        "endless corners": lambda v: np.where(np.arange(len(v)) % 5 == 0, np.inf, v),
        "no area": lambda v: v * 0,
        "10 000 km off": lambda v: v + 1e7,
        "one corner 10 000 km off": lambda v: np.where(np.arange(len(v)) == 3, 1e7, v),
        "one corner 1e30 off": lambda v: np.where(np.arange(len(v)) == 3, 1e30, v),
        "a line": lambda v: np.where(np.arange(len(v)) % 3 == 0, v, 0),
    }
    name = list(choices)[int(rng.integers(len(choices)))]
    return name, choices[name]


def broken(folder: Path, count: int = COUNT, seed: int = 5) -> Iterator[tuple[str, Path]]:
    """What is wrong with each broken model, and its file."""
    rng = np.random.default_rng(seed)
    paths = whole(folder)
    kinds = list(paths)
    for number in range(count):
        way = number % 4
        kind = "glb" if way in (1, 2) else kinds[(number // 4) % len(kinds)]
        content = paths[kind].read_bytes()
        path = folder / f"broken{number}.{kind}"
        if way == 0:
            what, content = f"{kind} that ends early", content[: int(len(content) * rng.uniform(0, 0.98))]
        elif way == 1:
            told, binary = _parted(content)
            what = _odd_json(told, rng)
            content = _joined(told, binary)
        elif way == 2:
            told, binary = _parted(content)
            what, change = _odd_places(rng)
            content = _joined(told, _floats(told, binary, change))
        else:
            damaged = bytearray(content)
            for at in rng.integers(0, len(damaged), int(rng.integers(1, 40))):
                damaged[at] = int(rng.integers(256))
            what, content = f"{kind} with wrong bytes", bytes(damaged)
        path.write_bytes(content)
        yield what, path


def became(path: Path) -> tuple[str, str]:
    """How a model ends: "line" with it, "view", or "crash" with why."""
    try:
        iro.open_model(path).view(width=48, height=30)
    except iro.IrodoriError as error:
        text = str(error)
        return (
            ("line", text) if text and "\n" not in text and len(text) < 300 else ("crash", f"no clear line: {text!r}")
        )
    except Exception as error:
        return "crash", f"{type(error).__name__}: {error}"
    return "view", ""


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else COUNT
    crashes, ends, slowest = [], {"line": 0, "view": 0, "crash": 0}, (0.0, "")
    with tempfile.TemporaryDirectory() as folder:
        for what, path in broken(Path(folder), count):
            begun = time.perf_counter()
            how, why = became(path)
            slowest = max(slowest, (time.perf_counter() - begun, what))
            ends[how] += 1
            if how == "crash":
                crashes.append(f"  {what}: {why[:160]}")
    for line in crashes:
        print(line)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    print(f"{count} broken models: {ends['crash']} crashes, {ends['line']} clear lines, {ends['view']} views")
    print(f"slowest {slowest[0]:.1f} s ({slowest[1]}), memory {peak:.1f} GB")
    return 1 if crashes else 0


if __name__ == "__main__":
    raise SystemExit(main())
