"""The exact structure of a model's view."""

from __future__ import annotations

import hashlib
import json

import numpy as np

from irodori.capture.model.model_lines import model_lines
from irodori.core.camera import Camera
from irodori.core.fragments import Fragments
from irodori.core.model import ModelData
from irodori.core.recipe import Source
from irodori.core.structure import STRUCTURE_COLUMNS, Structure


def buffers_of(fragments: Fragments, size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Regions, depth and normal buffers: each pixel's largest fragment."""
    first = fragments.first()
    width, height = size
    return (
        fragments.region[first].reshape(height, width),
        fragments.depth[first].reshape(height, width),
        fragments.normal[first].reshape(height, width, 3),
    )


def exact_structure(data: ModelData, camera: Camera, fragments: Fragments, *, digest: str, origin: Source) -> Structure:
    """Structure from traced fragments: everything certain, lines from the visible surfaces' straight borders."""
    regions, depth, normal = buffers_of(fragments, camera.size)
    seen, area = np.unique(regions, return_counts=True)
    area_of = dict(zip(seen.tolist(), area.tolist()))
    present = np.unique(fragments.region)
    table = data.surfaces[data.surfaces["id"].isin(present)].copy()
    table["area_px"] = [area_of.get(i, 0) for i in table["id"]]
    table["confidence"] = 1.0
    return Structure(
        camera=camera,
        regions=regions,
        depth=depth,
        normal=normal,
        fragments=fragments,
        lines=model_lines(data.mesh, camera, regions, depth, table.loc[table["role"] == "planting", "id"].to_numpy()),
        surfaces=table[list(STRUCTURE_COLUMNS)].reset_index(drop=True),
        confidence=1.0,
        kind="passes",
        vanishing=np.zeros((0, 3)),
        digest=digest,
        mesh=data.mesh,
        notes=data.notes,
        north=data.north,
        origin=origin,
        hidden_surfaces=data.surfaces[~data.surfaces["id"].isin(present)],
    )


def view_digest(data: ModelData, camera: Camera) -> str:
    """Digest of a model seen by a camera."""
    text = json.dumps([data.digest, camera.as_dict()], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()
