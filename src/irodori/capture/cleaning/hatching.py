"""Hatching: even rows of lines that a drawing lays on a surface, courses, boards and tiles; no borders."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.pixels.segments import empty_cells, enter_cells

WIDEST = 34.0
"""px at a width of 1280 between two lines of hatching; what stands farther apart is built."""

LONG, LONGER = 2.5, 0.16
"""How many times longer than the step to the next line a line of hatching is, and how much longer still for each px of
the step beyond 8, at a width of 1280: panes and bars stand in even rows too."""

EVEN = 0.14
"""Share by which the steps to either side may differ, plus a pixel's part."""

LEAST = 8.0
"""px of the lines that are looked at."""

SLANT = np.radians(6.0)
BESIDE = 0.5
"""Share of a line's length that lines at an even step to either side run along."""

SHARE, BROAD_SHARE, BROAD = 0.17, 0.145, 8
"""Share of all lines' length that hatching takes at least, and its rows of at least so many lines across; posts and fascias
stand in narrower rows, and steps and the bars of railings take less."""

STUB = 2.0
CRUMB, NEAR = 24.0, 10.0
"""px at a width of 1280."""

FINER = 0.85
"""Share of the borders' darkness up to which hatching is in a finer pen."""

MOSTLY = 0.55
"""Share of the hatching found that is in the finer of two pens where there are two."""

FEWEST = 5
"""Lines in one row of even steps, each of which has others on both sides."""


def without_hatching(encoded: np.ndarray, segments: np.ndarray, *, sure: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """A drawing (H, W, 3) uint8 with its hatching gone to paper, and which of its `segments` (N, 4) that was.

    What other lines draw stays, also where hatching crosses it. Narrow rows, and rows that take little of a drawing,
    are posts, steps or a railing, unless a user is `sure` that they are hatching.
    """
    import cv2

    unit = max(encoded.shape[1] / 1280, 0.5)
    hatch, broad, pairs = _in_rows(segments, unit)
    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    few = length[hatch].sum() < SHARE * length.sum() or length[broad].sum() < BROAD_SHARE * length.sum()
    if not hatch.any() or (few and not sure):
        return encoded, np.zeros_like(hatch)
    hatch, between = _by_pen(encoded, segments, hatch, pairs)
    rubbed, kept, long = (np.zeros(encoded.shape[:2], np.uint8) for _ in range(3))
    for index, (x0, y0, x1, y1) in enumerate(segments):
        way = np.array([x1 - x0, y1 - y0])
        way /= np.hypot(*way)
        # Hatching keeps stubs at its ends, where it meets a border; they part nothing.
        past = -STUB * way if hatch[index] else 3.0 * way
        ends = np.array([[x0, y0] - past, [x1, y1] + past])
        points = [tuple(int(v) for v in np.rint((p - 0.5) * 16)) for p in ends]
        cv2.line(rubbed if hatch[index] else kept, *points, 1, 5 if hatch[index] else 3, cv2.LINE_8, 4)
        if not hatch[index] and length[index] > CRUMB * unit:
            cv2.line(long, *points, 1, 3, cv2.LINE_8, 4)
    paper = np.percentile(encoded.reshape(-1, 3), 90, axis=0).astype(np.uint8)
    gone = (rubbed > 0) & (kept == 0)
    if between is not None:
        gone |= _in_fine_pen(encoded, rubbed, between, int(NEAR * unit)) & (long == 0)
    rubbed_out = np.where(gone[..., None], np.maximum(encoded, paper), encoded)
    crumbs = _crumbs(rubbed_out, rubbed, CRUMB * unit)
    return np.where(crumbs[..., None], np.maximum(encoded, paper), rubbed_out), hatch


def _in_fine_pen(encoded: np.ndarray, rubbed: np.ndarray, between: float, near: int) -> np.ndarray:
    """What is `near` px from hatching (H, W) and in no bolder pen: stubs at borders, and lines too short to be found."""
    import cv2

    dark = 255.0 - encoded.max(axis=2).astype(np.float32)
    # Over 3 × 3 px a line's ink is the same however it falls on pixels.
    bold = cv2.boxFilter(dark, -1, (3, 3), normalize=False) / 3 > between
    kept = cv2.dilate(bold.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return (cv2.dilate(rubbed, np.ones((2 * near + 1,) * 2, np.uint8)) > 0) & ~kept


def _crumbs(encoded: np.ndarray, rubbed: np.ndarray, most: float) -> np.ndarray:
    """What is left (H, W) bool of lines that crossed there: short pieces of up to `most` px that touch nothing."""
    import cv2

    ink = (encoded.min(axis=2) < np.percentile(encoded.min(axis=2), 90) - 12).astype(np.uint8)
    _, parts, stats, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    short = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) <= most
    short[0] = False
    near = cv2.dilate(rubbed, np.ones((9, 9), np.uint8)) > 0
    met = np.bincount(parts.ravel(), near.ravel(), minlength=len(short)) > 0
    return (short & met)[parts]


def _by_pen(
    encoded: np.ndarray, segments: np.ndarray, hatch: np.ndarray, pairs: np.ndarray
) -> tuple[np.ndarray, float | None]:
    """With the first and last line of a row, and without borders within it, where hatching is in a finer pen; and the
    ink from which a line is surely not in it, None where there is one pen."""
    ink = np.array([_ink_along(encoded, segment) for segment in segments])
    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    between, fine, bold = _two_pens(ink, length)
    if fine > FINER * bold or np.average(ink[hatch] <= between, weights=length[hatch]) < MOSTLY:
        return hatch, None
    hatch = hatch & (ink <= between)
    pairs = pairs[(ink[pairs] <= between).all(axis=1)]
    while True:
        beside = np.zeros(len(segments), bool)
        beside[pairs[hatch[pairs[:, 0]], 1]] = True
        if not (beside & ~hatch).any():
            return hatch, (fine + between) / 2
        hatch |= beside


def _two_pens(ink: np.ndarray, length: np.ndarray) -> tuple[float, float, float]:
    """The ink that parts lines best into two pens, by their length, and these pens' own (Otsu, IEEE TSMC 9, 1979)."""
    order = np.argsort(ink)
    value, weight = ink[order], length[order]
    below, total = np.cumsum(weight), np.cumsum(weight * value)
    above = np.maximum(below[-1] - below, 1e-9)
    fine, bold = total / below, (total[-1] - total) / above
    best = int((below * above * (fine - bold) ** 2)[:-1].argmax()) if len(value) > 1 else 0
    return float(value[best]), float(fine[best]), float(bold[best])


def _ink_along(encoded: np.ndarray, segment: np.ndarray) -> float:
    """How much ink a line has along a segment: its pen's width, px, times its darkness, 0 … 255; however it falls on
    pixels."""
    x0, y0, x1, y1 = segment
    length = np.hypot(x1 - x0, y1 - y0)
    t = (np.arange(max(int(length // 2), 4)) + 0.5) / max(int(length // 2), 4)
    across = np.array([-(y1 - y0), x1 - x0]) / max(length, 1e-9)
    values = []
    for step in (-2.0, -1.0, 0.0, 1.0, 2.0):
        x = np.clip((x0 + t * (x1 - x0) + step * across[0]).astype(int), 0, encoded.shape[1] - 1)
        y = np.clip((y0 + t * (y1 - y0) + step * across[1]).astype(int), 0, encoded.shape[0] - 1)
        values.append(255.0 - encoded[y, x].max(axis=1))
    return float(np.sum(values, axis=0).mean())


def find_hatching(segments: np.ndarray, unit: float = 1.0) -> np.ndarray:
    """Which segments (N, 4) are lines of hatching, (N,) bool: each within a row of parallels at even steps.

    `unit`: the picture's width over 1280.
    """
    return _in_rows(segments, unit)[0]


def _in_rows(segments: np.ndarray, unit: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which segments (N,) are in rows, which of them in broad ones, and pairs (M, 2) of parallels beside each other."""
    if len(segments) < FEWEST:
        return np.zeros(len(segments), bool), np.zeros(len(segments), bool), np.zeros((0, 2), np.int64)
    even, pairs, same_step = _even_ones(segments.astype(np.float64), unit)
    size, across = _rows(even, pairs[same_step])
    return even & (size >= FEWEST), even & (across >= BROAD), pairs


def _rows(even: np.ndarray, pairs: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How many even lines each line (N,) hangs together with, and how many one passes at least from the first of these
    to the last."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components, dijkstra

    own = pairs[even[pairs[:, 0]] & even[pairs[:, 1]]]
    n = len(even)
    graph = coo_matrix((np.ones(len(own)), (own[:, 0], own[:, 1])), (n, n)).tocsr()
    count, row = connected_components(graph, directed=False)
    size, across = np.bincount(row, even, minlength=count), np.zeros(count, int)
    for index in np.flatnonzero(size >= BROAD):
        start = np.flatnonzero(row == index)[0]
        for _ in range(2):  # what is farthest from anywhere is an end
            steps = dijkstra(graph, directed=False, indices=start, unweighted=True)
            steps[np.isinf(steps)] = -1
            start = int(steps.argmax())
        across[index] = steps[start] + 1
    return size[row], across[row]


@njit(cache=True)
def _even_ones(segments, unit):
    """Which segments (N,) have parallels at one step to either side over much of their length; all pairs (M, 2) of
    parallels beside each other, and which of these (M,) are at that step."""
    n = len(segments)
    even, pairs, same_step, count = (
        np.zeros(n, np.bool_),
        np.empty((n * 64, 2), np.int64),
        np.zeros(n * 64, np.bool_),
        0,
    )
    cell = max(WIDEST * unit, 8.0)
    left, top, columns, newest, entries, before = empty_cells(segments, cell)
    used = 0
    for i in range(n):
        used = enter_cells(segments[i], i, left, top, cell, columns, newest, entries, before, used)
    asked = np.full(n, -1, np.int64)
    others, steps, shares = np.empty(n, np.int64), np.empty(n), np.empty(n)
    for i in range(n):
        length = np.hypot(segments[i, 2] - segments[i, 0], segments[i, 3] - segments[i, 1])
        if length < LEAST:
            continue
        found, walk = 0, max(int(length // (cell / 2)), 1)
        for s in range(walk + 1):
            column = int((segments[i, 0] + s / walk * (segments[i, 2] - segments[i, 0]) - left) // cell)
            row = int((segments[i, 1] + s / walk * (segments[i, 3] - segments[i, 1]) - top) // cell)
            for k in range(9):
                entry = newest[(row + k // 3 - 1) * columns + column + k % 3 - 1]
                while entry >= 0:
                    j, entry = entries[entry], before[entry]
                    if asked[j] == i or j == i:
                        continue
                    asked[j] = i
                    aside, share = _beside(segments[i], segments[j], length)
                    if share > 0 and 2.2 <= abs(aside) <= WIDEST * unit:
                        others[found], steps[found], shares[found] = j, aside, share
                        found += 1
        step = _even_step(steps[:found], shares[:found], length, unit)
        even[i] = step > 0
        for m in range(min(found, len(pairs) - count)):
            pairs[count, 0], pairs[count, 1] = i, others[m]
            same_step[count] = step > 0 and abs(abs(steps[m]) - step) < EVEN * step + 0.6
            count += 1
    return even, pairs[:count], same_step[:count]


@njit(cache=True)
def _beside(line, other, length):
    """How far aside of a line of some `length` a parallel runs, px with its sign, and beside what share of it; 0, 0 if none."""
    dx, dy = (line[2] - line[0]) / length, (line[3] - line[1]) / length
    own = np.hypot(other[2] - other[0], other[3] - other[1])
    cross = abs((other[2] - other[0]) * dy - (other[3] - other[1]) * dx)
    if own < LEAST or cross > np.sin(SLANT) * own + 1.0:
        return 0.0, 0.0
    ax, ay, bx, by = other[0] - line[0], other[1] - line[1], other[2] - line[0], other[3] - line[1]
    a, b = ax * dx + ay * dy, bx * dx + by * dy
    start, end = max(min(a, b), 0.0), min(max(a, b), length)
    if end - start < 3:
        return 0.0, 0.0
    # Aside where the two run beside each other.
    part = ((start + end) / 2 - a) / (b - a) if abs(b - a) > 1e-6 else 0.5
    return (ay + part * (by - ay)) * dx - (ax + part * (bx - ax)) * dy, (end - start) / length


@njit(cache=True)
def _even_step(steps, shares, length, unit):
    """The least step, px, at which parallels run on either side beside much of a line that is long for it; −1 if none."""
    best = -1.0
    for k in range(len(steps)):
        step = abs(steps[k])
        if length < step * (LONG + LONGER * max(step / unit - 8.0, 0.0)):
            continue
        below, above = 0.0, 0.0
        for m in range(len(steps)):
            if abs(abs(steps[m]) - step) < EVEN * step + 0.6:
                if steps[m] > 0:
                    above += shares[m]
                else:
                    below += shares[m]
        if min(below, above) >= BESIDE and (best < 0 or step < best):
            best = step
    return best
