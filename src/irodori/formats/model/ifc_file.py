"""IFC (ISO 16739-1) as plain parts: classes and types tell roles, openings are cut, spaces stay out; metres, z up."""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path

import numpy as np

from irodori.core.errors import ModelError

LEFT_OUT = (
    "IfcSpace", "IfcOpeningElement", "IfcAnnotation", "IfcGrid", "IfcVirtualElement", "IfcAlignment", "IfcSpatialZone", "IfcReferent",
)  # fmt: skip
"""Classes of what is not built."""

TYPES = {
    ("IfcSlab", "ROOF"): "roof", ("IfcSlab", "FLOOR"): "floor", ("IfcCovering", "CEILING"): "ceiling", ("IfcCovering", "FLOORING"): "floor",
    ("IfcCovering", "CLADDING"): "cladding", ("IfcCovering", "ROOFING"): "roof", ("IfcCovering", "SKIRTINGBOARD"): "skirting",
    ("IfcPlate", "SHEET"): "cladding", ("IfcMember", "MULLION"): "mullion",
}  # fmt: skip
"""Words for predefined types that tell more than their class."""

SEE_THROUGH = 0.15
"""Transparency from which part of a window is its glass."""

UNTOLD = (0.7, 0.7, 0.7)


def read_ifc(path: Path) -> list[tuple[str, str, tuple[float, float, float], float, np.ndarray]]:
    """Name, material, linear colour, opacity and triangles (T, 3, 3) of each element and material, m.

    Raises ModelError when the file is damaged, or the reader is not installed.
    """
    geometry = _reader()
    try:
        file = _opened(str(path), path.stat().st_mtime_ns)
    except Exception as error:  # the reader raises whatever its parser does
        raise ModelError(f"'{path}' is damaged or not IFC: {str(error).splitlines()[0][:120]}") from None
    settings = geometry.settings()
    settings.set("use-world-coords", True)
    out = []
    shapes = geometry.iterator(settings, file, 1, exclude=[c for c in LEFT_OUT if _knows(file, c)])
    more = shapes.initialize()
    while more:
        out += _parts_of(shapes.get(), file)
        more = shapes.next()
    _opened.cache_clear()
    return out


def ifc_north(path: Path) -> float:
    """Azimuth of the model's +y axis by the file's true north, degrees clockwise; 0 where it tells none."""
    _reader()
    try:
        contexts = _opened(str(path), path.stat().st_mtime_ns).by_type(
            "IfcGeometricRepresentationContext", include_subtypes=False
        )
    except Exception:  # what is wrong with it is told when its shapes are read
        return 0.0
    north = next((c.TrueNorth for c in contexts if c.TrueNorth is not None), None)
    return 0.0 if north is None else -math.degrees(math.atan2(*north.DirectionRatios[:2])) % 360


@lru_cache(maxsize=1)
def _opened(path: str, _changed: int):
    """A file as it was parsed last: its north and its shapes are asked for one after the other."""
    import ifcopenshell

    return ifcopenshell.open(path)


def _reader():
    try:
        import ifcopenshell.geom
    except ImportError:
        raise ModelError(
            'IFC needs a reader that is not installed; install it with: pip install "irodori[ifc]"'
        ) from None
    return ifcopenshell.geom


def _knows(file, name: str) -> bool:
    """Whether the file's schema has a class."""
    try:
        file.by_type(name)
    except RuntimeError:
        return False
    return True


def _parts_of(shape, file) -> list[tuple]:
    element = file.by_id(shape.id)
    kind = getattr(element, "PredefinedType", None)
    word = TYPES.get((shape.type, str(kind)), shape.type)
    # The class stands last: as the head of the name it decides.
    name = f"{shape.name or ''} {word}".strip()
    corners = np.array(shape.geometry.verts, np.float64).reshape(-1, 3)
    faces = np.array(shape.geometry.faces, int).reshape(-1, 3)
    made, of = shape.geometry.materials, np.array(shape.geometry.material_ids, int)
    out = []
    for number in np.unique(of) if len(of) else ():
        material = made[number] if 0 <= number < len(made) else None
        colour, clear = UNTOLD, 0.0
        told = ""
        if material is not None:
            colour = tuple(float(c()) for c in (material.diffuse.r, material.diffuse.g, material.diffuse.b))
            clear = 0.0 if math.isnan(material.transparency) else float(material.transparency)
            told = "" if material.name.startswith(("Ifc", "DefaultMaterial")) else str(material.name)
        own = name
        if shape.type == "IfcWindow" and len(made) > 1 and clear < SEE_THROUGH:
            own = f"{name} frame"
        out.append((own, told, _linear(colour), 1.0 - clear, corners[faces[of == number]]))
    return out


def _linear(colour: tuple[float, ...]) -> tuple[float, float, float]:
    """Colours of IFC are meant for a screen (IfcColourRgb)."""
    from irodori.core.colour import decode_srgb

    red, green, blue = decode_srgb(np.array(colour, float).clip(0, 1)).tolist()
    return red, green, blue
