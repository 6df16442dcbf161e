"""Light by name, or by place and moment."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from importlib import resources

from irodori.core.errors import LightError, unknown_name
from irodori.core.scene import Light
from irodori.light.clouds import USUAL, cloud_kind
from irodori.light.seal import sealed
from irodori.light.sky import clear_sky, overcast_sky, overcast_zenith
from irodori.light.sun_position import sun_position

LIGHTS: dict[str, dict] = tomllib.loads((resources.files("irodori.light") / "settings.toml").read_text("utf-8"))
"""Named settings, by name."""

WEATHERS: dict[str, dict] = tomllib.loads((resources.files("irodori.light") / "weather.toml").read_text("utf-8"))
"""Weathers, by name."""

SUN_SIDES = {"left": -110.0, "right": 110.0, "behind": 160.0, "ahead": 20.0}
"""Degrees clockwise from where a view looks to a sun at its side, behind who looks, or before them; never straight, so that shadows show."""

SIGHT = 32_000.0
"""m one sees on a fair day."""

_MOMENT = re.compile(
    r"^(?P<date>\d{4}-\d{2}-\d{2})[ T](?P<time>\d{2}:\d{2})(?P<zone>Z|[+-]\d{2}:\d{2})?\s*@\s*"
    r"(?P<latitude>[-+]?\d+(\.\d+)?)\s*,\s*(?P<longitude>[-+]?\d+(\.\d+)?)$"
)


@lru_cache(maxsize=24)
def make_light(light: str = "golden hour", *, north: float = 0.0, exposure: float = 0.0, facing: float = 0.0) -> Light:
    """The light of a named setting, or of a place and moment.

    Parameters
    ----------
    light
        A name from `LIGHTS`, or "2026-06-21 18:30+02:00 @ 46.5, 8.1" (date, time, zone, latitude,
        longitude; without a zone the time is local mean solar time); either may be followed by a comma and a
        weather from `WEATHERS`, as in "golden hour, after rain", and by what lamps do: "noon, lamps on", "dusk, lamps off",
        "night, lamps 2400 K" (all of them in that colour temperature); and by the side of the view that the sun
        stands on, from `SUN_SIDES`: "morning, sun left".
    north
        Azimuth of the model's +y axis, degrees.
    exposure
        Further stops.
    facing
        Where the view looks, degrees clockwise from the model's +y axis; counts for a sun by side alone.

    Raises
    ------
    LightError
        When a name is unknown or the moment cannot be read.

    Notes
    -----
    Haze follows Koschmieder's law: contrast is gone (2 %) at the distance of sight, extinction = 3.9 / sight.
    """
    parameters, setting, weather = find_setting(light)
    sky = WEATHERS[weather] if weather else {}
    burning = "switched" in setting
    sided = setting.get("side")
    if sided:
        setting["azimuth"] = (north + facing + SUN_SIDES[sided]) % 360
    north_of = {"north": north, "moon": setting.get("moon", False)}
    if "overcast" in setting:
        dome = overcast_sky(zenith_luminance=float(setting["overcast"]))
    else:
        turbidity = sky.get("turbidity", setting["turbidity"])
        dome = clear_sky(setting["azimuth"], setting["elevation"], turbidity=turbidity, **north_of)
        if sky.get("closed"):
            dome = overcast_sky(zenith_luminance=overcast_zenith(dome))
    if weather:
        parameters["light"] += f", {weather}"
    parameters["light"] += (f", sun {sided}" if sided else "") + setting.get("lamps told", "")
    dim = 0.12 if sky.get("closed") and not burning else 0.0
    return sealed(Light(
        name=parameters["light"], dome=dome, lamp_level=max(setting["lamps"], dim), room_level=max(setting["rooms"], 2 * dim),
        exposure=setting["exposure"] + exposure, warmth=setting["warmth"], haze=3.9 / sky.get("sight", SIGHT),
        cover=0.0 if sky.get("closed") else sky.get("clouds", setting.get("clouds", 0.0)),
        parameters={**parameters, "north": north, "exposure": exposure, **({"facing": facing} if sided else {})},
        wet=sky.get("wet", 0.0), snow=sky.get("snow", 0.0), wind=sky.get("wind", 1.0),
        clouds=cloud_kind(sky.get("kind", setting.get("kind", USUAL))), lamp_kelvin=setting.get("kelvin", 0.0),
    ))  # fmt: skip


def find_setting(light: str) -> tuple[dict, dict, str]:
    """What a light is called in a recipe, its setting, and its weather ("" for none), without working out a sky.

    Raises LightError as `make_light` does.
    """
    light, lamps = _split_lamps(light.strip())
    light, side = _split_side(light)
    name, weather = _split_weather(light)
    directed = _DIRECTED.match(name)
    if side and ("@" in name or directed or "overcast" in LIGHTS.get(name.casefold().replace("-", " "), {})):
        raise LightError(
            f"The sun of '{name}' stands where it does; a side of the view is for a named light with a sun: 'afternoon, sun {side}'"
        )
    lamps |= {"side": side} if side else {}
    by_fold = {k.casefold(): k for k in LIGHTS}
    if name.casefold().replace("-", " ") in by_fold:
        name = by_fold[name.casefold().replace("-", " ")]
        return {"light": name}, {**LIGHTS[name], **lamps}, weather
    if "@" in name or directed:
        setting = _setting_of_direction(directed) if directed else _setting_of_moment(name)
        sun = [round(setting["azimuth"], 4), round(setting["elevation"], 4)]
        return {"light": name, "sun": sun}, {**setting, **lamps}, weather
    raise LightError(unknown_name("light", light, LIGHTS))


_LAMPS = re.compile(r",\s*lamps\s+(?:(?P<switched>on|off)|(?P<kelvin>\d+)\s*k)\s*$", re.I)


def _split_lamps(text: str) -> tuple[str, dict]:
    """A text without what it says of lamps at its end ("lamps on", "lamps 2400 K"), and what a setting gets from that."""
    out: dict = {}
    while found := _LAMPS.search(text):
        text = text[: found.start()].rstrip()
        if found["switched"]:
            level = 1.0 if found["switched"].casefold() == "on" else 0.0
            out = {"lamps": level, "rooms": level, "switched": True} | out
        else:
            kelvin = float(found["kelvin"])
            if not 1700 <= kelvin <= 12000:
                raise LightError(f"Lamps of {kelvin:g} K are not made; give 1700 (candle) to 12000 (blue daylight)")
            out = {"kelvin": kelvin} | out
    told = (f", lamps {'on' if out['lamps'] else 'off'}" if "lamps" in out else "") + (
        f", lamps {out['kelvin']:g} K" if "kelvin" in out else ""
    )
    return text, {**out, "lamps told": told} if out else {}


_SIDE = re.compile(r",\s*sun\s+(?P<side>\w+)\s*$", re.I)


def _split_side(text: str) -> tuple[str, str]:
    """A text without the side of the view that its sun stands on, and that side; "" for none. Raises LightError."""
    found = _SIDE.search(text)
    if found is None:
        return text, ""
    side = found["side"].casefold()
    if side not in SUN_SIDES:
        raise LightError(unknown_name("side for the sun", side, SUN_SIDES))
    return text[: found.start()].rstrip(), side


@dataclass(frozen=True)
class LightText:
    """A light's text in parts; "" where it says nothing.

    Attributes
    ----------
    base
        The named light, or the moment and place.
    weather
        The weather.
    side
        The side of the view that the sun stands on.
    lamps
        What it says of lamps, with its comma: ", lamps on".
    """

    base: str
    weather: str = ""
    side: str = ""
    lamps: str = ""

    def __str__(self) -> str:
        return (
            self.base
            + (f", {self.weather}" if self.weather else "")
            + (f", sun {self.side}" if self.side else "")
            + self.lamps
        )


def parts_of_light(light: str) -> LightText:
    """A light's text in its parts. Raises LightError."""
    text, lamps = _split_lamps(light.strip())
    text, side = _split_side(text)
    base, weather = _split_weather(text)
    return LightText(base, weather, side, lamps.get("lamps told", ""))


def _split_weather(text: str) -> tuple[str, str]:
    """The light and the weather that a text asks for; the weather is "" when it names none."""
    folded = " ".join(text.casefold().replace("-", " ").split()) if "@" not in text else text.casefold()
    for weather in sorted(WEATHERS, key=len, reverse=True):
        if folded.endswith(f", {weather}"):
            return text[: -len(weather)].rstrip().rstrip(",").rstrip(), weather
    _, comma, rest = text.rpartition(",")
    if comma and "@" not in text:
        raise LightError(unknown_name("weather", rest.strip(), WEATHERS))
    return text, ""


_DIRECTED = re.compile(r"^sun\s+azimuth\s+(?P<azimuth>-?\d+(\.\d+)?)\s+altitude\s+(?P<altitude>-?\d+(\.\d+)?)$", re.I)


def _setting_of_direction(match: re.Match[str]) -> dict:
    azimuth, altitude = float(match["azimuth"]), float(match["altitude"])
    if abs(altitude) > 90:
        raise LightError(f"There is no altitude of {altitude:g} degrees; give −90 to 90")
    return setting_for_sun(azimuth % 360, altitude)


def _setting_of_moment(text: str) -> dict:
    match = _MOMENT.match(text.strip())
    if not match:
        raise LightError(
            f"Cannot read the moment '{text}'; write it like '2026-06-21 18:30+02:00 @ 46.5, 8.1' "
            "(date, time, zone @ latitude, longitude)"
        )
    latitude, longitude = float(match["latitude"]), float(match["longitude"])
    if abs(latitude) > 90 or abs(longitude) > 180:
        raise LightError(f"There is no place at {latitude}, {longitude}; latitude ±90, longitude ±180")
    try:
        zone = (match["zone"] or "").replace("Z", "+00:00")
        moment = datetime.fromisoformat(f"{match['date']}T{match['time']}{zone}")
    except ValueError as error:
        raise LightError(f"'{text}' is no date and time: {error}") from None
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=UTC) - timedelta(hours=longitude / 15)
    azimuth, elevation = sun_position(moment, latitude, longitude)
    return setting_for_sun(azimuth, elevation)


def setting_for_sun(azimuth: float, elevation: float) -> dict:
    """A setting for any sun: lamps come on as it sets, the picture keeps more colour when it is low."""
    dark = min(max((5.0 - elevation) / 8.0, 0.0), 1.0)
    if elevation < -14:  # nothing is left of the day; a moon opposite the sun gives the night its form
        night = LIGHTS["night"]
        return {**night, "azimuth": (azimuth + 180) % 360, "elevation": max(-elevation, 20.0)}
    return {
        "azimuth": azimuth,
        "elevation": elevation,
        "turbidity": 2.4,
        "clouds": 0.45,
        "kind": "cumulus" if elevation > 12 else "mackerel sky" if elevation > 3 else "bars",
        "lamps": dark,
        "rooms": min(dark + (0.25 if elevation < 12 else 0.0), 1.0),
        "warmth": 0.25 + 0.6 * min(max((30 - elevation) / 32, 0.0), 1.0),
        "exposure": -0.6 * dark,
    }
