"""Reading what must not move."""

from irodori.structure.corrections import Corrections, read_corrections, write_corrections
from irodori.structure.read import read_structure

__all__ = ["Corrections", "read_corrections", "read_structure", "write_corrections"]
