"""Telling whether a light still is what its name gives, or was changed by hand."""

from __future__ import annotations

import hashlib
from dataclasses import fields

import numpy as np

from irodori.core.scene import Light, SkyDome

NUMBERS = ("lamp_level", "room_level", "exposure", "warmth", "haze", "cover", "wet", "snow", "wind", "lamp_kelvin")


def arrays_of(light: Light) -> dict[str, np.ndarray]:
    """The tables and colours of a light's dome by name."""
    return {f.name: np.asarray(getattr(light.dome, f.name)) for f in fields(SkyDome) if f.name != "sun_cosine"}


def seal_of(light: Light) -> str:
    """A digest of all that a light gives, whatever it says of itself."""
    numbers = [float(getattr(light, name)) for name in NUMBERS]
    digest = hashlib.sha256(
        repr([light.name, tuple(light.clouds or ()), numbers, float(light.dome.sun_cosine)]).encode()
    )
    for name, values in arrays_of(light).items():
        digest.update(name.encode() + np.ascontiguousarray(values).tobytes())
    return digest.hexdigest()


def sealed(light: Light) -> Light:
    """The light with its seal among its parameters."""
    light.parameters["seal"] = seal_of(light)
    return light
