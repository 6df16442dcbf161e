"""One light of a scene as the engine uses it."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from irodori.core.colour import luminance
from irodori.core.scene import Scene, sky_illuminance
from irodori.engine.light.clouds import clouds_of, sky_under_clouds
from irodori.engine.light.daylight import beam_from_aureole, scene_unit
from irodori.engine.light.directions import hide_behind
from irodori.engine.light.gather import GATHERED
from irodori.engine.light.light_points import CARRIED
from irodori.engine.light.sunlight import Sun, first_alike
from irodori.engine.mirrors.specular import Shining
from irodori.engine.surface.surface_look import Weather

MIRRORED = (192, 512)
"""Rows and columns of the sky that reflected rays see."""

LEAST_LAMP = 0.001
"""Share of the open sky's light below which a lamp's is not worth a ray."""

COARSE = 10.0
"""Steps in which that is rounded, so that lights alike share their lamps' rays."""

BANK, BANK_SUN, BANK_AWAY = np.array([0.042, 0.058, 0.032]) / np.pi, 0.3, 170.0
"""What the bank behind the camera reflects, as mirrors of mirrors see it: radiance over illuminance; the share of the sun's on it;
how far off it is, m."""

HELD = 10.0
"""Times the picture's white at which a single reflected ray is held."""


class Lit:
    """A light, number `number` of those traced together.

    Attributes
    ----------
    sky, mirrored_sky
        Tables as `SkyDome.table`: without the sun's glow and with clouds evened out, for surfaces; as mirrors see it.
    clouds
        Those of the light, or None.
    sun
        With that glow.
    least
        lx of a lamp in full from which it counts; `counted` is its place among those of the lights traced together.
    unit
        cd/m² that layers are stored in.
    white, given_white
        cd/m² of what is white in the picture: as all its light tells, or as given, where only part of it is traced.
    light
        (P, CARRIED) lx at the light points, once `receive` was called.
    """

    def __init__(self, scene: Scene, number: int) -> None:
        light = scene.light
        dome = light.dome
        self.setting, self.dome, self.number, self.seed = light, dome, number, scene.seed
        self.sky, lux = beam_from_aureole(dome)
        eye = np.asarray(scene.structure.camera.position, np.float32)
        self.sun = Sun(dome.sun_direction, float(dome.sun_cosine), lux, eye, scene.sun_reach)
        self.clouds = clouds_of(light, dome.table, lux, scene.recipe.seed_of("sky"))
        self.mirrored_sky = sky_under_clouds(dome.table, *MIRRORED, self.clouds)
        if scene.skyline is not None:
            veil = np.float32(1 - math.exp(-light.haze * BANK_AWAY))
            fallen = 0.5 * sky_illuminance(dome.table) + BANK_SUN * lux
            hide_behind(self.mirrored_sky, scene.skyline, (fallen * BANK).astype(np.float32), veil)
        if self.clouds is not None:
            self.sky = sky_under_clouds(self.sky, *dome.table.shape[:2], self.clouds)
        self.weather = Weather(light.wet, light.snow, light.wind)
        self.unit = scene_unit(scene)
        self.least, self.counted = np.inf, 0
        if light.lamp_level > 0:
            lux = LEAST_LAMP * max(float(luminance(sky_illuminance(self.sky))), 1e-9) / light.lamp_level
            self.least = COARSE ** round(math.log(lux, COARSE))
        self.light = np.zeros((0, CARRIED), np.float32)
        self.white = self.unit
        self.given_white: float | None = None

    def receive(self, points: np.ndarray, gathered: np.ndarray, lamps: np.ndarray) -> None:
        """Take the light of all points from what was gathered for all lights, and their `lamps` (P, 3 M).

        `points` (P,) bool: those on surfaces.
        """
        level = np.float32(self.setting.lamp_level)
        first = lamps.shape[1] + GATHERED * self.number
        own, counted = gathered[:, first : first + GATHERED], slice(3 * self.counted, 3 * self.counted + 3)
        self.light = np.concatenate([own, gathered[:, counted] * level, lamps[:, counted] * level], axis=1)
        # Lamps at night outshine the sky by far: what is white in the picture follows from what surfaces get.
        if self.given_white is not None:
            self.white = self.given_white
            return
        fallen = luminance(self.light[np.flatnonzero(points)[::5]].reshape(-1, 5, 3).sum(axis=1))
        if len(fallen):
            self.white = max(self.unit, 0.18 / np.pi * float(np.percentile(fallen, 90)))


def as_shining(lights: Sequence[Lit]) -> Shining:
    """Lights as secondary rays see them."""
    suns = tuple(lit.sun for lit in lights)
    levels = [(lit.setting.lamp_level, lit.setting.room_level, lit.setting.haze, HELD * lit.white) for lit in lights]
    lamp_level, room_level, haze, limit = np.array(levels, np.float32).T.copy()
    return Shining(
        np.array([lit.number for lit in lights]), 3 * np.array([lit.counted for lit in lights]),
        np.stack([lit.mirrored_sky for lit in lights], axis=2), suns, tuple(first_alike(suns)),
        lamp_level, room_level, haze, limit,
    )  # fmt: skip
