"""The whole light transport of one scene: from tables to layers on fragments."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numba import njit

from irodori.core.colour import luminance
from irodori.core.progress import Progress, report
from irodori.core.scene import Scene, sky_illuminance
from irodori.engine.clouds import PIXEL_WIDTH, add_clouds, sky_under_clouds
from irodori.engine.daylight import beam_from_aureole, scene_unit
from irodori.engine.denoise import denoise_light
from irodori.engine.directions import sky_radiance
from irodori.engine.fresnel import fresnel_dielectric
from irodori.engine.gather import gather_light
from irodori.engine.interlace import fill_skipped, put_rows, shaded_fragments
from irodori.engine.lamps import gather_lamps, lamp_irradiance
from irodori.engine.light_cache import build_cache
from irodori.engine.light_points import (
    CARRIED,
    carry_light,
    fragment_positions,
    lighting_normals,
    place_light_points,
)
from irodori.engine.mean_albedo import with_mean_albedo
from irodori.engine.night_sky import add_disc, add_stars
from irodori.engine.rays import for_each_tile, scene_rays, split_tiles
from irodori.engine.specular import Surroundings, trace_specular
from irodori.engine.specular_filter import smooth_reflections
from irodori.engine.specular_rays import FRIT
from irodori.engine.sunlight import sun_visibility
from irodori.engine.surface_look import look_at_surfaces
from irodori.engine.tables import GLASS, LAMP, WATER, Tables, build_tables
from irodori.finishes.slots import SLOT

Quality = Literal["draft", "review", "final"]


@dataclass(frozen=True)
class Effort:
    """How much work a quality is: grid step, hemisphere rays, sun, mirror and lamp rays, rays a cache cell.

    `interlaced`: inside surfaces every second pixel is shaded, the others take the mean of their neighbours.
    """

    step: int
    hemisphere: int
    sun: int
    mirror: int
    lamps: int
    cells: int
    passes: int
    smoothing: int
    interlaced: bool = False


EFFORTS: dict[str, Effort] = {
    "draft": Effort(step=4, hemisphere=7, sun=1, mirror=1, lamps=2, cells=14, passes=3, smoothing=3, interlaced=True),
    "review": Effort(step=2, hemisphere=56, sun=6, mirror=8, lamps=4, cells=72, passes=4, smoothing=3),
    "final": Effort(step=2, hemisphere=300, sun=24, mirror=40, lamps=16, cells=240, passes=3, smoothing=1),
}

HELD = 10.0
"""Times the picture's white at which a single reflected ray is held."""

LAYERS = {
    "albedo": 3, "sun": 3, "sky": 3, "lamps": 3, "bounce sun": 3, "bounce sky": 3, "bounce lamps": 3,
    "reflection sun": 3, "reflection sky": 3, "reflection lamps": 3, "backdrop": 3,
}  # fmt: skip
"""Layers of a traced picture and their channels; radiance in cd/m² per channel, albedo as a ratio."""

_SUN, _SKY, _LAMPS, _BOUNCE, _REFLECTION, _BACKDROP = 3, 6, 9, 12, 21, 30
CHANNELS = 33
MIRRORED = (192, 512)
"""Rows and columns of the sky that reflected rays see."""

LEAST_LAMP = 0.001
"""Share of the open sky's light below which a lamp's is not worth a ray."""

STARS_SEED = 11
"""The same stars over every picture."""

_METAL, _F0, _TRANSLUCENT, _AS_FOUND = SLOT["metalness"], SLOT["f0"], SLOT["translucency"], SLOT["as_found"]
_PATTERN = SLOT["pattern"]


@dataclass(frozen=True, eq=False)
class Traced:
    """`layers` (N, CHANNELS) float32 on the structure's fragments, in units of `unit` cd/m²; `rays` traced."""

    layers: np.ndarray
    unit: float
    rays: int


def trace(scene: Scene, quality: Quality = "review", *, progress: Progress | None = None) -> Traced:
    """Trace the light of a dressed scene.

    Parameters
    ----------
    scene
        From `irodori.dress`.
    quality
        Key of `EFFORTS`.

    Returns
    -------
    Traced
        Deterministic: every sample depends on fragment and seed alone.
    """
    effort = EFFORTS[quality]
    report(progress, "Preparing the scene", 0.0)
    setup = _Setup(scene, effort)
    setup.light_up(progress)
    fragments = scene.shown.fragments
    layers = np.zeros((len(fragments), CHANNELS), np.float32)
    rough = np.zeros(len(fragments), np.float32)

    shaded = setup.shaded

    def work(span: tuple[int, int]) -> None:
        index = shaded[span[0] : span[1]]
        if len(shaded) == len(fragments):
            rough[index] = setup.shade(index, layers[span[0] : span[1]])
            return
        part = np.zeros((len(index), CHANNELS), np.float32)
        rough[index] = setup.shade(index, part)
        put_rows(layers, index, part)

    for_each_tile(split_tiles(len(shaded), 32768), work, stage="Tracing", progress=progress)
    if len(shaded) < len(fragments):
        fill_skipped(layers, rough, shaded, fragments, scene.structure.size)
    smooth_reflections(
        layers, slice(_REFLECTION, _BACKDROP), fragments, scene.structure.size, rough, passes=effort.smoothing,
        noise=2.2 / np.sqrt(effort.mirror),
    )  # fmt: skip
    return Traced(layers, setup.unit, setup.rays())


class _Setup:
    """Everything that tiles share."""

    def __init__(self, scene: Scene, effort: Effort) -> None:
        self.scene, self.effort = scene, effort
        self.structure = scene.structure
        self.tables = with_mean_albedo(build_tables(scene))
        surface = scene.mesh.surface
        solid = self.tables.kind[surface] != GLASS
        self.open, self.panes = scene_rays(scene.mesh.triangles, solid)
        self.open_tables = self.tables if solid.all() else _without(self.tables, solid)
        self.pane_normal, self.pane_surface = self.tables.tri_normal[~solid], self.tables.tri_surface[~solid]
        dome = scene.light.dome
        self.sky, self.sun = dome.table, dome.sun_direction
        self.sun_cosine = dome.sun_cosine
        self.even_sky, self.sun_lux = beam_from_aureole(dome)
        self.mirrored_sky = self.sky
        if scene.light.cover > 0:
            clouds = self.sun, self.sun_lux, np.float32(scene.light.cover), scene.seed
            self.even_sky = sky_under_clouds(self.even_sky, *self.sky.shape[:2], *clouds)
            self.mirrored_sky = sky_under_clouds(self.sky, *MIRRORED, *clouds)
        self.open_lux = max(float(luminance(sky_illuminance(self.even_sky))), 1e-9)
        emission = self.tables.emission * np.float32(scene.light.lamp_level)
        self.tables.emission[:] = emission
        self.lamps = gather_lamps(scene.mesh.triangles, surface, scene.lamps, scene.light.lamp_level, scene.seed)
        self.unit = scene_unit(scene)
        camera = self.structure.camera
        self.parallel = camera.projection == "parallel"
        self.angle = float(camera.footprint(np.float32(1.0)))
        self.lift_scale = 6e-4 if self.structure.mesh is not None else 4e-3
        self.shaded = np.arange(len(scene.shown.fragments))
        if effort.interlaced:
            as_found = self.tables.rows[self.tables.finish, _AS_FOUND] > 0
            self.shaded = shaded_fragments(scene.shown.fragments, self.structure.size, as_found)
        self.start_rays = 0
        self.start_rays = self.rays()

    def rays(self) -> int:
        return self.open.traced + (self.panes.traced if self.panes else 0) - self.start_rays

    def light_up(self, progress: Progress | None) -> None:
        """Light the cache and the light points."""
        scene, effort, tables = self.scene, self.effort, self.tables
        camera, fragments = self.structure.camera, scene.shown.fragments
        report(progress, "Preparing the scene", 0.4)
        points = place_light_points(camera, fragments, self.shaded, tables.loose, effort.step, scene.seed)
        self.points = points
        known = np.flatnonzero(points.region > 0)
        # Enough seeds to find every place that matters, whatever the picture's size.
        stride = max(1, len(known) // (9000 if effort.cells < 32 else 24000))
        seeds = known[::stride]
        self.cache = build_cache(
            self.open, self.open_tables, self.even_sky, self.sun, self.sun_lux, self.lamps,
            (points.position[seeds], points.normal[seeds]), camera.position, rays=effort.cells, seed=scene.seed,
            least_lamp=LEAST_LAMP * self.open_lux,
        )  # fmt: skip
        light = np.zeros((len(points.region), CARRIED), np.float32)

        def work(span: tuple[int, int]) -> None:
            a, b = span
            index = known[a:b]
            lift = self.lift(points.depth[index])
            at, facing, keys = points.position[index], points.normal[index], points.key[index]
            light[index, :12] = gather_light(
                self.open, self.open_tables, self.even_sky, self.cache, at, facing, keys, lift, effort.hemisphere
            )
            light[index, 12:] = lamp_irradiance(
                self.open, self.lamps, at, facing, keys, effort.lamps, lift, LEAST_LAMP * self.open_lux
            )

        for_each_tile(split_tiles(len(known), 8192), work, stage="Lighting", progress=progress)
        grid = points.grid[0] * points.grid[1]
        self.light = light
        # Lamps at night outshine the sky by far: what is white in the picture follows from what surfaces get.
        fallen = luminance(light.reshape(len(light), 5, 3).sum(axis=1)[known])
        self.white = max(self.unit, 0.18 / np.pi * float(np.percentile(fallen, 90)) if len(known) else 0.0)
        light[:grid] = denoise_light(
            light, points.position[:grid], points.normal[:grid], points.region[:grid], points.depth[:grid],
            tables.loose, points.grid, scale=self.angle * effort.step, passes=effort.passes,
            noise=1.2 / np.sqrt(effort.hemisphere),
        )  # fmt: skip

    def lift(self, depth: np.ndarray) -> np.ndarray:
        """How far rays start off the surface, m."""
        finite = np.where(np.isfinite(depth), depth, 1.0)
        return np.maximum(finite * self.lift_scale, 1e-3).astype(np.float32)

    def shade(self, index: np.ndarray, out: np.ndarray) -> np.ndarray:
        """Write the layers of the fragments at `index` to `out` (n, CHANNELS); the roughness of what shines, (n,)."""
        structure, tables, effort = self.structure, self.tables, self.effort
        camera, part = structure.camera, self.scene.shown.fragments.take(index)
        position, view = fragment_positions(camera, part, slice(None))
        region, depth, pixel, normal = part.region, part.depth, part.pixel, part.normal
        count = len(region)
        keys = index.astype(np.uint32) * np.uint32(747796405) + np.uint32(self.scene.seed)
        foot = (
            np.full(count, self.angle, np.float32)
            if self.parallel
            else np.where(np.isfinite(depth), depth, 1.0).astype(np.float32) * np.float32(self.angle)
        )
        detail = None
        if self.scene.as_found is not None:
            detail = self.scene.as_found.reshape(-1, 3)[pixel]
            detail[region > int(structure.fragments.region.max())] = 1
        lift = self.lift(depth)
        light = np.zeros((count, CARRIED), np.float32)
        carry_light(
            pixel, region, position, lighting_normals(normal, region, tables.loose), depth, self.points.own[index],
            camera.size[0], effort.step, self.points.grid[1], self.points.grid[0], self.points.position,
            self.points.normal, self.points.region, np.float32(self.angle), tables.loose, self.light, light,
        )  # fmt: skip
        open_air = luminance(light[:, :3]) / np.float32(self.open_lux)
        weather = self.scene.light
        look = look_at_surfaces(
            tables, region, position, view, normal, foot, self.sun, self.scene.seed, detail, open_air, weather.wet,
            weather.snow,
        )  # fmt: skip
        glossy = _is_shiny(region, tables.kind, tables.finish, tables.rows, look.rough)
        seen = self._sun(region, position, normal, keys, lift)
        _compose(
            region, view, normal, look.bent, look.albedo, look.rough, look.relief, look.cavity, seen, light,
            tables.finish, tables.rows, tables.kind, tables.emission, self.sun, self.sun_lux, self.sky,
            np.float32(self.scene.light.cover), self.scene.seed, glossy, self.scene.light.dome.sun_radiance,
            np.float32(self.sun_cosine), np.float32(self.angle), out,
        )  # fmt: skip
        shiny = np.flatnonzero(glossy)
        if len(shiny):
            daylight = light[shiny, :3] + light[shiny, 3:6] + light[shiny, 6:9] + out[shiny, _SUN : _SUN + 3]
            shining = type(look)(*(getattr(look, f)[shiny] for f in look.__dataclass_fields__))
            out[shiny, _REFLECTION : _REFLECTION + 9] += trace_specular(
                self.around(), tables, region[shiny], position[shiny], view[shiny], normal[shiny], shining, keys[shiny],
                depth[shiny], lift[shiny], daylight, effort.mirror, self.angle, HELD * self.white,
            )  # fmt: skip
        _haze(region, view, depth, np.float32(self.scene.light.haze), self.sky, out)
        out[:, 3:] *= np.float32(1.0 / self.unit)
        shine = np.zeros(count, np.float32)
        shine[shiny] = np.where(tables.kind[region[shiny]] == GLASS, 0, look.rough[shiny])
        return shine

    def around(self) -> Surroundings:
        """What secondary rays may meet."""
        return Surroundings(
            self.open, self.open_tables, self.panes, self.pane_normal, self.pane_surface, self.cache, self.mirrored_sky, self.sun,
            self.sun_lux, self.scene.rooms, self.scene.light.room_level,
            self.scene.room_colour, self.scene.light.haze, self.scene.seed, self.open_lux, self.scene.light.wet,
            self.scene.light.snow,
        )  # fmt: skip

    def _sun(self, region, position, normal, keys, lift) -> np.ndarray:
        seen = np.zeros(len(region), np.float32)
        if self.sun_lux.max() <= 0:
            return seen
        hit = np.flatnonzero(region > 0)
        facing = normal[hit].copy()
        # Leaves let light through, so either side may face the sun.
        thin = self.tables.rows[self.tables.finish[region[hit]], _TRANSLUCENT] > 0
        away = (facing @ self.sun < 0) & thin
        facing[away] = -facing[away]
        seen[hit] = sun_visibility(
            self.open, position[hit], facing, keys[hit], self.sun, self.sun_cosine, self.effort.sun, lift[hit]
        )
        return seen


def _without(tables: Tables, solid: np.ndarray) -> Tables:
    from dataclasses import replace

    return replace(
        tables, tri_normal=tables.tri_normal[solid], tri_surface=np.ascontiguousarray(tables.tri_surface[solid])
    )


@njit(cache=True, nogil=True)
def _is_shiny(region, kind, finish, rows, rough):
    out = np.zeros(len(region), np.bool_)
    for i in range(len(region)):
        s = region[i]
        if s == 0 or kind[s] == LAMP:
            continue
        row = rows[finish[s]]
        out[i] = kind[s] == GLASS or kind[s] == WATER or rough[i] < np.float32(0.16) or row[_METAL] > np.float32(0.2)
    return out


@njit(cache=True, nogil=True)
def _compose(
    region, view, normal, bent, albedo, rough, relief, cavity, seen, light, finish, rows, kind, emission, sun, sun_lux,
    sky, cover, seed, shiny, disc, disc_cosine, angle, out,
):  # fmt: skip
    """Diffuse layers, lamps that are seen, the sky, and the sun's highlight (GGX, Walter et al., EGSR 2007)."""
    tint = np.zeros(3, np.float32)
    inverse_pi = np.float32(1 / np.pi)
    for i in range(len(region)):
        s = region[i]
        if s == 0:
            sky_radiance(sky, view[i, 0], view[i, 1], view[i, 2], tint)
            add_stars(view[i, 0], view[i, 1], view[i, 2], angle, STARS_SEED, tint)
            add_disc(view[i, 0], view[i, 1], view[i, 2], sun, disc_cosine, disc, angle, tint)
            add_clouds(view[i, 0], view[i, 1], view[i, 2], sun, sun_lux, cover, seed, PIXEL_WIDTH, tint)
            for k in range(3):
                out[i, _BACKDROP + k] = tint[k]
            continue
        row = rows[finish[s]]
        for k in range(3):
            out[i, k] = albedo[i, k]
        if kind[s] == LAMP:
            for k in range(3):
                out[i, _LAMPS + k] = emission[s, k]
        printed = np.float32(1)
        if kind[s] == GLASS:
            if row[_PATTERN] != FRIT:
                continue
            printed = cavity[i]
        mx, my, mz = bent[i, 0], bent[i, 1], bent[i, 2]
        towards = -(view[i, 0] * mx + view[i, 1] * my + view[i, 2] * mz)
        towards = max(towards, np.float32(0.02))
        metal = row[_METAL]
        keep = np.float32(1) - metal
        if shiny[i]:
            # A rough surface mirrors less at a glancing view than a smooth one (after Lagarde, 2011).
            gloss = max(np.float32(1) - np.float32(np.sqrt(rough[i])), row[_F0])
            keep *= np.float32(1) - row[_F0] - (gloss - row[_F0]) * (np.float32(1) - towards) ** 5
        through = row[_TRANSLUCENT]
        cosine = mx * sun[0] + my * sun[1] + mz * sun[2]
        geometric = normal[i, 0] * sun[0] + normal[i, 1] * sun[1] + normal[i, 2] * sun[2]
        if through > 0:
            lit = cosine * (np.float32(1) - np.float32(0.5) * through) if cosine > 0 else -cosine * through
        else:
            lit = max(cosine, np.float32(0)) if geometric > 0 else np.float32(0)
        lit *= seen[i] * relief[i]
        # What leans towards the sky gets more of it.
        lean = np.float32(1) + np.float32(0.8) * (mz - normal[i, 2])
        keep *= printed
        dim = (cavity[i] if printed == np.float32(1) else np.float32(1)) * lean * inverse_pi * keep
        for k in range(3):
            colour = albedo[i, k]
            out[i, _SUN + k] = colour * lit * sun_lux[k] * inverse_pi * keep
            out[i, _SKY + k] = colour * light[i, k] * dim
            out[i, _LAMPS + k] += colour * light[i, 12 + k] * dim
            for g in range(3):
                out[i, _BOUNCE + 3 * g + k] = colour * light[i, 3 + 3 * g + k] * dim
        if seen[i] <= 0 or cosine <= 0 or geometric <= 0:
            continue
        alpha = max(rough[i], np.float32(0.02))
        hx, hy, hz = sun[0] - view[i, 0], sun[1] - view[i, 1], sun[2] - view[i, 2]
        length = np.float32(1) / np.float32(np.sqrt(hx * hx + hy * hy + hz * hz))
        hx, hy, hz = hx * length, hy * length, hz * length
        nh = max(mx * hx + my * hy + mz * hz, np.float32(0))
        vh = max(-(view[i, 0] * hx + view[i, 1] * hy + view[i, 2] * hz), np.float32(0.001))
        a2 = alpha * alpha
        lobe = nh * nh * (a2 - np.float32(1)) + np.float32(1)
        d = a2 * inverse_pi / (lobe * lobe)
        gv = towards + np.float32(np.sqrt(a2 + (np.float32(1) - a2) * towards * towards))
        gl = cosine + np.float32(np.sqrt(a2 + (np.float32(1) - a2) * cosine * cosine))
        base = d / (gv * gl) * cosine * seen[i] * relief[i]
        f = fresnel_dielectric(vh, row[_F0]) * (np.float32(1) - metal)
        for k in range(3):
            # A highlight brighter than this is the sun itself, and would only be a speck.
            value = base * (f + metal * albedo[i, k]) * sun_lux[k]
            out[i, _REFLECTION + k] += min(value, np.float32(12.0) * sun_lux[k])


@njit(cache=True, nogil=True)
def _haze(region, view, depth, haze, sky, out):
    tint = np.zeros(3, np.float32)
    for i in range(len(region)):
        if region[i] == 0:
            continue
        veil = np.float32(1) - np.float32(np.exp(-haze * depth[i]))
        if veil < np.float32(0.003):
            continue
        sky_radiance(sky, view[i, 0], view[i, 1], np.float32(0.02), tint)
        for k in range(3, _BACKDROP):
            out[i, k] *= np.float32(1) - veil
        for k in range(3):
            out[i, _SKY + k] += veil * tint[k]
