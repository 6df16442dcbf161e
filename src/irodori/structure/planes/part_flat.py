"""Parting what is of one colour where its faces meet, though no colour and no line shows that.

A capture with one colour a material and no shading shows a house as one area. Which way its parts face is seen at a glance, roughly; that
two planes meet along a line whose direction is known, through a vanishing point that is known, tells where, and the corners of the area's outline
tell exactly.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

UNDRAWN, DRAWN = (0.004, 0.07), (0.05, 0.2)
"""Share of the picture that an area takes at least which is looked into, and what parting it must gain, a pixel: the cosine by which pixels face
the one way rather than the other; where no line shows that faces meet, and where one does nearly always."""

LEAST_PIECE, SIDE = 0.0015, 0.07
"""Shares that each side takes at least, of the picture and of the area."""

NEAR = 0.024
"""Share of the picture's width within which a corner of the outline tells where faces meet."""

STEP, DEEPEST = 3, 4
"""px from one pixel that is asked to the next; and how often pieces are parted again."""

CORNERS = 0.006
"""Share of the picture's width by which an outline may be simplified."""


@dataclass(frozen=True, eq=False)
class Facing:
    """Which way each pixel (H, W, 3) seems to face, and the `ways` (W, 3) that planes may face, with where lines along `folds` (F, 3)
    vanish, `points` (F, 3) homogeneous px; all in the camera's frame."""

    seems: np.ndarray
    ways: np.ndarray
    pairs: tuple[tuple[int, int], ...]
    points: np.ndarray


def facing_of(seems: np.ndarray, axes: np.ndarray, matrix: np.ndarray, parallel: bool) -> Facing:
    """What planes along the rows of `axes` (3, 3) may face, seen through `matrix` (3, 3)."""
    ways = np.concatenate([axes, -axes])
    pairs, points = [], []
    for a in range(len(ways)):
        for b in range(a + 1, len(ways)):
            fold = np.cross(ways[a], ways[b])
            if np.linalg.norm(fold) > 0.5:
                pairs.append((a, b))
                points.append(np.append(fold[:2], 0.0) if parallel else matrix @ fold)
    return Facing(seems, ways, tuple(pairs), np.array(points))


def part_flat(labels: np.ndarray, facing: Facing, skip: set[int], by: tuple[float, float] = UNDRAWN) -> np.ndarray:
    """Labels (H, W) int32 with areas parted where their faces seem to meet, but for those in `skip`."""
    height, width = labels.shape
    least, gain = by
    size = np.bincount(labels.ravel())
    out, top = labels.copy(), int(labels.max())
    for region in np.flatnonzero(size > least * labels.size).tolist():
        if region == 0 or region in skip:
            continue
        own = labels == region
        corners = _corners(own)
        pieces = [(own, 0)]
        while pieces:
            piece, depth = pieces.pop()
            line = _meeting(piece, facing, corners, gain) if depth < DEEPEST else None
            if line is None:
                continue
            side = piece & _beyond(line, height, width)
            smallest = LEAST_PIECE * labels.size
            if min(side.sum(), (piece & ~side).sum()) < smallest:
                continue
            top += 1
            out[side] = top
            pieces += [(side, depth + 1), (piece & ~side, depth + 1)]
    return out


def _beyond(line: np.ndarray, height: int, width: int) -> np.ndarray:
    """Pixels (H, W) on the positive side of a line (3,), homogeneous px."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    return x * line[0] + y * line[1] + line[2] > 0


def _corners(own: np.ndarray) -> np.ndarray:
    """Corners (N, 2) px of the outlines of an area (H, W)."""
    outlines, _ = cv2.findContours(own.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    simple = [cv2.approxPolyDP(one, CORNERS * own.shape[1], True).reshape(-1, 2) for one in outlines if len(one) > 20]
    return np.concatenate(simple) + 0.5 if simple else np.zeros((0, 2))


def _meeting(own: np.ndarray, facing: Facing, corners: np.ndarray, gain: float) -> np.ndarray | None:
    """The line (3,), homogeneous px, along which two faces of an area (H, W) seem to meet; None where it seems to be one."""
    y, x = np.nonzero(own[::STEP, ::STEP])
    if len(x) < 50:
        return None
    place = np.column_stack([x, y]) * STEP + 0.5
    towards = facing.seems[::STEP, ::STEP][y, x] @ facing.ways.T
    best, found = gain * len(place), None
    for (a, b), point in zip(facing.pairs, facing.points):
        rather = towards[:, a] - towards[:, b]
        if min(np.maximum(rather, 0).sum(), np.maximum(-rather, 0).sum()) < best / 2:
            continue
        where, line_at = _pencil(place, point)
        order = np.argsort(where, kind="stable")
        before = np.cumsum(rather[order])
        inner = slice(int(SIDE * len(order)), max(int((1 - SIDE) * len(order)), int(SIDE * len(order)) + 1))
        total = before[-1]
        gains = np.abs(2 * before - total) - abs(total)
        cut = int(gains[inner].argmax()) + inner.start
        if gains[cut] > best:
            best = float(gains[cut])
            found = line_at(_at_a_corner(where[order], gains, cut, corners, point, line_at, own.shape[1]))
    return found


def _pencil(place: np.ndarray, point: np.ndarray):
    """Where places (N, 2) lie among the lines through a point (3,), homogeneous px, and a function that gives the line (3,) at such a
    place."""
    middle = place.mean(axis=0)
    # Of a point that is next to infinitely far away only its direction counts.
    far = abs(point[2]) * 1e5 < np.hypot(point[0], point[1])
    if far:
        way = point[:2] / np.linalg.norm(point[:2])
        across = np.array([-way[1], way[0]])
        return (place - middle) @ across, lambda t: np.array([*across, -(middle @ across) - t])
    vanish = point[:2] / point[2]
    base = middle - vanish
    angle = np.arctan2(base[1], base[0])

    def turned(t: float) -> np.ndarray:
        across = np.array([-np.sin(angle + t), np.cos(angle + t)])
        return np.array([*across, -(vanish @ across)])

    off = place - vanish
    return (np.arctan2(off[:, 1], off[:, 0]) - angle + np.pi) % (2 * np.pi) - np.pi, turned


def _at_a_corner(
    where: np.ndarray, gains: np.ndarray, cut: int, corners: np.ndarray, point: np.ndarray, line_at, width: int
) -> float:
    """Where faces meet: at the corner of the outline next to where they seem to, if one is near enough."""
    told = float(where[cut])
    if not len(corners):
        return told
    line = line_at(told)
    off = np.abs(corners @ line[:2] + line[2]) / np.linalg.norm(line[:2])
    near = np.flatnonzero(off < NEAR * width)
    if not len(near):
        return told
    # Of several corners on nearly one line with the point, the one that gains most.
    own = _places(corners[near], point, line_at, told)
    at = np.clip(np.searchsorted(where, own), 0, len(gains) - 1)
    return float(own[gains[at].argmax()])


def _places(corners: np.ndarray, point: np.ndarray, line_at, told: float) -> np.ndarray:
    """Where corners (N, 2) lie among the lines of a pencil, near one at `told`."""
    if abs(point[2]) * 1e5 < np.hypot(point[0], point[1]):
        line = line_at(told)
        return told + corners @ line[:2] + line[2]
    vanish = point[:2] / point[2]
    line = line_at(told)
    along = np.array([line[1], -line[0]])
    off = corners - vanish
    along = along * np.sign((off @ along).sum() or 1.0)
    return told + np.arctan2(off @ np.array([-along[1], along[0]]), off @ along)
