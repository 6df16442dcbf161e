"""Triangles for light transport from a structure that has no model."""

from __future__ import annotations

import numpy as np

from irodori.core.model import Mesh
from irodori.core.structure import Structure


def solids_from_structure(structure: Structure) -> Mesh:
    raise NotImplementedError
