"""Crowns that came as a mass are grown into leaves."""

from irodori.scene.growing.crowns.grow import Grown, grow_crowns

__all__ = ["Grown", "grow_crowns"]
