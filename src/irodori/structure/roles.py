"""What each region is, by orientation, place, size and colour."""

from __future__ import annotations

import colorsys
from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.borders import border_pairs
from irodori.structure.orientation import CARD, LEVEL, SLOPE
from irodori.structure.regions import Regions, under_sky
from irodori.structure.round import Round
from irodori.structure.scale import plane_points

DOOR_HEIGHT, DOOR_WIDTH = (1.75, 2.7), (0.6, 1.6)
SLIM = 0.16
"""m across, under which an upright piece is a frame's or a bar's."""

POST = 0.75
WORKTOP = 1.35
"""m over the floor, up to which level and upright pieces indoors are furniture's."""

LARGE = 0.004
"""Share of the picture from which a region is a large one."""

ONE_COLOUR = 2.0
"""8-bit steps within which two level surfaces are of one colour."""

PANE, PANES = (0.45, 3.5), 4
"""m, how wide panes are, and how many alike make a glazed front."""

OPEN = 0.4
"""Share of its width that may lie right under the sky, for a pane."""

DOWNWARD = -0.2
"""Third part of a view's direction below which it looks down on things."""

FASCIA = 0.7
WIDEST_STAIR = 6.0
ENCLOSED = 0.6
"""Share of a piece's border that one neighbour takes, from which it lies in that."""


@dataclass(frozen=True, eq=False)
class _Piece:
    """Measures of a region: `low`, `high` m over the ground, `wide` m, `thin` m across; `host` the neighbour that takes
    most of its border, with what `share`."""

    low: float
    high: float
    wide: float
    thin: float
    host: int
    share: float


def is_outdoors(
    regions: Regions, camera: Camera, normals: np.ndarray, sky: int, planting: list[int], *, coloured: bool
) -> bool:
    """Whether a view is of the open: sky shows, or, seen from above, greenery or water lies on the ground."""
    whole = regions.labels.size
    if sky and regions.area[sky] > 0.01 * whole:
        return True
    above = camera.rotation[2, 2] < DOWNWARD
    if not above or not coloured:
        return above and len(planting) > 0
    level = np.flatnonzero(normals[:, 2] > 0.95)
    alive = [region for region in level.tolist() if any(_tone(regions.colour[region])[:2])]
    return regions.area[[*alive, *planting]].sum() > 0.05 * whole


def guess_roles(
    regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, distance: np.ndarray, *,
    sky: int, planting: list[int], rounds: dict[int, Round], anchor: int, outdoors: bool, coloured: bool,
) -> tuple[list[str], np.ndarray]:  # fmt: skip
    """A role and its confidence for every region (index 0 unused).

    `anchor` is the ground; in drawings colours say nothing (`coloured` False).
    """
    count = len(regions.area)
    roles, sure = ["other"] * count, np.full(count, 0.5)
    pieces = _measure(regions, camera, normals, distance, anchor)
    for region in range(1, count):
        if regions.area[region] == 0:
            continue
        if region == sky:
            roles[region], sure[region] = "sky", 0.95
        elif region in planting:
            roles[region], sure[region] = "planting", 0.8
        else:
            tone = _tone(regions.colour[region]) if coloured else (False, False, 1.0)
            curve = rounds.get(region)
            large = regions.area[region] > LARGE * regions.labels.size
            roles[region], sure[region] = _role(
                kinds[region], normals[region], tone, pieces[region], curve, large, outdoors, coloured
            )
    if coloured:
        for region, role in _ground_far_off(regions, normals, roles):
            roles[region], sure[region] = role, 0.5
    else:
        for region in _rows_of_panes(pieces, normals, roles, outdoors):
            roles[region], sure[region] = "glazing", 0.5
        # Something carries the roof: a pane has not the sky, or a tree before it, right above it.
        for region in np.flatnonzero(under_sky(regions, sky, planting) > OPEN):
            if roles[region] == "glazing":
                roles[region], sure[region] = "wall", 0.4
    return roles, sure


def _ground_far_off(regions: Regions, normals: np.ndarray, roles: list[str]) -> list[tuple[int, str]]:
    """Level regions taken for roofs that have the very colour of the ground: what hides their foot lifted them."""
    level = normals[:, 2] > 0.98
    ground = [r for r, role in enumerate(roles) if level[r] and role in ("lawn", "paving", "water")]
    ground = [r for r in ground if regions.area[r] > LARGE * regions.labels.size]
    if not ground:
        return []
    out = []
    for region in np.flatnonzero(level & (np.array(roles) == "roof")).tolist():
        unlike = np.abs(regions.colour[ground] - regions.colour[region]).max(axis=1)
        if unlike.min() < ONE_COLOUR:
            out.append((region, roles[ground[int(unlike.argmin())]]))
    return out


def _rows_of_panes(pieces: list[_Piece], normals: np.ndarray, roles: list[str], outdoors: bool) -> np.ndarray:
    """Regions that are one of several alike side by side: the panes of a glazed front, which no colour tells."""
    like = np.array([role in ("wall", "door", "glazing") for role in roles])
    low, high, wide = (np.array([getattr(p, name) for p in pieces]) for name in ("low", "high", "wide"))
    like &= (wide > PANE[0]) & (wide < PANE[1]) & (high - low > PANE[0]) & (outdoors | (high > WORKTOP))
    own = np.flatnonzero(like)
    alike = np.abs(normals[own] @ normals[own].T) > 0.98
    for value in (low, high):
        alike &= np.abs(value[own][:, None] - value[own]) < 0.25
    alike &= np.abs(np.log(wide[own][:, None] / wide[own])) < np.log(1.5)
    return own[alike.sum(axis=1) >= PANES]


def _measure(regions: Regions, camera: Camera, normals: np.ndarray, distance: np.ndarray, anchor: int) -> list[_Piece]:
    count = len(regions.area)
    low, high, _, _ = border_pairs(regions.labels)
    pair, size = np.unique(np.concatenate([low * count + high, high * count + low]), return_counts=True)
    own, other = np.divmod(pair, count)
    total = np.bincount(own, size, count)
    host, share = np.zeros(count, int), np.zeros(count)
    for at in np.argsort(size, kind="stable"):
        host[own[at]], share[own[at]] = other[at], size[at] / total[own[at]]
    ground = -float(distance[anchor]) if normals[anchor, 2] > 0.9 else -1.6
    out = []
    for region in range(count):
        place = regions.pixels[region]
        if region == 0 or len(place) == 0 or not normals[region].any():
            out.append(_Piece(0.0, 0.0, 0.0, 1.0, 0, 0.0))
            continue
        box = regions.main_box[region]
        place = place[((place >= box[:2]) & (place <= box[2:])).all(axis=1)]
        one = np.ones(len(place))
        points = plane_points(camera, one[:, None] * normals[region], one * distance[region], place) - camera.position
        z = np.percentile(points[:, 2], [3, 97]) - ground
        flat = points[:, :2] - points[:, :2].mean(axis=0)
        wide = np.ptp(flat @ np.linalg.svd(flat, full_matrices=False)[2][0])
        x0, y0, x1, y1 = box
        depth = float(np.linalg.norm(np.median(points, axis=0)))
        thin = regions.area[region] / max(np.hypot(x1 - x0, y1 - y0), 1) * float(camera.footprint(depth))
        out.append(_Piece(float(z[0]), float(z[1]), float(wide), float(thin), int(host[region]), float(share[region])))
    return out


def role_of_plane(normal: np.ndarray, height: float, colour: np.ndarray) -> str:
    """Role of a surface whose unit normal (3,), height over the lowest level surface (m) and 8-bit colour (3,) are known."""
    blue, green, lightness = _tone(colour)
    if normal[2] > 0.95:
        if height > 2.4:
            return "roof"
        return "water" if blue else "lawn" if green else "paving"
    if normal[2] < -0.3:
        return "soffit"
    if normal[2] > 0.2:
        return "lawn" if green else "roof"
    if blue and lightness > 0.25:
        return "glazing"
    return "planting" if green else "wall"


def _tone(colour: np.ndarray) -> tuple[bool, bool, float]:
    """Whether an 8-bit colour is a blue or a green, and its lightness."""
    hue, lightness, saturation = colorsys.rgb_to_hls(*(colour / 255.0))
    return 0.47 < hue < 0.66 and saturation > 0.10, 0.17 < hue < 0.42 and saturation > 0.16, lightness


def _role(kind, normal, tone, piece: _Piece, curve: Round | None, large: bool, outdoors: bool, coloured: bool):
    blue, green, lightness = tone
    if curve is not None:
        if not curve.upright:
            return (
                ("planting", 0.6)
                if outdoors and (green or not coloured)
                else ("roof", 0.4)
                if outdoors
                else ("lamp", 0.5)
            )
        return ("column", 0.6) if piece.wide < POST * 1.3 and piece.high - piece.low > 1.2 else ("wall", 0.5)
    if kind == LEVEL and normal[2] > 0:
        return _level_role(piece, blue, green, large, outdoors)
    if kind == LEVEL:
        return ("soffit" if outdoors else "ceiling"), 0.65
    if kind == SLOPE:
        if normal[2] < 0:
            return ("soffit" if outdoors else "ceiling"), 0.6
        return ("lawn", 0.5) if green and piece.high < 1.5 else ("roof", 0.75)
    if green and kind == CARD:
        return "planting", 0.5
    return _upright_role(piece, blue, lightness, outdoors, coloured)


def _level_role(piece: _Piece, blue: bool, green: bool, large: bool, outdoors: bool) -> tuple[str, float]:
    height = piece.high
    if not outdoors:
        return (
            ("furniture", 0.6) if 0.15 < height < WORKTOP else ("floor", 0.75) if height < 0.15 else ("furniture", 0.4)
        )
    if height > 2.2:
        return "roof", 0.6
    if blue:
        return "water", 0.75
    if green:
        return "lawn", 0.75
    if not large and 0.08 < height < 1.2 and piece.thin < 0.5 and piece.wide < WIDEST_STAIR:
        return "stair", 0.45
    return ("paving", 0.6) if large else ("slab", 0.4)


def _upright_role(piece: _Piece, blue: bool, lightness: float, outdoors: bool, coloured: bool) -> tuple[str, float]:
    tall = piece.high - piece.low
    inside = piece.share > ENCLOSED
    if piece.thin < SLIM and tall > 0:
        if tall > 1.6 and piece.wide < POST and piece.low < 0.5:
            return "column", 0.5
        if tall < FASCIA and piece.wide > 3 and outdoors:
            step = piece.high < 0.8 and piece.wide < WIDEST_STAIR
            return ("slab", 0.5) if piece.low > 2 else ("stair", 0.4) if step else ("slab", 0.4)
        return "frame", 0.6 if lightness < 0.35 else 0.5
    if blue and lightness > 0.25:
        return "glazing", 0.7
    if outdoors and tall < FASCIA and piece.wide > 2.5:
        step = piece.high < 0.5 and piece.wide < WIDEST_STAIR
        return ("slab", 0.5) if piece.low > 2 else ("stair", 0.4) if step else ("wall", 0.4)
    if piece.low < 0.25 and DOOR_HEIGHT[0] < tall < DOOR_HEIGHT[1] and DOOR_WIDTH[0] < piece.wide < DOOR_WIDTH[1]:
        return "door", 0.45
    if not coloured and (inside or piece.wide < 2.6) and piece.low > 0.3 and tall < 2.4 and piece.wide > 0.2:
        return "glazing", 0.45
    if tall > 1.8 and piece.wide < POST and piece.low < 0.6:
        return "column", 0.5
    if not outdoors and piece.high < WORKTOP:
        return "furniture", 0.55
    return "wall", 0.6
