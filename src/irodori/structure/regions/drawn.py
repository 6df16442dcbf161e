"""Regions of a drawing whose lines have gaps: balls of falling size are let roll between the lines.

A ball that is wider than a gap cannot escape through it (the trapped-ball fill of Zhang et al., IEEE TVCG 15, 2009).
Before, the ends of lines are run on until they meet another one. What a smaller ball finds beside a region of a larger
one, with no line between, is a corner of that.
"""

from __future__ import annotations

import numpy as np

from irodori.core.pixels.nearest import filled_from_nearest

RADII = (5, 3, 2, 1)
INK = 0.30
"""Darkness against the paper from which a pixel is a line's."""

RUN_ON = 9
"""px by which an end is run on to meet a line."""

LONGEST_BRIDGE = 80
"""px of a gap within one straight line that is bridged; shorter than either piece by far."""

HIDDEN, ACROSS, ON_LINE, CROSSING = 24.0, 0.25, 5.0, 0.34
"""px of a gap behind something, and times that by which its outlines go on to both sides; px from a line at which an end lies on it, and the sine of the angle at which it crosses that at least."""

CORNER = 0.22
"""Share of a small find's outline that touches an older region from which it is that one's corner."""

SMALLEST = 30


def drawn_regions(darkness: np.ndarray, segments: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Regions between lines.

    Parameters
    ----------
    darkness
        (H, W) float32, 0 paper … 1 ink.
    segments
        (N, 4) px, the lines found.

    Returns
    -------
    labels
        (H, W) int32 from 1, 0 on lines and in what is left.
    ink
        (H, W) bool, the lines.
    """
    import cv2

    unit = max(darkness.shape[1] / 1280, 0.5)
    ink = darkness > INK
    barrier = ink | bridges(segments, ink.shape)
    _run_on(barrier, ink, segments, RUN_ON * unit)
    labels = np.zeros(ink.shape, np.int32)
    radii = [max(int(round(radius * unit)), 1) for radius in RADII]
    balls = [cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2) for radius in radii]
    for radius, ball, smaller in zip(radii, balls, (*balls[1:], balls[-1])):
        free = (~barrier & (labels == 0)).astype(np.uint8)
        # The picture's rim is a wall; outside counts as free for the ball, so that it reaches into corners.
        inner = np.s_[radius:-radius, radius:-radius]
        padded = cv2.copyMakeBorder(free, radius, radius, radius, radius, cv2.BORDER_REPLICATE)
        core = cv2.erode(padded, ball)
        if not core.any():
            continue
        opened = cv2.dilate(core, ball)[inner] & free
        _, joined = cv2.connectedComponents(opened, connectivity=4)
        # A ball's rim dips into gaps, from both sides of a thin line; two that meet so are one where the next smaller ball
        # gets through.
        _, through = cv2.connectedComponents(cv2.erode(padded, smaller), connectivity=4)
        nearest = filled_from_nearest(np.where(core > 0, through, 0).astype(np.int32), core == 0)[inner]
        _, parts = np.unique(
            np.where(opened > 0, joined.astype(np.int64) * (through.max() + 1) + nearest, 0), return_inverse=True
        )
        parts = parts.reshape(opened.shape)
        _add(labels, parts, int(parts.max()) + 1)
    return labels, ink


def _add(labels: np.ndarray, parts: np.ndarray, count: int) -> None:
    """Number new finds, or give them to the region whose corner they are."""
    if count <= 1:
        return
    outline = np.zeros(count)
    touch: dict[tuple[int, int], int] = {}
    first, last = np.s_[:-1], np.s_[1:]
    for here, there in ((first, last), (last, first)):
        for own, other, old in (
            (parts[here], parts[there], labels[there]), (parts[:, here], parts[:, there], labels[:, there])
        ):  # fmt: skip
            edge = (own > 0) & (own != other)
            outline += np.bincount(own[edge], minlength=count)
            met = edge & (old > 0)
            pairs, times = np.unique(own[met].astype(np.int64) * (1 << 32) + old[met], return_counts=True)
            for code, hits in zip(pairs.tolist(), times.tolist()):
                key = (code >> 32, code & 0xFFFFFFFF)
                touch[key] = touch.get(key, 0) + hits
    target = np.zeros(count, np.int32)
    most = np.zeros(count)
    for (part, old), hits in touch.items():
        if hits > CORNER * outline[part] and hits > most[part]:
            target[part], most[part] = old, hits
    area = np.bincount(parts.ravel(), minlength=count)
    top = int(labels.max())
    for part in range(1, count):
        if target[part] == 0 and area[part] >= SMALLEST:
            top += 1
            target[part] = top
    found = parts > 0
    labels[found] = target[parts[found]]


def bridges(segments: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Gaps (H, W) bool between pieces of one straight line, which a pen or a program left out."""
    import cv2
    from scipy.spatial import cKDTree

    canvas = np.zeros(shape, np.uint8)
    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    long = np.flatnonzero(length >= 24)
    if len(long) < 2:
        return canvas > 0
    way = (segments[long, 2:] - segments[long, :2]) / length[long, None]
    ends = segments[long].reshape(-1, 2)
    outward = np.stack([-way, way], axis=1).reshape(-1, 2)
    beyond = _crossed(segments[long])
    for a, b in cKDTree(ends).query_pairs(LONGEST_BRIDGE, output_type="ndarray"):
        if a // 2 == b // 2:
            continue
        step = ends[b] - ends[a]
        gap = float(np.hypot(*step))
        # Between two lines that go on to both sides stands something that hides it.
        if gap > HIDDEN and min(beyond[a], beyond[b]) > ACROSS * gap:
            continue
        if gap < 1.5 or gap > 0.6 * min(length[long[a // 2]], length[long[b // 2]]):
            continue
        # Each piece must run straight into the other's end, away from itself.
        if min(outward[a] @ step, -(outward[b] @ step)) < gap * np.cos(np.radians(2.0)) - 1.2:
            continue
        if -(outward[a] @ outward[b]) < np.cos(np.radians(1.5)):
            continue
        cv2.line(canvas, *(tuple(np.floor(ends[k]).astype(int).tolist()) for k in (a, b)), 1, 1)
    return canvas > 0


def _crossed(segments: np.ndarray) -> np.ndarray:
    """How far, px, lines go on from each end (2 N,) of segments (N, 4) to either side, the lesser; 0 where none cross."""
    start, step = segments[:, :2], segments[:, 2:] - segments[:, :2]
    length = np.hypot(*step.T)
    way = step / length[:, None]
    out = np.zeros(2 * len(segments))
    for index in range(len(segments)):
        across = np.array([-way[index, 1], way[index, 0]])
        away = segments[index].reshape(2, 1, 2) - start
        along = (away * way).sum(axis=-1)
        aside = np.abs(away[..., 0] * way[:, 1] - away[..., 1] * way[:, 0])
        on = (aside < ON_LINE) & (along > -ON_LINE) & (along < length + ON_LINE) & (np.abs(way @ across) > CROSSING)
        sides = (segments.reshape(-1, 2, 2)[None] - segments[index].reshape(2, 1, 1, 2)) @ across
        reach = [np.where(on, side, 0.0).max(axis=1) for side in (sides.max(axis=2), (-sides).max(axis=2))]
        out[2 * index : 2 * index + 2] = np.minimum(*reach)
    return out


def _run_on(barrier: np.ndarray, ink: np.ndarray, segments: np.ndarray, reach: float) -> None:
    """Run the ends of segments on, in place, where they meet another line within `reach`."""
    import cv2

    height, width = ink.shape
    canvas = barrier.astype(np.uint8)
    for x0, y0, x1, y1 in segments:
        length = np.hypot(x1 - x0, y1 - y0)
        if length < 12:
            continue
        for ex, ey, dx, dy in ((x1, y1, x1 - x0, y1 - y0), (x0, y0, x0 - x1, y0 - y1)):
            t = np.arange(0.0, reach + 1.0)
            x = np.floor(ex + dx / length * t).astype(int)
            y = np.floor(ey + dy / length * t).astype(int)
            inside = (x >= 0) & (y >= 0) & (x < width) & (y < height)
            if not inside.all():  # the picture's rim ends every line
                cv2.line(canvas, (int(x[0]), int(y[0])), (int(x[-1]), int(y[-1])), 1, 1)
            hit = ink[y[inside], x[inside]]
            gap = np.flatnonzero(~hit)
            if not len(gap):
                continue
            beyond = np.flatnonzero(hit[gap[0] :])
            if len(beyond):
                end = gap[0] + beyond[0]
                cv2.line(canvas, (int(x[gap[0]]), int(y[gap[0]])), (int(x[end]), int(y[end])), 1, 1)
    barrier |= canvas > 0
