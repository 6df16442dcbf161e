"""A structure as multi-channel OpenEXR with a JSON beside it, and, if it has any, a PLY of its triangles and an NPZ of their materials."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
from pydantic import TypeAdapter

from irodori.core.camera import Camera
from irodori.core.errors import IrodoriError, StructureError
from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.recipe import Reading, Source
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.formats.atomic import whole_file
from irodori.formats.exr import read_exr, write_exr
from irodori.formats.looks_file import load_looks, save_looks

FORMAT = "irodori-structure-2"
KNOWN = ("irodori-structure-1", FORMAT)
"""The first knew neither pictures nor triangles, nor where the structure came from."""

_FIELDS = ("region", "weight", "depth", "nx", "ny", "nz", "ox", "oy")


def save_structure(structure: Structure, path: str | Path) -> tuple[Path, Path]:
    """Write `path` (EXR: buffers, coverage layers, pictures) and the same name with .json (camera, surfaces, lines) and, with a
    mesh, .ply, and .npz for what its file says of materials; returns the first two."""
    exr = Path(path).with_suffix(".exr")
    sidecar = exr.with_suffix(".json")
    width, height = structure.size
    channels = {
        "regions": structure.regions.astype(np.uint32),
        "depth": structure.depth.astype(np.float32),
        **{f"normal.{a}": structure.normal[..., i].astype(np.float32) for i, a in enumerate("xyz")},
    }
    fragments = structure.fragments
    rank = _rank(fragments)
    for layer in range(int(rank.max()) + 1):
        chosen = rank == layer
        at = fragments.pixel[chosen]
        values = (
            fragments.region, fragments.weight, fragments.depth, *fragments.normal.T, *fragments.offset.T,
        )  # fmt: skip
        for name, value in zip(_FIELDS, values):
            buffer = np.zeros(width * height, np.uint32 if name == "region" else np.float32)
            buffer[at] = value[chosen]
            channels[f"cover{layer}.{name}"] = buffer.reshape(height, width)
    if structure.image is not None:
        channels |= {c: structure.image[..., i].astype(np.float32) for i, c in enumerate("RGB")}
    if structure.textured is not None:
        channels |= {f"textured.{c}": structure.textured[..., i].astype(np.uint32) for i, c in enumerate("RGB")}
    hidden = structure.hidden_surfaces
    description = {
        "format": FORMAT,
        "camera": structure.camera.as_dict(),
        "kind": structure.kind,
        "confidence": structure.confidence,
        "digest": structure.digest,
        "north": structure.north,
        "notes": list(structure.notes),
        "lines": structure.lines.tolist(),
        "vanishing": structure.vanishing.tolist(),
        "surfaces": _records(structure.surfaces, STRUCTURE_COLUMNS),
        "source": structure.origin.model_dump(mode="json"),
        "reading": structure.reading.model_dump(mode="json", by_alias=True),
        "hidden": None if hidden is None else _records(hidden, tuple(hidden.columns)),
        "hidden columns": None if hidden is None else list(hidden.columns),
        "parts": {} if structure.mesh is None else {str(k): v for k, v in structure.mesh.parts.items()},
        "mesh": structure.mesh is not None,
        "looks": structure.mesh is not None and structure.mesh.looks is not None and structure.mesh.looks.telling,
    }
    if structure.mesh is not None:
        _save_mesh(structure.mesh, exr.with_suffix(".ply"))
        if description["looks"]:
            save_looks(structure.mesh.looks, exr.with_suffix(".npz"))
    write_exr(exr, channels, {"irodori": FORMAT})
    with whole_file(sidecar) as temporary:
        temporary.write_text(json.dumps(description, indent=1), encoding="utf-8")
    return exr, sidecar


def _save_mesh(mesh: Mesh, path: Path) -> None:
    import trimesh

    count = len(mesh)
    soup = trimesh.Trimesh(
        mesh.triangles.reshape(-1, 3), np.arange(3 * count).reshape(-1, 3), process=False,
        face_attributes={"surface": mesh.surface.astype(np.int32)},
    )  # fmt: skip
    with whole_file(path) as temporary:
        temporary.write_bytes(trimesh.exchange.ply.export_ply(soup, include_attributes=True))


def _load_mesh(path: Path, parts: dict[str, int]) -> Mesh:
    import trimesh

    try:
        with path.open("rb") as file:
            raw = trimesh.load(file, file_type="ply", process=False).metadata["_ply_raw"]
        vertices, faces = raw["vertex"]["data"], raw["face"]["data"]
        points = np.stack([vertices[axis] for axis in "xyz"], axis=1).astype(np.float32)
        corners = faces["vertex_indices"]["f1"].reshape(-1)
        surface = faces["surface"].astype(np.int32)
    except (OSError, KeyError, ValueError, IndexError, TypeError, AttributeError) as error:
        raise StructureError(f"'{path}', the structure's triangles, cannot be read: {error}") from None
    return Mesh(points[corners].reshape(-1, 3, 3), surface, {int(k): int(v) for k, v in parts.items()})


def _records(surfaces, columns: tuple[str, ...]) -> list[dict]:
    """The table as JSON records with every digit; NaN, which JSON lacks, as null."""
    records = surfaces[list(columns)].to_dict("records")
    return [
        {k: (None if isinstance(v, float) and np.isnan(v) else list(v) if k == "colour" else v) for k, v in r.items()}
        for r in records
    ]


def load_structure(path: str | Path) -> Structure:
    """Read what `save_structure` wrote. Raises StructureError when either file is missing or of another kind."""
    exr = Path(path).with_suffix(".exr")
    try:
        channels, _ = read_exr(exr)
        data = json.loads(exr.with_suffix(".json").read_text(encoding="utf-8"))
        if data.get("format") not in KNOWN:
            raise StructureError(f"'{exr}' is not a structure written by irodori; run `irodori read` again")
        surfaces = _table(data["surfaces"], STRUCTURE_COLUMNS)
        hidden = data.get("hidden")
        image = np.stack([channels[c] for c in "RGB"], axis=-1) if "R" in channels else None
        textured = None
        if "textured.R" in channels:
            textured = np.stack([channels[f"textured.{c}"] for c in "RGB"], axis=-1).astype(np.uint8)
        mesh = _load_mesh(exr.with_suffix(".ply"), data.get("parts", {})) if data.get("mesh") else None
        if mesh is not None and data.get("looks"):
            mesh = replace(mesh, looks=load_looks(exr.with_suffix(".npz")))
        fragments = _fragments(channels)
        return Structure(
            camera=Camera.from_dict(data["camera"]),
            regions=channels["regions"].astype(np.int32),
            depth=channels["depth"],
            normal=np.stack([channels[f"normal.{a}"] for a in "xyz"], axis=-1),
            fragments=fragments,
            lines=np.array(data["lines"], np.float32).reshape(-1, 4),
            surfaces=surfaces,
            confidence=data["confidence"],
            kind=data["kind"],
            vanishing=np.array(data["vanishing"], np.float64).reshape(-1, 3),
            digest=data["digest"],
            north=data.get("north", 0.0),
            notes=tuple(data["notes"]),
            image=image,
            textured=textured,
            mesh=mesh,
            hidden_surfaces=None if hidden is None else _table(hidden, tuple(data["hidden columns"])),
            origin=_SOURCE.validate_python(data.get("source", {"what": "memory"})),
            reading=Reading.model_validate(data.get("reading", {})),
        )
    except StructureError:
        raise
    except (OSError, KeyError, ValueError, IrodoriError) as error:
        raise StructureError(f"'{exr}' cannot be loaded as a structure: {error}") from None


_SOURCE = TypeAdapter(Source)
NUMBERS = ("opacity", "nx", "ny", "nz", "offset", "confidence", "area_m2")


def _table(records: list[dict], columns: tuple[str, ...]):
    import pandas as pd

    table = pd.DataFrame(records, columns=list(columns))
    table["colour"] = [tuple(c) for c in table["colour"]]
    return table.astype(dict.fromkeys((n for n in NUMBERS if n in columns), float))


def _rank(fragments: Fragments) -> np.ndarray:
    starts = fragments.first()
    counts = np.diff(np.append(starts, len(fragments)))
    return np.arange(len(fragments)) - np.repeat(starts, counts)


def _fragments(channels: dict[str, np.ndarray]) -> Fragments:
    layers = []
    layer = 0
    while f"cover{layer}.weight" in channels:
        layers.append([channels[f"cover{layer}.{name}"].reshape(-1) for name in _FIELDS])
        layer += 1
    parts = []
    for rank, columns in enumerate(layers):
        used = np.flatnonzero(columns[1] > 0)
        parts.append([used, np.full(len(used), rank), *(c[used] for c in columns)])
    merged = [np.concatenate(c) for c in zip(*parts)]
    order = np.lexsort((merged[1], merged[0]))
    pixel, _, region, weight, depth, nx, ny, nz, ox, oy = (m[order] for m in merged)
    return Fragments(
        pixel.astype(np.int32), region.astype(np.int32), weight, depth,
        np.stack([nx, ny, nz], axis=1), np.stack([ox, oy], axis=1),
    )  # fmt: skip
