"""Work on finished pictures: relighting, changing a part, enlarging, touching up."""

from irodori.study.finished.change import change
from irodori.study.finished.enlarge import enlarge
from irodori.study.finished.relight import relight
from irodori.study.finished.taken_apart import take_apart
from irodori.study.finished.touch_up import touch_up

__all__ = ["change", "enlarge", "relight", "take_apart", "touch_up"]
