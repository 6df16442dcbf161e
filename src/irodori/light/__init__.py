"""Sun, sky, lamps and the named settings."""

from irodori.light.lamps import LAMPS, read_lamps
from irodori.light.settings import LIGHTS, WEATHERS, find_setting, make_light

__all__ = ["LAMPS", "LIGHTS", "WEATHERS", "find_setting", "make_light", "read_lamps"]
