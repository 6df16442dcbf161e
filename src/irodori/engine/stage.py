"""What all lights of one view share: surfaces, rays, and how light gets from one to the other."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from irodori.core.colour import luminance
from irodori.core.geometry.frames import unit_rows
from irodori.core.sampling import place_keys
from irodori.core.scene import Scene
from irodori.core.work.progress import Progress, report
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.image.compose import Fallen, Shown, add_haze, compose, compose_sky, is_shiny
from irodori.engine.image.denoise import denoise_light
from irodori.engine.image.interlace import add_rows, shaded_fragments
from irodori.engine.image.layers import REFLECTION, SUN
from irodori.engine.light.clouds import clouds_before
from irodori.engine.light.gather import GATHERED, gather_light
from irodori.engine.light.lamps import LampSet, gather_lamps, lamp_irradiance, lamps_to_settle, settle_lamps
from irodori.engine.light.light_cache import build_cache
from irodori.engine.light.light_points import (
    CARRIED,
    FROM_LAMPS,
    Asking,
    Grid,
    carry_light,
    find_carriers,
    fragment_positions,
    lighting_normals,
    place_light_points,
)
from irodori.engine.light.sunlight import BOTH, FRONT, NONE, first_alike, sun_share
from irodori.engine.light.window_light import Window, light_of_rooms
from irodori.engine.lit import Lit, as_shining
from irodori.engine.mirrors.panes import Ahead
from irodori.engine.mirrors.sights import sights, sky_past_panes
from irodori.engine.mirrors.specular import Surroundings, trace_specular
from irodori.engine.part import Part
from irodori.engine.rays.ray_scene import scene_rays
from irodori.engine.surface.file_textures import file_textures, lay_textures
from irodori.engine.surface.mean_albedo import with_mean_albedo
from irodori.engine.surface.soil import soil_corners
from irodori.engine.surface.surface_look import Look, Places, Weather, look_at_surfaces, relief_under
from irodori.engine.surface.tables import GLASS, WATER, Tables, build_tables, kept_as_found
from irodori.finishes.slots import SLOT

NEARER = 2.5e-3
"""Share of their distance by which surfaces read from pixels are lit nearer to the camera: there nothing hides them,
though the planes beside them may not quite meet theirs."""

SEEN = 11.0
"""Times the light of a mid grey that a lamp is seen at: a little over white in its middle."""

SHARPER = 3
"""Times the rays of a point that a fragment sends to each lamp where its shadow has an edge."""

NO_CLOUDS = np.zeros((0, 0, 3), np.float32), np.zeros(3, np.float32), np.zeros(3, np.float32)
"""As `clouds_before` and `Clouds` give them under a clear sky."""

_AS_FOUND, _TRANSLUCENT = SLOT["as_found"], SLOT["translucency"]


@dataclass(frozen=True)
class Effort:
    """How much work a quality is: grid step, hemisphere rays, sun, mirror and lamp rays, rays a cache cell.

    Mirror images are smoothed in `smoothing` passes, wide ones, from `broad` on, further.
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
    broad: float = 0.08
    interlaced: bool = False


class Stage:
    """A dressed scene without its light; `lights` are what it is to be seen in, `only` (H, W) bool where, None for everywhere.

    What each light gives is the same whichever others there are.
    """

    def __init__(self, scene: Scene, lights: Sequence[Lit], effort: Effort, only: np.ndarray | None = None) -> None:
        self.scene, self.lights, self.effort = scene, lights, effort
        self.structure, self.wear = scene.structure, scene.recipe.seed_of("wear")
        self.tables = with_mean_albedo(build_tables(scene))
        surface = scene.mesh.surface
        solid = self.tables.kind[surface] != GLASS
        self.open, self.panes = scene_rays(scene.mesh.triangles, solid)
        self.open_tables = self.tables if solid.all() else _without(self.tables, solid)
        self.textures = file_textures(scene.mesh, kept_as_found(scene))
        if self.textures is not None:
            self.textures = self.textures.keep(solid)
        self.pane_normal, self.pane_surface = self.tables.tri_normal[~solid], self.tables.tri_surface[~solid]
        self.sides = np.where(self.tables.rows[self.tables.finish, _TRANSLUCENT] > 0, BOTH, FRONT).astype(np.int8)
        self.sides[0] = NONE
        glass, imagined = self.tables.kind == GLASS, scene.rooms[:, 1] > 0
        self.panes_of_rooms, self.clear_panes = glass & imagined, glass & ~imagined
        camera = self.structure.camera
        self.parallel = camera.projection == "parallel"
        self.angle = float(camera.footprint(np.float32(1.0)))
        self.lift_scale = 6e-4 if self.structure.mesh is not None else 4e-3
        self.fragments = scene.shown.fragments
        if self.structure.mesh is None:
            self.fragments = replace(self.fragments, depth=self.fragments.depth * np.float32(1 - NEARER))
        self.shaded = np.arange(len(self.fragments))
        if effort.interlaced:
            as_found = self.tables.rows[self.tables.finish, _AS_FOUND] > 0
            self.shaded = shaded_fragments(self.fragments, self.structure.size, as_found)
        is_sky = self.fragments.region[self.shaded] == 0
        self.only = None if only is None else Part(only, effort.step, effort.passes, effort.smoothing)
        in_part = (
            self.shaded[~is_sky] if self.only is None else self.only.to_shade(self.shaded[~is_sky], self.fragments)
        )
        self.all_surfaces, self.surfaces = self.shaded[~is_sky], in_part
        self.sky = self.shaded[is_sky] if self.only is None else self.only.to_shade(self.shaded[is_sky], self.fragments)
        self.weathers: dict[Weather, list[int]] = {}
        for number, lit in enumerate(lights):
            self.weathers.setdefault(lit.weather, []).append(number)
        self.alike = first_alike([lit.sun for lit in lights])
        self.lamp_edges: np.ndarray | None = None
        self.start_rays = 0
        self.start_rays = self.rays()

    def rays(self) -> int:
        return self.open.traced + (self.panes.traced if self.panes else 0) - self.start_rays

    def light_up(self, progress: Progress | None) -> None:
        """Light the cache and the light points."""
        scene, effort, tables, lights = self.scene, self.effort, self.tables, self.lights
        camera, fragments = self.structure.camera, self.fragments
        report(progress, "Preparing the scene", 0.4)
        points = place_light_points(camera, fragments, self.all_surfaces, tables.loose, effort.step, scene.seed)
        self.points = points
        known = np.flatnonzero(points.region > 0)
        # Enough seeds to find every place that matters, whatever the picture's size.
        seeds = known[:: max(1, len(known) // (9000 if effort.cells < 32 else 24000))]
        if self.only is not None:
            known = self.only.to_light(known, points, fragments, camera.size[0])
        lamps = gather_lamps(scene.mesh.triangles, scene.mesh.surface, scene.lamps, scene.seed, self._windows())
        least = sorted({lit.least for lit in lights})
        for lit in lights:
            lit.counted = least.index(lit.least)
        skies = np.stack([lit.sky for lit in lights], axis=2)
        goes_on = sights(camera, fragments, tables.kind, self.clear_panes, self.lift, len(seeds))
        self.cache = build_cache(
            self.open, self.open_tables, skies, [lit.sun for lit in lights], lamps, least,
            (points.position[seeds], points.normal[seeds]), goes_on, camera.position, rays=effort.cells, seed=scene.seed,
        )  # fmt: skip
        gathered = np.zeros((len(points.region), 3 * len(least) + GATHERED * len(lights)), np.float32)
        direct = np.zeros((len(points.region), 3 * len(least)), np.float32)
        clear = np.zeros((len(points.region), 2), np.float32)
        seen = lamps.unasked(len(points.region))

        def work(span: tuple[int, int]) -> None:
            index = known[slice(*span)]
            lift = self.lift(points.depth[index])
            at, facing, keys = points.position[index], points.normal[index], points.key[index]
            gathered[index], clear[index] = gather_light(
                self.open, self.open_tables, skies, self.cache, at, facing, keys, lift, effort.hemisphere
            )
            reached = seen[index]
            direct[index] = lamp_irradiance(self.open, lamps, at, facing, keys, effort.lamps, lift, least, reached)
            seen[index] = reached

        for_each_tile(split_tiles(len(known), 8192), work, stage="Lighting", progress=progress)
        if seen.size and np.isfinite(least[0]):
            self._settle(lamps, least, seen, direct)
        on_surfaces = points.region > 0

        def receive(lit: Lit) -> None:
            lit.receive(on_surfaces, gathered, direct)
            self._denoise(lit.light)

        for_each_tile(lights, receive, stage="Denoising", progress=progress)
        self.shining = {w: as_shining([lights[n] for n in chosen]) for w, chosen in self.weathers.items()}
        self._denoise(clear)
        self.clear, self.close = np.ascontiguousarray(clear.T)

    def _settle(self, lamps: LampSet, least: Sequence[float], seen: np.ndarray, direct: np.ndarray) -> None:
        """More rays where lamps cast the edge of a shadow."""
        points, count = self.points, self.effort.lamps
        grid = points.grid[0] * points.grid[1]
        wanted = lamps_to_settle(lamps, seen[:grid], points.region[:grid], points.grid, count)
        edges = np.flatnonzero(wanted)
        if self.effort.step > 1 and not self.effort.interlaced and len(edges):
            self.lamp_edges, self.lamps, self.least = wanted, lamps, least

        def work(span: tuple[int, int]) -> None:
            index = edges[slice(*span)]
            light = direct[index]
            settle_lamps(
                self.open, lamps, points.position[index], points.normal[index], points.key[index], count,
                self.lift(points.depth[index]), least, seen[index], wanted[index], light,
            )  # fmt: skip
            direct[index] = light

        for_each_tile(split_tiles(len(edges), 8192), work)

    def _denoise(self, light: np.ndarray) -> None:
        points, effort = self.points, self.effort
        grid = points.grid[0] * points.grid[1]
        given = np.flatnonzero(light[:grid].any(axis=0))
        if not len(given):
            return
        light[:grid, given] = denoise_light(
            light[:grid, given], points.position[:grid], points.normal[:grid], points.region[:grid],
            points.depth[:grid], self.tables.loose, points.grid, scale=self.angle * effort.step, passes=effort.passes,
            noise=1.2 / np.sqrt(effort.hemisphere),
        )  # fmt: skip

    def _windows(self) -> list[Window]:
        """Lit windows of imagined rooms, where any light burns lamps."""
        panes = np.flatnonzero(self.panes_of_rooms)
        if not len(panes) or not any(lit.setting.lamp_level > 0 for lit in self.lights):
            return []
        region, normal = self.fragments.region, self.fragments.normal
        outward = np.stack([np.bincount(region, normal[:, k], len(self.panes_of_rooms)) for k in range(3)], axis=1)
        scene = self.scene
        return light_of_rooms(
            scene.mesh, panes, unit_rows(outward[panes]), scene.rooms, scene.room_colour, scene.seed,
            scene.lamps.tables.shape[1:],
        )  # fmt: skip

    def lift(self, depth: np.ndarray) -> np.ndarray:
        """How far rays start off the surface, m."""
        finite = np.where(np.isfinite(depth), depth, 1.0)
        return np.maximum(finite * self.lift_scale, 1e-3).astype(np.float32)

    def gather_clouds(self) -> None:
        """Follow the views through the clouds of every light."""
        width, height = self.structure.size
        if self.parallel or not any(lit.clouds is not None for lit in self.lights):
            self.clouds = [NO_CLOUDS] * len(self.lights)
            return
        open_sky = np.zeros(width * height, bool)
        open_sky[self.fragments.pixel[self.fragments.region == 0]] = True
        open_sky[sky_past_panes(self.structure.camera, self.fragments, self.clear_panes, self.lift, self.open)] = True
        self.clouds = [NO_CLOUDS] * len(self.lights)
        for n, lit in enumerate(self.lights):
            if lit.clouds is not None and open_sky.any():
                grid = clouds_before(self.structure.camera, lit.clouds, open_sky.reshape(height, width))
                self.clouds[n] = grid, lit.clouds.lux, lit.clouds.around

    def look_up(self, index: np.ndarray, layers: Sequence[np.ndarray]) -> None:
        """Write the sky that the fragments at `index` show to the layers of every light, each (N, CHANNELS)."""
        part = self.fragments.take(index)
        _, view = fragment_positions(self.structure.camera, part, slice(None))
        at = self._at(part)
        for n, (lit, out) in enumerate(zip(self.lights, layers)):
            sun, dome = lit.sun, lit.dome
            compose_sky(
                view, at, self.clouds[n], dome.table, sun.direction, (dome.sun_radiance, np.float32(sun.cosine)),
                np.float32(self.angle), np.float32(1.0 / lit.unit), index, out,
            )  # fmt: skip

    def _at(self, part) -> np.ndarray:
        """Where fragments are in the picture, (n, 2) float32 px."""
        width = self.structure.size[0]
        return (np.stack([part.pixel % width, part.pixel // width], axis=1) + part.offset).astype(np.float32)

    def _ahead(self, number: int) -> Ahead:
        """The sky of a light as the eye sees it."""
        return Ahead(*self.clouds[number], self.lights[number].dome.table)

    def shade(self, index: np.ndarray, layers: Sequence[np.ndarray], rough: Sequence[np.ndarray]) -> None:
        """Write the surfaces' fragments at `index` to the layers of every light, each (N, CHANNELS) and zero there, and how
        rough what shines is, (N,)."""
        tables = self.tables
        camera, part = self.structure.camera, self.fragments.take(index)
        position, view = fragment_positions(camera, part, slice(None))
        region, depth, normal = part.region, part.depth, part.normal
        point, share, open_air = self._carriers(part, position, index)
        places = Places(region, position, view, normal, self._footprint(depth), open_air, self._detail(part))
        x, y = part.pixel % camera.size[0], part.pixel // camera.size[0]
        if self.effort.interlaced:
            # Along the diagonals, where every place is shaded.
            x, y = (x + y) >> 1, (x - y + camera.size[1]) >> 1
        keys = place_keys(x, y, self.scene.seed)
        lift = self.lift(depth)
        tri = self._triangles(part)
        carried = []
        for lit in self.lights:
            carried.append(np.zeros((len(region), CARRIED), np.float32))
            carry_light(point, share, lit.light, carried[-1])
        self._sharpen(part, position, keys, lift, point, share, carried)
        sunlit = {n: self._sun(self.lights[n], places, part.pixel, keys, lift) for n in set(self.alike)}
        close = (share * self.close[np.maximum(point, 0)]).sum(axis=1)
        looks, shiny = {}, {}
        for weather, chosen in self.weathers.items():
            look = look_at_surfaces(tables, places, self.lights[chosen[0]].sun.direction, self.wear, weather)
            if self.textures is not None:
                look = lay_textures(self.textures, tri, places, tables, look)
            if self.scene.soiled:
                soil_corners(tables, places, close, self.wear, look)
            glossy = is_shiny(region, tables.kind, tables.finish, tables.rows, look.rough)
            looks[weather], shiny[weather] = look, glossy
            reliefs = {self.alike[chosen[0]]: look.relief}
            for n in chosen:
                lit, sun = self.lights[n], self.alike[n]
                if sun not in reliefs:
                    # All but the relief is written again as it was, without soil and wet.
                    clean = replace(look, albedo=look.albedo.copy(), rough=look.rough.copy())
                    reliefs[sun] = relief_under(
                        tables, places, clean, sunlit[sun], lit.sun.direction, self.wear, weather
                    )
                self._compose(lit, places, look, reliefs[sun], sunlit[sun], glossy, carried[n], index, layers[n])
        for weathers, wanted in _alike_in_mirrors(shiny, tables.kind[region]):
            here = np.flatnonzero(wanted)
            look = looks[weathers[0]]
            shining = Look(*(getattr(look, f)[here] for f in look.__dataclass_fields__))
            behind = here[self.panes_of_rooms[region[here]]]

            def daylight(n: int, behind=behind) -> np.ndarray:
                fallen = carried[n][behind, :9].reshape(-1, 3, 3).sum(axis=1)
                return fallen + layers[n][index[behind], SUN : SUN + 3]

            reflected = trace_specular(
                self.around(), {w: self.shining[w] for w in weathers}, places[here], shining, keys[here], depth[here],
                lift[here], part.weight[here], {w: [daylight(n) for n in self.weathers[w]] for w in weathers},
                {w: [self._ahead(n) for n in self.weathers[w]] for w in weathers}, self._at(part)[here], self.effort.mirror,
            )  # fmt: skip
            dull = np.where(tables.kind[region[here]] == GLASS, 0, shining.rough)
            for weather in weathers:
                for n, radiance in zip(self.weathers[weather], reflected[weather]):
                    add_rows(layers[n], index[here], radiance, REFLECTION)
                    rough[n][index[here]] = dull
        for lit, out in zip(self.lights, layers):
            add_haze(view, depth, np.float32(lit.setting.haze), lit.dome.table, np.float32(1.0 / lit.unit), index, out)

    def _sharpen(self, part, position, keys, lift, point, share, carried: Sequence[np.ndarray]) -> None:
        """Lamps' light at every fragment itself where a shadow has its edge: between points of a grid it would be stepped."""
        if self.lamp_edges is None:
            return
        near = np.where((share > 0.02) & (point < len(self.lamp_edges)), point, -1)
        bits = np.bitwise_or.reduce(np.where(near >= 0, self.lamp_edges[np.maximum(near, 0)], 0), axis=1).astype(
            np.uint32
        )
        here = np.flatnonzero((bits != 0) & ~self.tables.loose[part.region])
        if not len(here):
            return
        at, facing, lift = position[here], np.ascontiguousarray(part.normal[here]), lift[here]
        seen = self.lamps.unasked(len(here))
        count = SHARPER * self.effort.lamps
        direct = lamp_irradiance(self.open, self.lamps, at, facing, keys[here], count, lift, self.least, seen)
        settle_lamps(self.open, self.lamps, at, facing, keys[here], count, lift, self.least, seen, bits[here], direct)
        for lit, light in zip(self.lights, carried):
            own = direct[:, 3 * lit.counted : 3 * lit.counted + 3] * np.float32(lit.setting.lamp_level)
            light[here, FROM_LAMPS : FROM_LAMPS + 3] = own

    def _sun(self, lit: Lit, places: Places, pixel, keys, lift) -> np.ndarray:
        """Share of the sun that each fragment sees, (n,)."""
        if not lit.sun.shines:
            return np.zeros(len(pixel), np.float32)
        return sun_share(
            self.open, places.position, places.normal, keys, lit.sun, self.effort.sun, lift, self.sides[places.region],
            pixel, self.structure.size[0], (places.view, places.foot),
        )  # fmt: skip

    def _compose(self, lit: Lit, places: Places, look: Look, relief, seen, glossy, carried, index, out) -> None:
        """All but mirrors."""
        tables, sun = self.tables, lit.sun
        emission = as_seen(tables.emission * np.float32(lit.setting.lamp_level), lit.white)
        compose(
            Shown(places.region, places.view, places.normal, look.bent, look.albedo, look.rough, look.cavity, glossy),
            Fallen(relief, seen, carried, sun.direction, sun.lux), (tables.finish, tables.rows, tables.kind), emission, index, out,
        )  # fmt: skip

    def _carriers(self, part, position, index) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The light points that fragments take their light from, their shares, (n, 4), and how open to the sky it is, (n,)."""
        points, loose = self.points, self.tables.loose
        point, share = np.empty((len(index), 4), np.int32), np.empty((len(index), 4), np.float32)
        open_air = np.empty(len(index), np.float32)
        bent = lighting_normals(part.normal, part.region, loose)
        rows, columns = points.grid
        find_carriers(
            Asking(part.pixel, part.region, position, bent, part.depth),
            Grid(
                points.position, points.normal, points.region, columns, rows, self.effort.step, self.structure.size[0],
                np.float32(self.angle),
            ),
            loose, points.own[index], self.clear, point, share, open_air,
        )  # fmt: skip
        return point, share, open_air

    def _footprint(self, depth: np.ndarray) -> np.ndarray:
        """Width of a pixel at the fragments, m."""
        if self.parallel:
            return np.full(len(depth), self.angle, np.float32)
        return np.where(np.isfinite(depth), depth, 1.0).astype(np.float32) * np.float32(self.angle)

    def _triangles(self, part) -> np.ndarray:
        """Which of the open triangles fragments show where their file has textures for them, (n,) int32; −1 for others."""
        out = np.full(len(part), -1, np.int32)
        if self.textures is None:
            return out
        here = np.flatnonzero(self.textures.surfaces[part.region])
        x, y = part.pixel[here] % self.structure.size[0], part.pixel[here] // self.structure.size[0]
        origins, directions = self.structure.camera.rays(x + part.offset[here, 0], y + part.offset[here, 1])
        _, tri = self.open.closest(origins, directions)
        tri[(tri >= 0) & (self.open_tables.tri_surface[np.maximum(tri, 0)] != part.region[here])] = -1
        out[here] = tri
        return out

    def _detail(self, part) -> np.ndarray | None:
        if self.scene.as_found is None:
            return None
        detail = self.scene.as_found.reshape(-1, 3)[part.pixel]
        detail[part.region > int(self.structure.fragments.region.max())] = 1
        return detail

    def around(self) -> Surroundings:
        """What secondary rays may meet."""
        return Surroundings(
            self.tables, self.open, self.open_tables, self.textures, self.panes, self.pane_normal, self.pane_surface, self.cache,
            self.scene.rooms, self.scene.room_colour, self.scene.seed, self.angle,
        )  # fmt: skip


def _alike_in_mirrors(
    shiny: Mapping[Weather, np.ndarray], kind: np.ndarray
) -> Iterator[tuple[tuple[Weather, ...], np.ndarray]]:
    """The shiny places, (n,) bool, that send out the same rays in several weathers: no rain or snow stays on glass or water."""
    steady = kind == GLASS
    if len({weather.wind for weather in shiny}) == 1:
        steady |= kind == WATER
    parts = [((weather,), places) for weather, places in shiny.items()]
    if len(shiny) > 1:
        parts = [(tuple(shiny), steady), *((weathers, places & ~steady) for weathers, places in parts)]
    return ((weathers, places) for weathers, places in parts if places.any())


def as_seen(emission: np.ndarray, white: float) -> np.ndarray:
    """What of the radiance (S, 3) of lamps is seen, where `white` cd/m² is white in the picture: a globe is no hole in it."""
    most = SEEN * white
    value = luminance(emission)[:, None]
    return np.where(value > most, emission * (most / np.maximum(value, 1e-9)), emission).astype(np.float32)


def _without(tables: Tables, solid: np.ndarray) -> Tables:
    return replace(
        tables, tri_normal=tables.tri_normal[solid], tri_surface=np.ascontiguousarray(tables.tri_surface[solid])
    )
