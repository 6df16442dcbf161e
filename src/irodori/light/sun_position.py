"""Where the sun is: the PSA+ algorithm.

M. J. Blanco, K. Milidonis, A. M. Bonanos, "Updating the PSA sun position algorithm", Solar Energy 212 (2020)
339-341: within 10 arc seconds or so for 2020-2050.
"""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np

EARTH_RADIUS_KM = 6371.01
ASTRONOMICAL_UNIT_KM = 149597890.0


def sun_position(moment: datetime, latitude: float, longitude: float) -> tuple[float, float]:
    """Azimuth and elevation of the sun's centre, degrees, with parallax, without refraction.

    Parameters
    ----------
    moment
        Time; taken as UTC when it has no zone.
    latitude, longitude
        Degrees, north and east positive.

    Returns
    -------
    azimuth, elevation
        Azimuth clockwise from north, 0 … 360.

    >>> from datetime import datetime, UTC
    >>> azimuth, elevation = sun_position(datetime(2026, 6, 21, 12, 0, tzinfo=UTC), 0.0, 0.0)
    >>> round(elevation, 1)
    66.6
    """
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=UTC)
    moment = moment.astimezone(UTC)
    hours = moment.hour + moment.minute / 60 + (moment.second + moment.microsecond / 1e6) / 3600
    midnight = datetime(moment.year, moment.month, moment.day, tzinfo=UTC)
    elapsed = (midnight - datetime(2000, 1, 1, 12, tzinfo=UTC)).total_seconds() / 86400 + hours / 24

    omega = 2.267127827e00 - 9.300339267e-04 * elapsed
    mean_longitude = 4.895036035e00 + 1.720279602e-02 * elapsed
    anomaly = 6.239468336e00 + 1.720200135e-02 * elapsed
    ecliptic_longitude = (
        mean_longitude
        + 3.338320972e-02 * np.sin(anomaly)
        + 3.497596876e-04 * np.sin(2 * anomaly)
        - 1.544353226e-04
        - 8.689729360e-06 * np.sin(omega)
    )
    obliquity = 4.090904909e-01 - 6.213605399e-09 * elapsed + 4.418094944e-05 * np.cos(omega)

    right_ascension = np.arctan2(np.cos(obliquity) * np.sin(ecliptic_longitude), np.cos(ecliptic_longitude))
    declination = np.arcsin(np.sin(obliquity) * np.sin(ecliptic_longitude))
    sidereal = 6.697096103e00 + 6.570984737e-02 * elapsed + hours
    hour_angle = np.radians(sidereal * 15 + longitude) - right_ascension
    phi = np.radians(latitude)
    zenith = np.arccos(np.cos(phi) * np.cos(hour_angle) * np.cos(declination) + np.sin(declination) * np.sin(phi))
    azimuth = np.arctan2(-np.sin(hour_angle), np.tan(declination) * np.cos(phi) - np.sin(phi) * np.cos(hour_angle))
    zenith += EARTH_RADIUS_KM / ASTRONOMICAL_UNIT_KM * np.sin(zenith)
    return float(np.degrees(azimuth) % 360), float(90 - np.degrees(zenith))


def sun_direction(azimuth: float, elevation: float, north: float = 0.0) -> np.ndarray:
    """Unit vector towards the sun, (3,) float32, world frame.

    `north` is the azimuth of the model's +y axis, degrees.
    """
    a, e = np.radians(azimuth - north), np.radians(elevation)
    return np.array([np.cos(e) * np.sin(a), np.cos(e) * np.cos(a), np.sin(e)], np.float32)
