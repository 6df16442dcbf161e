"""A finished picture taken apart: the light that it shows, and what its surfaces are without that."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from irodori.core.colour import luminance
from irodori.picture.picture import Picture
from irodori.retouch.own_look import OwnLook, own_look, share_of
from irodori.retouch.scene_light import scene_light

FAINT = 1e-3
"""Reflectance that is added below the line, so that black divides nothing."""

BRIGHTEST = 95
"""Percentile of the light that counts as its brightest."""

WITHIN = 0.02
"""Log light below which nothing differs within a surface: then there is nothing to explain."""


class Split(NamedTuple):
    """What a finished picture comes to, each linear.

    Attributes
    ----------
    reflectance
        (H, W, 3) float32, 0 … 1: what surfaces reflect; 0 in the sky, on water and glass.
    light
        (H, W, 3) float32, in units of what the brightest twentieth of them get: what falls on them and what they mirror, as the picture
        shows it.
    explained
        How much of the light and shade within surfaces our light explains, 0 … 1.
    """

    reflectance: np.ndarray
    light: np.ndarray
    explained: float


def split(encoded: np.ndarray, old: Picture) -> Split:
    """A picture (H, W, 3) float32 encoded apart into light and reflectance, by the rendering `old` of what it shows in its light."""
    count = max(len(old.shown.loose), int(old.shown.fragments.region.max()) + 1)
    known = np.ones(count, bool)
    known[0] = False
    known[: len(old.shown.panes)] &= ~old.shown.panes[:count]
    water = old.structure.of_role("water")
    known[water[water < count]] = False
    look = own_look(encoded, old, known)
    buffers = old.buffers
    # Sky, glass and water show the light and next to nothing of their own.
    own = np.where(known[buffers.fragments.region][:, None], buffers.albedo * share_of(look, old, known), np.float32(0))
    reflectance = np.clip(buffers.resolved(own), 0, 1)
    shown = scene_light(encoded, buffers.development)
    light = shown / (reflectance + FAINT)
    solid = luminance(reflectance) > FAINT
    light[~solid] = shown[~solid]
    white = np.percentile(luminance(light)[solid], BRIGHTEST) if solid.any() else 1.0
    light = light / max(float(white), 1e-6)
    return Split(reflectance.astype(np.float32), light.astype(np.float32), _explained(look, old))


def _explained(look: OwnLook, old: Picture) -> float:
    """Share of the variance of log light within surfaces that goes when ours is taken out; about the pixels that one surface fills."""
    there = look.pure & (look.main > 0)
    if not there.any():
        return 0.0
    ours = np.log(np.maximum(luminance(old.buffers.resolved(old.buffers.light)), 1e-6))[there]
    rest = look.ratio.mean(axis=2)[there]
    surface = look.main[there]
    before, after = (_within(values, surface) for values in (ours + rest, rest))
    if before < WITHIN**2:
        return 1.0
    return float(np.clip(1 - after / before, 0, 1))


def _within(values: np.ndarray, surface: np.ndarray) -> float:
    """Variance about the mean of each surface."""
    count = np.maximum(np.bincount(surface), 1)
    mean = np.bincount(surface, values) / count
    return float(np.mean((values - mean[surface]) ** 2))
