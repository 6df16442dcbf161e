"""Telling specks: what smoothing is guided by where a lone ray met something far brighter or darker."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def hold_specks(tone, region, least, rank, held, top, bottom):
    """Tones (R, C) held between those of the `rank`-th darkest and brightest neighbour, in rows `top` … `bottom` − 1 of `held`.

    They only say what is alike: the light of a speck is then spread over its neighbours, neither left nor lost. Neighbours
    are of the same `region` (R, C); with fewer than `least` of them a tone stays. Region 0 is left out.
    """
    rows, columns = region.shape
    near = np.empty(8, np.float32)
    for y in range(top, bottom):
        for x in range(columns):
            if region[y, x] == 0:
                continue
            held[y, x] = tone[y, x]
            count = 0
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    ny, nx = y + dy, x + dx
                    if (dy == 0 and dx == 0) or ny < 0 or nx < 0 or ny >= rows or nx >= columns:
                        continue
                    if region[ny, nx] != region[y, x]:
                        continue
                    value = tone[ny, nx]
                    # Insertion keeps them sorted.
                    at = count
                    while at > 0 and near[at - 1] > value:
                        near[at] = near[at - 1]
                        at -= 1
                    near[at] = value
                    count += 1
            if count >= least:
                held[y, x] = min(max(tone[y, x], near[rank - 1]), near[count - rank])
