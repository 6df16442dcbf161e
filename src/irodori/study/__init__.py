"""What outlives one picture: making it again from its recipe, one view through several lights."""

from irodori.study.choosing import options
from irodori.study.finished import change, enlarge, relight, take_apart, touch_up
from irodori.study.job import repeat
from irodori.study.make import make
from irodori.study.rich_progress import rich_progress
from irodori.study.series import series

__all__ = ["change", "enlarge", "make", "options", "relight", "repeat", "rich_progress", "series", "take_apart", "touch_up"]
