"""Dressing: structure, finishes and light together."""

from irodori.scene.dress import dress

__all__ = ["dress"]
