"""What a finish looks like at one place, by its pattern, in metres.

The patterns' kernels (`irodori.finishes.patterns`) are compiled into one, `evaluate_finish`.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

import numpy as np
from numba import njit

from irodori.core.work.kernel_files import forget_older_kernels
from irodori.finishes import noise
from irodori.finishes.noise import layered_noise
from irodori.finishes.patterns.common import GRAIN, GRAIN_SIZE, STRETCH
from irodori.finishes.registry import FOLDER, Pattern, patterns
from irodori.finishes.slots import SLOT

PATTERN, ROUGHNESS, TURN, MOTTLE = SLOT["pattern"], SLOT["roughness"], SLOT["turn"], SLOT["mottle"]

OUTPUTS = 8
"""Albedo (3), roughness, share of direct light that reaches past the relief, slope along u and v, cavity."""

SHADED_BY_RELIEF = np.array([p.shaded_by_relief for p in patterns()])
"""The patterns whose fifth output depends on where the sun stands; no other output of any pattern does."""

OWN_GRAIN = np.array([p.own_grain for p in patterns()])
"""The patterns that use the finish's grain themselves."""

SOURCES = (FOLDER, *sorted(FOLDER.glob("*.py")), Path(noise.__file__), Path(__file__))
"""What goes into `evaluate_finish`: kernels that call it are compiled anew when any of these changes."""

forget_older_kernels(Path(__file__), SOURCES)


def _chosen_by_number(known: tuple[Pattern, ...]):
    """One kernel that calls that of pattern `number`. Numba cannot choose among functions, so its branches are written here."""
    drawn = [(number, p) for number, p in enumerate(known) if p.kernel is not None]
    lines = [
        f"    {'elif' if i else 'if'} number == {n}:\n        kernel_{n}({', '.join(p.arguments)})"
        for i, (n, p) in enumerate(drawn)
    ]
    # The cache knows a function by its file, name and code, but not by the names it calls: these go into its own.
    mark = hashlib.sha256("\n".join(p.name for p in known).encode()).hexdigest()[:8]
    source = f"def draw_{mark}(number, row, u, v, fu, fv, seed, lu, lv, ln, out):\n" + "\n".join(lines)
    names = {f"kernel_{n}": p.kernel for n, p in drawn}
    exec(compile(source, __file__, "exec"), names)
    return njit(cache=True, nogil=True)(names[f"draw_{mark}"])


draw_pattern = _chosen_by_number(patterns())


@njit(cache=True, nogil=True)
def evaluate_finish(row, red, green, blue, u, v, fu, fv, seed, lu, lv, ln, out):
    """Evaluate a finish at (u, v), metres, over a footprint fu × fv.

    (red, green, blue) is its base colour, linear; (lu, lv, ln) is the direction of the sun in the surface's frame. `out` receives `OUTPUTS` values.
    """
    if row[TURN] > 0:
        u, v = v, u
        fu, fv = fv, fu
        lu, lv = lv, lu
    # Very oblique views would stretch the footprint without end; four to one is what the eye accepts.
    fu, fv = max(fu, fv * np.float32(0.25)), max(fv, fu * np.float32(0.25))
    out[0], out[1], out[2] = red, green, blue
    out[3] = row[ROUGHNESS]
    out[4] = np.float32(1)
    out[5] = np.float32(0)
    out[6] = np.float32(0)
    out[7] = np.float32(1)
    pattern = np.int64(row[PATTERN])
    draw_pattern(pattern, row, u, v, fu, fv, seed, lu, lv, ln, out)
    foot = max(fu, fv)
    if row[GRAIN] > 0 and not OWN_GRAIN[pattern]:
        fine = layered_noise(u * row[STRETCH], v, row[GRAIN_SIZE], foot, 3, seed + 101)
        for k in range(3):
            out[k] *= np.float32(1) + row[GRAIN] * fine
        out[5] += fine * row[GRAIN] * np.float32(0.10)
    if row[MOTTLE] > 0:
        # Weather and hands: slow, large tones that no surface outside escapes.
        slow = layered_noise(u, v * np.float32(0.6), np.float32(1.9), foot, 4, seed + 211)
        for k in range(3):
            out[k] *= np.float32(1) + row[MOTTLE] * slow
        out[3] *= np.float32(1) + row[MOTTLE] * slow * np.float32(0.6)
    for k in range(3):
        out[k] = min(max(out[k], np.float32(0.003)), np.float32(0.92))
    if row[TURN] > 0:
        swap = out[5]
        out[5] = out[6]
        out[6] = swap
