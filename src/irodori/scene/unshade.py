"""Taking a viewport's own shading out of the colours it shows."""

from __future__ import annotations

import numpy as np
import pandas as pd

DARKEST = 0.42
"""A viewport rarely shades a face below this share of its brightest (linear light)."""


def unshaded_colours(table: pd.DataFrame) -> list[tuple[float, float, float]]:
    """Colours of surfaces without the viewport's light.

    Surfaces of one hue and saturation whose brightness differs within a viewport's range are taken for one
    material, and get its brightest colour. Greys are left alone: too many materials are grey.
    """
    colours = np.array([list(c) for c in table["colour"]], np.float64).reshape(-1, 3)
    if not len(colours):
        return []
    total = colours.sum(axis=1, keepdims=True)
    chroma = colours / np.maximum(total, 1e-6)
    area = table["area_px"].to_numpy(float) if "area_px" in table else np.ones(len(table))
    out = colours.copy()
    coloured = np.abs(chroma - 1 / 3).max(axis=1) > 0.05
    for i in np.flatnonzero(coloured):
        alike = coloured & (np.abs(chroma - chroma[i]).max(axis=1) < 0.012) & (area > 60)
        brighter = alike & (total[:, 0] >= total[i, 0]) & (total[:, 0] * DARKEST <= total[i, 0])
        if brighter.any():
            out[i] = colours[i] * (total[brighter, 0].max() / total[i, 0])
    return [tuple(c) for c in np.clip(out, 0, 1).tolist()]
