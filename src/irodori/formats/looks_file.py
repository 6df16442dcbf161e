"""The looks of a model's file, kept beside a structure that was saved: arrays and textures in one .npz, their values as JSON in it."""

from __future__ import annotations

import json
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np

from irodori.core.errors import StructureError
from irodori.core.file_looks import FileLook, FileLooks, FileMap
from irodori.formats.atomic import whole_file

MAPS = ("base", "gloss", "normals")


def save_looks(looks: FileLooks, path: Path) -> None:
    """Write looks; each texture once, however many use it."""
    pictures: dict[int, np.ndarray] = {}
    told = []
    for look in looks.looks:
        entry = {f.name: getattr(look, f.name) for f in fields(look) if f.name not in MAPS}
        for name in MAPS:
            one = getattr(look, name)
            if one is not None:
                pictures[id(one.pixels)] = one.pixels
                number = list(pictures).index(id(one.pixels))
                entry[name] = {
                    "picture": number, "uv_set": one.uv_set, "matrix": one.matrix.tolist(), "wrap": list(one.wrap)
                }  # fmt: skip
        told.append(entry)
    arrays: dict[str, Any] = {"of": looks.of, "at": looks.at, "uv": looks.uv}
    if looks.tone is not None:
        arrays["tone"] = looks.tone
    arrays |= {f"picture{k}": pixels for k, pixels in enumerate(pictures.values())}
    with whole_file(path) as temporary, temporary.open("wb") as file:
        np.savez_compressed(file, looks=np.array(json.dumps(told)), **arrays)


def load_looks(path: Path) -> FileLooks:
    """Read what `save_looks` wrote. Raises StructureError."""
    try:
        with np.load(path, allow_pickle=False) as held:
            pictures = [held[f"picture{k}"] for k in range(sum(name.startswith("picture") for name in held.files))]
            looks = [_look(entry, pictures) for entry in json.loads(str(held["looks"]))]
            tone = held["tone"] if "tone" in held.files else None
            return FileLooks(tuple(looks), held["of"], held["at"], held["uv"], tone)
    except (OSError, KeyError, ValueError, TypeError, IndexError) as error:
        raise StructureError(f"'{path}', the structure's materials, cannot be read: {error}") from None


def _look(entry: dict, pictures: list[np.ndarray]) -> FileLook:
    for name in MAPS:
        if name in entry:
            told = entry[name]
            entry[name] = FileMap(
                pictures[told["picture"]], told["uv_set"], np.array(told["matrix"]), tuple(told["wrap"])
            )
    for name in ("colour", "emission"):
        entry[name] = tuple(entry[name])
    if entry.get("cone") is not None:
        entry["cone"] = tuple(entry["cone"][0]), entry["cone"][1]
    return FileLook(**entry)
