"""What is added for life and scale: planting, people, vehicles, loose furniture, horizons."""

from irodori.entourage.build import build
from irodori.entourage.catalogue import ENTOURAGE, Kind, Part, find_kind
from irodori.entourage.entourage_list import EntourageList, Entry, read_entourage

__all__ = ["ENTOURAGE", "EntourageList", "Entry", "Kind", "Part", "build", "find_kind", "read_entourage"]
