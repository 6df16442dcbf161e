"""Lights as recipes keep them: by name where that gives the same light again, else with all their numbers."""

from __future__ import annotations

from irodori.core.errors import RecipeError
from irodori.core.recipe import LightChoice, LightInFull
from irodori.core.recipe.array_text import array_from_text, array_text
from irodori.core.scene import CloudKind, Light, SkyDome
from irodori.light.clouds import USUAL, cloud_kind
from irodori.light.seal import NUMBERS, arrays_of, seal_of
from irodori.light.settings import make_light

LATER = {"wind": 1.0, "lamp_kelvin": 0.0}
"""What lights of older recipes do not tell, and what held then."""


def light_decisions(light: Light) -> tuple[LightChoice | LightInFull, float]:
    """What a recipe keeps of a light, and the stops of exposure that were asked for beside it."""
    told = light.parameters
    if told.get("seal") == seal_of(light):
        return LightChoice(
            name=told["light"], north=told["north"], sun=told.get("sun"), facing=told.get("facing", 0.0)
        ), told["exposure"]
    values = {name: float(getattr(light, name)) for name in NUMBERS} | {"sun_cosine": float(light.dome.sun_cosine)}
    return LightInFull(
        name=light.name,
        clouds=tuple(light.clouds or ()),
        values=values,
        arrays={n: array_text(a) for n, a in arrays_of(light).items()},
    ), 0.0


def light_from(kept: LightChoice | LightInFull, exposure: float = 0.0) -> Light:
    """The light that a recipe tells of. Raises LightError, or RecipeError when its numbers are damaged."""
    if isinstance(kept, LightChoice):
        return make_light(kept.name, north=kept.north, exposure=exposure, facing=kept.facing)
    try:
        arrays = {name: array_from_text(text) for name, text in kept.arrays.items()}
        dome = SkyDome(**arrays, sun_cosine=kept.values["sun_cosine"])
        numbers = {name: kept.values[name] for name in NUMBERS if name not in LATER}
        return Light(
            kept.name,
            dome,
            parameters={},
            **{name: kept.values.get(name, usual) for name, usual in LATER.items()},
            clouds=CloudKind(*kept.clouds) if kept.clouds else cloud_kind(USUAL),
            **numbers,
        )
    except (KeyError, TypeError) as error:
        raise RecipeError(f"The light '{kept.name}' in the recipe lacks {error}") from None
