"""A structure as multi-channel OpenEXR with a JSON beside it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from irodori.core.camera import Camera
from irodori.core.errors import IrodoriError, StructureError
from irodori.core.fragments import Fragments
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.formats.atomic import whole_file
from irodori.formats.exr import read_exr, write_exr

FORMAT = "irodori-structure-1"
_FIELDS = ("region", "weight", "depth", "nx", "ny", "nz", "ox", "oy")


def save_structure(structure: Structure, path: str | Path) -> tuple[Path, Path]:
    """Write `path` (EXR: buffers and coverage layers) and the same name with .json (camera, surfaces, lines)."""
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
        "surfaces": _records(structure.surfaces),
    }
    write_exr(exr, channels, {"irodori": FORMAT})
    with whole_file(sidecar) as temporary:
        temporary.write_text(json.dumps(description, indent=1), encoding="utf-8")
    return exr, sidecar


def _records(surfaces) -> list[dict]:
    """The table as JSON records with every digit; NaN, which JSON lacks, as null."""
    records = surfaces[list(STRUCTURE_COLUMNS)].to_dict("records")
    return [
        {k: (None if isinstance(v, float) and np.isnan(v) else list(v) if k == "colour" else v) for k, v in r.items()}
        for r in records
    ]


def load_structure(path: str | Path) -> Structure:
    """Read what `save_structure` wrote. Raises StructureError when either file is missing or of another kind."""
    import pandas as pd

    exr = Path(path).with_suffix(".exr")
    try:
        channels, _ = read_exr(exr)
        data = json.loads(exr.with_suffix(".json").read_text(encoding="utf-8"))
        if data.get("format") != FORMAT:
            raise StructureError(f"'{exr}' is not a structure written by irodori; run `irodori read` again")
        surfaces = pd.DataFrame(data["surfaces"], columns=list(STRUCTURE_COLUMNS))
        surfaces["colour"] = [tuple(c) for c in surfaces["colour"]]
        surfaces = surfaces.astype(dict.fromkeys(("opacity", "nx", "ny", "nz", "offset", "confidence"), float))
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
        )
    except StructureError:
        raise
    except (OSError, KeyError, ValueError, IrodoriError) as error:
        raise StructureError(f"'{exr}' cannot be loaded as a structure: {error}") from None


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
