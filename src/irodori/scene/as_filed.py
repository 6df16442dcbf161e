"""Surfaces as their model's file describes them: its textures, metal and gloss instead of what their role would suggest."""

from __future__ import annotations

from functools import cache

import numpy as np

from irodori.core.colour import luminance
from irodori.core.file_looks import FileLook
from irodori.finishes import FINISHES, Finish

METAL, POLISHED = 0.5, 0.25
"""Metalness from which, and roughness up to which, values alone say more of a material than its role does."""

GLOWS = 0.02
"""Luminance of what a file lets glow, white paper's being 1."""

GROWS = ("glazing", "water", "lawn", "planting", "lamp")
"""Roles of what is made better here than textures show it."""


def finish_as_filed(look: FileLook | None, role: str, as_modelled: bool = False) -> Finish | None:
    """The finish that keeps what a file says of a material; None where it says no more than a colour. `as_modelled`: plants, too."""
    if look is None:
        return None
    if glows(look):
        return FINISHES["lamp"]
    metal = _metalness(look)
    polished = look.gloss is None and look.roughness is not None and look.roughness < POLISHED
    grows = role in GROWS and not (as_modelled and role == "planting" and look.textured)
    if grows or not (look.textured or metal > METAL or polished):
        return None
    return _kept(metal, 0.8 if look.roughness is None else look.roughness)


def glows(look: FileLook) -> bool:
    """Whether a file lets a material give light."""
    return look.lumens > 0 or float(luminance(np.asarray(look.emission, float))) > GLOWS


def _metalness(look: FileLook) -> float:
    """How far a material is metal, as a mean over its texture; one of which nothing is said is none."""
    if look.metalness is None and look.gloss is None:
        return 0.0
    shown = 1.0 if look.gloss is None else float(look.gloss.pixels[..., 2].mean()) / 255
    return shown * (1.0 if look.metalness is None else look.metalness)


@cache
def _kept(metalness: float, roughness: float) -> Finish:
    return FINISHES["as found"].but(
        grain=(0.0, 0.03, 1.0),
        mottle=0.0,
        metalness=min(max(metalness, 0.0), 1.0),
        roughness=min(max(roughness, 0.0), 1.0),
    )
