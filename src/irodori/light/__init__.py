"""Sun, sky, lamps and the named settings."""

from irodori.light.settings import LIGHTS, make_light

__all__ = ["LIGHTS", "make_light"]
