"""Borders between regions of a drawing, straight where the pen meant them to be.

A pen's line is a few pixels broad and its rim is ragged: where two regions met in the middle of one, the border is a row of teeth.
What runs straight within the line's breadth is put on the fitted line, with the coverage that this gives each pixel.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from irodori.structure.regions.border_coverage import Coverage

LOOSE = 1.7
"""px by which a border may leave its straight line and still be straight."""

SHORTEST = 9.0
"""px of a border under which it stays as it is."""

NEXT = 1.05
"""px between neighbouring places of a border."""

MOST_SPLITS = 8


def straightened(coverage: Coverage, unit: float = 1.0) -> Coverage:
    """The coverage with straight borders.

    Parameters
    ----------
    unit
        The picture's width over 1280: pens are as much broader in larger pictures.
    """
    labels = coverage.labels
    out, second, share = labels.copy(), coverage.second.copy(), coverage.share.copy()
    toward = coverage.toward.copy()
    for pair, cracks in cracks_by_pair(labels).items():
        for run in straight_runs(cracks, LOOSE * unit):
            _lay(run, pair, labels, out, second, share, toward, LOOSE * unit)
    return replace(coverage, labels=out, second=second, share=share, toward=toward)


def cracks_by_pair(labels: np.ndarray) -> dict[tuple[int, int], np.ndarray]:
    """Where pixels of two regions touch, (n, 2) px, by the pair of regions, the lesser first."""
    top = int(labels.max()) + 1
    codes, spots = [], []
    for here, there, shift in (
        (labels[:, :-1], labels[:, 1:], (1.0, 0.5)), (labels[:-1], labels[1:], (0.5, 1.0))
    ):  # fmt: skip
        y, x = np.nonzero(here != there)
        one, other = here[y, x].astype(np.int64), there[y, x].astype(np.int64)
        codes.append(np.minimum(one, other) * top + np.maximum(one, other))
        spots.append(np.stack([x + shift[0], y + shift[1]], axis=1))
    code, spot = np.concatenate(codes), np.concatenate(spots)
    order = np.argsort(code, kind="stable")
    pairs, starts = np.unique(code[order], return_index=True)
    return {
        (int(pair) // top, int(pair) % top): own
        for pair, own in zip(pairs, np.split(spot[order], starts[1:]))
        if len(own) >= SHORTEST
    }


def straight_runs(cracks: np.ndarray, loose: float):
    """Straight pieces of the borders between two regions: middle, unit way (2,) and reach to both sides, px.

    `cracks` (n, 2) px are in no order; `loose` px is how far one may leave its line.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    whole = _as_one(cracks, loose)
    if whole is not None and len(cracks) > 0.8 * (whole[2][1] - whole[2][0]):
        yield whole  # without gaps: most are
        return
    pairs = cKDTree(cracks).query_pairs(NEXT, output_type="ndarray")
    links = coo_array((np.ones(len(pairs)), pairs.T), shape=(len(cracks),) * 2).tocsr()
    _, part = connected_components(links, directed=False)
    for number in range(int(part.max()) + 1):
        own = np.flatnonzero(part == number)
        if len(own) >= SHORTEST:
            yield from _runs_of(cracks[own], links[own][:, own], loose, 0)


def _as_one(points: np.ndarray, loose: float):
    """The line along points, as `straight_runs` gives it, or None where they are on none."""
    middle = points.mean(axis=0)
    away = points - middle
    # The way in which they spread most, of the two by two covariance.
    xx, xy, yy = away[:, 0] @ away[:, 0], away[:, 0] @ away[:, 1], away[:, 1] @ away[:, 1]
    turn = 0.5 * np.arctan2(2 * xy, xx - yy)
    way = np.array([np.cos(turn), np.sin(turn)])
    far = np.abs(away @ np.array([-way[1], way[0]]))
    most = far.max()
    if most <= loose or (most <= 1.6 * loose and np.quantile(far, 0.95) <= 0.6 * loose):
        along = away @ way
        return middle, way, (float(along.min()), float(along.max()))
    return None


def _runs_of(points: np.ndarray, links, loose: float, splits: int):
    """Straight pieces of one border, whose `points` (n, 2) are linked to the next ones."""
    from scipy.sparse.csgraph import connected_components, shortest_path

    whole = _as_one(points, loose)
    if whole is not None:
        if whole[2][1] - whole[2][0] >= SHORTEST:
            yield whole
        return
    if splits == MOST_SPLITS:
        return
    # Parted where it leaves the line through its ends the most, by the way along it.
    start = int(shortest_path(links, directed=False, unweighted=True, indices=0).argmax())
    walked = shortest_path(links, directed=False, unweighted=True, indices=start)
    one, other = points[start], points[int(walked.argmax())]
    chord = (other - one) / max(float(np.hypot(*(other - one))), 1e-6)
    off = np.abs((points - one) @ np.array([-chord[1], chord[0]]))
    cut = walked[off.argmax()]
    for side in (walked <= cut, walked > cut):
        index = np.flatnonzero(side)
        if len(index) < SHORTEST:
            continue
        inner = links[index][:, index]
        _, part = connected_components(inner, directed=False)
        for number in range(int(part.max()) + 1):
            own = np.flatnonzero(part == number)
            if len(own) >= SHORTEST:
                yield from _runs_of(points[index[own]], inner[own][:, own], loose, splits + 1)


class Beside(NamedTuple):
    """The pixels round a straight border: their `box`; how far each lies `aside` of it, px; which are `near` it; the border's
    `normal` (2,), and the way (x, y) to the neighbour that is most nearly along that, `step` int8."""

    box: tuple[slice, slice]
    aside: np.ndarray
    near: np.ndarray
    normal: np.ndarray
    step: np.ndarray


def pixels_beside(run, reach: float, beyond: float, shape: tuple[int, int]) -> Beside | None:
    """The pixels within `reach` px of a run of `straight_runs` and `beyond` px past its ends; None outside the picture."""
    middle, way, (start, end) = run
    normal = np.array([-way[1], way[0]])
    corners = np.array([middle + way * t + normal * s for t in (start, end) for s in (-reach, reach)])
    left, top = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    right, bottom = np.minimum(np.ceil(corners.max(axis=0)).astype(int) + 1, shape[::-1])
    if right <= left or bottom <= top:
        return None
    y, x = np.mgrid[top:bottom, left:right]
    aside = (x + 0.5 - middle[0]) * normal[0] + (y + 0.5 - middle[1]) * normal[1]
    along = (x + 0.5 - middle[0]) * way[0] + (y + 0.5 - middle[1]) * way[1]
    near = (np.abs(aside) <= reach) & (along >= start - beyond) & (along <= end + beyond)
    step = np.sign(normal * (np.abs(normal) == np.abs(normal).max())).astype(np.int8)
    return Beside(np.s_[top:bottom, left:right], aside, near, normal, step)


def _lay(run, pair, labels, out, second, share, toward, loose) -> None:
    """Give the pixels of two regions beside a straight border to the side that they lie on, in place."""
    beside = pixels_beside(run, loose + 1.5, 0.5, labels.shape)
    if beside is None:
        return
    was, aside, normal = labels[beside.box], beside.aside, beside.normal
    band = beside.near & ((was == pair[0]) | (was == pair[1]))
    first, other = band & (was == pair[0]), band & (was == pair[1])
    if not first.any() or not other.any():
        return
    a, b = pair if aside[first].mean() < aside[other].mean() else pair[::-1]
    rows, columns = np.nonzero(band)
    y, x, aside = rows + beside.box[0].start, columns + beside.box[1].start, aside[band]
    out[y, x] = np.where(aside < 0, a, b)
    second[y, x] = np.where(aside < 0, b, a)
    half = np.abs(normal).sum() / 2
    share[y, x] = np.clip(0.5 - np.abs(aside) / (2 * half), 0, 0.5) if half > 0 else 0
    toward[y, x] = np.where((aside < 0)[:, None], beside.step, -beside.step)
