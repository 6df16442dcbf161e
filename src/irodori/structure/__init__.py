"""Reading what must not move."""

from irodori.structure.read import read_structure

__all__ = ["read_structure"]
