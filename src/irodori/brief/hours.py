"""What light an hour of a month has where nothing tells the place."""

from __future__ import annotations

from datetime import UTC, datetime

from irodori.light.sun_position import sun_position

LATITUDE = 45.0
"""Degrees, half way between the equator and the pole."""

HEIGHTS = (
    (-12.0, ("night", "night")), (-4.0, ("dawn", "blue hour")), (1.0, ("dawn", "dusk")), (11.0, ("morning", "golden hour")),
    (28.0, ("morning", "afternoon")),
)  # fmt: skip
"""Heights of the sun, degrees, up to which a light lasts: before noon, and after."""


def light_of_hour(hour: float, month: int = 0) -> str:
    """Name of the light at an hour of local solar time, 0 … 24, in a month (0: at an equinox).

    >>> light_of_hour(12.0), light_of_hour(19.0, 10), light_of_hour(19.0, 6), light_of_hour(15.0, 7)
    ('noon', 'blue hour', 'golden hour', 'afternoon')
    """
    moment = datetime(2026, month or 3, 21, int(hour), int(hour % 1 * 60), tzinfo=UTC)
    _, elevation = sun_position(moment, LATITUDE, 0.0)
    for height, names in HEIGHTS:
        if elevation < height:
            return names[hour >= 12]
    return "noon" if 11 <= hour < 14 else "morning" if hour < 12 else "afternoon"
