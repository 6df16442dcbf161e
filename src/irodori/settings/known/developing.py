"""How much work a picture is, and how it is developed."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from irodori.core.errors import IrodoriError, unknown_name
from irodori.settings.setting import setting

if TYPE_CHECKING:
    from irodori.core.recipe import Balance, DevelopmentChoice, LensChoice

BALANCED = ("sun", "sky", "lamps", "reflections", "warmth")
CHANGED = ("contrast", "glare", "mired")
OPTICS = ("vignette", "grain", "aperture", "focus", "upright")


def _quality(value: str) -> str:
    from irodori.engine.trace import check_quality

    check_quality(str(value))
    return value


def _stops(value: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or abs(value) > 20:
        raise IrodoriError(f"An exposure of {value} stops is out of range; give −20 to 20")
    return float(value)


def _balance(text: str) -> Balance:
    """ "sun 0.8, lamps 1.5" as factors."""
    from irodori.core.recipe import Balance

    shares = _numbers(text, "source of light", BALANCED, "lamps 1.5")
    for name, value in shares.items():
        if name == "warmth" and not 0 <= value <= 1:
            raise IrodoriError(
                f"A warmth of {value:g} is out of range; give 0 to 1, how far the light keeps its own colour"
            )
        if not 0 <= value < 1e6:
            raise IrodoriError(f"{name} {value:g} is no factor; give 0 or more")
    return Balance(**shares)


def _development(text: str) -> DevelopmentChoice:
    """ "crisp, contrast 0.2, glare 2" as a development."""
    from irodori.core.recipe import DevelopmentChoice
    from irodori.picture.film import FILMS, USUAL, find_film

    parts = [p.strip() for p in str(text).split(",")]
    names = [p for p in parts if p.partition(" ")[0] not in CHANGED]
    if len(names) > 1:
        raise IrodoriError(f"'{text}' names several developments; give one of {', '.join(FILMS)}")
    told = _numbers(",".join(p for p in parts if p not in names), "setting of a development", CHANGED, "contrast 0.2")
    name = names[0] if names else USUAL
    find_film(name, **told)
    return DevelopmentChoice(name=name, **told)


def _lines(value: str) -> str:
    from irodori.picture.carried_lines import check_lines

    return check_lines(str(value).replace("-", " "))


def _lens(text: str) -> LensChoice:
    """ "aperture 2.8, focus 6, upright" as a lens's settings."""
    from irodori.core.recipe import LensChoice
    from irodori.picture.lens import Lens

    parts = [p.strip() for p in str(text).split(",")]
    told = _numbers(",".join(p for p in parts if p != "upright"), "setting of a lens", OPTICS, "aperture 2.8")
    upright = "upright" in parts
    Lens(**told, upright=upright)
    return LensChoice(**told, upright=upright)


def _numbers(text: str, kind: str, known: tuple[str, ...], example: str) -> dict[str, float]:
    found: dict[str, float] = {}
    for part in filter(None, (p.strip() for p in str(text).split(","))):
        name, _, value = part.partition(" ")
        if name not in known:
            raise IrodoriError(unknown_name(kind, name, known))
        try:
            found[name] = float(value)
        except ValueError:
            raise IrodoriError(f"'{part}' is not understood; write a name and a number like '{example}'") from None
    return found


def _look(value: str) -> str:
    from irodori.picture.look_choice import read_look

    return read_look(str(value)).text


def _rays(value: str) -> str:
    from irodori.engine.rays.ray_scene import check_kernel

    check_kernel(str(value))
    return value


setting(
    "quality", str, "quality", "draft, review or final.", default="review", path="quality", read=_quality, in_file=True
)  # fmt: skip
setting(
    "look", str, "developing", "What the picture is drawn as: 'pen and ink, looseness 0.3', 'watercolour 0.7, pencil 0.3'; see 'irodori looks'.",
    default="photographic", metavar="TEXT", path="look",
    read=_look, in_file=True,
)  # fmt: skip
setting(
    "exposure", float, "developing", "Brighter or darker than metered.", default=0.0, metavar="STOPS", path="exposure", read=_stops,
    in_file=True,
)  # fmt: skip
setting(
    "hold exposure", bool, "developing", "With --like: keep that picture's exposure and white, so that only what is changed changes.",
    default=False,
)  # fmt: skip
setting(
    "balance", str, "developing",
    "Sources of light, dimmed or raised after tracing: 'sun 0.8, lamps 1.5'; also sky, reflections and warmth (0 to 1).", metavar="TEXT",
    path="balance", read=_balance, in_file=True,
)  # fmt: skip
setting(
    "development", str, "developing",
    "soft, plain or crisp, with changes if you like: 'crisp, contrast -0.2, glare 2'; 'mired 30' is a warming filter.", metavar="TEXT", path="development",
    read=_development, in_file=True,
)  # fmt: skip
setting(
    "lines", str, "developing",
    "The capture's own lines: none, fine (one fine line where it has one) or 'as drawn'.", default="none", metavar="HOW", path="lines",
    read=_lines, in_file=True,
)  # fmt: skip
setting(
    "lens", str, "developing",
    "'aperture 2.8, focus 6, vignette 0.4, grain 0.3'; 'upright' sets verticals upright and moves geometry.", metavar="TEXT",
    path="lens", read=_lens, in_file=True,
)  # fmt: skip
setting(
    "rays", str, "developing", "What answers ray queries: embree, or own where that is not to be had.", path="rays",
    metavar="KERNEL", read=_rays, in_file=True,
)  # fmt: skip
