"""A finished picture in another light."""

from __future__ import annotations

import numpy as np

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Relight
from irodori.picture.picture import Picture
from irodori.retouch.own_look import own_look, share_of


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
    return new.times(share_of(own_look(encoded, old, kept, step.keep_detail), new, kept), step)
