"""What light an hour of a month has where nothing tells the place."""

from __future__ import annotations

from datetime import UTC, datetime

from irodori.light.sun_position import sun_position

LATITUDE = 45.0
"""Degrees, half way between the equator and the pole."""

SUMMER_TIME = range(4, 11)
"""Months in which clocks are an hour ahead of the sun there."""

HEIGHTS = (
    (-12.0, ("night", "night")), (-4.0, ("dawn", "blue hour")), (1.0, ("dawn", "dusk")), (11.0, ("morning", "golden hour")),
    (91.0, ("morning", "afternoon")),
)  # fmt: skip
"""Heights of the sun, degrees, up to which a light lasts: before noon, and after."""


def light_of_hour(hour: float, month: int = 0) -> str:
    """Name of the light when a clock shows an hour, 0 … 24, in a month (0: at an equinox).

    >>> light_of_hour(12.0), light_of_hour(19.0, 10), light_of_hour(20.0, 6), light_of_hour(15.0, 7)
    ('noon', 'blue hour', 'golden hour', 'afternoon')
    """
    if month in SUMMER_TIME:
        hour = (hour - 1) % 24
    moment = datetime(2026, month or 3, 21, int(hour), int(hour % 1 * 60), tzinfo=UTC)
    _, elevation = sun_position(moment, LATITUDE, 0.0)
    if elevation > 11 and 11 <= hour < 13.5:
        return "noon"
    return next(names for height, names in HEIGHTS if elevation < height)[hour >= 12]
