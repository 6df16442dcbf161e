"""What a brief decides for the whole picture, as the settings that say so."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from irodori.brief.brief import Brief
from irodori.brief.lexicon import meanings
from irodori.brief.understand import DAY
from irodori.core.recipe import MassChange
from irodori.light import LIGHTS
from irodori.light.settings import LightText, parts_of_light

STEPS = {1: 0.5, 2: 1.0, 3: 2.0}
"""How far "slightly", nothing and "much" go."""

STOPS, CONTRAST, MIRED = 0.5, 0.2, 22.0
"""One step of exposure (stops), contrast and warmth (mired)."""

LAMPS = {"on": ", lamps on", "off": ", lamps off", "warm": ", lamps 2400 K", "cool": ", lamps 5000 K"}

USUAL = "golden hour"


def settings_of(brief: Brief, present: Mapping[str, object]) -> dict[str, object]:
    """Values of settings by name that a brief comes to; only those it says something of.

    Parameters
    ----------
    present
        What holds without it: "light", "development" and "exposure" are changed from there.
    """
    out: dict[str, object] = {}
    said = _with_moods(brief)
    for name in ("season", "quality", "look", "view", "life"):
        if name in said:
            out[name] = said[name]
    light = _light(said, str(present.get("light") or USUAL))
    if light is not None:
        out["light"] = light
    if "exposure" in said:
        out["exposure"] = float(present.get("exposure") or 0.0) + STOPS * _steps(said["exposure"])  # type: ignore[arg-type]
    changed = development_of(brief, str(present.get("development") or "plain").split(",")[0])
    if changed:
        out["development"] = ", ".join([str(changed.pop("name")), *(f"{k} {v:g}" for k, v in changed.items())])
    lenses = [d for d in brief.holding if d.subject == "lens"]
    if lenses:
        slight = {d.value: "1" in d.details for d in lenses}
        told = {"vignette": ("vignette", 0.2, 0.45), "grain": ("grain", 0.2, 0.5), "shallow": ("aperture", 4.0, 2.0)}
        parts = [f"{told[k][0]} {told[k][1] if slight[k] else told[k][2]}" for k in slight]
        out["lens"] = ", ".join([*parts, *(["focus 10"] if "shallow" in slight else [])])
    return out


def development_of(brief: Brief, present: str = "plain") -> dict[str, Any]:
    """Name, contrast, mired and glare of a development, as far as a brief says any of it; {} when it says nothing."""
    said = _with_moods(brief)
    out: dict[str, Any] = {}
    if "contrast" in said:
        out["contrast"] = CONTRAST * _steps(said["contrast"])
    if "warmth" in said:
        out["mired"] = MIRED * _steps(said["warmth"])
    if "glare" in said:
        out["glare"] = 3.0 if _steps(said["glare"]) > 0 else 0.3
    if out or "development" in said:
        out = {"name": said.get("development", present), **out}
    return out


def massing_of(brief: Brief) -> tuple[MassChange, ...]:
    """The changes of massing that a brief asks for, each of a building by the words that its names in a model may have."""
    out = []
    for decision in (d for d in brief.holding if d.subject == "massing"):
        told = meanings()["massing"][decision.value]
        value = decision.details[0] if decision.details else told.get("value", "1")
        names = meanings()["building"].get(decision.place.of, {}).get("names", ())
        out.append(MassChange(building="|".join(names), what=told["what"], value=value))
    return tuple(out)


def _with_moods(brief: Brief) -> dict[str, str]:
    """The last word on each subject; what moods say holds where the brief says nothing."""
    out: dict[str, str] = {}
    for mood in (d for d in brief.holding if d.subject == "mood"):
        told = meanings()["mood"][mood.value]
        out |= {
            name: f"{value:+d}" if isinstance(value, int) else value for name, value in told.items() if name != "finish"
        }
    spoken = {d.subject: d.value for d in brief.holding if not str(d.place) or d.subject == "life"}
    # A mood's light or weather is a guess; one that was said leaves no room for it.
    if "light" in spoken or "weather" in spoken:
        out.pop("light", None)
        out.pop("weather", None)
    return out | spoken


def _light(said: Mapping[str, str], present: str) -> str | None:
    """The light's text, or None when nothing is said of it."""
    if not {"light", "weather", "lamps", "sun"} & set(said):
        return None
    parts = parts_of_light(present)
    base, weather, lamps = parts.base, parts.weather, parts.lamps
    side = said.get("sun", parts.side)
    if "light" in said:
        asked = said["light"]
        if asked in ("later", "earlier"):
            place = DAY.index(base) if base in DAY else DAY.index(USUAL)
            base = DAY[min(max(place + (1 if asked == "later" else -1), 0), len(DAY) - 1)]
        elif asked == "overcast" and base in DAY and ("weather" in said or "@" in present):
            weather = "overcast"
        else:
            base = asked
    if "weather" in said:
        weather = said["weather"]
        if said.get("light") == "overcast" and weather == "after rain":
            base, weather = "afternoon", "overcast, after rain"
        elif base == "overcast" and weather in ("clear", "cumulus", "overcast"):
            weather = ""
    if "lamps" in said:
        lamps = LAMPS[said["lamps"]]
        if said["lamps"] in ("warm", "cool") and LIGHTS.get(base, {}).get("lamps", 1.0) < 0.5:
            lamps = ", lamps on" + lamps
    if "overcast" in LIGHTS.get(base, {}) or "@" in base:
        side = ""
    return str(LightText(base, weather, side, lamps))


def _steps(value: str) -> float:
    """ "+2" as 1 step up."""
    return STEPS[min(abs(int(value)), 3)] * (1 if int(value) > 0 else -1)
