"""Lamps: luminous surfaces, sampled by their luminous power over the square of distance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.sampling import TO_LAMPS, lattice_point
from irodori.core.scene import LampTables
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.engine.light.window_light import Window
from irodori.engine.rays.ray_scene import RayScene

SPOTS = 24
"""Places on each lamp's surface that shadow rays aim at."""

MOST_LAMPS = 256

FEW = 24
"""Up to so many lamps, each gets rays of its own: a choice among them would leave specks where most are hidden."""

NEGLIGIBLE = 0.003
"""Share of all lamps' light, were none hidden, below which a lamp gets no ray."""

WORTHWHILE = 0.05
"""The same share, below which the edge of a lamp's shadow is not worth more rays."""

UNASKED = 255
"""Count of rays that reached a lamp, where none was sent."""

TOUCHING = 0.01
"""m² of a spot, over π, at least: points that touch a lamp do not burn out."""

NEAR = 2
"""Steps of the grid to each side within which all must see as much of a lamp for its light to be settled."""


@dataclass(frozen=True, eq=False)
class LampSet:
    """`spots` (M, SPOTS, 3) just off the surface, `normals` alike, `centre` (M, 3), `power` (M, 3) lumens / π,
    `broad` (M,) m², the area of a spot over π.

    `spread` (M,) int32 is a row of `tables` (K, V, A), π cd/lm by direction, or −1 where the surface glows evenly;
    `frame` (M, 3, 3) the side at 0°, the side at 90° and the axis of each fixture.
    """

    spots: np.ndarray
    normals: np.ndarray
    centre: np.ndarray
    power: np.ndarray
    broad: np.ndarray
    spread: np.ndarray
    frame: np.ndarray
    tables: np.ndarray

    def __len__(self) -> int:
        return len(self.centre)

    def unasked(self, count: int) -> np.ndarray:
        """Where `lamp_irradiance` counts the rays from `count` points that reach each of a few lamps, (count, lamps) uint8."""
        return np.full((count, len(self) if len(self) <= FEW else 0), UNASKED, np.uint8)


def gather_lamps(
    triangles: np.ndarray, surface: np.ndarray, lamps: LampTables, seed: int, windows: Sequence[Window] = ()
) -> LampSet:
    """The lamps of a scene, burning in full, the strongest if there are very many; and its lit windows, up to `FEW` in all."""
    rng = np.random.default_rng(seed)
    burning = []
    for identity in np.flatnonzero(lamps.lumens > 0):
        soup = triangles[surface == identity].astype(np.float64)
        if not face_normals(soup).any():
            continue
        axis, side = lamps.axis[identity], lamps.side[identity]
        power = lamps.colour[identity] * lamps.lumens[identity] / np.pi
        frame = np.stack([side, np.cross(axis, side), axis])
        burning.append((soup, power, lamps.spread[identity], frame))
    burning = sorted(burning, key=lambda b: -b[1].sum())[:MOST_LAMPS]
    lit = sorted(windows, key=lambda w: -w.lumens.sum())[: max(FEW - len(burning), 0)]
    first = len(lamps.tables)
    burning += [(w.triangles.astype(np.float64), w.lumens / np.pi, first + n, w.frame) for n, w in enumerate(lit)]
    tables = np.concatenate([lamps.tables, *(w.table[None] for w in lit)])
    spots, normals, centres, broad = [], [], [], []
    for soup, *_ in burning:
        normal = face_normals(soup)
        area, unit = np.linalg.norm(normal, axis=1) / 2, unit_rows(normal)
        # Even shares of the area, so that every face of a lamp has its own.
        order = np.lexsort(unit.T.round(3))
        share = (np.arange(SPOTS) + 0.5) / SPOTS
        pick = order[np.searchsorted(np.cumsum(area[order]) / area.sum(), share).clip(0, len(soup) - 1)]
        a, b = rng.random((2, SPOTS))
        flip = a + b > 1
        a[flip], b[flip] = 1 - a[flip], 1 - b[flip]
        chosen = soup[pick]
        at = chosen[:, 0] + a[:, None] * (chosen[:, 1] - chosen[:, 0]) + b[:, None] * (chosen[:, 2] - chosen[:, 0])
        spots.append(at + unit[pick] * min(0.02, 0.05 * float(np.sqrt(area.sum()))))
        normals.append(unit[pick])
        centres.append((soup.mean(axis=1) * area[:, None]).sum(axis=0) / area.sum())
        broad.append(max(area.sum() / SPOTS / np.pi, TOUCHING))
    shape, count = (-1, SPOTS, 3), len(burning)
    _, powers, spreads, frames = zip(*burning) if burning else ((),) * 4
    return LampSet(
        np.array(spots, np.float32).reshape(shape), np.array(normals, np.float32).reshape(shape),
        np.array(centres, np.float32).reshape(-1, 3), np.array(powers, np.float32).reshape(-1, 3),
        np.array(broad, np.float32), np.array(spreads, np.int32), np.array(frames, np.float32).reshape(count, 3, 3),
        (tables * np.pi).astype(np.float32),
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _towards(dx, dy, dz, frame, table):
    """π cd/lm that a fixture sends along a unit direction; linear between the table's angles."""
    across = dx * frame[0, 0] + dy * frame[0, 1] + dz * frame[0, 2]
    other = dx * frame[1, 0] + dy * frame[1, 1] + dz * frame[1, 2]
    along = dx * frame[2, 0] + dy * frame[2, 1] + dz * frame[2, 2]
    rows, columns = table.shape
    v = np.float32(np.arccos(min(max(along, np.float32(-1)), np.float32(1)))) * np.float32((rows - 1) / np.pi)
    h = np.float32(np.arctan2(other, across)) * np.float32(columns / (2 * np.pi))
    if h < 0:
        h += np.float32(columns)
    i, j = min(int(v), rows - 2), int(h) % columns
    a, b = v - np.float32(i), h - np.float32(np.floor(h))
    k = (j + 1) % columns
    upper = table[i, j] + (table[i, k] - table[i, j]) * b
    lower = table[i + 1, j] + (table[i + 1, k] - table[i + 1, j]) * b
    return upper + (lower - upper) * a


@njit(cache=True, nogil=True)
def _shares(points, normals, centre, power, weight, total):
    """What each lamp would give to each point if it were small and nothing hid it: `weight` (N, M), `total` (N,)."""
    for i in range(len(points)):
        total[i] = np.float32(0)
        for m in range(len(centre)):
            dx = centre[m, 0] - points[i, 0]
            dy = centre[m, 1] - points[i, 1]
            dz = centre[m, 2] - points[i, 2]
            d2 = dx * dx + dy * dy + dz * dz + np.float32(0.04)
            cosine = (dx * normals[i, 0] + dy * normals[i, 1] + dz * normals[i, 2]) / np.float32(np.sqrt(d2))
            w = (power[m, 0] + power[m, 1] + power[m, 2]) / d2 * max(cosine + np.float32(0.12), np.float32(0.0))
            weight[i, m] = w
            total[i] += w


@njit(cache=True, nogil=True)
def _weigh_spots(point, normal, spots, spot_normals, broad, spread, frame, table, given):
    """What each spot of a lamp gives to a point, into `given` (SPOTS,); returns the sum and how many spots face the point."""
    seen, facing = np.float32(0), 0
    for s in range(SPOTS):
        dx, dy, dz = spots[s, 0] - point[0], spots[s, 1] - point[1], spots[s, 2] - point[2]
        d2 = dx * dx + dy * dy + dz * dz
        here = dx * normal[0] + dy * normal[1] + dz * normal[2]
        there = -(dx * spot_normals[s, 0] + dy * spot_normals[s, 1] + dz * spot_normals[s, 2])
        given[s] = np.float32(0)
        if there <= 0:
            continue
        facing += 1
        if here <= 0:
            continue
        if spread >= 0:
            d = np.float32(np.sqrt(d2))
            # A fixture's housing shapes the light, not the tilt of its faces.
            there = d * _towards(-dx / d, -dy / d, -dz / d, frame, table)
        # A spot is a disc, not a point.
        given[s] = here * there / (d2 * (d2 + broad))
        seen += given[s]
    return seen, facing


class _Ends(NamedTuple):
    """Where rays start: points (N, 3), normals (N, 3), keys of chance (N,), and how far off the surface (N,)."""

    points: np.ndarray
    normals: np.ndarray
    keys: np.ndarray
    lift: np.ndarray


class _Shining(NamedTuple):
    """What of a `LampSet` says where lamps are and what they give."""

    spots: np.ndarray
    normals: np.ndarray
    power: np.ndarray
    broad: np.ndarray
    spread: np.ndarray
    frame: np.ndarray
    tables: np.ndarray


class _Heard(NamedTuple):
    """Each lamp's likely light at each point (N, lamps) and all of it together (N,); the least that is worth a ray, lx and as a share."""

    weight: np.ndarray
    total: np.ndarray
    least: np.float32
    negligible: np.float32


class _ShadowRays(NamedTuple):
    """Rays (R, 3), how far they reach (R,), the light that they bring if nothing is in between (R, 3), and whose point they serve (R,)."""

    origins: np.ndarray
    directions: np.ndarray
    reach: np.ndarray
    light: np.ndarray
    which: np.ndarray


@njit(cache=True, nogil=True)
def _aim(ends, lamps, heard, first, count, only, wanted, rays_out):
    """Aim `count` rays at spots on one lamp from every point; `light` is what it gives if nothing is in between.

    The lamp is number `only`, and then asked for by those alone whose bit of that number is set in `wanted` (N,), or
    chosen by its share of the light where `only` is negative. Samples of a point are numbered from `first` on. Returns
    how many rays there are; `which` receives the point of each.
    """
    points, normals, keys, lift = ends
    spots, spot_normals, power, broad, spread, frame, tables = lamps
    weight, total, least, negligible = heard
    origins, directions, reach, light, which = rays_out
    rays = 0
    number = weight.shape[1]
    given = np.empty(SPOTS, np.float32)
    for i in range(len(points)):
        if total[i] <= 0:
            continue
        if only >= 0:
            if not (wanted[i] >> np.uint32(only)) & np.uint32(1):
                continue
            if weight[i, only] < max(negligible * total[i], np.float32(3) * least):
                continue
        weighed, seen, facing = -1, np.float32(0), 0
        for sample in range(first, first + count):
            a, b = lattice_point(sample, keys[i], TO_LAMPS)
            chosen, share = only, np.float32(1)
            if only < 0:
                target = a * total[i]
                chosen = number - 1
                run = np.float32(0)
                for m in range(number):
                    run += weight[i, m]
                    if run >= target:
                        chosen = m
                        break
                share = weight[i, chosen] / total[i]
            # All spots give the light, one of them, by its share, the visibility.
            if chosen != weighed:
                weighed, way = chosen, spread[chosen]
                seen, facing = _weigh_spots(
                    points[i], normals[i], spots[chosen], spot_normals[chosen], broad[chosen], way, frame[chosen],
                    tables[max(way, 0)], given,
                )  # fmt: skip
            if seen <= 0:
                continue
            target, run, s = b * seen, given[0], 0
            while run < target and s < SPOTS - 1:
                s += 1
                run += given[s]
            if given[s] <= 0:
                continue
            dx = spots[chosen, s, 0] - points[i, 0]
            dy = spots[chosen, s, 1] - points[i, 1]
            dz = spots[chosen, s, 2] - points[i, 2]
            d = np.float32(np.sqrt(dx * dx + dy * dy + dz * dz))
            if d <= lift[i]:
                continue
            geometry = seen / np.float32(SPOTS if spread[chosen] < 0 else facing) / share
            for k in range(3):
                light[rays, k] = power[chosen, k] * geometry
                origins[rays, k] = points[i, k] + normals[i, k] * lift[i]
            directions[rays, 0], directions[rays, 1], directions[rays, 2] = dx / d, dy / d, dz / d
            reach[rays] = d - lift[i]
            which[rays] = i
            rays += 1
    return rays


@njit(cache=True, nogil=True)
def _add_lamp(which, light, share, strength, least, total):
    """Add a `share` (n,) of each ray's light to each way of counting, total (N, 3 M), that the lamp is strong enough for."""
    for r in range(len(which)):
        i = which[r]
        for m in range(len(least)):
            if strength[i] >= np.float32(3) * least[m]:
                for k in range(3):
                    total[i, 3 * m + k] += light[r, k] * share[r]


@njit(cache=True, nogil=True)
def _count_seen(which, blocked, seen):
    """Count in `seen` (N,) the rays that got through."""
    for r in range(len(which)):
        i = which[r]
        if seen[i] == UNASKED:
            seen[i] = 0
        if not blocked[r]:
            seen[i] += 1


@njit(cache=True, nogil=True)
def _unsettled(seen, region, rows, columns, each, out, top, bottom):
    """Bits of the lamps of which points near by, on the same surface, see more or less, `out` (R·C,)."""
    lamps = seen.shape[1]
    for y in range(top, bottom):
        for x in range(columns):
            c = y * columns + x
            out[c] = np.uint32(0)
            if region[c] == 0:
                continue
            for ny in range(max(y - NEAR, 0), min(y + NEAR + 1, rows)):
                for nx in range(max(x - NEAR, 0), min(x + NEAR + 1, columns)):
                    o = ny * columns + nx
                    if region[o] != region[c]:
                        continue
                    for m in range(lamps):
                        here, there = seen[c, m], seen[o, m]
                        if here == UNASKED or there == UNASKED:
                            continue
                        if here != there or 0 < here < each:
                            out[c] |= np.uint32(1) << np.uint32(m)


class _Rays:
    """Shadow rays from points to lamps, `count` from each at once, and what lamps would give were none hidden."""

    def __init__(
        self,
        scene: RayScene,
        lamps: LampSet,
        points,
        normals,
        keys,
        count: int,
        lift,
        least: np.ndarray,
        negligible: float,
    ) -> None:
        self.scene, self.lamps, self.points, self.normals, self.keys = scene, lamps, points, normals, keys
        self.lift, self.least, self.negligible = lift, least, np.float32(negligible)
        self.weight, self.together = np.empty((len(points), len(lamps)), np.float32), np.empty(len(points), np.float32)
        _shares(points, normals, lamps.centre, lamps.power, self.weight, self.together)
        room = len(points) * count
        self.count = count
        self.origins, self.directions, self.light = (np.empty((room, 3), np.float32) for _ in range(3))
        self.reach, self.which = np.empty(room, np.float32), np.empty(room, np.int64)

    def send(self, first: int, only: int, wanted: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The point of each ray, whether it was blocked and what its lamp gives if not, (n, 3)."""
        lamps = self.lamps
        ends = _Ends(self.points, self.normals, self.keys, self.lift)
        shining = _Shining(*(getattr(lamps, name) for name in _Shining._fields))
        heard = _Heard(self.weight, self.together, self.least.min(), self.negligible)
        rays = _aim(
            ends, shining, heard, first, self.count, only, wanted,
            _ShadowRays(self.origins, self.directions, self.reach, self.light, self.which),
        )  # fmt: skip
        blocked = np.zeros(0, np.bool_)
        if rays:
            blocked = self.scene.occluded(self.origins[:rays], self.directions[:rays], self.reach[:rays])
        return self.which[:rays], blocked, self.light[:rays]


def _each(lamps: LampSet, count: int) -> int:
    """Rays to each of a few lamps, or to all together."""
    return max(count // 4, 1) if len(lamps) <= FEW else count


def lamp_irradiance(
    scene: RayScene, lamps: LampSet, points: np.ndarray, normals: np.ndarray, keys: np.ndarray, count: int,
    lift: np.ndarray, least: Sequence[float] = (0.0,), seen: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """Direct light of all lamps by `count` shadow rays a point, or a quarter as many to each of a few lamps.

    The lamps are counted in M ways, (N, 3 M) lx: of a few lamps, those that would give less than `least` lx are left out;
    an infinite `least` counts none. `seen` (N, lamps) uint8 receives how many rays reached each of a few lamps, or `UNASKED`.
    """
    least = np.asarray(least, np.float32)
    total = np.zeros((len(points), 3 * len(least)), np.float32)
    if not len(lamps) or np.isinf(least).all():
        return total
    each = _each(lamps, count)
    rays = _Rays(scene, lamps, points, normals, keys, each, lift, least, NEGLIGIBLE)
    share = np.float32(1.0 / each)
    if len(lamps) > FEW:
        anything = np.where(np.isinf(least), np.inf, 0).astype(np.float32)
        which, blocked, light = rays.send(0, -1, np.zeros(0, np.uint32))
        _add_lamp(which, light, share * ~blocked, rays.together, anything, total)
        return total
    everyone = np.full(len(points), 0xFFFFFFFF, np.uint32)
    for lamp in range(len(lamps)):
        strength = np.ascontiguousarray(rays.weight[:, lamp])
        which, blocked, light = rays.send(0, lamp, everyone)
        _add_lamp(which, light, share * ~blocked, strength, least, total)
        if seen is not None:
            _count_seen(which, blocked, seen[:, lamp])
    return total


def lamps_to_settle(
    lamps: LampSet, seen: np.ndarray, region: np.ndarray, grid: tuple[int, int], count: int
) -> np.ndarray:
    """Which lamps cast the edge of a shadow near each point of a grid, a bit each, (R·C,) uint32.

    `seen` (R·C, lamps) is from `lamp_irradiance` with the same `count`, `region` (R·C,) the points' surface.
    """
    out = np.empty(grid[0] * grid[1], np.uint32)
    each = _each(lamps, count)
    for_each_tile(split_tiles(grid[0], 32), lambda span: _unsettled(seen, region, *grid, each, out, *span))
    return out


def settle_lamps(
    scene: RayScene, lamps: LampSet, points: np.ndarray, normals: np.ndarray, keys: np.ndarray, count: int,
    lift: np.ndarray, least: Sequence[float], seen: np.ndarray, wanted: np.ndarray, total: np.ndarray,
) -> None:  # fmt: skip
    """Better the light `total` of `lamp_irradiance` by `count` more rays to each lamp in the bits `wanted` (N,).

    Half shadows, where single rays would leave ragged edges. `seen` (N, lamps) is what the earlier rays found: the mean of
    all takes their mean's place.
    """
    least = np.asarray(least, np.float32)
    each = _each(lamps, count)
    rays = _Rays(scene, lamps, points, normals, keys, count, lift, least, WORTHWHILE)
    new = np.float32(1.0 / (each + count))
    less = (new - np.float32(1.0 / each)) / np.float32(count)
    for lamp in range(len(lamps)):
        if not ((wanted >> np.uint32(lamp)) & 1).any():
            continue
        strength, reached = (np.ascontiguousarray(a[:, lamp]) for a in (rays.weight, seen))
        which, blocked, light = rays.send(each, lamp, wanted)
        _add_lamp(which, light, less * reached[which] + new * ~blocked, strength, least, total)
