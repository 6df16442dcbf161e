"""Direct sun: shadow rays towards the true disc."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.sampling import IN_PIXEL, TO_SUN, lattice_point
from irodori.engine.light.directions import any_frame
from irodori.engine.rays.ray_scene import RayScene


@dataclass(frozen=True, eq=False)
class Sun:
    """`direction` (3,) unit, `cosine` of the disc's radius, `lux` (3,) illuminance facing it.

    What stands further than `reach` m, level, from `eye` (3,) never hides it.
    """

    direction: np.ndarray
    cosine: float
    lux: np.ndarray
    eye: np.ndarray
    reach: float = np.inf

    @property
    def shines(self) -> bool:
        return bool(self.lux.max() > 0)


def first_alike(suns: Sequence[Sun]) -> list[int]:
    """For each sun the first that stands where it does, itself if there is none before: their rays are the same."""
    first: dict[tuple, int] = {}
    return [
        first.setdefault((sun.direction.tobytes(), sun.cosine, sun.reach, sun.eye.tobytes(), sun.shines), number)
        for number, sun in enumerate(suns)
    ]


NONE, FRONT, BOTH = 0, 1, 2
"""Sides of a surface that the sun lights: of sky none, of leaves both, since they let light through."""


@njit(cache=True)
def _turned(normals, sides, i, dx, dy, dz):
    """1 where the side of surface i that its normal shows faces a direction, −1 where its other side is lit, else 0."""
    towards = normals[i, 0] * dx + normals[i, 1] * dy + normals[i, 2] * dz
    if sides[i] == NONE or towards == 0:
        return np.float32(0)
    if towards > 0:
        return np.float32(1)
    return np.float32(-1) if sides[i] == BOTH else np.float32(0)


STEEPEST = np.float32(0.05)
"""Cosine at which a pixel's footprint is drawn out no further."""


class _Points(NamedTuple):
    """Points that ask for the sun; `sight` and `foot` have no rows where they stand for no area."""

    place: np.ndarray
    normal: np.ndarray
    side: np.ndarray
    key: np.ndarray
    lift: np.ndarray
    sight: np.ndarray
    foot: np.ndarray


class _Rays(NamedTuple):
    """Where rays start, their unit directions, how far they go, and the point that each is of."""

    origin: np.ndarray
    direction: np.ndarray
    end: np.ndarray
    which: np.ndarray


@njit(cache=True)
def _within_the_pixel(points, i, sample):
    """An offset from point i, along its surface, to another place that its pixel shows."""
    vx, vy, vz = points.sight[i, 0], points.sight[i, 1], points.sight[i, 2]
    nx, ny, nz = points.normal[i, 0], points.normal[i, 1], points.normal[i, 2]
    a, b = lattice_point(sample, points.key[i], IN_PIXEL)
    tx, ty, tz, bx, by, bz = any_frame(vx, vy, vz)
    p, q = (a - np.float32(0.5)) * points.foot[i], (b - np.float32(0.5)) * points.foot[i]
    x, y, z = p * tx + q * bx, p * ty + q * by, p * tz + q * bz
    cosine = vx * nx + vy * ny + vz * nz
    if abs(cosine) < STEEPEST:
        cosine = STEEPEST if cosine > 0 else -STEEPEST
    along = (x * nx + y * ny + z * nz) / cosine
    return x - along * vx, y - along * vy, z - along * vz


@njit(cache=True, nogil=True)
def _sun_rays(points, sun, cosine, eye, reach, sample, single, rays):
    """One ray a point into the sun's disc, where the surface faces it; returns how many there are."""
    tx, ty, tz, bx, by, bz = any_frame(sun[0], sun[1], sun[2])
    count = 0
    for i in range(len(points.place)):
        dx, dy, dz = sun[0], sun[1], sun[2]
        if not single:
            a, b = lattice_point(sample, points.key[i], TO_SUN)
            c = np.float32(1.0) - a * (np.float32(1.0) - cosine)
            s = np.float32(np.sqrt(max(np.float32(1.0) - c * c, np.float32(0.0))))
            x, y = s * np.float32(np.cos(6.2831853 * b)), s * np.float32(np.sin(6.2831853 * b))
            dx = x * tx + y * bx + c * sun[0]
            dy = x * ty + y * by + c * sun[1]
            dz = x * tz + y * bz + c * sun[2]
        turned = _turned(points.normal, points.side, i, dx, dy, dz)
        if turned == 0:
            continue
        px, py, pz = points.place[i, 0], points.place[i, 1], points.place[i, 2]
        if len(points.sight) and not single:
            mx, my, mz = _within_the_pixel(points, i, sample)
            px, py, pz = px + mx, py + my, pz + mz
        end = np.float32(1e6)
        if reach < np.float32(1e6):
            qx, qy = px - eye[0], py - eye[1]
            inside = reach * reach - qx * qx - qy * qy
            flat, along = dx * dx + dy * dy, qx * dx + qy * dy
            end = np.float32(0)
            if inside > 0:
                end = (np.float32(np.sqrt(along * along + flat * inside)) - along) / max(flat, np.float32(1e-6))
        rays.direction[count, 0], rays.direction[count, 1], rays.direction[count, 2] = dx, dy, dz
        off = turned * points.lift[i]
        rays.origin[count, 0] = px + off * points.normal[i, 0]
        rays.origin[count, 1] = py + off * points.normal[i, 1]
        rays.origin[count, 2] = pz + off * points.normal[i, 2]
        rays.end[count] = end
        rays.which[count] = i
        count += 1
    return count


NOWHERE = np.zeros((0, 3), np.float32), np.zeros(0, np.float32)
"""No areas: rays start at the points themselves."""


def sun_visibility(
    scene: RayScene, points: np.ndarray, normals: np.ndarray, keys: np.ndarray, sun: Sun, count: int, lift: np.ndarray,
    *, sides: np.ndarray | None = None, first: int = 0, areas: tuple[np.ndarray, np.ndarray] = NOWHERE,
) -> np.ndarray:  # fmt: skip
    """Of the disc's samples `first` … `first + count` − 1, how many each point sees, (N,) float32.

    Parameters
    ----------
    points, normals
        (N, 3) m and unit; `lift` (N,) m moves the rays' starts off the surface.
    keys
        (N,) uint32, what the samples depend on.
    count
        Rays a point; where `count` is 1 and `first` 0 it goes to the disc's centre.
    sides
        (N,) int8: the sides that are lit, `NONE`, `FRONT` (the default) or `BOTH`.
    areas
        Unit directions (N, 3) in which the points are seen, and the width (N,) m of a pixel there: rays start all over what a pixel
        shows of the surface, so that shadows thinner than it come out even.
    """
    seen = np.zeros(len(points), np.float32)
    if sides is None:
        sides = np.full(len(points), FRONT, np.int8)
    asking = _Points(points, normals, sides, keys, lift, *areas)
    rays = _Rays(
        np.empty_like(points), np.empty_like(points), np.empty(len(points), np.float32), np.empty(len(points), np.int64)
    )
    for sample in range(first, first + count):
        found = _sun_rays(
            asking,
            sun.direction,
            np.float32(sun.cosine),
            sun.eye,
            np.float32(sun.reach),
            sample,
            first + count == 1,
            rays,
        )
        if found:
            blocked = scene.occluded(rays.origin[:found], rays.direction[:found], rays.end[:found])
            seen[rays.which[:found][~blocked]] += 1
    return seen


FIRST_LOOK = 8
"""A point whose neighbours all agree gets one in so many of its rays, but at least two."""

REACH = 2
"""px to each side within which neighbours must agree."""


@njit(cache=True, nogil=True)
def _disagree(pixel, normals, sides, sun, seen, count, width, out):
    """Points that see part of the sun, or have one that sees more or less of it within `REACH` px among those given.

    `pixel` (N,) ascending; only what faces the sun counts.
    """
    first = pixel[0] // width
    rows = pixel[-1] // width - first + 1
    low, high = np.full((rows, width), np.float32(count)), np.zeros((rows, width), np.float32)
    for i in range(len(pixel)):
        out[i] = _turned(normals, sides, i, sun[0], sun[1], sun[2]) != 0
        if out[i]:
            y, x = pixel[i] // width - first, pixel[i] % width
            low[y, x] = min(low[y, x], seen[i])
            high[y, x] = max(high[y, x], seen[i])
    least, most = np.empty_like(low), np.empty_like(high)
    for y in range(rows):
        for x in range(width):
            a, b = low[y, x], high[y, x]
            for k in range(max(x - REACH, 0), min(x + REACH + 1, width)):
                a, b = min(a, low[y, k]), max(b, high[y, k])
            least[y, x], most[y, x] = a, b
    for i in range(len(pixel)):
        if not out[i]:
            continue
        y, x = pixel[i] // width - first, pixel[i] % width
        a, b = least[y, x], most[y, x]
        for k in range(max(y - REACH, 0), min(y + REACH + 1, rows)):
            a, b = min(a, least[k, x]), max(b, most[k, x])
        out[i] = a < b or (a > 0 and a < count)


def sun_share(
    scene: RayScene, points: np.ndarray, normals: np.ndarray, keys: np.ndarray, sun: Sun, count: int, lift: np.ndarray,
    sides: np.ndarray, pixel: np.ndarray, width: int, areas: tuple[np.ndarray, np.ndarray] = NOWHERE,
) -> np.ndarray:  # fmt: skip
    """Share of the sun's disc that points see, (N,) float32: `count` rays a point where shadows have an edge.

    `pixel` (N,) ascending, where the points are in a picture of this `width`; the others are those of `sun_visibility`.
    """
    look = min(count, max(2, count // FIRST_LOOK))
    seen = sun_visibility(scene, points, normals, keys, sun, look, lift, sides=sides, areas=areas)
    share = seen / np.float32(look)
    if look < count and len(points):
        more = np.empty(len(points), np.bool_)
        _disagree(pixel, normals, sides, sun.direction, seen, look, width, more)
        index = np.flatnonzero(more)
        there = tuple(area[index] for area in areas) if len(areas[0]) else areas
        rest = sun_visibility(
            scene, points[index], normals[index], keys[index], sun, count - look, lift[index], sides=sides[index], first=look,
            areas=there,
        )  # fmt: skip
        share[index] = (seen[index] + rest) / np.float32(count)
    return share
