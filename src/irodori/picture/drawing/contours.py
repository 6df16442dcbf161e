"""Outlines with the weight that a draughtsman gives them: silhouettes heavy, joints fine, far things finer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.work.kept import Kept
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.hand import by_hand
from irodori.picture.drawing.outlines import outlines
from irodori.picture.drawing.paths import KINDS, Paths

WEIGHTS = {"silhouette": 1.45, "fold": 0.95, "joint": 0.55}
"""px of lines in a picture 1280 wide."""

FARTHER = 0.33
"""Exponent with which lines grow finer as things are farther than usual."""

LEAST, MOST = 0.45, 1.35
"""Factors between which distance keeps the weight of lines."""


_outlines: Kept[tuple[Paths, np.ndarray]] = Kept()
"""Outlines of pictures in use: every look has the same."""


def contours(buffers: Buffers, *, weight: float = 1.0, looseness: float = 0.0, taper: float = 0.0) -> Paths:
    """The outlines of all but planting, of joints and folds too, in their weights.

    `weight` is a factor on all of them; `looseness` and `taper` as in `irodori.picture.drawing.hand.by_hand`.
    """
    paths, away = _outlines.of(buffers, None, lambda: outlines(buffers.fragments, buffers.size, buffers.loose))
    if not len(paths):
        return paths
    usual = np.median(away[np.isfinite(away)]) if np.isfinite(away).any() else 1.0
    nearness = np.clip((usual / np.maximum(np.nan_to_num(away, posinf=1e6), 1e-3)) ** FARTHER, LEAST, MOST)
    own = np.array([WEIGHTS.get(name, 1.0) for name in KINDS])[paths.kind]
    # The edge of leaves is drawn with them, and of water with the shore.
    leafy = buffers.loose[paths.surface]
    wide = own * nearness * weight * buffers.scale
    paths = replace(paths, width=np.repeat(wide, np.diff(paths.starts)).astype(np.float32)).take(~leafy)
    return by_hand(paths, looseness, buffers.scale, seed=buffers.seed, taper=taper)
