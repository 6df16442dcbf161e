"""Part of a finished picture changed: its own look kept, and what differs between two renderings of it put in."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from irodori.core.colour import luminance
from irodori.core.recipe import Step
from irodori.picture.buffers import Buffers
from irodori.picture.picture import Picture
from irodori.retouch.before_sky import before_sky
from irodori.retouch.continued import continued
from irodori.retouch.own_look import OwnLook, own_look, share_of
from irodori.retouch.patches import filled

SEEN, PLAIN = 3 / 255, 9 / 255
"""Difference of colour from which light counts as thrown by what changed, and that it must come to somewhere."""

SMOOTH, SPECK = 1.5, 25
"""px over which light is compared, and pixels below which a difference is noise."""

ONE = 0.6
"""Share of a part that one surface must fill for it to be of that alone."""

FEWEST = 40
"""Pixels of a surface from which its usual colour is known."""

OTHER_HUE, OTHER_TONE, SPREADS = 0.35, 1.6, 5.0
"""Log ratio of colour, and of brightness, and times the usual spread, from which a pixel is of something else."""

STOPS = 0.3, 3.0
"""How much darker and brighter than ours a picture may be exposed."""

NEARER, SHARE = 1e-3, 0.01
"""Relative depth and share of a pixel in which what shows is something else."""


def kept_surfaces(old: Picture, new: Picture, old_finish: np.ndarray, new_finish: np.ndarray, same_light: bool) -> np.ndarray:
    """Which surfaces of the rendering `new` keep the picture's own look, (S,) bool by id: those of the structure that `old` has in the same
    finish, and the sky in the same light. `old_finish` and `new_finish` (S,) name the finish of each."""
    kept = np.zeros(len(new.shown.loose), bool)
    own = min(
        int(max(p.structure.regions.max() for p in (old, new))) + 1, len(kept), len(old_finish), len(new_finish), len(old.shown.loose)
    )  # fmt: skip
    kept[:own] = old_finish[:own] == new_finish[:own]
    kept[0] = same_light
    return kept


def other_things(old: Picture, new: Picture) -> np.ndarray:
    """Where something else shows in `new` than in `old`, (H, W) bool: nearer or further, or another share of the pixel."""
    one, two = old.shown.fragments, new.shown.fragments
    out = np.zeros(new.size[0] * new.size[1], bool)
    many = [np.bincount(f.pixel, minlength=len(out)) for f in (one, two)]
    out |= many[0] != many[1]
    alike = [~out[f.pixel] for f in (one, two)]
    a, b = one.take(alike[0]), two.take(alike[1])
    far = np.isfinite(a.depth) & np.isfinite(b.depth)
    differs = np.isfinite(a.depth) != np.isfinite(b.depth)
    differs[far] |= np.abs(a.depth[far] - b.depth[far]) > NEARER * a.depth[far]
    differs |= np.abs(a.weight - b.weight) > SHARE
    out[a.pixel[differs]] = True
    return out.reshape(new.size[1], new.size[0])


class Changed(NamedTuple):
    """What a finished picture comes to: `whole` (H, W, 3) float32 encoded, changed everywhere it can; `apart` and `thrown` (H, W) bool: where
    something else shows, and where the light differs."""

    whole: np.ndarray
    apart: np.ndarray
    thrown: np.ndarray


def weights(mask: np.ndarray, soft: float) -> np.ndarray:
    """How far each pixel of a mask (H, W) bool changes, (H, W) float32: less within `soft` px of its border, not at all outside."""
    if soft <= 0:
        return mask.astype(np.float32)
    inside = cv2.distanceTransform(np.pad(mask, 1, mode="edge").astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    share = np.clip(inside / np.float32(soft + 1), 0, 1)
    return share * share * (3 - 2 * share)


def changed(
    encoded: np.ndarray, old: Picture, new: Picture, kept: np.ndarray, meant: np.ndarray, same_light: bool, step: Step,
    unknown: np.ndarray | None = None,
) -> Changed:  # fmt: skip
    """A finished picture with the difference between two renderings put in.

    Where the same surfaces show, that difference is added to the picture's own pixels, so what no rendering knows of stays; at borders
    each surface changes by its share of the pixel. Where other surfaces show it is the new rendering, in the picture's own look.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, the finished picture.
    old, new
        What it shows, rendered as it is and as it is to be; in the exposure of `old` where the light is the same.
    kept
        (S,) bool: surfaces of `new` that keep the picture's own look.
    meant
        Ids of the surfaces that change; none for all.
    same_light
        Whether both are in one light.
    step
        What the recipe tells of it.
    unknown
        (H, W) bool: where the picture shows something that is in neither rendering, and goes.
    """
    apart = other_things(old, new)
    if unknown is not None:
        apart = apart | unknown
    count = max(len(old.shown.loose), int(old.shown.fragments.region.max()) + 1)
    look = own_look(encoded, old, np.ones(count, bool))
    # No rendering is exposed as the picture is, which may be darker or brighter than we would have it.
    stops = float(np.clip(np.median(luminance(np.exp(look.ratio[look.pure]))), *STOPS)) if same_light else 1.0
    shown = new.buffers.region
    gaps = apart & (shown != look.main) & kept[shown]
    if unknown is not None:
        gaps |= unknown & kept[shown]
    later = continued(look, shown, gaps, _families(new, max(int(shown.max()), int(look.main.max())) + 1)) if gaps.any() else look
    if len(later.usual) < len(kept):
        later = later._replace(usual=np.pad(later.usual, ((0, len(kept) - len(later.usual)), (0, 0))))
    factor = share_of(later, new, kept)
    factor[~kept[new.shown.fragments.region]] *= np.float32(stops)
    # The own look is no reason to expose anew.
    held = old.exposed_as(old.facts.exposure)
    before = held.times(share_of(look, old, np.ones(count, bool)), step).buffers
    after = new.times(factor, step).buffers
    one, two = before.resolved(_only(before, meant)), after.resolved(_only(after, meant))
    # Where other surfaces show, what was mixed with them at their edges goes as well.
    full = after.resolved(after.colours) if len(meant) else two
    whole = np.where(apart[..., None], full, encoded + two - one)
    if not kept[0] and (not len(meant) or (meant == 0).any()):
        things, sky = before_sky(encoded, (shown == 0) & (look.main == 0) & look.pure)
        left = np.clip(encoded + (1 - things)[..., None] * (two - sky), 0, 1)
        whole = np.where((things > 0)[..., None], left, whole)
    if unknown is not None and _of_one(shown[unknown]):
        # On one surface, water above all, pieces of the picture itself go on better than any rendering of ours.
        whole = np.where(unknown[..., None], filled(encoded, unknown), whole)
    anew = ~kept[shown] & (shown == look.main) & (shown > 0)
    if same_light and anew.any():
        whole = np.where((strangers(look, anew) & ~apart)[..., None], encoded, whole)
    return Changed(np.clip(whole, 0, 1), apart, _thrown(before, after, apart))


def strangers(look: OwnLook, within: np.ndarray) -> np.ndarray:
    """Where something stands before a surface that the structure knows nothing of, (H, W) bool, asked of the pixels `within`: a patch whose
    colour is none of that surface's."""
    out = np.zeros(within.shape, bool)
    grey = look.ratio.mean(axis=2, keepdims=True)
    hue = look.ratio - grey
    for surface in np.unique(look.main[within]):
        here = within & (look.main == surface)
        sure = here & look.pure
        if sure.sum() < FEWEST:
            continue
        for plane, least in ((hue, OTHER_HUE), (grey, OTHER_TONE)):
            usual = np.median(plane[sure], axis=0)
            away = np.abs(plane - usual).max(axis=2)
            out |= here & (away > max(least, SPREADS * float(np.median(away[sure]))))
    part = cv2.morphologyEx(out.astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    large, labels = _no_specks(part)
    return cv2.dilate(large[labels].astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _families(picture: Picture, count: int) -> np.ndarray:
    """A number that surfaces with one name and role share, (S,) by id; those without a name are of their own."""
    table, out = picture.structure.surfaces, -1 - np.arange(count)
    named = table[(table["name"] != "") & (table["id"] < count)]
    if len(named):
        out[named["id"].to_numpy()] = named.groupby(["name", "role"], sort=False).ngroup().to_numpy()
    return out


def _of_one(surfaces: np.ndarray) -> bool:
    """Whether most of what shows is one surface."""
    return bool(np.bincount(surfaces).max() > ONE * len(surfaces))


def _only(buffers: Buffers, meant: np.ndarray) -> np.ndarray:
    """The colours of the fragments of surfaces that change, black for others."""
    if not len(meant):
        return buffers.colours
    return np.where(np.isin(buffers.fragments.region, meant)[:, None], buffers.colours, np.float32(0))


def _no_specks(mask: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Which connected pieces of a mask (H, W) uint8 are no specks, (P,) bool, and the piece of each pixel, 0 outside."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    large = stats[:, cv2.CC_STAT_AREA] >= SPECK
    large[0] = False
    return large, labels


def _thrown(before: Buffers, after: Buffers, apart: np.ndarray) -> np.ndarray:
    """Where the light shown differs to be seen, (H, W) bool, but for the pixels `apart`, which show something else."""
    open_ = (~apart).astype(np.float32)
    share = np.maximum(cv2.GaussianBlur(open_, (0, 0), SMOOTH), 1e-3)
    differs = (after.resolved(after.colours) - before.resolved(before.colours)) * open_[..., None]
    differs = np.abs(cv2.GaussianBlur(differs, (0, 0), SMOOTH)).max(axis=2) / share
    seen = ((differs > SEEN) & ~apart).astype(np.uint8)
    # A speck of noise is no shadow.
    seen = cv2.morphologyEx(seen, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    large, labels = _no_specks(seen)
    # A shadow or mirror image is plain somewhere; what is faint throughout is the noise of two renderings.
    large &= np.bincount(labels[differs > PLAIN], minlength=len(large)) > 0
    return cv2.dilate(large[labels].astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
