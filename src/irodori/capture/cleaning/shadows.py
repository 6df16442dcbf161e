"""Taking out the shadows that a viewport casts, so that the surfaces under them are whole again."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import mix_of
from irodori.core.pixels.borders import border_steps
from irodori.core.pixels.ink import find_ink, ink_colour
from irodori.core.pixels.nearest import nearest_free
from irodori.core.pixels.zones import flat_zones, zone_means

NEAR = 3.0
"""px by which zones grow towards each other over the pixels that mix their colours."""

BARE, INKED = 4.0, 0.4
"""8-bit steps that stand out on a border under which nothing is drawn there, and the share of all borders that have
something drawn on them from which the program draws edges."""

HIDDEN = 0.3
"""Share of a border along which something was removed from which nobody knows whether it was drawn."""

DARKEST, LIGHTEST = 0.4, 0.88
"""What is left of a colour in a viewport's shadow."""

BLACKISH, DARKISH = 50, 80
"""8-bit values under which a colour is too dark to tell its tint, and under which it is no evidence."""

UNEVEN = 0.02, 2.0
"""How much that share may differ from channel to channel, and the 8-bit steps that rounding adds."""

ALIKE, DISTINCT = 0.02, 12.0
"""By how much that share may differ from surface to surface, and 8-bit steps from which colours are of two surfaces."""

ROUNDED = 0.005, 0.5
"""By how much a lesser shadow's share may differ from a sound one's, and the 8-bit steps that rounding adds."""

FLAT = 5.0
"""8-bit steps within which the brightness of most of a flat zone stays."""

LONG, WIDE, WIDER = 24, 2.0, 4.0
"""px of border and px from there to its middle from which a shadow is evidence, and px to the middle of what it lies on: bars
have faces of two tones."""

SEVERAL, CASTING = 3, 0.12
"""Zones that are evidence on one surface, each with at least this share of its border drawn: shadows begin at what casts
them, painted marks lie free."""

GREY, COLOURED = 12, 0.1
"""8-bit steps between channels up to which a zone is grey, and the share of the picture that is not: in a white model all
surfaces are of one tint, and a fold looks like a shadow."""

LEAST = 0.002
"""Share of the picture that shadows take at least: what is less parts nothing, and may be the side of a bar."""

REACH = 2
"""px beside a shadow whose colours are mixed with it."""


def without_shadows(
    encoded: np.ndarray, covered: np.ndarray | None = None, *, sure: bool = False
) -> tuple[np.ndarray, np.ndarray]:
    """Take cast shadows out of a viewport capture that draws its edges.

    A shadow ends on a surface without an edge being drawn there, and leaves it the same share of all its colours' channels.
    Where that happens on surfaces of different colours by one share, it is shadow, not paint. Without drawn edges it
    could as well be a fold, and nothing is done.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.
    covered
        (H, W) bool, where something was removed, an outline over a drawn edge perhaps; None for nowhere.
    sure
        Whether a user knows of shadows: then edges need not be drawn, and one surface is enough.

    Returns
    -------
    image
        (H, W, 3) uint8: shadows as light as what they lie on; the same array when there are none.
    taken
        (H, W) bool: which pixels lay in a shadow.
    """
    import cv2

    ink = find_ink(encoded)
    zones, _ = flat_zones(encoded, ink)
    none = np.zeros(ink.shape, bool)
    if zones.max() < 2:
        return encoded, none
    mean = zone_means(encoded, zones)
    if not sure and (np.ptp(mean, axis=1) > GREY)[zones].mean() < COLOURED:
        return encoded, none
    place, away = nearest_free(zones == 0)
    full = np.where(away <= NEAR, zones.ravel()[place], 0)
    dark, lit, length, drawn = _same_surface(encoded, full, mean, none if covered is None else covered, sure=sure)
    flat = _is_flat(encoded, zones, mean)
    both = flat[dark] & flat[lit]
    dark, lit, length = dark[both], lit[both], length[both]
    share = (mean[dark] / np.maximum(mean[lit], 1)).mean(axis=1)
    # What is dark beside one zone and light beside another is a facet of a round thing.
    facet = np.isin(dark, lit) | np.isin(lit, dark)
    inner = cv2.distanceTransform((zones > 0).astype(np.uint8), cv2.DIST_L2, 5)
    deep = np.zeros(len(mean), np.float32)
    np.maximum.at(deep, zones.ravel(), inner.ravel())
    sound = ~facet & (length >= LONG) & (deep[dark] >= WIDE) & (deep[lit] >= WIDER) & (mean[lit].max(axis=1) > DARKISH)
    shares = share[sound]
    if not sure:
        shares = shares[_evident(shares, mean[lit[sound]], dark[sound], drawn[dark[sound]])]
    if not len(shares):
        return encoded, none
    near = ROUNDED[0] + ROUNDED[1] / np.maximum(mean[lit].min(axis=1), 1)
    chosen = ~facet & (np.abs(share[:, None] - shares).min(axis=1, initial=np.inf) < near)
    brighter = np.ones((len(mean), 3))
    partner = np.zeros(len(mean), np.int64)
    order = np.flatnonzero(chosen)[np.argsort(length[chosen])]
    for shade, light in zip(dark[order], lit[order]):
        partner[shade], brighter[shade] = light, mean[light] / np.maximum(mean[shade], 1)
    if not sure and (partner[zones] > 0).mean() < LEAST:
        return encoded, none
    return _lightened(encoded, zones, partner, brighter, mean, ink)


def _same_surface(encoded: np.ndarray, full: np.ndarray, mean: np.ndarray, covered: np.ndarray, *, sure: bool):
    """Pairs of a darker and a lighter zone with nothing drawn between them and colours of one tint, and px of border;
    and by zone (Z,), the share of its border that is drawn.

    Empty where the program draws no edges, unless a user is `sure`.
    """
    import cv2

    near = cv2.dilate(covered.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    borders = border_steps(encoded, full, near)
    known = (borders.low > 0) & np.isfinite(borders.step)
    low, high, _, ridge, length, hidden = (column[known] for column in borders)
    ridge = np.where(hidden > HIDDEN, np.inf, ridge)
    none = np.zeros(0, np.int64)
    inked, whole = (
        np.bincount(np.concatenate([low, high]), np.tile(length * part, 2), len(mean)) for part in (ridge > BARE, 1)
    )
    drawn = inked / np.maximum(whole, 1)
    if not len(low) or (not sure and length[ridge > BARE].sum() < INKED * length.sum()):
        return none, none, none, drawn
    first_darker = mean[low].sum(axis=1) < mean[high].sum(axis=1)
    dark, lit = np.where(first_darker, low, high), np.where(first_darker, high, low)
    share = mean[dark] / np.maximum(mean[lit], 1)
    uneven = UNEVEN[0] + UNEVEN[1] / np.maximum(mean[lit].min(axis=1), 1)
    within = (share.mean(axis=1) > DARKEST) & (share.mean(axis=1) < LIGHTEST)
    good = (ridge <= BARE) & (np.ptp(share, axis=1) < uneven) & within & (mean[lit].max(axis=1) > BLACKISH)
    return dark[good], lit[good], length[good], drawn


def _is_flat(encoded: np.ndarray, zones: np.ndarray, mean: np.ndarray) -> np.ndarray:
    """Whether most of each zone (Z,) is of one brightness."""
    away = np.abs(encoded.sum(axis=2, dtype=np.float32) / 3 - mean.mean(axis=1).astype(np.float32)[zones]) > FLAT / 2
    count = np.bincount(zones.ravel())
    return np.bincount(zones.ravel(), away.ravel()) < 0.1 * np.maximum(count, 1)


def _evident(share: np.ndarray, colour: np.ndarray, zone: np.ndarray, drawn: np.ndarray) -> np.ndarray:
    """Which pairs (N,) are surely a shadow and what it lies on: surfaces of another `colour` (N, 3) are left the same `share`
    (N,) of it, or several zones (N,) on one surface are, part of whose border is `drawn`. A fold leaves a share of its own.
    """
    alike = np.abs(share[:, None] - share) < ALIKE
    distinct = np.abs(colour[:, None] - colour).max(axis=2, initial=0) > DISTINCT
    cast = drawn > CASTING
    several = np.array([len(np.unique(zone[row & cast])) >= SEVERAL for row in alike], bool)
    return (alike & distinct).any(axis=1) | several


def _lightened(encoded, zones, partner, brighter, mean, ink) -> tuple[np.ndarray, np.ndarray]:
    """The picture with each zone that has a `partner` (Z,) as light as that, and what it mixes with beside it."""
    shadow = partner[zones] > 0
    place, away = nearest_free(~shadow)
    rim = (away > 0) & (away <= REACH) & (zones == 0)
    own = zones.ravel()[place]
    out = encoded.astype(np.float32)
    out[shadow] *= brighter[zones[shadow]].astype(np.float32)
    # Beside the shadow and its lit part: a mix of the two, which becomes the lit colour.
    ys, xs = np.nonzero(rim)
    colour, d = encoded[ys, xs].astype(np.float64), own[ys, xs]
    lit, dull = mean[partner[d]], mean[d]
    towards, _ = mix_of(colour, dull, lit)
    left = np.abs(colour - dull - np.clip(towards, 0, 1)[:, None] * (lit - dull)).max(axis=1)
    mixed = (left < 6) & ~ink[ys, xs]
    # Beside a drawn line: as much of the line as before, over the lit colour.
    line = ink_colour(encoded, ink)
    bare, aside = mix_of(colour, line, dull)
    inked = ~mixed & (bare < 1) & (aside < 10)
    cover = 1 - bare[:, None]
    out[ys[mixed], xs[mixed]] = lit[mixed]
    out[ys[inked], xs[inked]] = (line * cover + lit * (1 - cover))[inked]
    taken = shadow.copy()
    taken[ys[mixed], xs[mixed]] = True
    return np.rint(np.clip(out, 0, 255)).astype(np.uint8), taken
