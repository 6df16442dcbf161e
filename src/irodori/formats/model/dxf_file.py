"""DXF (AutoCAD DXF reference) as plain parts: meshes, polyfaces, 3D faces and what blocks hold of them, a part a layer and block."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np

from irodori.core.errors import ModelError
from irodori.formats.model.polygons import fans

DEEPEST = 12
"""Blocks within blocks."""


class Layered(NamedTuple):
    """Triangles (T, 3, 3) of one layer and block, with its linear colour and opacity."""

    name: str
    material: str
    colour: tuple[float, float, float]
    opacity: float
    triangles: np.ndarray


def read_dxf(path: Path) -> list[Layered]:
    """The parts of a drawing. Raises ModelError."""
    drawing = _opened(path, path.stat().st_mtime_ns)
    found: dict[tuple[str, str, str], list[np.ndarray]] = defaultdict(list)
    solids = 0
    for entity, layer, block in _entities(drawing.modelspace(), "", DEEPEST):
        solids += entity.dxftype() in ("3DSOLID", "BODY", "REGION", "SURFACE")
        triangles = _triangles(entity)
        if len(triangles):
            found[layer, block, _colour(entity, drawing, layer)].append(triangles)
    if not found and solids:
        raise ModelError(f"'{path}' holds {solids} solids and no meshes; convert them to meshes before exporting")
    from irodori.core.colour import hex_to_linear

    parts = []
    for (layer, block, colour), triangles in sorted(found.items()):
        red, green, blue = hex_to_linear(colour).tolist()
        name = f"{block} {layer}".strip() if block else layer
        parts.append(Layered(name, layer, (red, green, blue), 1.0, np.concatenate(triangles)))
    return parts


def dxf_unit(path: Path) -> float | None:
    """Metres of a drawing's unit, where it says one. Raises ModelError."""
    from ezdxf import units

    unit = _opened(path, path.stat().st_mtime_ns).header.get("$INSUNITS", 0)
    return units.conversion_factor(unit, units.M) if unit else None


@lru_cache(maxsize=1)
def _opened(path: Path, _changed: int):
    """A drawing as it was parsed last: its unit and its faces are asked for one after the other."""
    import ezdxf

    try:
        return ezdxf.readfile(str(path))
    except (OSError, ezdxf.DXFError, ValueError) as error:
        raise ModelError(f"'{path}' is damaged or not DXF: {(str(error).splitlines() or [''])[0][:120]}") from None


def _entities(holder, layer: str, depth: int) -> Iterator[tuple]:
    """Each entity, the layer it is on, and the name of the block that it came in."""
    for entity in holder:
        if entity.dxftype() != "INSERT":
            yield entity, _layer(entity, layer), ""
        elif depth > 0:
            # What lies on layer 0 of a block is on the layer where that was put.
            own = _layer(entity, layer)
            for inner, its, block in _entities(entity.virtual_entities(), own, depth - 1):
                yield inner, its, block or entity.dxf.name.lstrip("*")


def _layer(entity, outer: str) -> str:
    own = str(entity.dxf.layer)
    return outer if own == "0" and outer else own


def _triangles(entity) -> np.ndarray:
    """Triangles (T, 3, 3) of an entity with faces; none for all others."""
    kind = entity.dxftype()
    if kind in ("3DFACE", "SOLID", "TRACE"):
        corners = [list(v) for v in (entity.wcs_vertices() if hasattr(entity, "wcs_vertices") else [])]
        return _faces(np.array(corners, float), [list(range(len(corners)))])
    if kind == "MESH":
        corners = np.array([list(v) for v in entity.vertices], float)
        return _faces(corners, [list(face) for face in entity.faces])
    if kind == "POLYLINE" and (entity.is_poly_face_mesh or entity.is_polygon_mesh):
        from ezdxf.render import MeshBuilder

        mesh = MeshBuilder.from_polyface(entity)
        return _faces(np.array([list(v) for v in mesh.vertices], float), [list(face) for face in mesh.faces])
    return np.zeros((0, 3, 3))


def _faces(corners: np.ndarray, faces: list[list[int]]) -> np.ndarray:
    """Convex polygons of numbered corners as triangles; those that name a corner which is not there are left out."""
    whole = [face for face in faces if len(face) >= 3 and max(face) < len(corners) and min(face) >= 0]
    if not whole:
        return np.zeros((0, 3, 3))
    _, at = fans(np.array([len(face) for face in whole]))
    return corners[np.concatenate(whole)[at]]


def _colour(entity, drawing, layer: str) -> str:
    """An entity's sRGB colour: its own, or its layer's; white ink stands for a pale surface."""
    from ezdxf import colors

    told = entity.rgb
    index = int(entity.dxf.get("color", 256))
    if told is None and index in (0, 256):
        held = drawing.layers.get(layer) if drawing.layers.has_entry(layer) else None
        told, index = (held.rgb, abs(int(held.dxf.get("color", 7)))) if held is not None else (None, 7)
    if told is None:
        told = (200, 200, 200) if index in (0, 7, 256) else tuple(colors.aci2rgb(index))
    return "#" + "".join(f"{int(v):02x}" for v in told[:3])
