"""Options: one source under every combination of some decisions, made, kept and laid out for choosing."""

from irodori.study.choosing.one_call import options

__all__ = ["options"]
