"""Lines of a structure and what lies on both sides of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.short import Short

UNKNOWN, FOLD, OUTLINE = 0, 1, 2
"""Kinds of lines: told by nothing; two surfaces meet; the nearer surface ends before something farther, or the sky."""

ASIDE = (1.5, 2.5, 4.0)
"""px to each side at which one looks for the two surfaces."""

ALONG = np.linspace(0.08, 0.92, 9)
"""Where along a line one looks."""

MEETS = 0.012
"""Share of the depth within which both sides are at the same place, beyond what their own slopes explain."""


@dataclass(frozen=True, eq=False, repr=False)
class LineSides(Short):
    """Of every line: `kind` (L,) int8, one of `UNKNOWN`, `FOLD`, `OUTLINE`; `near`, `far` (L,) int32 the ids of the surfaces on
    its two sides, the nearer first (0: the sky)."""

    kind: np.ndarray
    near: np.ndarray
    far: np.ndarray


def line_sides(lines: np.ndarray, regions: np.ndarray, depth: np.ndarray) -> LineSides:
    """What lies on both sides of lines.

    Parameters
    ----------
    lines
        (L, 4) float, x0, y0, x1, y1, px.
    regions, depth
        (H, W) surface ids, 0 the sky; m along the optical axis, infinite there.
    """
    count = len(lines)
    kind, near, far = np.zeros(count, np.int8), np.zeros(count, np.int32), np.zeros(count, np.int32)
    if not count:
        return LineSides(kind, near, far)
    start, end = lines[:, :2].astype(float), lines[:, 2:].astype(float)
    way = end - start
    length = np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    across = np.stack([-way[:, 1], way[:, 0]], axis=1) / length
    at = start[:, None] + way[:, None] * ALONG[None, :, None]
    sides, depths = [], []
    for sign in (1, -1):
        seen, away = _look(at, across * sign, regions, depth)
        sides.append(_most(seen))
        depths.append(away)
    a, b = sides
    with np.errstate(invalid="ignore"):
        gap = np.log(depths[0]) - np.log(depths[1])
    gap[~np.isfinite(gap)] = np.nan
    apart = _median(gap)
    to_sky = (a == 0) != (b == 0)
    first_nearer = np.where(to_sky, b == 0, np.nan_to_num(apart) <= 0)
    near[:], far[:] = np.where(first_nearer, a, b), np.where(first_nearer, b, a)
    told = (a != b) & (to_sky | np.isfinite(apart))
    kind[told] = np.where(to_sky | (np.abs(np.nan_to_num(apart)) > MEETS), OUTLINE, FOLD)[told]
    return LineSides(kind, near, far)


def _look(at: np.ndarray, aside: np.ndarray, regions: np.ndarray, depth: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Ids (L, N) beside places (L, N, 2), and the depth (L, N) that the surface there has at the line itself."""
    height, width = regions.shape
    ids, depths = [], []
    for step in ASIDE[:2]:
        x, y = np.moveaxis(np.floor(at + step * aside[:, None]).astype(int), 2, 0)
        inside = (x >= 0) & (y >= 0) & (x < width) & (y < height)
        x, y = x.clip(0, width - 1), y.clip(0, height - 1)
        ids.append(np.where(inside, regions[y, x], -1))
        depths.append(np.where(inside, depth[y, x], np.nan).astype(float))
    # 1 / depth is linear over a plane: from two places beside the line one tells the depth on it.
    with np.errstate(divide="ignore", invalid="ignore"):
        one, two = 1 / depths[0], 1 / depths[1]
        inverse = one + (one - two) * ASIDE[0] / (ASIDE[1] - ASIDE[0])
        on_line = np.where((ids[0] == ids[1]) & (inverse > 0), 1 / inverse, depths[0])
    return ids[0], on_line


def _most(ids: np.ndarray) -> np.ndarray:
    """The id that most of each row (L, N) shows."""
    order = np.sort(ids, axis=1)
    counts = (order[:, :, None] == order[:, None, :]).sum(axis=2) - (order < 0) * order.shape[1]
    return order[np.arange(len(order)), counts.argmax(axis=1)].clip(0).astype(np.int32)


def _median(values: np.ndarray) -> np.ndarray:
    """Median of each row without NaN; NaN where there is nothing else."""
    known = np.isfinite(values)
    out = np.full(len(values), np.nan)
    some = known.any(axis=1)
    if some.any():
        out[some] = np.nanmedian(values[some], axis=1)
    return out
