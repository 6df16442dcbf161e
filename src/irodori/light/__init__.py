"""Sun, sky, lamps and the named settings."""

from irodori.light.settings import LIGHTS, WEATHERS, make_light

__all__ = ["LIGHTS", "WEATHERS", "make_light"]
