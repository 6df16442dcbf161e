"""What outlives one picture: making it again from its recipe, one view through several lights."""

from irodori.study.repeat import repeat
from irodori.study.series import series

__all__ = ["repeat", "series"]
