"""Part of a picture laid over another of the same structure."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.scene import Shown
from irodori.engine.image.layers import Traced


def laid_over(
    below: Shown, light_below: Traced, above: Shown, light_above: Traced, mask: np.ndarray, own: int
) -> tuple[Shown, Traced]:
    """What is seen, and its light, where `above` shows in the mask (H, W) bool and `below` elsewhere.

    Both show the same structure, with ids up to `own`; additions of `above` get ids beyond those of `below`, unless they are the same.
    """
    inside = mask.ravel()
    old, new = below.fragments, above.fragments
    kept, put = np.flatnonzero(~inside[old.pixel]), np.flatnonzero(inside[new.pixel])
    shift = len(below.loose)
    if below.listed == above.listed and np.array_equal(below.loose, above.loose):
        shift = 0
    old, new = old.take(kept), new.take(put)
    region = np.where(new.region > own, new.region + shift, new.region).astype(np.int32)
    columns = [
        np.concatenate([getattr(old, name), region if name == "region" else getattr(new, name)])
        for name in old.__dataclass_fields__
    ]
    order = np.argsort(columns[0], kind="stable")
    fragments = Fragments(*(column[order] for column in columns))
    scale = np.float32(light_above.unit / light_below.unit)
    rows = light_above.layers[put].copy()
    first = light_above.of("albedo").shape[1]
    rows[:, first:] *= scale
    layers = np.concatenate([light_below.layers[kept], rows])[order]
    axis = np.zeros(shift + len(above.loose), np.float32)
    axis[shift : shift + len(light_above.axis)] = light_above.axis
    axis[: own + 1] = light_below.axis[: own + 1]
    covered = None
    if below.covered is not None or above.covered is not None:
        nothing = np.zeros(mask.shape, np.float32)
        covered = np.where(
            mask, nothing if above.covered is None else above.covered, nothing if below.covered is None else below.covered
        )  # fmt: skip
    shown = Shown(
        fragments, np.concatenate([below.loose[:shift], above.loose]), np.concatenate([below.panes[:shift], above.panes]), covered,
        (*below.listed, *(item for item in above.listed if item not in below.listed)),
    )  # fmt: skip
    return shown, replace(light_below, layers=layers, rays=light_above.rays, axis=axis)
