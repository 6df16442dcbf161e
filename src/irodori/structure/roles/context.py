"""What a region's neighbours say of its role, after its own measures have been heard."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.structure.distance.typical_sizes import OTHER_COLOUR
from irodori.structure.regions.measure import Regions, under_sky
from irodori.structure.roles.building_pieces import EVEN, Piece

WORKTOP = 1.35
"""m over the floor, up to which level and upright pieces indoors are furniture's."""

LARGE = 0.004
"""Share of the picture from which a region is a large one."""

ONE_COLOUR = 2.0
"""8-bit steps within which two level surfaces are of one colour."""

PANE, PANES, PARAPET = (0.45, 3.5), 4, 1.3
"""m, how wide panes are, how many alike make a glazed front, and m up to which what stands on the ground is none."""

OPEN = 0.4
"""Share of its width that may lie right under the sky, for a pane."""

GATE_HEIGHT, GATE_WIDTH, GATE_SHARE = (1.55, 3.4), (0.6, 4.6), 0.45
"""m, and the share of its border that its wall takes: what stands in a wall of another colour, on the ground, is a door
or a gate even where it is larger than most."""

STANDS = 0.6
"""Share of its lower edge that a level surface takes, where something stands on that."""

EDGE, EDGE_SHARE = 0.7, 0.2
"""m that the face of a slab, a kerb or a step is high at most, and the share of its border where it meets the top."""

GREY, ALIKE = 0.01, 0.2
"""How far from a third its shares of red, green and blue must be for a colour to say anything, and the part of that by
which the shares of two faces of one thing may differ: light changes their tone, not their tint."""

GREEN, WALLED = 8.0, 0.3
"""8-bit steps by which land is greener than red or blue, and the share of a roof's lower edge that walls carry."""

TO_THE_SKY, LOW = 0.08, 0.3
"""Share of its width that land reaches the sky with, and m over the ground that it lies at most."""

RUG = 0.05
"""m over the floor."""

UNDER_FOOT = 0.1
"""m over the ground up to which a slim piece is no rail: nobody would hold it."""

RISER = 0.25
"""m that a riser is high at most."""

RAILING = 1.35
"""m that posts and rails are high at most."""


@dataclass(eq=False)
class _Context:
    """The roles so far, changed in place, and what the rules look at."""

    roles: list[str]
    sure: np.ndarray
    regions: Regions
    pieces: list[Piece]
    normals: np.ndarray

    def __post_init__(self) -> None:
        shares = self.regions.colour / np.maximum(self.regions.colour.sum(axis=1, keepdims=True), 1)
        self.tint = shares - 1 / 3

    def those(self, *roles: str) -> list[int]:
        return [r for r, role in enumerate(self.roles) if role in roles and self.regions.area[r]]

    def tell(self, region: int, role: str, sure: float) -> None:
        self.roles[region], self.sure[region] = role, sure

    def around(self, region: int) -> tuple[np.ndarray, np.ndarray]:
        """Neighbours of a region and the share of its border that each takes."""
        own, other, size = self.regions.neighbours
        at = own == region
        return other[at], size[at] / max(size[at].sum(), 1)

    def above(self, region: int) -> tuple[np.ndarray, np.ndarray]:
        """Regions right above one, and along how many px."""
        upper, lower, size = self.regions.stacked
        return upper[lower == region], size[lower == region]

    def beneath(self, region: int) -> tuple[np.ndarray, np.ndarray]:
        """Regions right below one, and along how many px."""
        upper, lower, size = self.regions.stacked
        return lower[upper == region], size[upper == region]

    def one_tint(self, a: int, b: int) -> bool | None:
        """Whether two regions are of one tint; None where they are too grey to tell."""
        strength = min(np.abs(self.tint[k]).max() for k in (a, b))
        apart = np.abs(self.tint[a] - self.tint[b]).max()
        if strength < GREY:
            return None if apart < GREY else False
        return bool(apart < ALIKE * strength)


def settle_roles(
    roles: list[str], sure: np.ndarray, regions: Regions, pieces: list[Piece], normals: np.ndarray, *,
    sky: int, planting: list[int], outdoors: bool, coloured: bool,
) -> None:  # fmt: skip
    """Change `roles` and their confidence `sure` (R,), both by region, where what surrounds a region knows better.

    In drawings colours say nothing (`coloured` False).
    """
    context = _Context(roles, sure, regions, pieces, normals)
    if coloured:
        _ground_far_off(context)
        _banks(context)
        _gates(context)
        _faces_of_one_thing(context)
        if not outdoors:
            _rugs(context)
    else:
        _rows_of_panes(context, outdoors)
        open_above = under_sky(regions, sky, planting)
        if outdoors:
            _open_land(context, open_above)
        # Something carries the roof: a pane has not the sky, or a tree before it, right above it.
        level = normals[:, 2] > 0.95
        for region in context.those("glazing"):
            piece = pieces[region]
            low = piece.high - piece.low < PARAPET and _share(level, context.beneath(region)) > STANDS
            if open_above[region] > OPEN or low:
                context.tell(region, "wall" if outdoors else "furniture", 0.4)
    _bars_without_panes(context, outdoors)


def _share(flags: np.ndarray, near: tuple[np.ndarray, np.ndarray]) -> float:
    """The share of a border that flagged regions take; `flags` (R,), `near` as `_Context.above` tells it."""
    regions, size = near
    return float(size[flags[regions]].sum() / max(size.sum(), 1))


def _ground_far_off(context: _Context) -> None:
    """Level regions taken for roofs that have the very colour of the ground: what hides their foot lifted them."""
    regions, level = context.regions, context.normals[:, 2] > 0.98
    ground = [r for r in context.those("lawn", "paving", "water") if level[r]]
    ground = [r for r in ground if regions.area[r] > LARGE * regions.labels.size]
    if not ground:
        return
    for region in context.those("roof"):
        unlike = np.abs(regions.colour[ground] - regions.colour[region]).max(axis=1)
        if level[region] and unlike.min() < ONE_COLOUR:
            context.tell(region, context.roles[ground[int(unlike.argmin())]], 0.5)


def _banks(context: _Context) -> None:
    """Green level surfaces taken for roofs with hardly a wall beneath them: land that what hides its foot lifted."""
    upright = np.abs(context.normals[:, 2]) < 0.3
    upright &= context.normals.any(axis=1)
    for region in context.those("roof"):
        red, green, blue = context.regions.colour[region]
        if context.normals[region, 2] < 0.95 or not green > max(red, blue) + GREEN:
            continue
        beneath = context.beneath(region)
        if len(beneath[0]) and _share(upright, beneath) < WALLED:
            context.tell(region, "lawn", 0.5)


def _gates(context: _Context) -> None:
    """Doors of any size: in a wall, on the ground, of another colour."""
    level = context.normals[:, 2] > 0.95
    for region in context.those("wall"):
        piece = context.pieces[region]
        tall = piece.high - piece.low
        if not (GATE_HEIGHT[0] < tall < GATE_HEIGHT[1] and GATE_WIDTH[0] < piece.wide < GATE_WIDTH[1]):
            continue
        host = piece.host
        within = piece.share > GATE_SHARE and context.pieces[host].high > piece.high + 0.1
        if not within or context.roles[host] != "wall":
            continue
        # On the ground, or on a terrace.
        if piece.low > 0.35 and _share(level, context.beneath(region)) < STANDS:
            continue
        unlike = np.abs(context.regions.colour[host] - context.regions.colour[region]).max()
        if abs(context.normals[host] @ context.normals[region]) > 0.98 and unlike > OTHER_COLOUR:
            context.tell(region, "door", 0.4)


def _faces_of_one_thing(context: _Context) -> None:
    """Low upright faces under a level or sloping one of the same tint are of the same thing."""
    tops = ("paving", "roof", "slab", "stair", "furniture")
    before = list(context.roles)
    for region in context.those("frame", "slab", "stair", "wall", "other"):
        piece = context.pieces[region]
        if abs(context.normals[region, 2]) > 0.3 or piece.high - piece.low > EDGE:
            continue
        near, share = context.around(region)
        tops_near = [
            (part, n)
            for n, part in zip(near.tolist(), share.tolist())
            if part > EDGE_SHARE and before[n] in tops and context.normals[n, 2] > 0.3 and context.one_tint(region, n)
        ]
        if tops_near:
            context.tell(region, before[max(tops_near)[1]], 0.5)


def _rugs(context: _Context) -> None:
    """What lies on a floor, in its midst and of another colour."""
    for region in context.those("floor"):
        piece = context.pieces[region]
        larger = context.regions.area[piece.host] > context.regions.area[region]
        if context.roles[piece.host] != "floor" or not larger or abs(piece.high) > RUG:
            continue
        if piece.share > GATE_SHARE and context.one_tint(region, piece.host) is False:
            context.tell(region, "fabric", 0.45)


def _open_land(context: _Context, open_above: np.ndarray) -> None:
    """Land that goes on to where the sky begins is a lawn, where no colour tells; so is, seen from above, the largest of
    several pieces of ground: what is laid ends somewhere."""
    regions = context.regions
    large = regions.area > LARGE * regions.labels.size
    ground = [r for r in context.those("paving") if large[r] and context.pieces[r].high < LOW]
    land = [r for r in ground if open_above[r] > TO_THE_SKY]
    if not open_above.any() and len(ground) > 1:
        land = [max(ground, key=lambda r: regions.area[r])]
    for region in land:
        context.tell(region, "lawn", 0.4)


def _rows_of_panes(context: _Context, outdoors: bool) -> None:
    """Regions that are one of several alike side by side: the panes of a glazed front, which no colour tells."""
    like = np.array([role in ("wall", "door", "glazing") for role in context.roles])
    low, high, wide = (np.array([getattr(p, name) for p in context.pieces]) for name in ("low", "high", "wide"))
    like &= np.array([p.even > EVEN for p in context.pieces])
    like &= (wide > PANE[0]) & (wide < PANE[1]) & (high - low > PANE[0]) & (outdoors | (high > WORKTOP))
    own = np.flatnonzero(like)
    alike = np.abs(context.normals[own] @ context.normals[own].T) > 0.98
    for value in (low, high):
        alike &= np.abs(value[own][:, None] - value[own]) < 0.25
    alike &= np.abs(np.log(wide[own][:, None] / wide[own])) < np.log(1.5)
    for region in own[alike.sum(axis=1) >= PANES].tolist():
        context.tell(region, "glazing", 0.5)


def _bars_without_panes(context: _Context, outdoors: bool) -> None:
    """Slim pieces that border no glass hold none: indoors and low they are furniture's, outdoors a riser or a railing's."""
    glass = set(context.those("glazing"))
    level = context.normals[:, 2] > 0.95
    bars = context.those("frame")
    slim = set(bars)
    for region in bars:
        piece = context.pieces[region]
        if glass & set(context.around(region)[0].tolist()):
            continue
        above, beneath = context.above(region), context.beneath(region)
        tall = piece.high - piece.low
        if not outdoors:
            if piece.high < WORKTOP:
                context.tell(region, "furniture", 0.45)
        elif (
            piece.high < UNDER_FOOT
            or min(_share(level, above), _share(level, beneath)) > STANDS
            or any(_next_step(context, region, other) for other in {*above[0].tolist(), *beneath[0].tolist()} & slim)
        ):
            context.tell(region, "stair", 0.4)
        elif tall < RAILING and piece.thin < 0.12 and max(tall, piece.wide) > 0.5:
            context.tell(region, "railing", 0.35)


def _next_step(context: _Context, region: int, other: int) -> bool:
    """Whether two slim pieces, one right over the other, are risers of one stair: of one width, facing one way, low."""
    a, b = context.pieces[region], context.pieces[other]
    if max(a.high - a.low, b.high - b.low) > RISER or min(a.wide, b.wide) < RISER:
        return False
    alike = abs(np.log(a.wide / b.wide)) < np.log(1.25)
    return bool(alike and context.normals[region] @ context.normals[other] > 0.98)
