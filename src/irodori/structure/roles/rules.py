"""What each region is, by orientation, place, size and colour."""

from __future__ import annotations

import colorsys

import numpy as np

from irodori.core.camera import Camera
from irodori.core.roles import ROLES
from irodori.structure.curves.rounds import Round
from irodori.structure.flat_views.elevation import is_elevation
from irodori.structure.glance.glance import Seen
from irodori.structure.planes.choose import CARD, LEVEL, SLOPE
from irodori.structure.regions.measure import Regions
from irodori.structure.roles.building_pieces import EVEN, Piece, measure_pieces, stands_upright
from irodori.structure.roles.context import LARGE, WORKTOP, settle_roles
from irodori.structure.roles.evidence import Evidence
from irodori.structure.roles.harm import least_harm
from irodori.structure.roles.reader import likely_roles

DOOR_HEIGHT, DOOR_WIDTH = (1.75, 2.7), (0.6, 1.6)

SLIM, LONG = 0.16, 4.0
"""m across, under which an upright piece is a frame's or a bar's, and times that it is at least long then."""

POST = 0.75
PERSON = (1.2, 1.95)
"""m that a round upright figure is tall."""

DOWNWARD, HIGHEST_ROOM = -0.2, 5.0
"""Third part of a view's direction below which it looks down on things, and m over the floor that no room's eye is."""

FASCIA, ENTABLATURE = 0.7, 1.2
"""m that the face of a slab is high, and of one that columns carry."""

WIDEST_STAIR, DEEPEST = 6.0, 0.2
"""m that a step is wide, and that it lies under the ground, at most: what goes deeper is a bank's or a quay's wall."""

TALLEST_FURNITURE = 2.5
"""m over the ground, and across, from which nothing out of doors is furniture."""

BUILT, AMONG = ("wall", "door", "frame", "glazing", "slab", "stair", "furniture"), 0.6
"""What houses are made of, and the share of its border that it takes about a door; its own panels are as green."""

OBLONG, UPRIGHT = 0.8, 0.8
"""Share of its box that a door fills with all that is in it, and of its rows in which both sides stand where they usually do."""

LARGE_DOOR = 0.016
"""Share of the picture up to which one is a door."""

CERTAIN = ("water", "lawn", "planting")
"""Roles that a tint, a ragged outline or reaching the sky tells better than how things lie together."""

UNSEEN, HEED, ALONE = 0.01, 0.7, 1.0
"""How likely a role is at least that does not seem one at a glance, and the power in which that counts, where
colours tell, too, and where they do not."""

UNDERFOOT, ONE_COLOUR, ONE_LEVEL = ("floor", "paving", "lawn"), 3.0, 0.12
"""Roles of what one walks on; 8-bit steps and m of height within which pieces of it are one."""

HIGHEST_CROWN = 5.0
"""m over the ground at which crowns of trees begin at most."""

KNEE = 0.4
"""m from which an upright face that stands on the ground is higher than steps and kerbs, which are of what lies on them."""

ENCLOSED = 0.6
"""Share of a piece's border that one neighbour takes, from which it lies in that."""


WATERY = 0.27
"""Share of its lightest channel by which water is more blue than red."""

SURELY_LAMP = 0.5
"""How likely the learned reader must find a lamp."""

STANDING, ON_FOOT = ("door",), 0.6
"""What opens onto no water, and the share of its width with which it stands there."""

BLUISH, DOUBTED, WARM_PANE, FEW_PANES = 0.06, 0.5, 0.06, 0.002
"""Share of its lightest channel by which a pane is more blue than red; what the odds of one that is not are times, and of one that is warm,
or not blue where others are; and the share of the picture from which others are."""

BLUE_PANES = 0.6
"""Share of all panes that must be blue, for what is warmer to be none."""


def is_outdoors(
    regions: Regions, camera: Camera, normals: np.ndarray, eye: float, sky: int, planting: list[int], *, coloured: bool
) -> bool:
    """Whether a view is of the open: sky shows, or, seen from above, greenery or water lies on the ground, or the eye,
    `eye` m over it, is higher than rooms are."""
    whole = regions.labels.size
    if sky and regions.area[sky] > 0.01 * whole:
        return True
    above = camera.rotation[2, 2] < DOWNWARD
    if above and eye > HIGHEST_ROOM:
        return True
    if not above or not coloured:
        return above and len(planting) > 0
    level = np.flatnonzero(normals[:, 2] > 0.95)
    alive = [region for region in level.tolist() if any(_tone(regions.colour[region])[:2])]
    return regions.area[[*alive, *planting]].sum() > 0.05 * whole


def guess_roles(
    regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, distance: np.ndarray, *,
    sky: int, planting: list[int], rounds: dict[int, Round], anchor: int, outdoors: bool, coloured: bool, learned: bool,
    seen: Seen | None = None,
) -> tuple[list[str], np.ndarray]:  # fmt: skip
    """A role and its confidence for every region (index 0 unused): by rules, and if `learned` by what a network, trained
    on such rules' results too, makes of them.

    `anchor` is the ground; in drawings colours say nothing (`coloured` False).
    """
    count = len(regions.area)
    roles, sure = ["other"] * count, np.full(count, 0.5)
    pieces = measure_pieces(regions, camera, normals, distance, anchor)
    for region in range(1, count):
        if regions.area[region] == 0:
            continue
        if region == sky:
            roles[region], sure[region] = "sky", 0.95
        elif region in planting:
            roles[region], sure[region] = "planting", 0.8
        else:
            tone = _tone(regions.colour[region]) if coloured else (False, False, 1.0)
            if kinds[region] == LEVEL and tone[0]:
                tone = (is_water_blue(regions.colour[region]), *tone[1:])
            curve = rounds.get(region)
            large = regions.area[region] > LARGE * regions.labels.size
            roles[region], sure[region] = _role(
                kinds[region], normals[region], tone, pieces[region], curve, large, outdoors, coloured
            )
    settle_roles(
        roles, sure, regions, pieces, normals, sky=sky, planting=planting, outdoors=outdoors, coloured=coloured
    )
    if learned:
        evidence = Evidence(
            regions, pieces, camera, normals, distance, float(distance[anchor]), sky, planting,
            {region: curve.upright for region, curve in rounds.items()}, outdoors, coloured, list(roles),
        )  # fmt: skip
        hear_the_reader(evidence, roles, sure, seen)
    if coloured:
        _green_doors(roles, sure, regions)
        _one_floor(roles, sure, regions, normals, distance)
        _walked_on(roles, sure, regions)
    return roles, sure


def _green_doors(roles: list[str], sure: np.ndarray, regions: Regions) -> None:
    """Oblongs with upright sides among what houses are made of, taken for planting by their colour, are doors painted green."""
    from scipy.ndimage import binary_fill_holes, find_objects, label

    own, other, size = regions.neighbours
    reach = np.prod(regions.box[:, 2:] - regions.box[:, :2], axis=1)
    green = [
        r for r, role in enumerate(roles) if role == "planting" and 0 < reach[r] < LARGE_DOOR * regions.labels.size
    ]
    # Whole doors first, then the panels in them.
    for region in sorted(green, key=lambda r: -reach[r]):
        at = own == region
        built = np.array([roles[near] in BUILT for near in other[at]], bool)
        if size[at][built].sum() < AMONG * size[at].sum():
            continue
        left, top, right, bottom = regions.box[region].astype(int)
        pieces, _ = label(regions.labels[top:bottom, left:right] == region)
        largest = int(np.bincount(pieces.ravel())[1:].argmax()) + 1
        # Without pixels that strayed, with the panels in it.
        shown = binary_fill_holes((pieces == largest)[find_objects(pieces)[largest - 1]])
        if shown.mean() > OBLONG and stands_upright(shown) > UPRIGHT:
            roles[region], sure[region] = "door", 0.45


def _walked_on(roles: list[str], sure: np.ndarray, regions: Regions) -> None:
    """What doors open onto is no water, whatever its colour."""
    upper, lower, along = regions.stacked
    for region in [r for r, role in enumerate(roles) if role == "water"]:
        on = (lower == region) & np.array([roles[r] in STANDING for r in upper], bool)
        wide = regions.box[upper[on], 2] - regions.box[upper[on], 0]
        if (along[on] > ON_FOOT * np.maximum(wide, 1)).any():
            roles[region], sure[region] = "paving", 0.4


def _one_floor(roles: list[str], sure: np.ndarray, regions: Regions, normals: np.ndarray, distance: np.ndarray) -> None:
    """Pieces of the ground that what stands before it parts, of its colour and level, are what its largest one is."""
    level = (normals[:, 2] > 0.95) & (regions.area > 0)
    ground = [r for r in np.flatnonzero(level & (regions.area > LARGE * regions.labels.size)) if roles[r] in UNDERFOOT]
    for largest in sorted(ground, key=lambda r: regions.area[r]):
        apart = np.abs(regions.colour - regions.colour[largest]).max(axis=1)
        step = np.abs(distance - distance[largest])
        own = level & (apart < ONE_COLOUR) & (step < ONE_LEVEL) & (regions.area <= regions.area[largest])
        for region in np.flatnonzero(own).tolist():
            roles[region], sure[region] = roles[largest], max(sure[region], sure[largest])


def hear_the_reader(evidence: Evidence, roles: list[str], sure: np.ndarray, seen: Seen | None = None) -> None:
    """Change `roles` and `sure` to what the learned reader makes of the evidence, except for what is known better."""
    likely = likely_roles(evidence)
    if likely is None:
        return
    # What is taken for a lamp lights up what is around it: better a dark lamp than a sliver that shines.
    likely[likely[:, ROLES.index("lamp")] < SURELY_LAMP, ROLES.index("lamp")] = 0
    if seen is not None:
        likely *= np.maximum(seen.of_roles, UNSEEN) ** (HEED if evidence.coloured else ALONE)
        likely /= np.maximum(likely.sum(axis=1, keepdims=True), 1e-9)
    likely[:, ROLES.index("sky")] = 0
    if evidence.coloured:
        red, _, blue = evidence.regions.colour.T
        watery = np.array([is_water_blue(colour) for colour in evidence.regions.colour])
        likely[~watery, ROLES.index("water")] = 0
        # Panes are bluish nearly always, and a wall or a cupboard of glass spoils more than a pane that is a wall.
        tint = (blue - red) / np.maximum(evidence.regions.colour.max(axis=1), 1)
        told = (tint > BLUISH) & (likely.argmax(axis=1) == ROLES.index("glazing"))
        shown = evidence.regions.area[told].sum() > FEW_PANES * evidence.regions.labels.size
        likely[tint <= BLUISH, ROLES.index("glazing")] *= WARM_PANE if shown else DOUBTED
        likely[tint < -BLUISH / 2, ROLES.index("glazing")] *= WARM_PANE
        # Where panes are blue, warm surfaces are none.
        panes = evidence.regions.area * (likely.argmax(axis=1) == ROLES.index("glazing"))
        if panes[blue > red].sum() > BLUE_PANES * panes.sum():
            likely[blue < red, ROLES.index("glazing")] = 0
    else:
        # Where no tint tells, only a ragged outline does.
        likely[:, ROLES.index("planting")] = 0
    if is_elevation(evidence.camera):
        # Seen square on, what lies level does not show.
        likely[:, [ROLES.index("ceiling"), ROLES.index("floor")]] = 0
    tall = np.array([piece.high - piece.low > KNEE and piece.low > -DEEPEST for piece in evidence.pieces])
    fronts = tall & (np.abs(evidence.normals[:, 2]) < 0.3)
    likely[np.ix_(fronts, [ROLES.index(role) for role in (*UNDERFOOT, "ground")])] = 0
    if evidence.outdoors:
        # A plain block may be a house in a model of a site.
        large = [min(piece.high, piece.wide) > TALLEST_FURNITURE for piece in evidence.pieces]
        likely[large, ROLES.index("furniture")] = 0
    chosen = likely.argmax(axis=1)
    if seen is not None:
        chosen = least_harm(likely / np.maximum(likely.sum(axis=1, keepdims=True), 1e-9), drawn=not evidence.coloured)
    for region in np.flatnonzero(evidence.regions.area).tolist():
        if region not in (0, evidence.sky) and roles[region] not in CERTAIN and likely[region].any():
            roles[region], sure[region] = ROLES[chosen[region]], likely[region, chosen[region]]


def role_of_plane(normal: np.ndarray, height: float, colour: np.ndarray) -> str:
    """Role of a surface whose unit normal (3,), height over the lowest level surface (m) and 8-bit colour (3,) are known."""
    blue, green, lightness = _tone(colour)
    if normal[2] > 0.95:
        if height > 2.4:
            return "roof"
        return "water" if blue and is_water_blue(colour) else "lawn" if green else "paving"
    if normal[2] < -0.3:
        return "soffit"
    if normal[2] > 0.2:
        return "lawn" if green else "roof"
    if blue and lightness > 0.25:
        return "glazing"
    return "planting" if green else "wall"


def is_water_blue(colour: np.ndarray) -> bool:
    """Whether an 8-bit colour (3,) is so blue that a level surface of it is water: slates and asphalt are a little blue, too."""
    return bool(colour[2] - colour[0] > WATERY * max(colour.max(), 1) and colour[1] > colour[0])


def _tone(colour: np.ndarray) -> tuple[bool, bool, float]:
    """Whether an 8-bit colour is a blue or a green, and its lightness."""
    hue, lightness, saturation = colorsys.rgb_to_hls(*(colour / 255.0))
    return 0.47 < hue < 0.66 and saturation > 0.10, 0.17 < hue < 0.42 and saturation > 0.16, lightness


def _role(kind, normal, tone, piece: Piece, curve: Round | None, large: bool, outdoors: bool, coloured: bool):
    blue, green, lightness = tone
    if curve is not None:
        return _round_role(piece, curve, green or not coloured, outdoors)
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


def _round_role(piece: Piece, curve: Round, leafy: bool, outdoors: bool) -> tuple[str, float]:
    tall = piece.high - piece.low
    if not curve.upright:
        if not outdoors:
            return "lamp", 0.5
        return ("planting", 0.6) if leafy and piece.low < HIGHEST_CROWN else ("roof", 0.4)
    if not outdoors and piece.high < WORKTOP:
        return "furniture", 0.5
    if piece.wide < POST * 1.3 and tall > PERSON[0]:
        person = outdoors and piece.low < 0.35 and tall < PERSON[1] and piece.wide < POST
        return ("person", 0.4) if person else ("column", 0.6)
    if tall < FASCIA and piece.wide > 4 * tall and outdoors:
        return "slab", 0.45
    return "wall", 0.5


def _level_role(piece: Piece, blue: bool, green: bool, large: bool, outdoors: bool) -> tuple[str, float]:
    height = piece.high
    if not outdoors:
        if height < 0.15:
            return "floor", 0.75
        return "furniture", 0.6 if height < WORKTOP else 0.4
    if height > 2.2:
        return "roof", 0.6
    if blue:
        return "water", 0.75
    if green:
        return "lawn", 0.75
    if not large and 0.08 < height < 1.2 and piece.thin < 0.5 and piece.wide < WIDEST_STAIR:
        return "stair", 0.45
    return ("paving", 0.6) if large else ("slab", 0.4)


def _upright_role(piece: Piece, blue: bool, lightness: float, outdoors: bool, coloured: bool) -> tuple[str, float]:
    tall = piece.high - piece.low
    inside = piece.share > ENCLOSED
    glassy = blue and lightness > 0.25 and (outdoors or piece.high > WORKTOP)
    if piece.thin < SLIM and piece.long > LONG and tall > 0:
        if tall > 1.6 and piece.wide < POST and piece.low < 0.5:
            return "column", 0.5
        if tall < FASCIA and piece.wide > 3 and outdoors:
            step = -DEEPEST < piece.low <= 2 and piece.high < 0.8 and piece.wide < WIDEST_STAIR
            return ("stair", 0.4) if step else ("slab", 0.5 if piece.low > 2 else 0.4)
        if not glassy:
            return "frame", 0.6 if lightness < 0.35 else 0.5
    if glassy:
        return "glazing", 0.7
    if outdoors and tall < FASCIA and piece.wide > 2.5:
        step = piece.low > -DEEPEST and piece.high < 0.5 and piece.wide < WIDEST_STAIR
        return ("slab", 0.5) if piece.low > 2 else ("stair", 0.4) if step else ("wall", 0.4)
    if outdoors and tall < ENTABLATURE and piece.wide > 6 * tall and piece.low > 2.2:
        return "slab", 0.4
    if piece.low < 0.25 and DOOR_HEIGHT[0] < tall < DOOR_HEIGHT[1] and DOOR_WIDTH[0] < piece.wide < DOOR_WIDTH[1]:
        return "door", 0.45
    pane = (inside or piece.wide < 2.6) and piece.low > 0.3 and tall < 2.4 and piece.wide > 0.2 and piece.even > EVEN
    if not coloured and pane:
        return "glazing", 0.45
    if tall > 1.8 and piece.wide < POST and (piece.low < 0.6 or (piece.high > 2.3 and not outdoors)):
        return "column", 0.5
    if not outdoors and piece.high < WORKTOP:
        return "furniture", 0.55
    return "wall", 0.6
