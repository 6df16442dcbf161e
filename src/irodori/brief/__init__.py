"""Words to decisions: what a brief asks for, phrase by phrase, and what of it was not understood."""

from irodori.brief.brief import Brief, Decision, Unknown
from irodori.brief.understand import understand

__all__ = ["Brief", "Decision", "Unknown", "understand"]
