"""What surfaces are made of, what is added, and the light."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from irodori.core.errors import IrodoriError, LightError, unknown_name
from irodori.core.liberty import read_liberty
from irodori.settings.setting import setting

if TYPE_CHECKING:
    from irodori.entourage import EntourageList
    from irodori.light.lamps import LampSchedule


def _catalogue(value: str) -> str:
    from irodori.finishes.catalogue import catalogue_text, read_catalogue

    read_catalogue(value)
    return catalogue_text(value)[0]


def _entourage(value: str) -> EntourageList:
    from irodori.entourage import read_entourage

    return read_entourage(value).in_full()


def _lamps(value: str) -> LampSchedule:
    from irodori.light import read_lamps

    return read_lamps(value).in_full()


def _words(value: str) -> str:
    from irodori.brief import understand

    understand(value)
    return value


def _kept_seeds(value: list[str]) -> dict[str, int | None]:
    """ "sky", "people 12" as the seeds of parts of chance; None for the one that was."""
    from irodori.core.recipe import CHANCES

    out: dict[str, int | None] = {}
    for text in value:
        part, _, seed = str(text).strip().partition(" ")
        if part not in CHANCES:
            raise IrodoriError(unknown_name("part of chance", part, CHANCES))
        if seed and not re.fullmatch(r"[-+]?\d+", seed.strip()):
            raise IrodoriError(f"'{text}' is not understood; write 'sky', or 'sky 12' for that of another seed")
        out[part] = int(seed) if seed else None
    return out


def _life(value: str) -> str:
    from irodori.entourage.catalogue import check_life

    return check_life(str(value))


def _season(value: str) -> str:
    from irodori.entourage.catalogue import check_season

    check_season(str(value))
    return value


def _place(value: str) -> str:
    found = re.fullmatch(r"\s*([-+]?\d+(?:\.\d+)?)\s*,\s*([-+]?\d+(?:\.\d+)?)\s*", str(value))
    if not found or abs(float(found[1])) > 90 or abs(float(found[2])) > 180:
        raise LightError(f"The place '{value}' is not understood; write latitude and longitude like '46.5, 8.1'")
    return f"{found[1]}, {found[2]}"


MOMENT = re.compile(r"\d{4}-\d{2}-\d{2}[ T]\d{2}:\d{2}(Z|[+-]\d{2}:\d{2})?")


def light_at(light: str, place: str | None) -> str:
    """A light's name; a moment without a place gets `place`. Raises LightError."""
    from irodori.light import find_setting

    moment = MOMENT.match(light.strip())
    if moment and "@" not in light:
        if place is None:
            raise LightError(f"The moment '{light}' needs a place; write '{light} @ 46.5, 8.1', or give --place")
        light = f"{moment[0]} @ {place}{light.strip()[moment.end() :]}"
    find_setting(light)
    return light


def _light(value: str) -> str:
    from irodori.light import find_setting

    if not MOMENT.match(str(value).strip()):
        find_setting(str(value))
    return str(value)


setting(
    "finishes", str, "dressing", "Finish schedule, CSV or TOML; without it finishes go by role, the rest as found.", metavar="FILE",
    path="finishes", is_path=True, in_file=True, read=str,
)  # fmt: skip
setting(
    "catalogue", str, "dressing", "Finishes of your own, TOML, that the schedule names.", metavar="FILE", path="catalogue",
    is_path=True, in_file=True, read=_catalogue,
)  # fmt: skip
setting(
    "light", str, "light", "A named light, or 'DATE TIME @ LATITUDE, LONGITUDE'; a comma and a weather may follow. Usually golden hour; in rooms a morning with lamps on.",
    metavar="NAME", path="light", read=_light, in_file=True,
)  # fmt: skip
setting(
    "place", str, "dressing", "Latitude and longitude for lights that are moments without a place.", metavar="TEXT", read=_place,
    in_file=True,
)  # fmt: skip
setting(
    "lamps", str, "dressing",
    "Lamp schedule, CSV or TOML: where, lamp, lumens, kelvin, distribution (an IES file). Without it lamps go by their names.",
    metavar="FILE", path="lamps", is_path=True, in_file=True, read=_lamps,
)  # fmt: skip
setting(
    "entourage", str, "dressing", "What to add where: planting, people, vehicles; CSV or TOML, see 'irodori entourage'.",
    metavar="FILE", path="entourage", is_path=True, in_file=True, read=_entourage,
)  # fmt: skip
setting(
    "season", str, "dressing", "spring, summer, autumn or winter, for the planting.", default="summer", path="season",
    read=_season, in_file=True,
)  # fmt: skip
setting(
    "life", str, "dressing",
    "People besides those of the list: none, few, lively, how many, or usual for the place; final pictures have the usual ones unless told.",
    metavar="HOW", path="life", read=_life, in_file=True,
)  # fmt: skip
setting(
    "brief", str, "dressing", "What you want, in plain words; see 'irodori words'.", metavar="TEXT", path="brief.text", read=_words,
    in_file=True,
)  # fmt: skip
setting(
    "avoid", str, "dressing", "What you do not want: 'cars, bare trees'.", metavar="TEXT", path="brief.avoid", read=_words, in_file=True
)  # fmt: skip
setting(
    "liberty", str, "dressing",
    "How much may be added: 0 finishes, light; 0.2 faithful: wear; 0.4 loose things; 0.6 presentation: planting, people; 0.8 atmospheric: joints; 1 concept.",
    metavar="HOW", default="0.6", path="liberty", read=read_liberty, in_file=True,
)  # fmt: skip
setting(
    "seed", int, "dressing", "What all chance in the picture depends on.", default=7, path="seed", in_file=True
)  # fmt: skip
setting(
    "keep seed", list, "dressing",
    "With another --seed: what stays as it was, sky, planting, people or wear; 'sky 12' is that of seed 12.", default=[], metavar="PART",
    path="kept_seeds", read=_kept_seeds,
)  # fmt: skip
