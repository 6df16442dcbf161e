"""Whether what looks like sky can be sky, now that the camera is known."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.camera import Camera
from irodori.core.pixels.nearest import filled_from_nearest
from irodori.structure.background.ceilings import under_ridges
from irodori.structure.camera.line_directions import UPRIGHTS, Families
from irodori.structure.regions.colours import is_sky_blue, is_sky_tone
from irodori.structure.regions.graded_background import background_pieces
from irodori.structure.regions.measure import Regions, leafy

NEAR_HORIZON = 0.04
"""Share of the picture's height within which sky comes down to the horizon somewhere."""

UPRIGHT_SHARE = 0.06

NARROW = 0.15
"""Share of the picture's width up to which what has a ceiling on both its sides stands before it."""

OVERHEAD = 0.97
"""Share of a ceiling that lies above the horizon at least."""

LEVEL_VIEW, DEEP, MOST_DEEP = 0.14, 0.15, 0.5
"""Sine of the pitch of a view straight ahead at most; the share of the picture's height below the horizon at which sky ends in
one at most, and the share of its width where it may be more."""

ALONG_THE_TOP, PLATE_SIDE, MOST_OF_EDGE, FOOT = 0.8, 0.15, 0.6, 6.0
"""Shares of the picture's width: of its top that what lies around a plate takes at least, and of each far side of the plate; the
share of the border that the two take; and px under an upright's foot at which one looks for what it stands on."""

THING = 0.0002
"""Share of the picture that a thing apart from others takes at least."""

LAMP, LAMP_EDGE = 150, 12.0
"""px of something that hangs from a ceiling, and px of an edge of it."""

LARGE, SLANTS = 0.004, 0.03
"""Share of the picture that a lamp takes at least which lettering does not; and the sine at which its edges run into the picture."""

GREENERY = 0.1
"""Share of the picture's width that hills and trees take under the sky: plants in a room do not reach so far along its
ceiling."""

CORNER, BESIDE, BORDER = 30.0, 14, 42.0
"""px of an upright edge in which walls meet; px beside it at which their upper edges are looked at; and px over or under its end
within which these are."""

MOST_BELOW = 0.7
"""Share of sky below the horizon: a model's ground often ends before it."""

BROAD, LAND = 0.05, 0.01
"""Shares of the picture that a second piece of sky takes beside a building that leaves the picture at its top, and that land
takes at least."""

BY, THREAD = 9, 7
"""px, odd, across which a segment lies beside a region, and under which pieces of one colour hang together by chance."""

LEAST_ELSEWHERE, AT_HORIZON, ALONG_HORIZON = 0.004, 0.04, 0.5
"""Shares of the picture that sky takes at least that does not reach its top, of its height within which that ends at the horizon, and of
its columns in which it does."""

STOREYS, STOREYED = 2, 0.25
"""How often sky begins anew under other things in one column of the picture at most; and in which share of its columns it may."""

TOUCHING, SAME_COLOUR = 12, 1.5
"""px of border from which two regions are neighbours; and 8-bit steps up to which two colours are one."""

RIM = 5
"""px, odd, across which what is left of a region beside emptiness is only its rim."""

SPECK, LEAVES, MOST_FRAMED = 40, 8, 0.3
"""px that a hole must be large to be one; how many are a tree's leaves, and what share of these has level edges at most."""

FLAT, ABOVE, FAR_EDGE = 0.3, 4.0, 0.08
"""Slope of a line up to which something lies over it; px over it at which one looks; and the share of the picture's height by
which land ends under the horizon at most."""

ON_LINE, SLACK, POST = 1.0, 0.5, 40.0
"""px that a piece may lie off the line of another, and more for each length of that by which it is away; and px that a post
between them is wide at most."""

MOST_OF_FOOT, MOST_BAYS = 0.4, 12
"""Share of its width with which what is sky stands on the land's far edge, and how many bays side by side are looked into."""


def empty_sky(labels: np.ndarray, sky: int, alpha: np.ndarray | None) -> tuple[np.ndarray, int, bool]:
    """Labels (H, W) in which all that a picture does not cover, by its `alpha` (H, W), is one, the sky; its number; and whether
    the picture tells so."""
    if alpha is None:
        return labels, sky, False
    empty = alpha < 0.5
    # What is left of a region that was mostly emptiness is its soft rim, or a surface of the same tone.
    size, gone = (np.bincount(labels.ravel(), over, int(labels.max()) + 1) for over in (None, empty.ravel()))
    left = ~empty & (gone > size / 2)[labels]
    core = cv2.erode(left.astype(np.uint8), np.ones((RIM, RIM), np.uint8)) > 0
    rim = left & ~np.isin(labels, labels[core])
    number = int(labels.max()) + 1
    if (~empty & ~rim).any():
        labels = filled_from_nearest(labels, rim | empty)
    return np.where(empty, number, labels).astype(np.int32), number, True


def tell_sky(
    region: int, regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families, *,
    drawn: bool,
) -> tuple[int, int, int]:  # fmt: skip
    """What a region that may be the sky is: its number as the sky's, a ceiling's or the ground's, 0 for the others.

    Parameters are those of `is_open_sky`. What is dim and no sky may be anything.
    """
    if is_ground_around(region, regions, camera):
        return 0, 0, region
    if region in under_ridges(regions, camera, segments, sides, families):
        return 0, 0, 0
    if drawn and camera.projection == "perspective":
        own = regions.labels == region
        if _is_storeyed(own) and _hangs_from(own, segments, families):
            beside = _sky_beside_a_front(region, regions, camera, segments, sides, families)
            if beside:
                return beside, 0, 0
    if is_open_sky(region, regions, camera, segments, sides, families, drawn=drawn):
        return region, 0, 0
    over = (drawn or is_sky_tone(regions.colour[region])) and is_overhead(region, regions, camera)
    return 0, region if over else 0, 0


def sky_elsewhere(regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families) -> int:
    """The sky beside or under what hides it at the top of a picture, a canopy or an arcade: the largest region of a light blue that
    hardly any surface has, over the horizon, which ends at that or is cut off by the picture's side and open; 0 where there is none."""
    horizon = camera.horizon()
    if horizon is None:
        return 0
    height, width = regions.labels.shape
    line = _horizon_at(horizon, np.arange(width), width)
    cut = set(np.unique(np.concatenate([regions.labels[:, 0], regions.labels[:, -1], regions.labels[0]])).tolist())
    broad = np.flatnonzero(regions.area > LEAST_ELSEWHERE * regions.labels.size)
    for region in sorted(broad.tolist(), key=lambda r: -regions.area[r]):
        # A model's land often ends a little under the horizon.
        over = is_overhead(region, regions, camera, under=AT_HORIZON * height)
        if not over or not is_sky_blue(regions.colour[region]):
            continue
        lowest = _lowest(regions.labels == region)
        columns = np.flatnonzero(lowest >= 0)
        ends = (np.abs(lowest[columns] - line[columns]) < AT_HORIZON * height).mean() > ALONG_HORIZON
        if ends or (region in cut and is_open_sky(region, regions, camera, segments, sides, families, drawn=False)):
            return region
    return 0


def same_sky(sky: int, regions: Regions, camera: Camera) -> list[int]:
    """Regions over the horizon in the very colour of a `sky` that things part."""
    under = AT_HORIZON * regions.labels.shape[0]
    return [r for r in _of_colour(sky, regions).tolist() if r and is_overhead(r, regions, camera, under=under)]


def _of_colour(sky: int, regions: Regions) -> np.ndarray:
    """Regions in the very colour of one."""
    same = np.abs(regions.colour - regions.colour[sky]).max(axis=1) < SAME_COLOUR
    return np.flatnonzero(same & (regions.area > 0))


def rest_of_dim_sky(sky: int, regions: Regions, encoded: np.ndarray) -> list[int]:
    """Regions in which a dim `sky` of an 8-bit picture (H, W, 3) shows, too: in its very colour, through railings and leaves, or
    where its own change of colour goes on; light ones have all of it."""
    if is_sky_tone(regions.colour[sky]):
        return []
    return sorted({*_of_colour(sky, regions), *background_pieces(encoded, regions.labels, sky)})


def _sky_beside_a_front(
    front: int, regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families
) -> int:
    """The sky beside a front of a drawing that leaves the picture at its top; 0 where there is none."""
    for region in _at_top(regions, front):
        bare = not _hangs_from(regions.labels == region, segments, families)
        if bare and is_open_sky(region, regions, camera, segments, sides, families, drawn=True):
            return region
    return 0


def is_open_sky(
    region: int, regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families, *,
    drawn: bool,
) -> bool:  # fmt: skip
    """Tell the sky from a ceiling, from a wall and from ground that reaches the top of the picture.

    Sky lies above the horizon, and either comes down to it or has uprights standing against it; it holds nothing with
    level edges (but lettering, where it is `drawn`, which is small or faces the eye), and hills and trees end under it. A ceiling ends at
    level lines only, but for columns before it where lamps hang from it or walls meet under it; `sides` are `line_sides` of the segments. The background of a parallel view is always open.
    """
    if camera.projection == "parallel":
        return True
    horizon = camera.horizon()
    if horizon is None:
        return False
    height, width = regions.labels.shape
    own = regions.labels == region if drawn else _from_the_top(regions.labels == region)
    dim = not drawn and not is_sky_tone(regions.colour[region])
    if not drawn and own[-1].any() and not (own[:, 0].any() and own[:, -1].any()):
        return False  # what reaches the picture's foot is no sky, unless all stands before nothing
    if dim and _meets_corners(region, own, regions, segments, families):
        return False
    columns = np.flatnonzero(own.any(axis=0))
    lowest = _lowest(own)[columns]
    line = _horizon_at(horizon, np.arange(width), width)
    below = (np.arange(height)[:, None] > line) & own
    holds = _hangs_from(own, segments, families)
    from_above = camera.rotation[2, 2] < -LEVEL_VIEW
    if from_above and not holds and _is_beyond_a_plate(region, own, regions, segments, sides, families):
        return True
    if (
        from_above
        and not drawn
        and is_sky_blue(regions.colour[region])
        and own[0].mean() > ALONG_THE_TOP
        and not own[-1].any()
    ):
        return True
    if below.sum() > MOST_BELOW * own.sum() or (holds and not drawn):
        return False
    if drawn and holds and _hangs_from(own, segments, families, least=LARGE * own.size, slants=SLANTS):
        return False
    if abs(camera.rotation[2, 2]) < LEVEL_VIEW and (lowest > line[columns] + DEEP * height).mean() > MOST_DEEP:
        return False  # to an eye that looks straight ahead the ground does not end so near
    if (lowest > line[columns] - NEAR_HORIZON * height).sum() > 0.01 * width:
        return True
    beside = ((sides[:, 1] == region) != (sides[:, 2] == region)) & (families.label[sides[:, 0].astype(int)] >= 0)
    if not beside.any() or (not drawn and _over_greenery(region, regions, sides, families)):
        return True
    corners = _meets_corners(region, own, regions, segments, families)
    if not drawn and is_sky_blue(regions.colour[region]) and not corners:
        return True
    rows = sides[beside]
    if not drawn:
        rows = rows[_beside(own, segments[rows[:, 0].astype(int)])]
        if not len(rows):
            return False
    index = rows[:, 0].astype(int)
    upright = ~families.level[index]
    if holds or dim or corners:
        # Columns and cupboards stand before a ceiling as well; what is broad stands against the sky.
        other = np.where(rows[:, 1] == region, rows[:, 2], rows[:, 1]).astype(int)
        low, high = regions.box[other, 0], regions.box[other, 2]
        left = upright & (segments[index][:, [0, 2]].mean(axis=1) < (low + high) / 2)
        pierced = np.isin(other, other[left]) & np.isin(other, other[upright & ~left]) & (high - low < NARROW * width)
        upright &= ~regions.slim[other] & ~pierced
    return bool(rows[upright, 3].sum() > UPRIGHT_SHARE * rows[:, 3].sum())


def _from_the_top(own: np.ndarray) -> np.ndarray:
    """The pieces of a place (H, W) bool that reach the top of the picture, or all of it if none does: what is of the same colour lower
    down, or hangs together with them by a thread, may be anything."""
    broad = cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_OPEN, np.ones((THREAD, THREAD), np.uint8))
    _, parts = cv2.connectedComponents(broad, connectivity=4)
    at_top = np.unique(parts[:3][broad[:3] > 0])
    return np.isin(parts, at_top) if len(at_top) else own


def _beside(own: np.ndarray, segments: np.ndarray) -> np.ndarray:
    """Which of some segments (N, 4) run along a place (H, W) bool, (N,) bool."""
    height, width = own.shape
    near = cv2.dilate(own.astype(np.uint8), np.ones((BY, BY), np.uint8)) > 0
    x, y = np.clip(((segments[:, :2] + segments[:, 2:]) / 2).astype(int), 0, [width - 1, height - 1]).T
    return near[y, x]


def _over_greenery(region: int, regions: Regions, sides: np.ndarray, families: Families) -> bool:
    """Whether a region begins right above hills and trees: above what is green, along no line of the frame."""
    green = leafy(regions)
    upper, lower, along = regions.stacked
    label, both = families.label[sides[:, 0].astype(int)], sides[:, 1:3].astype(int)
    framed = (label >= 0) & (label < 3) & (both == region).any(axis=1) & green[both].any(axis=1)
    length = along[(upper == region) & green[lower]].sum() - sides[framed, 3].sum()
    return bool(length > GREENERY * regions.labels.shape[1])


def _is_beyond_a_plate(
    region: int, own: np.ndarray, regions: Regions, segments: np.ndarray, sides: np.ndarray, families: Families
) -> bool:
    """Whether a region (H, W) is what lies around a model's plate, seen from above: it runs along the top of the picture and
    down both sides, about a far corner in which two level edges meet, and nothing stands on it."""
    height, width = own.shape
    if own[0].mean() < ALONG_THE_TOP or not (own[:, 0].any() and own[:, -1].any()):
        return False
    rows = sides[(sides[:, 1] == region) != (sides[:, 2] == region)]
    rows = rows[families.level[rows[:, 0].astype(int)]]
    along = np.bincount(families.label[rows[:, 0].astype(int)], rows[:, 3], minlength=len(families.ways))
    first, second = np.argsort(-along, kind="stable")[:2]
    if min(along[first], along[second]) < PLATE_SIDE * width or abs(families.ways[first] @ families.ways[second]) > 0.1:
        return False
    for x0, y0, x1, y1 in segments[families.label == UPRIGHTS]:
        x, y = (x0, y0) if y0 > y1 else (x1, y1)
        if abs(y1 - y0) > CORNER and regions.at(np.array([x, min(y + FOOT, height - 1)])) == region:
            return False
    return bool(along[[first, second]].sum() > MOST_OF_EDGE * (_lowest(own) < height - 1).sum())


def is_ground_around(region: int, regions: Regions, camera: Camera) -> bool:
    """Whether what lies around all things in a parallel view from above is the ground they stand on.

    Around one thing that is wholly in the picture, as a room without its roof often is, there may be nothing; things
    apart from each other stand on something, and a picture is cut where there is more.
    """
    import cv2

    if camera.projection != "parallel" or camera.rotation[2, 2] > -LEVEL_VIEW or is_sky_blue(regions.colour[region]):
        return False
    height, width = regions.labels.shape
    _, _, stats, _ = cv2.connectedComponentsWithStats((regions.labels != region).astype(np.uint8), connectivity=8)
    things = stats[1:][stats[1:, cv2.CC_STAT_AREA] > THING * height * width]
    low, size = things[:, :2], things[:, 2:4]
    cut = np.concatenate([low <= 1, low + size >= np.array([width, height]) - 1], axis=1).any(axis=0)
    return len(things) > 1 or cut.sum() > 1


def is_overhead(region: int, regions: Regions, camera: Camera, *, under: float = 0.0) -> bool:
    """Whether a region lies above the horizon, all but a little, or above a line `under` px below it."""
    horizon = camera.horizon()
    if horizon is None:
        return False
    line = _horizon_at(horizon, regions.pixels[region][:, 0], camera.size[0])
    return bool((regions.pixels[region][:, 1] < line + under).mean() > OVERHEAD)


def _horizon_at(horizon, x, width: int):
    """The horizon's y at x, px, from its two ends in a picture of some `width`."""
    return np.interp(x, [0, width], [horizon[0][1], horizon[1][1]])


def _lowest(own: np.ndarray) -> np.ndarray:
    """The lowest row of a region (H, W) in each column, (W,); −1 where it is not."""
    return np.where(own.any(axis=0), len(own) - 1 - np.argmax(own[::-1], axis=0), -1)


def _held_in(own: np.ndarray, least: float) -> tuple[np.ndarray, np.ndarray]:
    """Pieces of the picture (H, W) that are not a region's, by number, and which of these, of more than `least` px, it is all
    round."""
    import cv2

    _, parts, stats, _ = cv2.connectedComponentsWithStats((~own).astype(np.uint8), connectivity=4)
    held = stats[:, cv2.CC_STAT_AREA] > least
    held[np.unique(np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]]))] = False
    held[0] = False
    return parts, held


def _hangs_from(
    own: np.ndarray, segments: np.ndarray, families: Families, *, least: float = LAMP, slants: float = 0.0
) -> bool:
    """Whether something of `least` px with level edges is all round in a region (H, W), as lamps are in a ceiling; no sky holds
    such. Its edges' sine to the picture's foot is `slants` at least."""
    return bool(_with_level_edges(own, segments, families, least, slants).any())


def _with_level_edges(
    own: np.ndarray, segments: np.ndarray, families: Families, least: float, slants: float
) -> np.ndarray:
    """Which of the things of `least` px that are all round in a region (H, W) have level edges, (N,) bool."""
    parts, held = _held_in(own, least)
    if not held.any():
        return np.zeros(0, bool)
    level = np.flatnonzero(families.level)
    length = np.hypot(segments[level, 2] - segments[level, 0], segments[level, 3] - segments[level, 1])
    counts = (length > LAMP_EDGE) & (np.abs(segments[level, 3] - segments[level, 1]) >= slants * length)
    height, width = own.shape
    x, y = np.clip(((segments[level, :2] + segments[level, 2:]) / 2).astype(int), 0, [width - 1, height - 1]).T
    # A line runs on a thing's rim, or a px beside it.
    near = parts[np.clip(y + np.array([[-2], [0], [2]]), 0, height - 1), x]
    there = (near * held[near]).max(axis=0)
    edges = np.bincount(there, counts, minlength=len(held))
    return edges[held] >= 2


def _meets_corners(region: int, own: np.ndarray, regions: Regions, segments: np.ndarray, families: Families) -> bool:
    """Whether walls meet under a region in corners of a room and none of a building: with its border lowest there, not
    highest."""
    width, lowest = own.shape[1], _lowest(own)
    inner, outer = 0, 0
    for x0, y0, x1, y1 in segments[families.label == UPRIGHTS]:
        x, y = (x0, y0) if y0 < y1 else (x1, y1)
        if abs(y1 - y0) < CORNER or regions.at(np.array([x, y - 5.0])) != region:
            continue
        if region in (regions.at(np.array([x - 5.0, y + 8.0])), regions.at(np.array([x + 5.0, y + 8.0]))):
            continue
        left, right = int(x) - BESIDE, int(x) + BESIDE
        if left < 0 or right >= width or min(lowest[left], lowest[right]) < 0:
            continue
        rise = y - lowest[[left, right]]
        # Farther up or down, it is the border of something else that begins beside the edge.
        inner += bool(((rise > 0.5) & (rise < BORDER)).all())
        outer += bool(((rise < -0.5) & (rise > -BORDER)).all())
    return inner > 0 and outer == 0


def more_sky(
    sky: int, regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray, families: Families
) -> list[int]:
    """Further regions of a drawing that are sky: beyond a building that leaves the picture at its top, or under a canopy.

    Colour does not tell them. The first kind reaches the top and a side of the picture, holds nothing and is open; under
    the second the land ends on the line on which it ends under the sky. No line parts sky from sky.
    """
    if camera.projection == "parallel":
        return []
    own, other, size = regions.neighbours
    beside = set(other[(own == sky) & (size > TOUCHING)].tolist())
    found = [
        region
        for region in _at_top(regions, sky)
        if region not in beside
        and is_open_sky(region, regions, camera, segments, sides, families, drawn=True)
        and not _is_front(regions.labels == region, segments, families)
    ]
    return sorted({*found, *_beyond_the_land({sky, *found}, regions, camera, segments, sides)})


def _is_front(own: np.ndarray, segments: np.ndarray, families: Families) -> bool:
    """Whether a region (H, W) is parted by, or holds, what a front does and sky behind leaves does not."""
    framed = _with_level_edges(own, segments, families, SPECK, 0.0)
    leaves = len(framed) >= LEAVES and framed.mean() < MOST_FRAMED
    return not leaves and bool(framed.any() or _is_storeyed(own))


def _at_top(regions: Regions, sky: int) -> list[int]:
    """Broad regions but the `sky` that reach the top and a side of the picture."""
    at_top = set(np.unique(regions.labels[:3]).tolist()) & set(np.unique(regions.labels[:, [0, -1]]).tolist())
    return [r for r in sorted(at_top - {0, sky}) if regions.area[r] > BROAD * regions.labels.size]


def _is_storeyed(own: np.ndarray) -> bool:
    """Whether a region (H, W) is parted above and below other things again and again, as a front is by its windows."""
    starts = (own[1:] & ~own[:-1]).sum(axis=0) + own[0]
    columns = own.any(axis=0)
    return bool((starts[columns] > STOREYS).mean() > STOREYED)


def _beyond_the_land(
    skies: set[int], regions: Regions, camera: Camera, segments: np.ndarray, sides: np.ndarray
) -> list[int]:
    """Regions that stand on the far edge of land just as the sky does: on pieces of one line, right under the horizon."""
    horizon = camera.horizon()
    if horizon is None:
        return []
    height, width = regions.labels.shape
    rim = np.unique(np.concatenate([regions.labels[-1], regions.labels[:, 0], regions.labels[:, -1]]))
    land = set(rim[regions.area[rim] > LAND * regions.labels.size].tolist())
    edges: list[int] = []
    meets: list[tuple[int, int]] = []
    for index, *both, _ in sides:
        index, a, b = int(index), int(both[0]), int(both[1])
        x0, y0, x1, y1 = segments[index]
        middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
        under = middle[1] - _horizon_at(horizon, middle[0], width)
        level = abs(y1 - y0) < FLAT * abs(x1 - x0) and -ABOVE < under < FAR_EDGE * height
        if not level or a == b or 0 in (a, b):
            continue
        over = a if regions.at(middle - [0, ABOVE]) == a or regions.at(middle + [0, ABOVE]) == b else b
        if over not in skies:
            meets.append((index, over))
        elif a + b - over in land:
            edges.append(index)
    under_sky = [segments[index] for index in edges]
    wide = regions.box[:, 2] - regions.box[:, 0]
    found: list[int] = []
    for _ in range(MOST_BAYS):
        foot: dict[int, np.ndarray] = {}
        for index, over in meets:
            own = segments[index]
            low = over not in found and regions.box[over, 3] < own[[1, 3]].max() + ABOVE
            if low and any(_goes_on(own, edge) for edge in under_sky):
                start, end = sorted(own[[0, 2]].astype(int))
                foot.setdefault(over, np.zeros(width, bool))[max(start, 0) : end] = True
        more = [region for region, own in foot.items() if own.sum() > MOST_OF_FOOT * wide[region]]
        if not more:
            break
        found += more
        under_sky += [segments[index] for index, over in meets if over in more]
    return found


def _goes_on(segment: np.ndarray, other: np.ndarray) -> bool:
    """Whether a segment carries another on beyond a post."""
    start, way = other[:2], other[2:] - other[:2]
    long = np.hypot(*way)
    along, across = ((segment.reshape(2, 2) - start) @ np.array([way, [-way[1], way[0]]]).T / long).T
    gap = max(along.min() - long, -along.max(), 0.0)
    return bool(gap < POST and np.abs(across).max() < ON_LINE + SLACK * np.abs(along - long / 2).max() / long)
