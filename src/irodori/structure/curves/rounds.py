"""Curved surfaces: upright cylinders and ellipsoids, from their shading and their outlines.

A column or a drum is shaded across and not along its axis; a dome, a ball or a crown is shaded both ways within an
outline that is an ellipse's. Each stands as an upright card through its axis, with the relief of its curve before it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.planes.choose import LEVEL
from irodori.structure.regions.colours import tints_apart
from irodori.structure.regions.measure import Regions

LEAST_AREA = 120
LEAST_SPAN = 8.0
"""8-bit steps of brightness across a curve."""

BENT = 0.02
"""Share of the brightness' variance that a straight ramp must leave over: a plane near a lamp shades, but evenly."""

ALONG = 0.86
"""Share of the variance that the position across an upright cylinder must explain."""

ELLIPSE = 0.90
"""Overlap of an outline with the ellipse put around it."""

ASTRAY, ASTRAY_PX, FOLLOWED, NARROWEST = 0.04, 1.5, 0.75, 4.0
"""Share of its size, and px, by which an outline strays from an ellipse, the share of it that does not, and px of a half axis at
least, where no shade says that it is one."""

SLIMMEST, LOOSE, MOST_BEYOND, LEAST_FILLED, LEAST_ROUND = 3.0, 0.12, 0.08, 0.3, 0.4
"""Ratio of a crown's axes at most; share of its size by which twigs stand out, and the share of it that may lie beyond; how
much of the ellipse, in the crown's box and around it, is seen at least."""

MOST_LEAN = 0.6
"""px to the right for each px down that an upright axis goes at most; seen from right above they go anywhere."""

TWO_FACES, WAVERS, TAPER, LEAST_FACE = 8, 1.5, 0.08, 4.0
"""px by which two faces of a post meet less far than it is high, at most; px by which its sides waver, and px of width by which it
tapers for each px of height, at most; and px that the second face of a square one would be wide at least, for its lack to tell."""

OF_A_ROW = 0.15
"""By how much, logarithm, posts of one row differ in slimness at most."""

BESIDE, SHOWS = 3, 4
"""px beside a post at which what it stands on shows, and px above its foot along which it does."""

ARCS = (0.2, 0.35, 0.6, 1.0)
"""Shares of a crown's outline that are tried as its own."""

FULL = 0.86
"""Share of its box that a region fills from which its outline is no ellipse's, which fills 0.79 of it."""

MOST = 3000
"""Pixels that are looked at."""


@dataclass(frozen=True)
class Round:
    """An upright cylinder (`upright`) or an ellipsoid about `centre` px with half axes `across`, `along` px.

    `lean`: px to the right that an axis goes for each px down, as uprights do when the camera looks up or down.
    """

    centre: tuple[float, float]
    across: float
    along: float
    upright: bool
    lean: float = 0.0

    def relief(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The unit normal's parts to the right, down and towards the eye, (N,) each, at picture positions."""
        u = np.clip((x - self.centre[0] - self.lean * (y - self.centre[1])) / self.across, -0.995, 0.995)
        v = np.zeros_like(u) if self.upright else np.clip((y - self.centre[1]) / self.along, -0.995, 0.995)
        size = np.sqrt(u * u + v * v)
        beyond = np.maximum(size / 0.995, 1.0)
        u, v = u / beyond, v / beyond
        return u, v, np.sqrt(np.maximum(1 - u * u - v * v, 0.0))

    def radius(self, camera: Camera, depth: np.ndarray) -> np.ndarray:
        """How far, m, the curve stands out towards the eye from its card at `depth` (N,)."""
        half = self.across if self.upright else min(self.across, self.along)
        return half * camera.footprint(depth)


def find_round(
    encoded: np.ndarray, regions: Regions, camera: Camera, pure: np.ndarray, skip: set[int], shades_tell: bool
) -> dict[int, Round]:
    """Curved regions by number.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.
    pure
        (H, W) bool, pixels that show their region's own colour.
    skip
        Regions that are not looked at (the sky).
    shades_tell
        Whether what is shaded within itself is curved; else only outlines speak.
    """
    out = {}
    grey = encoded.mean(axis=2)
    # Land is none, however its colour fades.
    for region in np.flatnonzero((regions.area >= LEAST_AREA) & ~regions.spans_foot):
        if region == 0 or region in skip:
            continue
        x0, y0, x1, y1 = (int(v) for v in regions.box[region])
        mask = regions.labels[y0:y1, x0:x1] == region
        found = None
        if shades_tell:
            lean = _lean(camera, ((x0 + x1) / 2, (y0 + y1) / 2))
            found = _by_shade(grey[y0:y1, x0:x1], mask & pure[y0:y1, x0:x1], mask, lean)
        elif regions.area[region] >= 4 * LEAST_AREA:
            found = _drawn_ball(mask)
        if found is not None:
            out[int(region)] = replace(found, centre=(found.centre[0] + x0, found.centre[1] + y0))
    return _one_drum(out, grey, regions, pure)


def drawn_posts(
    regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, ways: np.ndarray, leave: Collection[int]
) -> dict[int, Round]:
    """Posts of a drawing that are round, by region: they stand free on level ground, and none shows two faces.

    `kinds` (R,) and `normals` (R, 3) are those of their planes, and `ways` (K, 3) the directions that lines run along, which a
    square post would follow; `leave` are regions that are none.
    """
    level = [way for way in ways if abs(way[2]) < 0.02]
    ground = (kinds == LEVEL) & (normals[:, 2] > 0)
    posts: dict[int, Round] = {}
    sure = []
    for region in np.flatnonzero(regions.slim & (regions.area >= LEAST_AREA)).tolist():
        if region in leave or region == 0 or not _stands_free(regions, region, ground) or _folds(regions, region):
            continue
        x0, y0, x1, y1 = (int(v) for v in regions.box[region])
        mask = regions.labels[y0:y1, x0:x1] == region
        curve = _upright(mask, _lean(camera, ((x0 + x1) / 2, (y0 + y1) / 2))) if _is_straight(mask) else None
        if curve is None:
            continue
        posts[region] = replace(curve, centre=(curve.centre[0] + x0, curve.centre[1] + y0))
        if _second_face(2 * curve.across, (x0 + x1) / 2, (y0 + y1) / 2, camera, level) > LEAST_FACE:
            sure.append(curve.along / curve.across)
    # Others of a row are as slim, also where a square one would hide its second face.
    return {
        region: curve
        for region, curve in posts.items()
        if any(abs(np.log(curve.along / curve.across / slim)) < OF_A_ROW for slim in sure)
    }


def _stands_free(regions: Regions, region: int, ground: np.ndarray) -> bool:
    """Whether what a region stands on, of the `ground` (R,) bool, shows on either side of it above its foot."""
    height, width = regions.labels.shape
    x0, y0, x1, y1 = (int(v) for v in regions.box[region])
    if x0 < BESIDE or x1 > width - BESIDE or y1 >= height:
        return False
    rows = regions.labels[y0:y1] == region
    above = np.flatnonzero(rows[-1 - (y1 - y0) // 10])
    if len(above) < 2:
        return False
    for inner, outer in ((above[0] + 1, above[0] - BESIDE), (above[-1] - 1, above[-1] + BESIDE)):
        foot = np.flatnonzero(rows[:, inner]).max(initial=-1)
        if foot < SHOWS or not ground[regions.labels[y0 + foot - SHOWS : y0 + foot, outer]].all():
            return False
    return True


def _is_straight(mask: np.ndarray) -> bool:
    """Whether both sides of a region run straight, and much the same way: a column may taper."""
    rows = np.flatnonzero(mask.any(axis=1))
    inner = rows[len(rows) // 10 : -(len(rows) // 10) or None]
    if len(inner) < 8:
        return False
    fits = [np.polyfit(inner, side, 1) for side in _sides(mask[inner])]
    off = [np.abs(np.polyval(fit, inner) - side) for fit, side in zip(fits, _sides(mask[inner]))]
    return max(np.percentile(way, 90) for way in off) < WAVERS and abs(fits[0][0] - fits[1][0]) < TAPER


def _folds(regions: Regions, region: int) -> bool:
    """Whether another slim region lies along one side of a region from its head to its foot, as the second face of a post does."""
    x0, y0, x1, y1 = (int(v) for v in regions.box[region])
    labels = regions.labels[y0:y1, max(x0 - 1, 0) : x1 + 1]
    own = labels == region
    beside = [(np.roll(own, step, axis=1) & ~own, step) for step in (-1, 1)]
    tall = y1 - y0
    for side, _ in beside:
        rows, columns = np.nonzero(side)
        there = labels[rows, columns]
        for other in np.unique(there):
            if regions.slim[other] and np.ptp(rows[there == other]) > tall - TWO_FACES:
                return True
    return False


def _second_face(wide: float, x: float, y: float, camera: Camera, level: Sequence[np.ndarray]) -> float:
    """px of its narrower face that a square post as `wide` (px) at a picture position shows, along whichever way shows least."""
    view = camera.rays(np.array([x]), np.array([y]))[1][0, :2].astype(float)
    view /= max(np.linalg.norm(view), 1e-9)
    least = wide
    for way in level:
        faces = sorted(np.abs([view @ way[:2], view[0] * way[1] - view[1] * way[0]]))
        least = min(least, wide * faces[0] / (faces[0] + faces[1]))
    return float(least)


def round_crowns(regions: Regions, planting: Sequence[int]) -> dict[int, Round]:
    """Crowns of trees by number: ellipsoids about what is seen of their outlines.

    A crown may be cut by the picture's edge or hidden in part; hedges and hills, whose outlines no ellipse follows, are
    left out.
    """
    found = {region: round_crown(regions, region) for region in planting}
    return {region: curve for region, curve in found.items() if curve is not None}


def round_top(regions: Regions, region: int, base: int) -> Round | None:
    """The ellipsoid of a dome over the rim of another region, `base`, that hides its foot; None where its outline is no ellipse's."""
    import cv2

    x0, y0, x1, y1 = (int(v) for v in regions.box[region])
    x, y = _outline(regions.labels[y0:y1, x0:x1] == region).reshape(-1, 2).T
    beside = cv2.dilate((regions.labels == base).astype(np.uint8), np.ones((3, 3), np.uint8))
    free = beside[y0 + y, x0 + x] == 0
    x, y = x[free] + 0.5, y[free] + 0.5
    found = _ellipse(x, y) if len(x) >= 24 else None
    if found is None or np.mean(_off(found, x, y) < ASTRAY) < FULL or not 1 / SLIMMEST < found[2] / found[3] < SLIMMEST:
        return None
    return Round((found[0] + x0, found[1] + y0), found[2], found[3], False)


def round_crown(regions: Regions, region: int) -> Round | None:
    """The ellipsoid of one crown, or None where no ellipse follows its outline."""
    if not regions.area[region]:
        return None
    x0, y0, x1, y1 = (int(v) for v in regions.box[region])
    mask = regions.labels[y0:y1, x0:x1] == region
    found = _crown(mask, (x0 == 0, y0 == 0, x1 == regions.labels.shape[1], y1 == regions.labels.shape[0]))
    return found and replace(found, centre=(found.centre[0] + x0, found.centre[1] + y0))


def _crown(mask: np.ndarray, cut: tuple[bool, bool, bool, bool]) -> Round | None:
    """The ellipse with level axes that a crown's outline follows; `cut`: at which sides the picture ends there."""
    import cv2

    height, width = mask.shape
    whole = max(cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=len)
    x, y = whole.reshape(-1, 2).T + 0.5
    gone = ((x < 1) & cut[0]) | ((y < 1) & cut[1]) | ((x > width - 1) & cut[2]) | ((y > height - 1) & cut[3])
    x, y = x[~gone], y[~gone]
    if len(x) < 24:
        return None
    # What hides a part of it, or stands out, is no outline of its own: what most of it agrees on, from some arc, counts.
    best, most = None, 0
    for share in ARCS:
        arc = max(round(share * len(x)), 12)
        for first in range(0, len(x), max(len(x) // 24, 1)):
            own = np.arange(first, first + arc) % len(x)
            found = _ellipse(x[own], y[own])
            near = found is not None and np.count_nonzero(_off(found, x, y) < LOOSE / 3)
            if near and near > most:
                best, most = found, near
    for _ in range(3):
        if best is not None:
            near = _off(best, x, y) < LOOSE / 2
            best = _ellipse(x[near], y[near]) if near.sum() >= 12 else None
    if best is None:
        return None
    cx, cy, across, along = best
    if not 1 / SLIMMEST < across / along < SLIMMEST:
        return None
    ys, xs = np.mgrid[0:height, 0:width] + 0.5
    away = np.hypot((xs - cx) / across, (ys - cy) / along)
    beyond, filled = (away[mask] > 1 + LOOSE).mean(), mask[away < 1].mean()
    on_it = _off(best, x, y) < LOOSE
    turn = np.arctan2((y[on_it] - cy) / along, (x[on_it] - cx) / across)
    round_it = len(np.unique((turn + np.pi) // (np.pi / 12))) / 24
    if beyond > MOST_BEYOND or filled < LEAST_FILLED or round_it < LEAST_ROUND:
        return None
    return Round((float(cx), float(cy)), float(across), float(along), False)


def _ellipse(x: np.ndarray, y: np.ndarray) -> tuple[float, float, float, float] | None:
    """Middle and half axes of the ellipse with level axes through places (n,), by least squares."""
    middle, size = (x.mean(), y.mean()), max(np.ptp(x), np.ptp(y), 1.0)
    u, v = (x - middle[0]) / size, (y - middle[1]) / size
    (a, b, c, d), *_ = np.linalg.lstsq(np.stack([u * u, v * v, u, v], axis=1), np.ones(len(u)), rcond=None)
    if min(a, b) <= 1e-3:
        return None
    reach = 1 + c * c / (4 * a) + d * d / (4 * b)
    return (
        middle[0] - size * c / (2 * a), middle[1] - size * d / (2 * b), size * np.sqrt(reach / a), size * np.sqrt(reach / b),
    )  # fmt: skip


def _off(ellipse: tuple[float, float, float, float], x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """How far places are off an ellipse, in shares of its size."""
    cx, cy, across, along = ellipse
    return np.abs(np.hypot((x - cx) / across, (y - cy) / along) - 1)


def _one_drum(rounds: dict[int, Round], grey: np.ndarray, regions: Regions, pure: np.ndarray) -> dict[int, Round]:
    """Pieces of one cylinder that something in front of it parts: of one height and tint, and of one tone at the gap."""
    uprights = sorted((k for k, r in rounds.items() if r.upright), key=lambda k: regions.box[k, 0])
    groups: list[list[int]] = []
    for region in uprights:
        for group in groups:
            if _goes_on(group[-1], region, grey, regions, pure):
                group.append(region)
                break
        else:
            groups.append([region])
    for group in groups:
        low, high = regions.box[group, 0].min(), regions.box[group, 2].max()
        if len(group) > 1:
            for region in group:
                middle = (float(low + high) / 2, rounds[region].centre[1])
                rounds[region] = replace(rounds[region], centre=middle, across=float(high - low) / 2, lean=0.0)
    return rounds


def _goes_on(first: int, second: int, grey: np.ndarray, regions: Regions, pure: np.ndarray) -> bool:
    a, b = regions.box[first], regions.box[second]
    tall = max(a[3] - a[1], b[3] - b[1])
    gap, wide = b[0] - a[2], min(a[2] - a[0], b[2] - b[0])
    if max(abs(a[1] - b[1]), abs(a[3] - b[3])) > 0.12 * tall or gap > wide or gap < -0.5 * wide:
        return False
    if tints_apart(regions.colour[first], regions.colour[second]) > 0.01:
        return False
    tones = []
    for region, edge in ((first, a[2]), (second, b[0])):
        rim = slice(int(edge) - 8, int(edge) - 2) if region == first else slice(int(edge) + 2, int(edge) + 8)
        own = (regions.labels[:, rim] == region) & pure[:, rim]
        tones.append(float(grey[:, rim][own].mean()) if own.any() else np.inf)
    return abs(tones[0] - tones[1]) < 8


def _by_shade(grey: np.ndarray, inside: np.ndarray, mask: np.ndarray, lean: float) -> Round | None:
    y, x = np.nonzero(inside)
    if len(x) < LEAST_AREA // 2:
        return None
    step = max(1, len(x) // MOST)
    x, y = x[::step].astype(float), y[::step].astype(float)
    value = grey[y.astype(int), x.astype(int)]
    if np.subtract(*np.percentile(value, [97, 3])) < LEAST_SPAN:
        return None
    u, v = (x - x.mean()) / max(np.ptp(x), 1), (y - y.mean()) / max(np.ptp(y), 1)
    total = value.var()
    one = np.ones_like(u)
    ramp = _left(np.stack([one, u, v], 1), value) / total
    if ramp < BENT:
        return None
    set_up = x - lean * y
    bins = np.minimum((set_up - set_up.min()) / max(np.ptp(set_up), 1) * 24, 23).astype(int)
    mean = np.bincount(bins, value, 24) / np.maximum(np.bincount(bins, minlength=24), 1)
    over_x = 1 - ((value - mean[bins]) ** 2).mean() / total
    if over_x > ALONG:
        return _upright(mask, lean)
    bowl = _left(np.stack([one, u, v, u * u, v * v, u * v], 1), value) / total
    if bowl < 0.5 and ramp - bowl > 0.04:
        return _by_outline(mask, least=0.72) if mask.mean() < FULL else _upright(mask, lean)
    return None


def _left(columns: np.ndarray, value: np.ndarray) -> float:
    """Variance that a least-squares fit leaves over."""
    fit, *_ = np.linalg.lstsq(columns, value, rcond=None)
    return float(((value - columns @ fit) ** 2).mean())


def _lean(camera: Camera, place: tuple[float, float]) -> float:
    """px to the right that an upright axis goes for each px down at a picture position."""
    origin, ray = (a[0].astype(float) for a in camera.rays(*np.array(place)[:, None]))
    (x0, x1), (y0, y1) = camera.project(np.stack([origin + ray, origin + ray - [0, 0, 0.01]]))[0].T
    return float(np.clip((x1 - x0) / (y1 - y0), -MOST_LEAN, MOST_LEAN)) if y1 - y0 > 1e-6 else 0.0


def _sides(rows: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where the mask (h, w) begins and ends in each of its rows, px."""
    return np.argmax(rows, axis=1), rows.shape[1] - np.argmax(rows[:, ::-1], axis=1)


def _upright(mask: np.ndarray, lean: float) -> Round | None:
    """A cylinder between the outermost upright sides of a region."""
    rows = np.flatnonzero(mask.any(axis=1))
    middle = mask.shape[0] / 2
    shift = lean * (rows - middle)
    left, right = _sides(mask[rows])
    low, high = float(np.percentile(left - shift, 10)), float(np.percentile(right - shift, 90))
    if high - low < 4:
        return None
    return Round(((low + high) / 2, middle), (high - low) / 2, middle, True, lean)


def _outline(mask: np.ndarray) -> np.ndarray:
    """The outline (N, 1, 2) px of the largest piece of a region."""
    import cv2

    outlines, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return max(outlines, key=cv2.contourArea)


def _drawn_ball(mask: np.ndarray) -> Round | None:
    """An ellipsoid whose outline keeps to its ellipse all along: where no shade speaks, many a polygon covers one as well."""
    found = _by_outline(mask)
    if found is None:
        return None
    narrow, wide = sorted((found.across, found.along))
    if narrow < NARROWEST or wide > SLIMMEST * narrow:
        return None
    x, y = _outline(mask).reshape(-1, 2).T
    own = y < len(mask) - 2  # the upper half of a ball has a flat foot
    off = _off((*found.centre, found.across, found.along), x[own], y[own])
    return found if (off < max(ASTRAY, ASTRAY_PX / narrow)).mean() > FOLLOWED else None


def _by_outline(mask: np.ndarray, least: float = ELLIPSE) -> Round | None:
    """An ellipsoid whose outline, or the part of it that is seen, is an ellipse with level axes."""
    import cv2

    outline = _outline(mask)
    if len(outline) < 24 or cv2.contourArea(outline) < min(least, 0.9) * cv2.contourArea(cv2.convexHull(outline)):
        return None
    height, width = mask.shape
    cx, across = (width - 1) / 2, width / 2
    best = (0.0, None)
    for cy, along in (((height - 1) / 2, height / 2), (height - 1.0, float(height))):  # whole, or the upper half
        shape = np.zeros(mask.shape, np.uint8)
        cv2.ellipse(shape, (int(round(cx)), int(round(cy))), (int(across), int(along)), 0, 0, 360, 1, -1)
        both = (shape.astype(bool) & mask).sum() / max((shape.astype(bool) | mask).sum(), 1)
        best = max(best, (float(both), Round((cx, cy), across, along, False)), key=lambda entry: entry[0])
    return best[1] if best[0] >= least else None
