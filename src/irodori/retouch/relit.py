"""A finished picture in another light."""

from __future__ import annotations

import numpy as np

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Relight
from irodori.picture.picture import Picture
from irodori.retouch.before_sky import before_sky
from irodori.retouch.own_look import OwnLook, own_look, share_of
from irodori.retouch.scene_light import scene_light


def relit(encoded: np.ndarray, old: Picture, new: Picture, kept: np.ndarray, step: Relight) -> Picture:
    """The picture `encoded`, which shows a structure in the light of the rendering `old`, in the light of the rendering `new`.

    It is developed as `new` is, and its layers of light can be balanced and drawn as any picture's.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1.
    old, new
        The same dressed structure in both lights.
    kept
        (S,) bool by surface id: the surfaces that keep the picture's own look.
    step
        What the recipe tells of it.

    Raises
    ------
    IrodoriError
        When the sizes differ.
    """
    if encoded.shape[:2] != new.size[::-1] or old.size != new.size:
        raise IrodoriError(
            f"The picture has {encoded.shape[1]} × {encoded.shape[0]} pixels, its structure {new.size[0]} × {new.size[1]}"
        )
    look = own_look(encoded, old, kept, step.keep_detail)
    factor = share_of(look, new, kept)
    return new.times(_with_things_before_sky(factor, encoded, look, old, new), step)


def _with_things_before_sky(
    factor: np.ndarray, encoded: np.ndarray, look: OwnLook, old: Picture, new: Picture
) -> np.ndarray:
    """The factors (N, 3) with trees before the sky that the structure knows nothing of left there, lit as the rest is on the whole."""
    things, _ = before_sky(encoded, (look.main == 0) & look.pure)
    if not things.any():
        return factor
    before, after = old.buffers, new.buffers
    solid = before.region > 0
    light = before.resolved(before.light)
    brighter = np.median(after.resolved(after.light)[solid], axis=0) / np.maximum(np.median(light[solid], axis=0), 1e-6)
    lit = scene_light(encoded, before.development) * brighter.astype(np.float32)
    fragments = new.shown.fragments
    rows = np.flatnonzero((fragments.region == 0) & (things.ravel()[fragments.pixel] > 0))
    share = things.ravel()[fragments.pixel[rows]][:, None]
    sky = np.maximum(after.light[rows], 1e-6)
    factor[rows] = (1 - share) + share * lit.reshape(-1, 3)[fragments.pixel[rows]] / sky
    return factor
