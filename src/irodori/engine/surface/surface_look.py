"""What the surface looks like at each place: finish, footprint, relief, waves."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.geometry.frames import surface_frame
from irodori.core.work.kernel_files import forget_older_kernels
from irodori.engine.surface.tables import OPAQUE, WATER, Tables
from irodori.engine.surface.waves import wave_slopes, wave_trains
from irodori.finishes.evaluate import OUTPUTS, SHADED_BY_RELIEF, SOURCES, evaluate_finish
from irodori.finishes.noise import layered_noise
from irodori.finishes.registry import pattern_number
from irodori.finishes.slots import SLOT
from irodori.finishes.wear import weather

_RELIEF, _UNIT, _PATTERN = SLOT["relief"], SLOT["unit_u"], SLOT["pattern"]
FACADE = pattern_number("facade")
_AS_FOUND, _AGE = SLOT["as_found"], SLOT["age"]

forget_older_kernels(Path(__file__), SOURCES)


@dataclass(frozen=True, eq=False)
class Places:
    """N places on surfaces.

    `region` (N,); `position`, `normal` (N, 3); `view` (N, 3) unit direction of the rays that came; `foot` (N,) m, the width
    of a pixel there; `open_air` (N,) the share of an overcast sky's light that comes there (0: sheltered); `detail` (N, 3)
    the capture's own texture as a ratio to the surface's colour, or None.
    """

    region: np.ndarray
    position: np.ndarray
    view: np.ndarray
    normal: np.ndarray
    foot: np.ndarray
    open_air: np.ndarray
    detail: np.ndarray | None = None

    def __getitem__(self, index: np.ndarray) -> Places:
        detail = None if self.detail is None else self.detail[index]
        return Places(*(getattr(self, name)[index] for name in list(self.__dataclass_fields__)[:-1]), detail)


@dataclass(frozen=True)
class Weather:
    """What lies on surfaces that are open to the sky: how far rain has wetted and snow covered them, 0 … 1; and how the `wind` raises
    waves, as a factor."""

    wet: float = 0.0
    snow: float = 0.0
    wind: float = 1.0

    @property
    def dry(self) -> bool:
        """Whether neither rain nor snow lies."""
        return self.wet == 0 and self.snow == 0


@dataclass(frozen=True, eq=False)
class Look:
    """Per place: `albedo` (N, 3), `rough` (N,) microfacet alpha, `relief` (N,) share of sun past the relief,
    `bent` (N, 3) normal with relief or waves, `cavity` (N,)."""

    albedo: np.ndarray
    rough: np.ndarray
    relief: np.ndarray
    bent: np.ndarray
    cavity: np.ndarray


@njit(cache=True)
def _rain_and_snow(u, v, level, open_air, wet, snow, foot, seed, i, albedo, rough, relief, cavity):
    """Wet or whiten place i; returns how far puddles or snow hide its relief, 0 … 1.

    `open_air` is the sky's light there over that in the open; what lies under a roof stays dry.
    """
    most = np.float32(0.5) + np.float32(0.5) * max(level, np.float32(0))
    exposed = min(max((open_air / most - np.float32(0.45)) / np.float32(0.25), np.float32(0)), np.float32(1))
    if level < np.float32(-0.2) or exposed <= 0:
        return np.float32(0)
    hidden = np.float32(0)
    if wet > 0:
        damp = wet * exposed
        # Water fills the pores of matt surfaces: light is bent into them and lost (Lekner and Dorf, 1988).
        porous = min(
            max((np.float32(np.sqrt(rough[i])) - np.float32(0.45)) / np.float32(0.4), np.float32(0)), np.float32(1)
        )
        for k in range(3):
            albedo[i, k] *= np.float32(1) - np.float32(0.42) * damp * porous
        rough[i] += (
            (np.float32(0.09) - rough[i]) * np.float32(0.8) * damp if rough[i] > np.float32(0.09) else np.float32(0)
        )
        if level > np.float32(0.97):
            pool = layered_noise(u, v, np.float32(2.4), foot, 4, seed + 401) + np.float32(0.06)
            pool = min(max(pool * np.float32(5), np.float32(0)), np.float32(1)) * damp
            rough[i] += (np.float32(0.006) - rough[i]) * pool
            relief[i] += (np.float32(1) - relief[i]) * pool
            hidden = pool
    if snow > 0:
        ragged = layered_noise(u, v, np.float32(0.7), foot, 4, seed + 411)
        lies = min(
            max((level + np.float32(0.18) * ragged - np.float32(0.42)) / np.float32(0.2), np.float32(0)), np.float32(1)
        )
        # A thin cover shows the ground in places.
        lies *= min(
            max((snow + np.float32(0.35) * ragged - np.float32(0.25)) * np.float32(3), np.float32(0)), np.float32(1)
        )
        lies *= exposed
        tones = (np.float32(0.84), np.float32(0.87), np.float32(0.90))
        for k in range(3):
            albedo[i, k] += (tones[k] - albedo[i, k]) * lies
        rough[i] += (np.float32(0.9) - rough[i]) * lies
        relief[i] += (np.float32(1) - relief[i]) * lies
        cavity[i] += (np.float32(1) - cavity[i]) * lies
        hidden = max(hidden, lies)
    return hidden


@njit(cache=True, nogil=True)
def _look_of_water(
    i, px, py, view, cosine, foot, height, trains, seed, slopes, base, albedo, rough, relief, bent, cavity,
):  # fmt: skip
    """Write how water with waves of a `height` looks at place i."""
    along = np.float32(np.sqrt(view[i, 0] ** 2 + view[i, 1] ** 2)) + np.float32(1e-6)
    wave_slopes(px, py, view[i, 0] / along, view[i, 1] / along, cosine, foot[i], height, trains, seed, slopes)
    length = np.float32(1.0) / np.float32(np.sqrt(slopes[0] ** 2 + slopes[1] ** 2 + np.float32(1.0)))
    bent[i, 0], bent[i, 1], bent[i, 2] = -slopes[0] * length, -slopes[1] * length, length
    for k in range(3):
        albedo[i, k] = base[k]
    # Slope variance of the waves too small to see acts as roughness (alpha² = 2 σ²).
    rough[i] = np.float32(np.sqrt(np.float32(2.0) * slopes[2] + np.float32(1e-5)))
    relief[i] = np.float32(1)
    cavity[i] = np.float32(1)


@njit(cache=True, nogil=True)
def _from_the_corner(u, v, side, row, left, width, low, begin, stretch):
    """Where a place lies from its wall's corner and courses, whichever side, by its sign, is seen."""
    u -= left if side > 0 else -left - width
    if row[_PATTERN] == FACADE:
        u -= np.float32(0.5) * (width - max(np.float32(np.rint(width / row[_UNIT])), np.float32(1)) * row[_UNIT])
        return u, v - low
    return u, (v - begin) / stretch


class _PlaceRows(NamedTuple):
    """`Places`, as kernels take them; `detail` has no rows where there is none."""

    region: np.ndarray
    position: np.ndarray
    view: np.ndarray
    normal: np.ndarray
    foot: np.ndarray
    open_air: np.ndarray
    detail: np.ndarray


class _SurfaceRows(NamedTuple):
    """What of `Tables` says how surfaces look."""

    finish: np.ndarray
    rows: np.ndarray
    batch: np.ndarray
    base: np.ndarray
    kind: np.ndarray
    axis: np.ndarray
    loose: np.ndarray
    low: np.ndarray
    high: np.ndarray
    front: np.ndarray
    left: np.ndarray
    width: np.ndarray
    begin: np.ndarray
    stretch: np.ndarray
    card: np.ndarray


class _Air(NamedTuple):
    """The sun's direction, how far rain has wetted and snow covered what is open to the sky, the factor on waves, and the seed of
    all chance."""

    sun: np.ndarray
    wet: np.float32
    snow: np.float32
    wind: np.float32
    seed: int


@njit(cache=True, nogil=True)
def _look(chosen, places, surfaces, air, written):
    """Write how the `chosen` places look: `written` are the arrays of a `Look`."""
    region, position, view, normal, foot, open_air, detail = places
    finish, rows, batch, base, kind, axis, loose, low, high, front, left, width, begin, stretch, card = surfaces
    sun, wet, snow, wind, seed = air
    albedo, rough, relief, bent, cavity = written
    out = np.zeros(OUTPUTS, np.float32)
    slopes = np.zeros(3, np.float32)
    trains, water = np.zeros((0, 4), np.float32), -1
    for i in chosen:
        s = region[i]
        if s == 0:
            continue
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        row = rows[finish[s]]
        px, py, pz = position[i, 0], position[i, 1], position[i, 2]
        cosine = abs(view[i, 0] * nx + view[i, 1] * ny + view[i, 2] * nz)
        if kind[s] == WATER:
            if finish[s] != water:
                water = finish[s]
                trains = wave_trains(row[_UNIT], seed)
            _look_of_water(
                i, px, py, view, cosine, foot, row[_RELIEF] * wind, trains, seed, slopes, base[s], albedo, rough, relief, bent,
                cavity,
            )  # fmt: skip
            continue
        fx, fy, fz = nx, ny, nz
        if card[s, 0] != 0 or card[s, 1] != 0 or card[s, 2] != 0:
            fx, fy, fz = card[s, 0], card[s, 1], card[s, 2]
        tx, ty, tz, bx, by, bz = surface_frame(fx, fy, fz, axis[s])
        u = px * tx + py * ty + pz * tz
        v = px * bx + py * by + pz * bz
        if width[s] > 0:
            side = nx * front[s, 0] + ny * front[s, 1] + nz * front[s, 2]
            u, v = _from_the_corner(u, v, side, row, left[s], width[s], low[s], begin[s], stretch[s])
        # The pixel's footprint is drawn out along the view's projection onto the surface.
        vu = abs(view[i, 0] * tx + view[i, 1] * ty + view[i, 2] * tz)
        vv = abs(view[i, 0] * bx + view[i, 1] * by + view[i, 2] * bz)
        side = np.float32(np.sqrt(vu * vu + vv * vv)) + np.float32(1e-6)
        slant = np.float32(1.0) / max(cosine, np.float32(0.04)) - np.float32(1.0)
        fu = foot[i] * (np.float32(1.0) + slant * vu / side)
        fv = foot[i] * (np.float32(1.0) + slant * vv / side)
        lu = sun[0] * tx + sun[1] * ty + sun[2] * tz
        lv = sun[0] * bx + sun[1] * by + sun[2] * bz
        ln = sun[0] * nx + sun[1] * ny + sun[2] * nz
        noise_seed = seed + batch[finish[s]]
        evaluate_finish(row, base[s, 0], base[s, 1], base[s, 2], u, v, fu, fv, noise_seed, lu, lv, ln, out)
        if row[_AGE] > 0 and kind[s] == OPAQUE and not loose[s]:
            weather(
                row[_AGE] * min(np.float32(3) * open_air[i], np.float32(1)),
                u,
                v,
                nz,
                pz - low[s],
                high[s] - pz,
                max(fu, fv),
                noise_seed,
                out,
            )
        for k in range(3):
            albedo[i, k] = min(
                out[k] * (detail[i, k] if row[_AS_FOUND] > 0 and len(detail) > 0 else np.float32(1.0)), np.float32(0.92)
            )
        rough[i] = max(out[3] * out[3], np.float32(0.001))
        relief[i] = out[4]
        cavity[i] = out[7]
        covered = np.float32(0)
        if (wet > 0 or snow > 0) and kind[s] == OPAQUE:
            covered = _rain_and_snow(
                u, v, nz, open_air[i], wet, snow, max(fu, fv), seed, i, albedo, rough, relief, cavity
            )
        if loose[s]:
            bent[i, 0], bent[i, 1], bent[i, 2] = nx, ny, nz
            continue
        lean_u, lean_v = out[5] * (np.float32(1) - covered), out[6] * (np.float32(1) - covered)
        mx = nx - lean_u * tx - lean_v * bx
        my = ny - lean_u * ty - lean_v * by
        mz = nz - lean_u * tz - lean_v * bz
        length = np.float32(1.0) / np.float32(np.sqrt(mx * mx + my * my + mz * mz))
        bent[i, 0], bent[i, 1], bent[i, 2] = mx * length, my * length, mz * length


def look_at_surfaces(tables: Tables, at: Places, sun: np.ndarray, seed: int, weather: Weather) -> Look:
    """Evaluate finishes. Of the look only `relief` depends on the direction of the `sun`, (3,) unit."""
    count = len(at.region)
    look = Look(
        np.zeros((count, 3), np.float32), np.ones(count, np.float32), np.ones(count, np.float32), at.normal.copy(),
        np.ones(count, np.float32),
    )  # fmt: skip
    _evaluate(tables, at, np.arange(count), sun, seed, weather, look, look.relief)
    return look


def relief_under(
    tables: Tables, at: Places, look: Look, seen: np.ndarray, sun: np.ndarray, seed: int, weather: Weather
) -> np.ndarray:
    """The relief (N,) of a look, made under some sun, under another that shines where `seen` (N,) is above 0."""
    patterned = SHADED_BY_RELIEF[tables.rows[:, _PATTERN].astype(np.int64)]
    wanted = np.flatnonzero((seen > 0) & patterned[tables.finish[at.region]])
    relief = look.relief.copy()
    # All else comes out as it is.
    _evaluate(tables, at, wanted, sun, seed, weather, look, relief)
    return relief


def _evaluate(tables: Tables, at: Places, chosen, sun, seed: int, weather: Weather, look: Look, relief) -> None:
    """Write how the `chosen` places look to `look`, but for its relief, and to `relief`."""
    detail = np.zeros((0, 3), np.float32) if at.detail is None else at.detail
    places = _PlaceRows(at.region, at.position, at.view, at.normal, at.foot, at.open_air, detail)
    surfaces = _SurfaceRows(*(getattr(tables, name) for name in _SurfaceRows._fields))
    air = _Air(sun, np.float32(weather.wet), np.float32(weather.snow), np.float32(weather.wind), seed)
    _look(chosen, places, surfaces, air, (look.albedo, look.rough, relief, look.bent, look.cavity))
