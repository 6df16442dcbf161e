"""What a finished picture shows beyond our rendering of its old light: its own colours and textures, without that light."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from irodori.core.colour import luminance
from irodori.core.fragments import Fragments
from irodori.core.scene import Scene
from irodori.picture.picture import Picture
from irodori.retouch.guided import guided
from irodori.retouch.scene_light import scene_light

DARK = 0.004
"""Display light at which a pixel tells half as much of its surface as a bright one: below lie noise and rounding."""

BURNT, SURE = 0.985, 0.93
"""Encoded value from which a pixel is burnt and tells nothing, and below which it tells all."""

PURE = 0.985
"""Share of a pixel that one surface must fill for the pixel to show it alone."""

USUAL = 40.0
"""Pixels that count as much for a surface as what is usual in the picture."""

FAINT = 0.002
"""Exposed light that is added to both sides of a ratio: black over black is one."""

MOST, LEAST = 0.9, 0.015
"""Albedo that a surface may come to have."""

FINE = 0.006
"""Width of what counts as fine detail, as a share of the picture's longer side."""


class OwnLook(NamedTuple):
    """What a picture shows beyond a rendering of it.

    Attributes
    ----------
    ratio
        (H, W, 3) float32: log of its light over that rendered.
    main, pure
        (H, W) int32, bool: the surface that fills most of each pixel, and whether it fills all.
    usual
        (S, 3) float32: what is usual on each surface.
    """

    ratio: np.ndarray
    main: np.ndarray
    pure: np.ndarray
    usual: np.ndarray


def own_look(encoded: np.ndarray, old: Picture, kept: np.ndarray, keep_detail: float = 1.0) -> OwnLook:
    """What the picture shows beyond the rendering `old` of its structure in its light.

    Light cancels: on matt surfaces it is the ratio of the picture's albedo to that rendered, pixel by pixel. Pixels that are nearly
    black or burnt tell little; there it is the surface's own mean.

    Parameters
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1, of the size of `old`.
    old
        The same structure rendered under the light that the picture shows.
    kept
        (S,) bool by surface id: the surfaces that keep the picture's own look.
    keep_detail
        Share of fine detail that is kept, 0 … 1; edges between surfaces stay in any case.
    """
    buffers = old.buffers
    fragments, development = buffers.fragments, buffers.development
    gain = development.gain
    shown = scene_light(encoded, development)
    rendered = buffers.resolved(buffers.light)
    ratio = np.log((shown + FAINT / gain) / (rendered + FAINT / gain)).astype(np.float32)
    telling = _telling(encoded, luminance(rendered * gain))
    main = buffers.region
    pure = (fragments.weight[fragments.first()] > PURE).reshape(main.shape)
    counted = np.where(pure & kept[main], telling, 0.0)
    usual = _usual(ratio, counted, main, len(kept))
    ratio = usual[main] + telling[..., None] * (ratio - usual[main])
    if keep_detail < 1:
        broad = np.stack(
            [guided(usual[main][..., k], ratio[..., k], round(FINE * max(old.size)) + 1) for k in range(3)], axis=2
        )
        ratio = broad + np.float32(keep_detail) * (ratio - broad)
    return OwnLook(ratio, main, pure, usual)


def share_of(look: OwnLook, picture: Picture, kept: np.ndarray) -> np.ndarray:
    """Factor on the light of each fragment of a rendering that gives its `kept` surfaces, (S,) bool, the picture's own look.

    What was dressed anew (water, glazing, lamps, finishes that were asked for) and the sky keep their rendering: 1.

    Returns
    -------
    (N, 3) float32.
    """
    buffers = picture.buffers
    fragments = buffers.fragments
    factor = np.exp(_to_fragments(fragments, look.ratio, look.main, look.pure, look.usual, picture.size))
    factor[~kept[fragments.region]] = 1.0
    # No paint reflects more than comes.
    albedo = np.maximum(luminance(buffers.albedo), 1e-4)
    bright = luminance(buffers.albedo * factor)
    held = np.clip(bright, LEAST, MOST) / np.maximum(bright, 1e-6)
    return np.where((kept[fragments.region] & (albedo > 1e-3))[:, None], factor * held[:, None], factor).astype(
        np.float32
    )


def kept_as_found(scene: Scene) -> np.ndarray:
    """Surfaces that keep a picture's own look, (S,) bool by surface id: those that no finish was laid on."""
    plain = np.array([name.startswith("as found") for name in scene.finish_names])
    kept = plain[scene.finish_of]
    panes = scene.shown.panes[: len(kept)]
    kept[: len(panes)] &= ~panes
    kept[0] = False
    return kept


def _telling(encoded: np.ndarray, exposed: np.ndarray) -> np.ndarray:
    """How far each pixel tells of its surface, (H, W) float32, 0 … 1."""
    dark = exposed / (exposed + np.float32(DARK))
    burnt = np.clip((BURNT - encoded.max(axis=2)) / (BURNT - SURE), 0, 1)
    return (dark * burnt).astype(np.float32)


def _usual(ratio: np.ndarray, counted: np.ndarray, main: np.ndarray, count: int) -> np.ndarray:
    """Mean log ratio of each surface, (S, 3); where few pixels tell, near that of the picture."""
    weight = np.bincount(main.ravel(), counted.ravel(), minlength=count)
    sums = np.stack(
        [np.bincount(main.ravel(), (counted * ratio[..., k]).ravel(), minlength=count) for k in range(3)], axis=1
    )
    whole = sums.sum(axis=0) / max(weight.sum(), 1e-6)
    return ((sums + USUAL * whole) / (weight + USUAL)[:, None]).astype(np.float32)


def _to_fragments(
    fragments: Fragments, ratio: np.ndarray, main: np.ndarray, pure: np.ndarray, usual: np.ndarray, size: tuple[int, int]
) -> np.ndarray:  # fmt: skip
    """Each fragment's own ratio (N, 3): of its pixel where it fills that alone, else of the nearest such pixels of its surface; of slender
    things, that fill none, their pixels' own, unless the sky is mixed into them."""
    with_sky = np.zeros(main.size, bool)
    with_sky[fragments.pixel[fragments.region == 0]] = True
    out = np.empty((len(fragments), 3), np.float32)
    _spread(
        fragments.pixel, fragments.region, np.ascontiguousarray(ratio.reshape(-1, 3)), main.ravel(), pure.ravel(),
        with_sky, usual, size[0], size[1], out,
    )  # fmt: skip
    return out


NEAR = 3
"""px within which a mixed pixel asks its surface's other pixels."""


@njit(cache=True, nogil=True)
def _spread(pixel, region, ratio, main, pure, with_sky, usual, width, height, out):
    total = np.zeros(3)
    for i in range(len(pixel)):
        p, own = pixel[i], region[i]
        if pure[p] and main[p] == own:
            out[i] = ratio[p]
            continue
        y, x = p // width, p % width
        weight = 0.0
        for reach in range(1, NEAR + 1):
            weight, total[:] = 0.0, 0.0
            for v in range(max(y - reach, 0), min(y + reach + 1, height)):
                for u in range(max(x - reach, 0), min(x + reach + 1, width)):
                    q = v * width + u
                    if pure[q] and main[q] == own:
                        share = 1.0 / ((v - y) ** 2 + (u - x) ** 2)
                        weight += share
                        for k in range(3):
                            total[k] += share * ratio[q, k]
            if weight > 0:
                break
        for k in range(3):
            if weight > 0:
                out[i, k] = total[k] / weight
            else:
                out[i, k] = usual[own, k] if with_sky[p] else ratio[p, k]
