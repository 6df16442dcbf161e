"""The touches, one after the other: what of a picture is wanting, and what that is given."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irodori.core.colour import decode_srgb, encode_srgb, luminance
from irodori.core.roles import ROLES
from irodori.core.work.progress import Progress, report
from irodori.picture.picture import Picture
from irodori.retouch.changed import SPECK, STOPS, other_things
from irodori.retouch.own_look import own_look
from irodori.retouch.touch.noise import denoised, noise_level

TOUCHES = ("noise", "windows", "relief", "foreground")
"""What can be touched up, in the order in which it is done."""

NOISY = 1.2 / 255
"""Spread of noise from which it is taken away."""

BURNT, MOSTLY_BURNT = 0.985, 0.25
"""Encoded value from which a pixel is burnt, and the share of a pane's from which it is."""

DULL = 0.02
"""Spread of a pane's tones below which it shows nothing."""

FLAT, RELIEF = 0.012, 0.01
"""Spread of fine detail below which a surface is flat, and from which a finish has something to give."""

LARGE, PANE = 0.004, 0.0004
"""Shares of the picture from which a surface or a pane is worth a touch."""

FINE = 2.0
"""px: width of fine detail."""

STRENGTH = 0.8
"""Share of a finish's relief that a flat surface is given."""

MOST = 0.5
"""Log of the largest factor that relief comes to."""

FOREGROUND = 0.5
"""Height in the picture, from above, from which ground is foreground."""


@dataclass(frozen=True, eq=False)
class Touched:
    """One touch: its name, what was done in words, the picture (H, W, 3) after it, and where it changed, (H, W) float32 0 … 1."""

    name: str
    told: str
    encoded: np.ndarray
    cover: np.ndarray


def touched(
    encoded: np.ndarray, old: Picture, new: Picture, wanted: tuple[str, ...], progress: Progress | None = None
) -> list[Touched]:
    """What a finished picture is given, touch by touch, those that it does not need left out.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, the picture.
    old, new
        Renderings of what it shows in its light: as it is, and as it could be.
    wanted
        Of `TOUCHES`.
    """
    out: list[Touched] = []
    now = encoded
    for number, name in enumerate(one for one in TOUCHES if one in wanted):
        report(progress, "Touching up", number / len(TOUCHES))
        done = _WAYS[name](now, old, new)
        if done is not None:
            out.append(done)
            now = done.encoded
    return out


def _less_noise(encoded: np.ndarray, old: Picture, new: Picture) -> Touched | None:
    level = noise_level(encoded)
    if level < NOISY:
        return None
    return Touched(
        "noise", f"noise of {255 * level:.1f} of 255 taken away", denoised(encoded, level), np.ones(encoded.shape[:2], np.float32)
    )  # fmt: skip


def _windows(encoded: np.ndarray, old: Picture, new: Picture) -> Touched | None:
    """Panes that are burnt or show nothing are given what ours show."""
    region = old.buffers.region
    panes = np.flatnonzero(old.shown.panes)
    wanting = []
    for pane in panes:
        here = region == pane
        if here.sum() < PANE * here.size:
            continue
        shown = encoded[here]
        burnt = (shown.min(axis=1) > BURNT).mean() > MOSTLY_BURNT
        if burnt or luminance(shown).std() < DULL:
            wanting.append(pane)
    if not wanting:
        return None
    cover = _cover(new, np.array(wanting)) * (~other_things(old, new) | np.isin(region, wanting))
    shown = new.rebalanced(exposure=_stops(encoded, old)).encoded
    told = f"{len(wanting)} burnt or empty {'pane' if len(wanting) == 1 else 'panes'} given a view"
    return Touched("windows", told, encoded + cover[..., None] * (shown - encoded), cover)


def _relief(encoded: np.ndarray, old: Picture, new: Picture) -> Touched | None:
    """Flat surfaces are given the relief of the finish that they would have, their own colours and shading kept."""
    buffers = old.buffers
    region = buffers.region
    fine = _fine(np.log(luminance(encoded) + 0.02), region)
    # Shadows fall in both renderings; what differs is the finish.
    first, second = (np.log(np.maximum(luminance(p.buffers.resolved(p.buffers.light)), 1e-6)) for p in (old, new))
    given = _fine(second - first, region)
    apart = other_things(old, new)
    count = int(region.max()) + 1
    area = np.bincount(region.ravel(), minlength=count)
    inner = cv2.erode((~_borders(region)).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    inner &= ~apart
    skip = {ROLES.index(role) for role in ("water", "glazing", "lamp", "sign", "planting", "person")}
    flat = []
    for surface in np.flatnonzero(area > LARGE * region.size):
        if surface == 0 or int(buffers.role_of[surface]) in skip or buffers.loose[surface]:
            continue
        here = inner & (region == surface)
        if here.sum() < SPECK:
            continue
        if np.median(np.abs(fine[here])) < FLAT * 0.67 and fine[here].std() < 3 * FLAT and given[here].std() > RELIEF:
            flat.append(surface)
    if not flat:
        return None
    where = (np.isin(region, flat) & ~apart).astype(np.float32)
    factor = np.exp(np.clip(STRENGTH * given, -MOST, MOST) * where)
    linear = decode_srgb(encoded) * factor[..., None]
    told = f"{len(flat)} flat {'surface' if len(flat) == 1 else 'surfaces'} given relief"
    return Touched("relief", told, encode_srgb(np.clip(linear, 0, 1)).astype(np.float32), where)


def _foreground(encoded: np.ndarray, old: Picture, new: Picture) -> Touched | None:
    """Bare lawn and ground near the camera are given what grows on them."""
    apart = other_things(old, new)
    region = old.buffers.region
    role = old.buffers.role_of[region]
    ground = np.isin(role, [ROLES.index(name) for name in ("lawn", "ground")])
    ground[: round(FOREGROUND * ground.shape[0])] = False
    grown = (ground & (apart | (new.buffers.region != region))).astype(np.uint8)
    if grown.mean() < LARGE:
        return None
    cover = cv2.GaussianBlur(grown.astype(np.float32), (0, 0), 0.7) * ground
    shown = new.rebalanced(exposure=_stops(encoded, old)).encoded
    told = f"bare foreground planted ({100 * grown.mean():.0f} % of the picture)"
    return Touched("foreground", told, encoded + cover[..., None] * (shown - encoded), cover)


def _stops(encoded: np.ndarray, old: Picture) -> float:
    """Stops that the picture is exposed more than ours."""
    known = np.ones(max(len(old.shown.loose), int(old.shown.fragments.region.max()) + 1), bool)
    look = own_look(encoded, old, known)
    return float(np.log2(np.clip(np.median(luminance(np.exp(look.ratio[look.pure]))), *STOPS)))


def _cover(picture: Picture, surfaces: np.ndarray) -> np.ndarray:
    """Share of each pixel that some surfaces fill, (H, W) float32."""
    fragments = picture.shown.fragments
    return picture.buffers.resolved(np.isin(fragments.region, surfaces).astype(np.float32))[..., 0]


def _fine(plane: np.ndarray, region: np.ndarray) -> np.ndarray:
    """Fine detail of a plane (H, W) within each surface: what is left of it without its smooth part."""
    same = (~_borders(region)).astype(np.float32)
    mean = cv2.GaussianBlur(plane.astype(np.float32) * same, (0, 0), FINE) / np.maximum(
        cv2.GaussianBlur(same, (0, 0), FINE), 1e-3
    )
    return ((plane - mean) * same).astype(np.float32)


def _borders(region: np.ndarray) -> np.ndarray:
    """Pixels beside another surface, (H, W) bool."""
    out = np.zeros(region.shape, bool)
    across, down = region[:, 1:] != region[:, :-1], region[1:] != region[:-1]
    out[:, 1:] |= across
    out[:, :-1] |= across
    out[1:] |= down
    out[:-1] |= down
    return out


_WAYS = {"noise": _less_noise, "windows": _windows, "relief": _relief, "foreground": _foreground}
