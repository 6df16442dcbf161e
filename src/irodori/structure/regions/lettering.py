"""Lettering: rows of small strokes on a plate, which are detail of the plate and no surfaces of their own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.colour import largest_channel

UNLIKE = 60
"""Difference from the plate's colour, of 255, from which a pixel belongs to a letter."""

SMALLEST_PLATE, WHOLE = 200, 0.45
"""Pixels of a plate at least, and the share of its hull that it fills."""

LOWEST, TALLEST = 5, 0.09
"""Height of letters, px and share of the picture's."""

FEWEST = 3
"""Letters that make a row."""

SAME_HEIGHT, OFF_LINE, APART = 0.35, 0.3, 1.8
"""How much letters of a row differ in height, stand off its line, and lie apart, in heights."""

THIN, MOSTLY = 0.5, 0.6
"""Width of strokes, in heights, that the wider ones among letters have, and how many of a row have so thin ones."""

FILLED, OVERLAP = 0.3, 0.3
"""Share of their boxes that letters fill (a slanting cable fills less), and heights by which two boxes may overlap."""

AROUND, SURROUNDED = 3, 0.4
"""px around a letter, and what share of what is not a letter there is the plate it stands on."""

UNEQUAL = 0.1
"""Difference of two neighbours' widths, in heights, or of how full their boxes are: panes in a row are all alike."""

SAME_PLATE = 12
"""Difference of colour, of 255, up to which what lies beyond a post is the same plate."""

FARTHEST = 12.0
"""Heights along the row within which it goes on beyond a post."""


@dataclass(frozen=True)
class Row:
    """A row of letters: the line through their middles (slope, intercept), its ends, their height and colour, px."""

    slope: float
    middle: float
    left: float
    right: float
    height: float
    plate: np.ndarray


def gather_lettering(encoded: np.ndarray, labels: np.ndarray, sky: int) -> tuple[np.ndarray, np.ndarray, list[int]]:
    """Give lettering to the plate it stands on.

    Returns the labels, which pixels are letters (H, W) bool, and the plates. `encoded` (H, W, 3) uint8 is a shaded
    capture, `labels` (H, W) int32 its regions.
    """
    from scipy import ndimage

    letters, plates, rows = np.zeros(labels.shape, bool), [], []
    boxes = ndimage.find_objects(labels)
    area = np.bincount(labels.ravel(), minlength=len(boxes) + 1)
    kept = labels.copy()
    grounds = {}
    for label in np.flatnonzero(area >= SMALLEST_PLATE).tolist():
        ground = _ground(encoded, labels, label, boxes[label - 1]) if label not in (0, sky) else None
        if ground is None:
            continue
        grounds[label] = ground
        row = _row(ground, labels.shape[0])
        if row is not None:
            rows.append(row)
            plates.append(label)
    for label, ground in grounds.items():
        for row in rows:
            if np.abs(ground.colour - row.plate).max() > SAME_PLATE:
                continue
            marks = _along(ground, row)
            if not marks.any():
                continue
            letters[ground.box] |= marks
            band = _band(ground, row)
            inside = np.bincount(labels[ground.box][band], minlength=len(area))
            small = (inside > 0.9 * area) & (area < 8 * row.height**2)
            take = (small[labels[ground.box]] | marks) & band
            kept[ground.box][take] = label
            if label not in plates:
                plates.append(label)
    return kept, letters, plates


@dataclass(frozen=True)
class _Ground:
    """A region as a plate: itself and its hull (h, w) bool in `box`, its colour, what in the hull is unlike it."""

    box: tuple[slice, slice]
    own: np.ndarray
    hull: np.ndarray
    colour: np.ndarray
    unlike: np.ndarray

    @property
    def corner(self) -> tuple[int, int]:
        """Its top and left in the picture, px."""
        return self.box[0].start, self.box[1].start


def _ground(encoded, labels, label, box) -> _Ground | None:
    import cv2

    own = labels[box] == label
    height, width = own.shape
    if height < LOWEST + 2 or width < 4 * LOWEST:
        return None
    points = cv2.findNonZero(own.astype(np.uint8))
    hull = np.zeros(own.shape, np.uint8)
    cv2.fillConvexPoly(hull, cv2.convexHull(points), 1)
    hull = hull.astype(bool)
    if own.sum() < WHOLE * hull.sum():
        return None
    colour = np.median(encoded[box][own], axis=0)
    unlike = (largest_channel(np.abs(encoded[box] - colour.astype(np.float32))) > UNLIKE) & hull
    return _Ground(box, own, hull, colour, unlike)


def _marks(ground: _Ground):
    """Connected marks on the plate: their stats and labels, those at the hull's edge left out."""
    import cv2

    count, marks, stats, _ = cv2.connectedComponentsWithStats(ground.unlike.astype(np.uint8), connectivity=8)
    inner = cv2.erode(ground.hull.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0).astype(bool)
    whole = np.ones(count, bool)
    whole[0] = False
    whole[np.unique(marks[~inner])] = False
    return marks, stats, whole


def _stand_on(ground: _Ground, marks: np.ndarray, stats: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """Those of the marks `chosen` that the plate itself surrounds, not another surface in front of it."""
    import cv2

    found, reach = [], np.ones((2 * AROUND + 1,) * 2, np.uint8)
    for mark in chosen:
        x, y, wide, high = stats[mark, :4]
        place = slice(max(y - AROUND, 0), y + high + AROUND), slice(max(x - AROUND, 0), x + wide + AROUND)
        near = cv2.dilate((marks[place] == mark).astype(np.uint8), reach).astype(bool) & ~ground.unlike[place]
        if near.any() and ground.own[place][near].mean() > SURROUNDED:
            found.append(mark)
    return np.array(found, int)


def _row(ground: _Ground, picture_height: int) -> Row | None:
    """The row of letters on a plate, if there is one."""
    import cv2

    if not ground.unlike.any():
        return None
    marks, stats, whole = _marks(ground)
    high, wide = stats[:, cv2.CC_STAT_HEIGHT], stats[:, cv2.CC_STAT_WIDTH]
    fits = whole & (high >= LOWEST) & (high <= TALLEST * picture_height) & (wide <= 2.5 * high)
    chosen = _stand_on(ground, marks, stats, np.flatnonzero(fits))
    if len(chosen) < FEWEST:
        return None
    height = float(np.median(high[chosen]))
    chosen = chosen[np.abs(high[chosen] - height) <= SAME_HEIGHT * height]
    chosen = chosen[np.argsort(stats[chosen, cv2.CC_STAT_LEFT])]
    if len(chosen) < FEWEST:
        return None
    x = stats[chosen, cv2.CC_STAT_LEFT] + wide[chosen] / 2
    y = stats[chosen, cv2.CC_STAT_TOP] + high[chosen] / 2
    if np.ptp(x) < height:  # under each other
        return None
    slope, middle = np.polyfit(x, y, 1)
    gaps = stats[chosen[1:], cv2.CC_STAT_LEFT] - (stats[chosen, cv2.CC_STAT_LEFT] + wide[chosen])[:-1]
    if (
        np.abs(slope * x + middle - y).max() > OFF_LINE * height
        or not -OVERLAP * height <= gaps.min() <= gaps.max() <= APART * height
    ):
        return None
    thin = [
        2 * cv2.distanceTransform((marks == m).astype(np.uint8), cv2.DIST_L2, 3).max() < THIN * high[m] for m in chosen
    ]
    full = stats[chosen, cv2.CC_STAT_AREA] / (wide[chosen] * high[chosen])
    unequal = np.maximum(np.abs(np.diff(wide[chosen])) / height, np.abs(np.diff(full))) > UNEQUAL
    if np.mean(thin) < MOSTLY or np.median(full) < FILLED or not unequal.any():
        return None
    top, left = ground.corner
    return Row(
        float(slope), float(middle + top - slope * left), float(x[0] - wide[chosen[0]] / 2 + left),
        float(x[-1] + wide[chosen[-1]] / 2 + left), height, ground.colour,
    )  # fmt: skip


def _band(ground: _Ground, row: Row) -> np.ndarray:
    """Where on a plate the row is or would go on, (h, w) bool."""
    top, left = ground.corner
    y, x = np.mgrid[: ground.hull.shape[0], : ground.hull.shape[1]]
    x = x + left
    near = (x > row.left - FARTHEST * row.height) & (x < row.right + FARTHEST * row.height)
    return ground.hull & near & (np.abs(y + top - row.slope * x - row.middle) < 0.75 * row.height)


def _along(ground: _Ground, row: Row) -> np.ndarray:
    """The marks of a plate, (h, w) bool, that stand in the row; a post before it may cut them."""
    import cv2

    band = _band(ground, row)
    marks = ground.unlike & band
    if not marks.any():
        return marks
    _, parts, stats, _ = cv2.connectedComponentsWithStats(marks.astype(np.uint8), connectivity=8)
    high = stats[:, cv2.CC_STAT_HEIGHT]
    # Posts run across the whole band.
    fits = (high >= 0.4 * row.height) & (high <= (1 + SAME_HEIGHT) * row.height)
    fits[0] = False
    standing = np.zeros(len(fits), bool)
    standing[_stand_on(ground, parts, stats, np.flatnonzero(fits))] = True
    return standing[parts]
