"""Finished pictures made larger by their own pixels."""

from irodori.retouch.enlarge.pixels import enlarged_pixels
from irodori.retouch.enlarge.structure import enlarged_structure

__all__ = ["enlarged_pixels", "enlarged_structure"]
