"""Work on finished pictures: relighting, changing a part, enlarging."""

from irodori.study.finished.change import change
from irodori.study.finished.enlarge import enlarge
from irodori.study.finished.relight import relight

__all__ = ["change", "enlarge", "relight"]
