"""The light that a finished picture shows, found by explaining its light and shade with our own on the same structure."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from irodori.core.colour import luminance
from irodori.core.fragments import Fragments
from irodori.core.recipe import LightChoice
from irodori.core.scene import Scene, sky_illuminance
from irodori.core.work.progress import Progress, report
from irodori.engine.image.layers import Traced
from irodori.engine.rays.ray_scene import rays_of
from irodori.engine.trace import trace_lights
from irodori.light import make_light
from irodori.light.sky import sun_direction
from irodori.picture import Picture
from irodori.picture.render import picture_of
from irodori.retouch.own_look import PURE, kept_as_found
from irodori.retouch.scene_light import scene_light
from irodori.scene.dress import Dressing

CLOSED, SUNLESS = "overcast", ("overcast", "dawn", "dusk", "blue hour", "night")
"""The closed sky, and all lights without a sun to speak of, which are known by their sky."""

SUNNY = ("noon", "afternoon", "noon, broken cloud")
"""Lights of bright days, asked of a sky where shade tells nothing."""

ASKED = 5000
"""Points of the structure that are asked whether they see a sun."""

ALTITUDES = (4.0, 8.0, 13.0, 20.0, 28.0, 38.0, 50.0, 62.0)
EVERY = 10.0
"""Degrees: the suns that are tried, above the horizon, and from one to the next round it."""

STRENGTHS = (0.35, 0.6, 1.0, 1.6)
"""Factors on the sun that a clear sky has."""

TEXTURE, PAINT = 0.25, 0.8
"""Spread of the log albedo within a surface, and of that from the colour found between surfaces."""

ODD = 3.0
"""Deviations beyond which a point says no more against a sun."""

CLEARER, VAGUE = 0.2, 0.03
"""Share of a closed sky's error that a sun explains where there is one: half and more on a model, where there is none a twentieth. On a reading
it may be less: then, down to the second, the sky tells."""

FEWEST = 50
"""Points that tell of a sun at least."""

FINER = (3.3, 1.2)
"""Degrees: steps in which suns about the best are tried."""

DARKEST, DARK_SKY = "night", 0.4
"""The darkest light, and the encoded luminance of a sky above which it is none of its."""

LEAST_SKY = 0.02
"""Share of the picture that is to be sky for the sky to tell of dusk or night."""

OFF = 0.02
"""m by which points are lifted off their surface before they ask for the sun."""


class Points(NamedTuple):
    """Places on matt surfaces: where, facing what way, of which surface; log light that the picture shows over the albedo found, and
    the light of an open sky (1 on open level ground)."""

    where: np.ndarray
    normal: np.ndarray
    surface: np.ndarray
    shown: np.ndarray
    open_sky: np.ndarray


def old_light(dressing: Dressing, encoded: np.ndarray, progress: Progress | None = None) -> LightChoice:
    """The light that explains a picture best: a sun by its direction, a closed sky, or one of the dark hours.

    A sun is told by light and shade: the light that places of one surface get, in the sun or in a shadow, is what differs most within
    it. Every sun of a grid, then finer around the best, is asked whether it reaches some thousand places. Where none explains much, the
    sky tells.

    Parameters
    ----------
    dressing
        The structure, dressed.
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1: the picture.
    """
    report(progress, "Looking for the light", 0.0)
    scene = dressing.under(CLOSED)
    traced = next(trace_lights([scene], "draft"))
    closed = picture_of(scene, traced, "draft", "photographic")
    sun, share = _by_shade(scene, traced, closed, encoded)
    report(progress, "Looking for the light", 0.6)
    found = sun
    if share < CLEARER:
        some = (sun,) if share > VAGUE else ()
        if scene.structure.mesh is None:
            # A reading may part light from shade by its surfaces' borders: then nothing within them tells of a sun.
            some = (*some, *SUNNY)
        found = _by_sky(dressing, encoded, (*some, *SUNLESS))
    return dressing.under(found).recipe.light


def _by_shade(scene: Scene, traced: Traced, closed: Picture, encoded: np.ndarray) -> tuple[str, float]:
    """The sun that explains most, and the share of a closed sky's error that it explains."""
    points = _points(scene, traced, closed, encoded)
    if len(points.surface) < FEWEST:
        return CLOSED, 0.0
    north = scene.structure.north
    tried = [(azimuth, altitude) for altitude in ALTITUDES for azimuth in np.arange(0.0, 360.0, EVERY)]
    best = min(_suns(scene, points, tried, north))
    for step in FINER:
        azimuth, altitude = (float(word) for word in best[1].split()[2::2])
        tried = [
            (azimuth + step * a, min(max(altitude + 0.6 * step * b, 3.0), 80.0)) for b in (-1, 0, 1) for a in (-1, 0, 1)
        ]
        best = min(best, *_suns(scene, points, tried, north))
    return best[1], 1 - best[0] / max(_error(points, points.open_sky), 1e-9)


def _suns(scene: Scene, points: Points, tried: list[tuple[float, float]], north: float) -> list[tuple[float, str]]:
    """Error and name of each sun."""
    rays, out = rays_of(scene.mesh), []
    lifted = (points.where + OFF * points.normal).astype(np.float32)
    reach = np.full(len(lifted), 1e4, np.float32)
    for azimuth, altitude in tried:
        way = sun_direction(azimuth, altitude, north).astype(np.float32)
        facing = np.maximum(points.normal @ way, 0)
        asked = np.flatnonzero(facing > 0.01)
        seen = np.zeros(len(lifted), np.float32)
        seen[asked] = ~rays.occluded(lifted[asked], np.tile(way, (len(asked), 1)), reach[asked])
        share = _sun_share(altitude)
        name = f"sun azimuth {azimuth % 360:.1f} altitude {altitude:.1f}"
        out.append((min(_error(points, points.open_sky + s * share * seen * facing) for s in STRENGTHS), name))
    return out


def _sun_share(altitude: float) -> float:
    """Light of a clear day's sun on what faces it, over that of its sky on open level ground."""
    dome = make_light(f"sun azimuth 180 altitude {round(altitude / 4) * 4 or 2}").dome
    return float(luminance(dome.sun_illuminance) / max(luminance(sky_illuminance(dome.table)), 1e-6))


def _error(points: Points, light: np.ndarray) -> float:
    """How badly a light explains what is shown, whatever the exposure and, within reason, each surface's albedo."""
    rest = points.shown - np.log(np.maximum(light, 0.02))
    rest = rest - np.median(rest)
    count = np.bincount(points.surface)
    own = np.bincount(points.surface, rest) / (count + (TEXTURE / PAINT) ** 2 * np.maximum(count, 1))
    within = (rest - own[points.surface]) / TEXTURE
    return float(np.minimum(within**2, ODD**2).mean())


def _points(scene: Scene, traced: Traced, closed: Picture, encoded: np.ndarray) -> Points:
    fragments: Fragments = scene.shown.fragments
    first = fragments.first()
    kept = kept_as_found(scene)
    kept[: len(scene.shown.loose)] &= ~scene.shown.loose[: len(kept)]
    width, _ = scene.structure.size
    bright = encoded.reshape(-1, 3)[fragments.pixel[first]]
    good = kept[fragments.region[first]] & (fragments.weight[first] > PURE) & np.isfinite(fragments.depth[first])
    good &= (bright.max(axis=1) < 0.97) & (bright.max(axis=1) > 0.02)
    some = first[good]
    some = some[:: max(1, len(some) // ASKED)]
    shown = scene_light(encoded, closed.buffers.development).reshape(-1, 3)[fragments.pixel[some]]
    albedo = np.maximum(luminance(traced.of("albedo")[some]), 0.02)
    fallen = luminance(traced.fallen(some)) / albedo
    if scene.structure.mesh is None:
        # What was read from the picture itself has its light and shade in the colours that were found.
        albedo = np.ones_like(albedo)
    ground = np.pi * traced.unit / max(float(luminance(sky_illuminance(scene.light.dome.table))), 1e-6)
    x, y = fragments.take(some).positions(width)
    origins, ways = scene.structure.camera.rays(x, y)
    _, surface = np.unique(fragments.region[some], return_inverse=True)
    return Points(
        origins + ways * fragments.depth[some, None], fragments.normal[some], surface,
        np.log(np.maximum(luminance(shown), 1e-5) / albedo), fallen * ground,
    )  # fmt: skip


def _by_sky(dressing: Dressing, encoded: np.ndarray, names: tuple[str, ...]) -> str:
    """The light whose sky is likest to the picture's."""
    fragments = dressing.shown.fragments
    first = fragments.first()
    sky = ((fragments.region[first] == 0) & (fragments.weight[first] > PURE)).reshape(encoded.shape[:2])
    if sky.mean() < LEAST_SKY:
        return CLOSED
    own = encoded[sky].mean(axis=0)
    # Without lamps an automatic exposure makes a bright sky of a night's.
    names = tuple(name for name in names if name != DARKEST or luminance(own) < DARK_SKY)
    scenes = [dressing.under(name) for name in names]
    away = [
        float(np.abs(picture_of(scene, traced, "draft", "photographic").encoded[sky].mean(axis=0) - own).mean())
        for scene, traced in zip(scenes, trace_lights(scenes, "draft"))
    ]
    return names[int(np.argmin(away))]
