"""What water, dust and hands leave on a surface over the years."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.finishes.noise import layered_noise

SPLASH = np.float32(0.35)
"""m above the foot of a wall within which rain splashes soil."""

RUN = np.float32(1.1)
"""m below an upper edge over which streaks fade."""


@njit(cache=True)
def weather(age, u, v, level, above, below, foot, seed, out):
    """Darken a finish where water runs and soil splashes.

    `age` 0 … 1; (u, v) m on the surface; `level` is the normal's z; `above` and `below` are the heights over the
    surface's foot and under its top, m.
    """
    if age < np.float32(0.01):
        return
    loss = np.float32(0)
    if abs(level) < np.float32(0.6):
        if below + above < np.float32(0.4):
            return
        streak = layered_noise(u, v * np.float32(0.06), np.float32(0.16), foot, 3, seed + 301)
        streak = max(streak + np.float32(0.12), np.float32(0)) * np.float32(np.exp(-max(below, np.float32(0)) / RUN))
        ragged = layered_noise(u, v * np.float32(0.3), np.float32(0.5), foot, 3, seed + 311)
        reach = SPLASH * (np.float32(1) + np.float32(0.7) * ragged)
        splash = np.float32(np.exp(-max(above, np.float32(0)) / max(reach, np.float32(0.08))))
        loss = age * (np.float32(0.75) * streak + np.float32(0.42) * splash)
        soil = age * splash * np.float32(0.25)
    else:
        # Paths and puddle rims on level ground, lichen on roofs.
        stain = layered_noise(u, v, np.float32(2.3), foot, 4, seed + 321)
        loss = age * np.float32(0.38) * max(stain, np.float32(0))
        soil = np.float32(0)
    keep = np.float32(1) - min(loss, np.float32(0.6))
    out[0] *= keep * (np.float32(1) + np.float32(0.10) * soil)
    out[1] *= keep
    out[2] *= keep * (np.float32(1) - np.float32(0.25) * soil)
    # Dirt is dull.
    out[3] += (np.float32(1) - out[3]) * min(loss, np.float32(0.6)) * np.float32(0.6)
