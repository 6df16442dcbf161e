"""Strokes laid on surfaces, so close that they reach a tone.

The lines of a surface lie in its own plane at even distances from the world's origin, so they stay on it from view to view. Lines
between the others come in as it darkens or comes nearer (their number doubles), first thin and then as wide as the pen: the share of
paper that they cover is exact everywhere.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.paths import HATCHING, Paths, joined, with_room

FULLEST = 0.46
"""Share of the paper that one layer of strokes covers at most; darker tone needs another across it."""

FEWEST_PIXELS = 24
"""Pixels of a surface below which it is drawn by its outline alone."""

FLAT_NORMALS, FLAT_PLACES = 0.995, 0.02
"""Cosine with their mean of the normals of a flat surface, and share of their distance that its places lie off its plane."""

WIDEST = 1.6
"""How much wider than the pen a line is where there are not enough of them."""

STEP = 2.5
"""px between the points of a stroke."""

MOST_LINES = 60_000


def split_layers(dark: np.ndarray, layers: int, fullest: float = FULLEST) -> list[np.ndarray]:
    """The shares of paper that each of some layers of strokes has to cover for a darkness to come of all of them together."""
    out = []
    left = 1 - dark
    for _ in range(layers):
        own = np.minimum(1 - left, fullest).astype(np.float32)
        left = np.minimum(left / np.maximum(1 - own, 1e-6), 1.0)
        out.append(own)
    return out


class Hatched(NamedTuple):
    """A surface that is hatched: its id, its box in the picture (x0, y0, x1, y1), unit normal, offset of its plane, m, its own axis
    (3,), and whether it is curved."""

    surface: int
    box: tuple[int, int, int, int]
    normal: np.ndarray
    offset: float
    along: np.ndarray
    curved: bool


def hatching(
    buffers: Buffers, surfaces: Sequence[Hatched], cover: np.ndarray, turn: float, pen: float, *, away: float = 0.0
) -> Paths:
    """One layer of strokes.

    Parameters
    ----------
    surfaces
        What is hatched; from `hatched_surfaces`.
    cover
        (H, W) float32: share of the paper that it covers, 0 … 1.
    turn
        Radians from each surface's own axis (its courses or boards), in its plane.
    pen
        px: width of the widest strokes.
    away
        Share of the distance between lines by which this layer's lie beside those of another one.
    """
    rows = [
        _curved(buffers, cover, one, turn, pen) if one.curved else _flat(buffers, cover, one, turn, pen, away)
        for one in surfaces
    ]
    return joined([r for r in rows if len(r)])


def hatched_surfaces(buffers: Buffers, where: np.ndarray) -> list[Hatched]:
    """The surfaces that show enough to be hatched, of those that `where` (S,) bool allows."""
    region, depth, normal = buffers.region, buffers.depth, buffers.normal
    width, _ = buffers.size
    first = buffers.fragments.first()
    axis = buffers.axes[0]
    flat_region = region.ravel()
    order = np.argsort(flat_region, kind="stable")
    ids, begin, count = np.unique(flat_region[order], return_index=True, return_counts=True)
    camera = buffers.structure.camera
    out = []
    for surface, a, n in zip(ids.tolist(), begin.tolist(), count.tolist()):
        if surface == 0 or n < FEWEST_PIXELS or not where[surface]:
            continue
        at = order[a : a + n]
        box = (int((at % width).min()), int(at[0] // width), int((at % width).max()) + 1, int(at[-1] // width) + 1)
        some = at[:: max(1, n // 400)]
        own = normal.reshape(-1, 3)[some]
        mean = own.mean(axis=0)
        length = float(np.linalg.norm(mean))
        if length < 1e-6:
            continue
        mean = mean / length
        origins, ways = camera.rays(some % width + 0.5, some // width + 0.5)
        away = depth.ravel()[some]
        place = origins + ways * away[:, None]
        offset = float(np.median(place @ mean))
        off = np.abs(place @ mean - offset)
        curved = bool(
            length < FLAT_NORMALS
            or np.percentile(own @ mean, 5) < FLAT_NORMALS - 0.01
            or np.percentile(off, 90) > FLAT_PLACES * float(np.median(away))
        )
        along = axis[first[some[len(some) // 2]]].astype(float)
        along = along - (along @ mean) * mean
        size = float(np.linalg.norm(along))
        along = along / size if size > 1e-6 else np.cross(mean, [0.0, 0.0, 1.0])
        out.append(Hatched(surface, box, mean.astype(float), offset, along, curved))
    return out


def _ray_matrix(camera) -> tuple[np.ndarray, np.ndarray]:
    """Origin and way of the ray through (x, y, 1) as matrices (3, 3) each."""
    k, r = camera.matrix, camera.rotation
    to_u = np.array([1 / k[0, 0], 0, -k[0, 2] / k[0, 0]])
    to_v = np.array([0, 1 / k[1, 1], -k[1, 2] / k[1, 1]])
    one = np.array([0, 0, 1.0])
    level = np.outer(r[0], to_u) + np.outer(r[1], to_v)
    if camera.projection == "perspective":
        return np.outer(camera.position, one), level + np.outer(r[2], one)
    return np.outer(camera.position, one) + level, np.outer(r[2], one)


def _flat(buffers: Buffers, cover: np.ndarray, one: Hatched, turn: float, pen: float, away: float) -> Paths:
    """The strokes of a surface that lies in a plane."""
    surface, box, normal, offset, along, _ = one
    side = np.cross(normal, along)
    across = -np.sin(turn) * along + np.cos(turn) * side
    origin, way = _ray_matrix(buffers.structure.camera)
    # Where the ray through p meets the plane, as far along `across` as top·p / bottom·p.
    bottom = normal @ way
    reach = np.array([0, 0, offset]) - normal @ origin
    if buffers.structure.camera.projection == "perspective":
        top = (across @ origin)[2] * bottom + reach[2] * (across @ way)
    else:
        top = (across @ origin) * bottom[2] + reach * (across @ way)[2]
        bottom = np.array([0, 0, bottom[2]])
    spacing, first, last = _spacing(buffers.region, surface, box, top, bottom, pen / FULLEST)
    if spacing <= 0 or last - first > MOST_LINES or last < first:
        return Paths.none()
    points, width, starts = _lines(
        buffers.region, np.int32(surface), np.array(box), cover, top, bottom, spacing, first, last, away, np.float32(pen),
        np.float32(pen / FULLEST),
    )  # fmt: skip
    return _paths(points, width, starts, surface)


def _curved(buffers: Buffers, cover: np.ndarray, one: Hatched, turn: float, pen: float) -> Paths:
    """The strokes of a curved surface: where parallel planes cut it."""
    from contourpy import contour_generator

    surface, box, normal, _, along, _ = one
    x0, y0, x1, y1 = box
    if x1 - x0 < 3 or y1 - y0 < 3:
        return Paths.none()
    camera = buffers.structure.camera
    y, x = np.mgrid[y0:y1, x0:x1]
    origins, ways = camera.rays(x.ravel() + 0.5, y.ravel() + 0.5)
    depth = buffers.depth[y0:y1, x0:x1].ravel()
    own = buffers.region[y0:y1, x0:x1] == surface
    place = origins + ways * np.where(own.ravel(), depth, 0)[:, None]
    upright = np.array([0.0, 0.0, 1.0])
    across = np.cos(turn) * upright + np.sin(turn) * along if abs(normal[2]) < 0.8 else along
    field = (place @ across).reshape(own.shape)
    gy, gx = np.gradient(field)
    slope = np.hypot(gx, gy)
    inner = own.copy()
    inner[1:-1, 1:-1] &= own[:-2, 1:-1] & own[2:, 1:-1] & own[1:-1, :-2] & own[1:-1, 2:]
    if inner.sum() < 6:
        return Paths.none()
    typical = float(np.median(slope[inner]))
    if typical < 1e-7:
        return Paths.none()
    finest = pen / FULLEST
    spacing = 2.0 ** np.floor(np.log2(finest * typical))
    values = field[own]
    low, high = int(np.ceil(values.min() / spacing)), int(np.floor(values.max() / spacing))
    if high < low or high - low > 4000:
        return Paths.none()
    drawn = contour_generator(z=np.ma.array(field, mask=~own), x=x + 0.5, y=y + 0.5, name="serial")
    local = (spacing / np.maximum(slope, 1e-9)).astype(np.float32)
    needed = _least_ranks(field, own, spacing, local, cover[y0:y1, x0:x1], np.float32(pen), low, high)
    several, ranks = [], []
    for k in range(low, high + 1):
        if _rank_of(k) < needed[k - low]:
            continue
        for line in drawn.lines(k * spacing):
            if len(line) > 1:
                several.append(np.asarray(line, np.float32))
                ranks.append(_rank_of(k))
    if not several:
        return Paths.none()
    points = np.concatenate(several)
    count = np.array([len(s) for s in several])
    at = np.clip(np.floor(points).astype(int) - (x0, y0), 0, (x1 - x0 - 1, y1 - y0 - 1))
    width = _widths(
        local[at[:, 1], at[:, 0]], cover[at[:, 1] + y0, at[:, 0] + x0], np.repeat(ranks, count).astype(np.int64),
        np.float32(pen),
    )  # fmt: skip
    return _paths(points, width, np.concatenate([[0], np.cumsum(count)]), surface)


def _paths(points, width, starts, surface) -> Paths:
    count = len(starts) - 1
    return Paths(points, width, starts, np.full(count, HATCHING, np.int8), np.full(count, surface, np.int32))


def _spacing(region, surface, box, top, bottom, finest: float) -> tuple[float, int, int]:
    """m between the lines of a surface, a power of two so that they are finer than `finest` px nearly everywhere, and their first and
    last number."""
    x0, y0, x1, y1 = box
    own = region[y0:y1, x0:x1] == surface
    y, x = np.nonzero(own)
    if not len(x):
        return 0.0, 0, -1
    x, y = x + x0 + 0.5, y + y0 + 0.5
    p = np.stack([x, y, np.ones(len(x))])
    under = bottom @ p
    under = np.where(np.abs(under) < 1e-12, 1e-12, under)
    field = (top @ p) / under
    slope = np.hypot(*((top[:2, None] - field * bottom[:2, None]) / under))
    near = float(np.percentile(slope, 4))
    if not np.isfinite(near) or near <= 1e-9:
        return 0.0, 0, -1
    spacing = float(2.0 ** np.floor(np.log2(finest * near)))
    return spacing, int(np.ceil(field.min() / spacing)) - 1, int(np.floor(field.max() / spacing)) + 1


@njit(cache=True, nogil=True)
def _rank_of(k):
    """How many of the finer sets of lines a line is older than: how often 2 divides its number."""
    if k == 0:
        return 30
    rank = 0
    while k % 2 == 0 and rank < 30:
        k //= 2
        rank += 1
    return rank


@njit(cache=True, nogil=True)
def _width_at(local, cover, rank, pen):
    """Width, px, of a line of a `rank` where the finest lie `local` px apart, so that all together cover a share `cover`."""
    if cover <= np.float32(0.004):
        return np.float32(0)
    wanted = pen / cover
    if wanted <= local:
        # As dense as it gets: wider lines, but no beams where a surface turns along them.
        return min(cover * local, np.float32(WIDEST) * pen)
    step = int(np.ceil(np.log2(wanted / local)))
    if rank >= step:
        return pen
    if rank == step - 1:
        return max(cover * local * np.float32(2.0**step) - pen, np.float32(0))
    return np.float32(0)


@njit(cache=True, nogil=True)
def _least_ranks(field, own, spacing, local, cover, pen, low, high):
    """The least rank of which a line `low` … `high` has to be to be drawn anywhere."""
    out = np.full(high - low + 1, 99, np.int64)
    for y in range(field.shape[0]):
        for x in range(field.shape[1]):
            if not own[y, x] or cover[y, x] <= np.float32(0.004):
                continue
            wanted = pen / cover[y, x]
            step = int(np.ceil(np.log2(wanted / local[y, x]))) if wanted > local[y, x] else 0
            k = int(np.floor(field[y, x] / spacing))
            for j in (k - 1, k, k + 1, k + 2):
                if low <= j <= high:
                    out[j - low] = min(out[j - low], max(step - 1, 0))
    return out


@njit(cache=True, nogil=True)
def _widths(local, cover, rank, pen):
    out = np.empty(len(local), np.float32)
    for i in range(len(local)):
        out[i] = _width_at(local[i], cover[i], rank[i], pen)
    return out


@njit(cache=True, nogil=True)
def _clip(a, b, c, x0, y0, x1, y1, out):
    """The ends of the line a x + b y + c = 0 within a box; False where it misses it."""
    found = 0
    for side in range(4):
        if side < 2:
            x = x0 if side == 0 else x1
            if abs(b) < 1e-15:
                continue
            y = -(a * x + c) / b
            if y < y0 - 1e-6 or y > y1 + 1e-6:
                continue
        else:
            y = y0 if side == 2 else y1
            if abs(a) < 1e-15:
                continue
            x = -(b * y + c) / a
            if x < x0 - 1e-6 or x > x1 + 1e-6:
                continue
        if found == 1 and abs(x - out[0]) + abs(y - out[1]) < 1e-6:
            continue
        out[2 * found], out[2 * found + 1] = x, y
        found += 1
        if found == 2:
            return True
    return False


@njit(cache=True, nogil=True)
def _apart_at(top, bottom, level, x, y, spacing):
    """px between the lines of a surface at a place on the line at `level`."""
    under = abs(bottom[0] * x + bottom[1] * y + bottom[2])
    slope = np.sqrt((top[0] - level * bottom[0]) ** 2 + (top[1] - level * bottom[1]) ** 2) / max(under, 1e-12)
    return spacing / max(slope, 1e-12)


@njit(cache=True, nogil=True)
def _lines(region, surface, box, cover, top, bottom, spacing, first, last, away, pen, finest):
    """Points, widths and beginnings of the strokes that lie on one surface in lines `first` … `last`."""
    x0, y0, x1, y1 = float(box[0]), float(box[1]), float(box[2]), float(box[3])
    points, width = np.empty((4096, 2), np.float32), np.empty(4096, np.float32)
    starts = [0]
    filled = 0
    ends = np.empty(4)
    for k in range(first, last + 1):
        rank = _rank_of(k)
        level = (k + away) * spacing
        a, b, c = top[0] - level * bottom[0], top[1] - level * bottom[1], top[2] - level * bottom[2]
        if not _clip(a, b, c, x0, y0, x1, y1, ends):
            continue
        dx, dy = ends[2] - ends[0], ends[3] - ends[1]
        length = np.sqrt(dx * dx + dy * dy)
        if length < 0.5:
            continue
        # Lines between others, where these are close enough everywhere.
        needed = False
        for j in range(9):
            x, y = ends[0] + dx * j / 8, ends[1] + dy * j / 8
            local = _apart_at(top, bottom, level, x, y, spacing)
            if local * 2.0 ** (rank + 1) > finest:
                needed = True
                break
        if not needed:
            continue
        dx, dy = dx / length, dy / length
        steps = int(np.ceil(length / 0.5))
        running = False
        since = 0.0
        for j in range(steps + 1):
            t = min(j * 0.5, length)
            x, y = ends[0] + dx * t, ends[1] + dy * t
            px, py = min(max(int(x), 0), region.shape[1] - 1), min(max(int(y), 0), region.shape[0] - 1)
            w = np.float32(0)
            if region[py, px] == surface:
                local = _apart_at(top, bottom, level, x, y, spacing)
                w = _width_at(np.float32(local), cover[py, px], rank, pen)
            drawn = w > np.float32(0.02)
            points, width = with_room(points, width, filled)
            if drawn and not running:
                running, since = True, 0.0
                points[filled, 0], points[filled, 1], width[filled] = x, y, w
                filled += 1
            elif drawn:
                since += 0.5
                if since >= STEP:
                    since = 0.0
                    points[filled, 0], points[filled, 1], width[filled] = x, y, w
                    filled += 1
            if running and (not drawn or j == steps):
                if not drawn:
                    x, y = x - 0.25 * dx, y - 0.25 * dy
                if since > 0.0 or filled - starts[-1] > 1 or not drawn:
                    points[filled, 0], points[filled, 1], width[filled] = x, y, width[filled - 1] if not drawn else w
                    filled += 1
                if filled - starts[-1] < 2:
                    filled = starts[-1]
                else:
                    starts.append(filled)
                running = False
    return points[:filled].copy(), width[:filled].copy(), np.array(starts, dtype=np.int64)
