"""What kind of capture a picture is."""

from __future__ import annotations

import numpy as np

from irodori.core.capture import Kind
from irodori.core.colour import encode_srgb
from irodori.core.flatness import is_drawn


def detect_kind(image: np.ndarray) -> Kind:
    """Tell a line drawing, a shaded viewport and a finished picture apart.

    A drawing is mostly one light paper tone with little colour; a viewport is mostly exactly flat areas;
    anything else is a finished rendering or photo.
    """
    encoded = np.rint(encode_srgb(image) * 255).astype(np.int16)
    grey = encoded.mean(axis=2)
    spread = encoded.max(axis=2) - encoded.min(axis=2)
    paper = np.percentile(grey, 80)
    light = np.abs(grey - paper) < 12
    if paper > 180 and light.mean() > 0.72 and (spread > 40).mean() < 0.02:
        return "line"
    return "shaded" if is_drawn(encoded.astype(np.uint8)) else "finished"
