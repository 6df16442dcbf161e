"""What a model's file says of its up axis and unit, by its format's standard."""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
import zipfile
from pathlib import Path
from typing import NamedTuple

FIXED = {".glb": ("glTF", "y", 1.0), ".gltf": ("glTF", "y", 1.0), ".ifc": ("IFC", "z", 1.0)}
"""Standards that leave no choice: name, up axis, metres of a unit."""

UNITS = {"micron": 1e-6, "millimeter": 1e-3, "centimeter": 1e-2, "inch": 0.0254, "foot": 0.3048, "meter": 1.0}
"""Metres of the units of 3MF (3MF Core Specification, 3.4)."""


class FileFrame(NamedTuple):
    """The format's `name`, the `up` axis, "" where the file's own cannot be used, and the `metres` of a unit."""

    name: str
    up: str
    metres: float


def file_frame(path: Path) -> FileFrame | None:
    """What the format or the file itself says; None for formats that say nothing."""
    suffix = path.suffix.lower()
    if suffix in FIXED:
        return FileFrame(*FIXED[suffix])
    try:
        if suffix == ".3mf":
            with zipfile.ZipFile(path) as archive:
                model = next(name for name in archive.namelist() if name.lower().endswith(".model"))
                root = ElementTree.fromstring(archive.read(model))
            return FileFrame("3MF", "z", UNITS.get(root.get("unit", "millimeter"), 1e-3))
        if suffix == ".dxf":
            from irodori.formats.model.dxf_file import dxf_unit

            metres = dxf_unit(path)
            return FileFrame("DXF", "z", metres) if metres else None
        if suffix in (".usd", ".usda", ".usdc", ".usdz"):
            from irodori.formats.model.usd_file import usd_frame

            return FileFrame("USD", *usd_frame(path))
        if suffix == ".dae":
            return _collada(ElementTree.parse(path).getroot())
    except (OSError, ElementTree.ParseError, zipfile.BadZipFile, StopIteration, ValueError):
        return None  # what is wrong with it is told when its parts are read
    return None


def _collada(root: ElementTree.Element) -> FileFrame:
    """COLLADA 1.4 and 1.5: <asset> has <up_axis>, usually Y, and <unit meter>, usually 1."""
    space = root.tag.partition("}")[0] + "}" if root.tag.startswith("{") else ""
    axis = root.findtext(f"{space}asset/{space}up_axis", "Y_UP").strip()
    unit = root.find(f"{space}asset/{space}unit")
    metres = float(unit.get("meter", 1.0)) if unit is not None else 1.0
    return FileFrame("COLLADA", {"Y_UP": "y", "Z_UP": "z"}.get(axis, ""), metres if metres > 0 else 1.0)
