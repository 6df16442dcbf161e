"""A sun study: how many hours of sun each place gets on a day, and where shadows end hour by hour."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.errors import LightError
from irodori.core.structure import Structure
from irodori.core.work.progress import Progress, report
from irodori.engine.rays.ray_scene import scene_rays
from irodori.light.sun_position import sun_direction, sun_position
from irodori.scene.solids import solids_from_structure

if TYPE_CHECKING:
    import pandas as pd

STEP = 10
"""Minutes from one place of the sun to the next."""

MARKED = (9, 12, 15)
"""Hours at which shadows are outlined."""

OFF, LEAST_OFF, LEVEL = 3e-3, 0.02, 0.95
"""Share of its distance, and m at least, by which a ray starts off a surface; and the upright part of a normal from which a surface lies
level."""

CLEAR = ("glazing",)
"""Roles of what the sun shines through."""

YEAR = 2026
"""Of the days that are called by name: the sun hardly differs from year to year."""

DAYS = {
    "spring equinox": date(YEAR, 3, 20), "summer solstice": date(YEAR, 6, 21), "autumn equinox": date(YEAR, 9, 23),
    "winter solstice": date(YEAR, 12, 21),
}  # fmt: skip
MONTHS = ("january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december")  # fmt: skip

LOWEST = 0.0
"""Elevation, degrees, over which the sun counts."""


@dataclass(frozen=True, eq=False)
class SunStudy:
    """One day.

    Attributes
    ----------
    day, hours
        The day, and the first and last hour that count.
    clock
        What hours mean: "solar time", or a zone as "UTC+02:00".
    sunlight
        (H, W) float32: hours of sun; NaN in the sky.
    shade
        (H, W) bool for each marked hour at which the sun is up: what lies level and does not get it.
    suns
        Azimuth and elevation, degrees, at each of these hours.
    by_surface
        Of each surface: "id", "role", "name", mean hours ("hours"), and the share of what is seen of it with at least two ("two hours").
    """

    day: date
    hours: tuple[float, float]
    clock: str
    sunlight: np.ndarray
    shade: dict[float, np.ndarray]
    suns: dict[float, tuple[float, float]]
    by_surface: pd.DataFrame

    @property
    def longest(self) -> float:
        """Hours, whole, that the sunniest place gets."""
        return float(np.ceil(max(np.nanmax(self.sunlight, initial=1.0), 1.0)))


def read_day(text: str) -> date:
    """A day from "summer solstice", "21 June" or "2026-06-21". Raises LightError."""
    plain = " ".join(text.casefold().split())
    if plain in DAYS:
        return DAYS[plain]
    found = re.fullmatch(r"(\d{1,2})\.? ([a-z]+)|([a-z]+) (\d{1,2})", plain)
    try:
        if found:
            number, word = (found[1], found[2]) if found[1] else (found[4], found[3])
            month = next(n for n, name in enumerate(MONTHS, 1) if len(word) > 2 and name.startswith(word))
            return date(YEAR, month, int(number))
        return date.fromisoformat(plain)
    except (ValueError, StopIteration):
        raise LightError(f"'{text}' is no day; write 'summer solstice', '21 June' or '2026-06-21'") from None


def sun_study(
    structure: Structure, place: tuple[float, float], day: date, *, hours: tuple[float, float] = (0.0, 24.0), zone: float | None = None,
    marked: Sequence[float] = MARKED, step: int = STEP, progress: Progress | None = None,
) -> SunStudy:  # fmt: skip
    """Follow the sun over a structure for a day.

    The sun counts as a point where its middle is, without refraction; what a view does not show casts no shadow, so a model, which has all
    of it, is worth more than a capture.

    Parameters
    ----------
    structure
        From `read_structure`; its north counts.
    place
        Latitude and longitude, degrees.
    day, hours, zone
        The day, and the hours that count, by the clock of a zone (hours east of UTC), or by the sun's own mean time without one.
    marked
        Hours at which shadows are outlined.
    step
        Minutes from one place of the sun to the next.

    Raises
    ------
    LightError
        When there is no such place or time.
    """
    latitude, longitude = place
    if abs(latitude) > 90 or abs(longitude) > 180:
        raise LightError(f"There is no place at {latitude}, {longitude}; latitude ±90, longitude ±180")
    if not 0 <= hours[0] < hours[1] <= 24:
        raise LightError(f"From {hours[0]:g} to {hours[1]:g} is no part of a day; give hours from 0 to 24")
    if not 1 <= step <= 60:
        raise LightError(f"A step of {step} minutes is out of range; give 1 to 60")
    east = longitude / 15 if zone is None else zone

    def sun_at(hour: float) -> tuple[float, float]:
        moment = datetime.combine(day, time(), UTC) + timedelta(hours=hour - east)
        return sun_position(moment, latitude, longitude)

    seen = _Seen(structure)
    # The middle of each step stands for it.
    middles = np.arange(hours[0] + step / 120, hours[1], step / 60)
    suns = [(hour, sun_at(float(hour))) for hour in middles]
    up = [(hour, sun) for hour, sun in suns if sun[1] > LOWEST]
    lit = np.zeros(len(seen.position), np.float32)
    for number, (_, sun) in enumerate(up):
        report(progress, "Following the sun", number / len(up))
        lit += seen.lit(sun_direction(*sun, structure.north)) * np.float32(step / 60)
    shade, shown = {}, {}
    for hour in marked:
        sun = sun_at(float(hour))
        if sun[1] > LOWEST:
            way = sun_direction(*sun, structure.north)
            shade[float(hour)] = seen.picture(seen.level & ~seen.lit(way)) > 0
            shown[float(hour)] = sun
    sunlight = np.where(seen.solid, seen.picture(lit), np.nan).astype(np.float32)
    clock = "solar time" if zone is None else f"UTC{timezone(timedelta(hours=zone)).tzname(None)[3:] or '+00:00'}"
    return SunStudy(day, hours, clock, sunlight, shade, shown, seen.by_surface(lit))


class _Seen:
    """What a structure shows, pixel by pixel, with the rays that tell what the sun reaches."""

    def __init__(self, structure: Structure) -> None:
        self.structure = structure
        camera = structure.camera
        self.solid = (structure.regions > 0) & np.isfinite(structure.depth)
        y, x = np.nonzero(self.solid)
        depth = structure.depth[self.solid]
        origin, way = camera.rays(x + 0.5, y + 0.5)
        reach = depth if camera.projection == "parallel" else depth / np.maximum(way @ camera.rotation[2], 1e-6)
        self.normal = structure.normal[self.solid].astype(np.float32)
        place = origin + way * reach[:, None]
        self.position = (place + self.normal * np.maximum(OFF * reach, LEAST_OFF)[:, None]).astype(np.float32)
        self.level = self.normal[:, 2] > LEVEL
        mesh = structure.mesh or solids_from_structure(structure)
        clear = structure.surfaces["id"][structure.surfaces["role"].isin(CLEAR)].to_numpy()
        self.rays = scene_rays(mesh.triangles, ~np.isin(mesh.surface, clear))[0]

    def faces(self, way: np.ndarray) -> np.ndarray:
        """What faces the sun, (N,) bool."""
        return self.normal @ way > 0.01

    def lit(self, way: np.ndarray) -> np.ndarray:
        """What the sun reaches, (N,) bool."""
        own = np.flatnonzero(self.faces(way))
        out = np.zeros(len(self.position), bool)
        ways = np.broadcast_to(way.astype(np.float32), (len(own), 3))
        out[own] = ~self.rays.occluded(
            self.position[own], np.ascontiguousarray(ways), np.full(len(own), 1e4, np.float32)
        )
        return out

    def picture(self, values: np.ndarray) -> np.ndarray:
        """Values (N,) as a picture (H, W), 0 in the sky."""
        out = np.zeros(self.solid.shape, np.float32)
        out[self.solid] = values
        return out

    def by_surface(self, hours: np.ndarray) -> pd.DataFrame:
        region = self.structure.regions[self.solid]
        count = int(region.max(initial=0)) + 1
        size = np.maximum(np.bincount(region, minlength=count), 1)
        mean = np.bincount(region, hours, count) / size
        enough = np.bincount(region, hours >= 2.0, count) / size
        table = self.structure.surfaces
        own = table["id"].to_numpy()
        out = table[[name for name in ("id", "role", "name") if name in table]].copy()
        inside = own < count
        out["hours"] = np.where(inside, np.round(mean[np.minimum(own, count - 1)], 2), np.nan)
        out["two hours"] = np.where(inside, np.round(enough[np.minimum(own, count - 1)], 3), np.nan)
        return out[inside & (np.bincount(region, minlength=count)[np.minimum(own, count - 1)] > 0)]
