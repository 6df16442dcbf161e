"""A drawing's strokes as lines of a few widths, which vector files and illustrators can use."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numba import njit

from irodori.formats.vector_file import Stroked
from irodori.picture.drawing import SHEET
from irodori.picture.drawing.paths import KINDS
from irodori.picture.drawing.sheet import Layer, Sheet

WIDTHS = 9
"""Widths that the strokes of a layer are cut into, evenly up to the widest."""

STRAIGHT = 0.03
"""mm beside a straight line up to which points are left out."""


def sheet_size(sheet: Sheet, longer: float = SHEET) -> tuple[float, float]:
    """(width, height) of a sheet whose longer side is `longer` mm."""
    mm = longer / max(sheet.size)
    return sheet.size[0] * mm, sheet.size[1] * mm


def stroked(sheet: Sheet, names: Mapping[int, str], longer: float = SHEET) -> list[Stroked]:
    """The strokes of a drawing by layer, kind and surface, on a sheet whose longer side is `longer` mm; `names` are those of surfaces
    by their id."""
    return [one for layer in sheet.layers for one in _of_layer(layer, longer / max(sheet.size), names)]


def _of_layer(layer: Layer, mm: float, names: Mapping[int, str]) -> list[Stroked]:
    paths = layer.paths
    if not len(paths):
        return []
    widest = max(float(np.percentile(paths.width[paths.width > 0], 98)), 1e-6)
    step = widest / WIDTHS
    points, level, starts, source = _runs(
        paths.points, paths.width, paths.starts, np.float32(step), np.float32(STRAIGHT / mm)
    )
    points = points.astype(float) * mm
    colour = None
    if paths.colour is not None:
        # A marker set has few inks; what differs by less than an eye sees is one.
        colour = np.rint(paths.colour * 24) / 24
    groups: dict[tuple, list[np.ndarray]] = {}
    for k in range(len(level)):
        s = source[k]
        own = layer.ink if colour is None else tuple(colour[s].tolist())
        key = (int(paths.kind[s]), int(paths.surface[s]), own, int(level[k]))
        groups.setdefault(key, []).append(points[starts[k] : starts[k + 1]])
    out = []
    for (kind, surface, own, width), lines in sorted(groups.items(), key=lambda item: item[0]):
        named = names.get(surface) or (f"surface {surface}" if surface else "sky and planting")
        out.append(
            Stroked(f"{layer.name}: {KINDS[kind]}", named, own, width * step * mm, layer.strength, lines, layer.once)
        )
    return out


@njit(cache=True, nogil=True)
def _level(both, step):
    """How many steps wide a piece is whose ends are `both` wide together; what is drawn at all is one at least."""
    if both <= np.float32(0.3) * step:
        return 0
    return max(int(np.rint(np.float32(0.5) * both / step)), 1)


@njit(cache=True, nogil=True)
def _runs(points, width, starts, step, straight):
    """Pieces of paths with one width each: points without those on straight lines, the width in steps, where each begins, and the path
    that it is of."""
    out = np.empty((2 * len(points) + 2, 2), np.float32)
    level = np.empty(len(points) + 1, np.int32)
    begin = np.empty(len(points) + 2, np.int64)
    source = np.empty(len(points) + 1, np.int64)
    filled, runs = 0, 0
    begin[0] = 0
    for s in range(len(starts) - 1):
        i, last = starts[s], starts[s + 1] - 1
        while i < last:
            own = _level(width[i] + width[i + 1], step)
            j = i + 1
            while j < last and _level(width[j] + width[j + 1], step) == own:
                j += 1
            if own > 0:
                out[filled] = points[i]
                filled += 1
                a = i
                for k in range(i + 1, j + 1):
                    bent = k == j
                    if not bent:
                        dx, dy = points[k + 1, 0] - points[a, 0], points[k + 1, 1] - points[a, 1]
                        length = np.float32(np.sqrt(dx * dx + dy * dy))
                        for m in range(a + 1, k + 1):
                            away = abs((points[m, 0] - points[a, 0]) * dy - (points[m, 1] - points[a, 1]) * dx)
                            if away > straight * max(length, np.float32(1e-6)):
                                bent = True
                                break
                    if bent:
                        out[filled] = points[k]
                        filled += 1
                        a = k
                level[runs] = own
                source[runs] = s
                runs += 1
                begin[runs] = filled
            i = j
    return out[:filled].copy(), level[:runs].copy(), begin[: runs + 1].copy(), source[:runs].copy()
