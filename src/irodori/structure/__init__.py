"""Reading what must not move."""

from irodori.core.corrections import Corrections
from irodori.structure.corrections.file import read_corrections, write_corrections
from irodori.structure.read import read_structure

__all__ = ["Corrections", "read_corrections", "read_structure", "write_corrections"]
