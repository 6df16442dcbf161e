"""What outlives one picture: making it again from its recipe."""

from irodori.study.repeat import repeat

__all__ = ["repeat"]
