"""From the pixels of a finished picture back to the light that they show."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import decode_srgb, luminance
from irodori.picture.develop import Development, spread_glare
from irodori.picture.film import CROSSTALK


def scene_light(encoded: np.ndarray, development: Development) -> np.ndarray:
    """The light that a development would show as `encoded`, in units of its layers.

    What the development does is undone in the other order: enriched colour, curve, crosstalk, glare, gain. Dodging and what is burnt
    cannot be undone.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1.

    Returns
    -------
    (H, W, 3) float32, 0 or more.
    """
    film, gain = development.film, development.gain
    shown = decode_srgb(np.asarray(encoded, np.float32))
    grey = luminance(shown)[..., None]
    light = film.exposure(np.clip(grey + (shown - grey) / np.float32(film.colour), 0, 1))
    light = np.maximum((light - CROSSTALK * luminance(light)[..., None]) / (1 - CROSSTALK), 0) / gain
    veil = spread_glare(np.ascontiguousarray(light, np.float32), gain)
    return (np.maximum(light * gain - veil * film.glare, 0) / (1 - film.glare) / gain).astype(np.float32)
